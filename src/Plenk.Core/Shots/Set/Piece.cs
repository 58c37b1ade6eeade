using System.Text.Json.Serialization;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A part of the rebuilt set. A plane lies in its own XZ with its front up; a box, a cylinder, stairs and a dome stand on the middle of
/// their foot; an outline and a strip keep the coordinates they are drawn in; a mesh keeps those of its file. Turned about Y, then tilted
/// about X, then rolled about Z, in degrees.
/// </summary>
public sealed record Piece : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public PieceKind Kind { get; init; }
    public Vec3 Position { get; init; }
    public Vec3 RotationYxzDegrees { get; init; }
    public Vec3 Size { get; init; } = new(1, 1, 1);
    public double Scale { get; init; } = 1;
    public string? Media { get; init; }
    public string? Object { get; init; }

    /// <summary>How often every triangle is parted into four; the shape stays.</summary>
    public int Subdivisions { get; init; }

    /// <summary>Steps of stairs, sides of a cylinder; 0: as usual.</summary>
    public int Count { get; init; }

    /// <summary>Corners of an outline or places of a strip's path: x0 z0 x1 z1 …, metres, in the piece's own space.</summary>
    public IReadOnlyList<double> Corners { get; init; } = [];

    /// <summary>Of an outline: its walls stand <see cref="Size"/>.Y high, its floor is drawn in.</summary>
    public bool Walls { get; init; } = true;
    public bool Ground { get; init; } = true;
    public IReadOnlyList<Opening> Openings { get; init; } = [];

    /// <summary>Holes in an outline's floor, each as corners.</summary>
    public IReadOnlyList<IReadOnlyList<double>> Holes { get; init; } = [];

    /// <summary>Pieces of one name here can be moved together.</summary>
    public string? Group { get; init; }

    /// <summary>Corners and edges of it that were laid on the picture; see <see cref="Sets.PiecePull"/>.</summary>
    public IReadOnlyList<PiecePin> Pins { get; init; } = [];

    /// <summary>Pins may tilt and roll it; else it stays as level as it is.</summary>
    public bool MayTilt { get; init; }

    /// <summary>Its place and size are not changed until it is unlocked.</summary>
    public bool Locked { get; init; }
    public Duties Duties { get; init; } = new();

    /// <summary>Of a figure: its outline and how it stands.</summary>
    public PieceFigure? Figure { get; init; }

    /// <summary>Elements are seen in it; null: it is matt.</summary>
    public PieceMirror? Mirror { get; init; }

    /// <summary>In whose frame it stands; null: in the world.</summary>
    public Carrier? HangsOn { get; init; }
    public Shake? Shake { get; init; }

    /// <summary>It swings about a line of its own; null: it does not.</summary>
    public PieceHinge? Hinge { get; init; }

    /// <summary>It wears its own textures instead of the projections; null: it does not.</summary>
    public BakedFootage? Baked { get; init; }
    public AssetCredit? Credit { get; init; }

    /// <summary>Null: it was not taken from the shelf.</summary>
    public ShelfOrigin? FromShelf { get; init; }
    public bool Off { get; init; }

    /// <summary>From this shot frame on it is gone: it has broken. Null: it stays.</summary>
    public int? GoneFrom { get; init; }

    /// <summary>
    /// Of a shot that is stood at a frame (<see cref="Hanging.At"/>): it has broken. It keeps its number among the pieces, and has no faces.
    /// </summary>
    public bool IsGone { get; init; }

    /// <summary>The comp shows it; else it stands for what the plate shows.</summary>
    [JsonIgnore]
    public bool IsSeen => this is { Off: false, IsGone: false, Duties: { Seen: true, WearsFootage: true, OnlyBlocksLight: false } };
}
