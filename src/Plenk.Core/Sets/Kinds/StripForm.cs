using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>Drawn in the picture along a path.</summary>
public sealed class StripForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Strip;
    public override IReadOnlyList<KindField> Fields => [new("size.0", "Width", "m", Min: 1e-3), new("size.1", "Height", "m", Min: 1e-3)];

    public override string PlacedBy => "where it was drawn from";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => OutlineMesh.Of(piece);
}
