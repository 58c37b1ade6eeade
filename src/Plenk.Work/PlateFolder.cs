using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;

namespace Plenk.Work;

/// <summary>A folder of numbered frames, without a camera.</summary>
public sealed class PlateFolder
{
    private readonly string _folder;
    private readonly PlateCheckResult _check;

    public ColorSpace Space { get; }
    public int First => _check.Frames[0].Frame;
    public int Last => _check.Frames[^1].Frame;

    /// <param name="space">What the files say of themselves wins over it.</param>
    public PlateFolder(string folder, ColorSpace? space, CancellationToken stop = default)
    {
        _folder = folder;
        _check = SolveWork.Frames(folder, stop);
        Space = _check.Encoding ?? space ?? _check.Says ?? ColorSpace.Srgb;
    }

    public CodeImage Codes(int frame)
    {
        CheckedFrame f = _check.Frames.FirstOrDefault(f => f.Frame == frame)
            ?? throw new ShotFault($"The plate has no frame {frame}; it has {First} to {Last}.");
        return RasterFile.Read(FrameIntake.Take(File.ReadAllBytes(Path.Combine(_folder, f.File)), f.File).Bytes, f.File);
    }

    /// <summary>Black, white, edges and grain of a region of a frame; the frames beside it tell grain from texture.</summary>
    public PlateMeasures Measure(int frame, int x, int y, int width, int height, CancellationToken stop = default)
    {
        CodeImage own = Codes(frame);
        if (x < 0 || y < 0 || width < 16 || height < 16 || x + width > own.Width || y + height > own.Height)
        {
            throw new ShotFault(
                $"The region {x},{y},{width},{height} must lie within the picture, {own.Width} × {own.Height}, and be 16 × 16 pixels at least."
            );
        }
        FloatImage region = own.ToLinear(Space).Cut(new(x, y, x + width, y + height));
        int[] near = [.. _check.Frames.Select(f => f.Frame).Where(f => Math.Abs(f - frame) <= 1)];
        Func<int, float, float>? moving = GrainWork.Moving([.. near.Select(Codes)], Array.IndexOf(near, frame), Space, stop);
        // Of pictures without any noise what moves says nothing.
        Grain? still = Grain.Of(region),
            told = moving is null ? still : Grain.Of(region, moving);
        return PlateMeasure.Of(region, told ?? still);
    }
}
