using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class DomeForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Dome;
    public override string Adds => "Dome";
    public override Piece Default => base.Default with { Size = new(200, 100, 200) };

    /// <summary>It stands around everything.</summary>
    public override Piece Begun(FloorView? seen) => Default;

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => PieceMeshes.Dome(piece.Size, 32);
}
