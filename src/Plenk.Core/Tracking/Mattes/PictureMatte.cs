using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>Pictures of coverage that were brought in, or names of ID mattes in them.</summary>
public sealed class PictureMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Frames;

    public override string Aside(Matte matte) => "pictures";

    public override string? Fault(ShotDocument shot, Matte matte) =>
        matte.Frames is { Frames.Count: > 0 } || matte.Frozen is not null ? null : "its pictures are missing.";

    public override string? Lacks(Matte matte) => matte.Frames is null ? $"{matte.Name} has no pictures." : null;

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        sources.Pictures(matte.Frames!, matte.Ids);
}
