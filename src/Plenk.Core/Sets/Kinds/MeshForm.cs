using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>Brought in as a file.</summary>
public sealed class MeshForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Mesh;
    public override IReadOnlyList<KindField> Fields => [new("scale", "Scale", "", Min: 1e-6)];

    public override string? Fault(Piece piece) => base.Fault(piece) ?? (piece.Media is null ? "its mesh file is missing" : null);

    public override string PlacedBy => "its file’s origin";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => file(piece.Media!, piece.Object);
}
