using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class BoxForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Box;
    public override string Adds => "Add a box";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => PieceMeshes.Box(piece.Size);
}
