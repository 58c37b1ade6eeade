using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>All kinds of mattes.</summary>
public static class MatteForms
{
    public static IReadOnlyList<MatteForm> All { get; } =
    [new DrawnMatte(), new ScreenMatte(), new PictureMatte(), new ElementMatte(), new FilmedMatte(), new RangeMatte()];

    private static readonly Dictionary<MatteKind, MatteForm> ByKind = All.ToDictionary(f => f.Kind);

    public static MatteForm Of(Matte matte) => ByKind[matte.Kind];
}
