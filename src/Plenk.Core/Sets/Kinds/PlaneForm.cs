using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class PlaneForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Plane;
    public override string Adds => "Add a plane";

    public override string? Fault(Piece piece) =>
        piece.Size is { IsFinite: true, X: > 0, Z: > 0 } ? null : "its size must be positive, in metres";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => PieceMeshes.Plane(piece.Size);
}
