using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>Somebody filmed, stood in the place by a matte; it has triangles once a frame gives it its outline.</summary>
public sealed class FigureForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Figure;

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) =>
        piece.Media is { } media ? file(media, piece.Object) : new([], []);
}
