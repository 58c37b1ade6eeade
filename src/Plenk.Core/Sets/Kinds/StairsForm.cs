using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class StairsForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Stairs;
    public override string Adds => "Stairs";
    public override Piece Default => base.Default with { Size = new(2, 1, 1.5), Count = 6 };
    public override IReadOnlyList<KindField> Fields => [.. base.Fields, new("count", "Steps", "", FieldShape.Whole, 1, 500)];

    public override string? Says(Piece piece) =>
        piece.Count < 1
            ? null
            : string.Create(
                CultureInfo.InvariantCulture,
                $"Each rises {1000 * piece.Size.Y / piece.Count:F0} mm and goes {1000 * piece.Size.Z / piece.Count:F0} mm."
            );

    public override string? Fault(Piece piece) =>
        base.Fault(piece) ?? (piece.Count is >= 1 and <= 500 ? null : $"stairs have between 1 and 500 steps, not {piece.Count}");

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) =>
        PieceMeshes.Stairs(piece.Size, Math.Max(1, piece.Count));
}
