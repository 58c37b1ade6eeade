using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>An outline by keys, and its motion; its hands stand on the page.</summary>
public sealed class DrawnMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Drawn;
    public override bool GrowsItself => true;

    public override string Aside(Matte matte) =>
        $"{matte.Keys.Count} key{(matte.Keys.Count == 1 ? "" : "s")}{(matte.Motion is null ? "" : ", carried")}";

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        MatteShape.Coverage(
            [.. MatteShape.At(matte, frame).Select(v => v * scale)],
            width,
            height,
            matte.FeatherPixels * scale,
            matte.GrowPixels * scale
        );
}
