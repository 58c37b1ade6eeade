using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class CylinderForm : PieceForm
{
    private const int UsualSides = 32;

    public override PieceKind Kind => PieceKind.Cylinder;
    public override string Adds => "Cylinder";
    public override Piece Default => base.Default with { Size = new(0.5, 3, 0.5) };

    public override string? Fault(Piece piece) =>
        base.Fault(piece) ?? (piece.Count is 0 or (>= 3 and <= 256) ? null : "a cylinder has between 3 and 256 sides");

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) =>
        PieceMeshes.Cylinder(piece.Size, piece.Count > 0 ? piece.Count : UsualSides);
}
