using Plenk.Core.Shots;

namespace Plenk.Core.Sets.Kinds;

/// <summary>All kinds of pieces, in the order in which they are offered.</summary>
public static class PieceForms
{
    public static IReadOnlyList<PieceForm> All { get; } =
    [
        new PlaneForm(),
        new BoxForm(),
        new CylinderForm(),
        new StairsForm(),
        new ArchForm(),
        new DomeForm(),
        new OutlineForm(),
        new StripForm(),
        new MeshForm(),
        new FigureForm(),
    ];

    private static readonly Dictionary<PieceKind, PieceForm> ByKind = All.ToDictionary(f => f.Kind);

    public static PieceForm Of(PieceKind kind) => ByKind[kind];

    public static PieceForm Of(Piece piece) => ByKind[piece.Kind];
}
