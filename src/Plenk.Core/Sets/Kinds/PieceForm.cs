using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>
/// A kind of piece: its names, how it begins, what can be set of it, what is wrong with it and its triangles. Each has a file of its own
/// here and a line in <see cref="PieceForms.All"/>.
/// </summary>
public abstract class PieceForm
{
    public abstract PieceKind Kind { get; }

    /// <summary>Within a sentence.</summary>
    public virtual string Name => Kind.ToString().ToLowerInvariant();

    /// <summary>What a button says that adds one; null: it comes in another way.</summary>
    public virtual string? Adds => null;

    /// <summary>How it begins, without an id.</summary>
    public virtual Piece Default => new() { Id = "", Kind = Kind };

    /// <summary>How it begins where one looks: on the floor in the frame's middle.</summary>
    public virtual Piece Begun(FloorView? seen) => seen is null ? Default : Default with { Position = Rounded(seen.Middle) };

    /// <summary>What its place is the place of, like “foot’s middle”.</summary>
    public virtual string PlacedBy => "its foot’s middle";

    /// <summary>To the centimetre: what is begun by eye is not known better.</summary>
    protected static Vec3 Rounded(Vec3 v) => new(Math.Round(v.X, 2), Math.Round(v.Y, 2), Math.Round(v.Z, 2));

    public virtual IReadOnlyList<KindField> Fields => [new("size", "Size", "m", FieldShape.Triple, Digits: 3)];

    /// <summary>What its numbers come to, below its fields; null: nothing to say.</summary>
    public virtual string? Says(Piece piece) => null;

    /// <summary>What it is wrongly set to, in the artist's terms; null: it can be built.</summary>
    public virtual string? Fault(Piece piece) =>
        piece.Size is { IsFinite: true, X: > 0, Y: > 0, Z: > 0 } ? null : "its size must be positive, in metres";

    /// <summary>Its triangles in its own space, metres, standing on y = 0.</summary>
    /// <param name="file">The triangles of an imported mesh by media hash and object name.</param>
    public abstract TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file);
}
