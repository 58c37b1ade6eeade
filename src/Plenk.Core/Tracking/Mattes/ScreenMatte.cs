using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>All that is not of a coloured screen.</summary>
public sealed class ScreenMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Screen;
    public override bool ReadsPlate => true;

    public override string Aside(Matte matte) => "screen";

    public override IReadOnlyList<KindField> Fields =>
        [
            new("screen.color", "Screen", "", FieldShape.Triple, Digits: 4),
            new("screen.low", "Whole up to", "", Min: 0, Max: 2),
            new("screen.high", "gone at", "", Min: 0.01, Max: 3),
            new("screen.edgeBySides", "its edge by what lies on either side", "", FieldShape.Tick),
            new("screen.takesSpillOff", "its spill is taken off", "", FieldShape.Tick),
        ];

    public override string? Fault(ShotDocument shot, Matte matte) =>
        matte.Screen is not { } key || (key.Color is { IsFinite: true, X: >= 0, Y: >= 0, Z: >= 0 } && key.High > key.Low && key.Low >= 0)
            ? null
            : "its screen is a colour, and its band goes from a smaller to a larger difference.";

    public override string? Lacks(Matte matte) =>
        matte.Screen is null ? $"{matte.Name} has no screen colour. Pick it in the picture." : null;

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        MatteField.Key(sources.Plate(), matte.Screen!) is var key && matte.Screen!.EdgeBySides
            ? MatteField.EdgeBySides(sources.Plate(), key)
            : key;
}
