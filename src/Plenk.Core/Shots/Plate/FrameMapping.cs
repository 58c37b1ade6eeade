namespace Plenk.Core.Shots;

/// <summary>Source frame = SourceFrame + (shot frame − ShotFrame) × source rate ÷ shot rate.</summary>
public sealed record FrameMapping(double SourceFrame, int ShotFrame)
{
    public double ToSource(double shotFrame, FrameRate source, FrameRate shot) =>
        SourceFrame + (shotFrame - ShotFrame) * ((double)source.Num * shot.Den / ((double)source.Den * shot.Num));

    /// <summary>The moment of the shot, frames, at which a source's frame was taken.</summary>
    public double ToShot(double sourceFrame, FrameRate source, FrameRate shot) =>
        ShotFrame + (sourceFrame - SourceFrame) * ((double)source.Den * shot.Num / ((double)source.Num * shot.Den));

    /// <summary>
    /// The source's frame that a shot frame shows: the nearest one, of two as near the later. The one place where source frames are
    /// rounded.
    /// </summary>
    public int FrameAt(double shotFrame, FrameRate source, FrameRate shot) =>
        (int)Math.Floor(ToSource(shotFrame, source, shot) + 0.5 + 1e-9);
}
