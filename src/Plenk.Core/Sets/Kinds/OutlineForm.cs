using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>Drawn in the picture, corner after corner.</summary>
public sealed class OutlineForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Outline;
    public override IReadOnlyList<KindField> Fields => [new("size.1", "Walls’ height", "m", Min: 1e-3)];

    public override string? Fault(Piece piece) =>
        piece.Size is { IsFinite: true, X: > 0, Z: > 0 } ? null : "its size must be positive, in metres";

    public override string PlacedBy => "where it was drawn from";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => OutlineMesh.Of(piece);
}
