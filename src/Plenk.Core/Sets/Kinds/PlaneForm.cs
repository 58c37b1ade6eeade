using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

public sealed class PlaneForm : PieceForm
{
    public override PieceKind Kind => PieceKind.Plane;
    public override string Adds => "Add a plane";

    public override string PlacedBy => "its middle";

    /// <summary>As large as what is seen of the floor.</summary>
    public override Piece Begun(FloorView? seen) =>
        seen is null
            ? Default
            : Default with
            {
                Position = Rounded(0.5 * (seen.Least + seen.Most)),
                Size = new(Tenth(seen.Most.X - seen.Least.X), 1, Tenth(seen.Most.Z - seen.Least.Z)),
            };

    private static double Tenth(double metres) => Math.Max(0.1, Math.Ceiling(metres * 10) / 10);

    public override string? Fault(Piece piece) =>
        piece.Size is { IsFinite: true, X: > 0, Z: > 0 } ? null : "its size must be positive, in metres";

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file) => PieceMeshes.Plane(piece.Size);
}
