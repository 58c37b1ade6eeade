using System.Text.Json.Serialization;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>A thing added to the plate: its pivot stands on its place, and it is turned and sized about that.</summary>
public sealed record Element : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public ElementKind Kind { get; init; }

    /// <summary>The file of a mesh; copies share it.</summary>
    public string Media { get; init; } = "";

    /// <summary>What the mesh's file names beside it (materials, pictures), by name.</summary>
    public IReadOnlyDictionary<string, string> Beside { get; init; } = new Dictionary<string, string>();

    /// <summary>Of a mesh whose file has an animation: how that runs; null: it stands as at rest.</summary>
    public FileMotion? Motion { get; init; }

    /// <summary>Of a mesh with a skeleton: its joints that are turned by hand.</summary>
    public IReadOnlyList<JointTurn> Joints { get; init; } = [];

    /// <summary>Places on it that other things hang on.</summary>
    public IReadOnlyList<ElementSpot> Spots { get; init; } = [];

    /// <summary>Of parts that a piece broke into: how it did; null: it is no such thing.</summary>
    public Breaking? Broke { get; init; }

    /// <summary>Of dust: id of the piece that it rises from as that breaks.</summary>
    public string? DustOf { get; init; }

    /// <summary>It is there from this shot frame on, and up to that; null: from the beginning, to the end.</summary>
    public int? FromFrame { get; init; }
    public int? ToFrame { get; init; }

    /// <summary>Pictures of a card or of rendered frames; meshes with one set of faces, of which <see cref="Media"/> is the first.</summary>
    public FrameSource? Frames { get; init; }

    /// <summary>Of rendered frames: what came in files of its own beside their picture (normals, depth), by its frames' numbers.</summary>
    public IReadOnlyList<PassFrames> PassFrames { get; init; } = [];

    /// <summary>Of rendered frames: how their passes are meant; null: as ours, positions in metres of the world.</summary>
    public PassMeaning? Passes { get; init; }

    /// <summary>Of rendered frames: how their depth is meant where they bring no positions; null: metres along the axis.</summary>
    public DepthConvention? DepthAs { get; init; }

    /// <summary>Of rendered frames: lit again by the shot's lights; null: as they came.</summary>
    public Relit? Relit { get; init; }

    /// <summary>Of rendered frames: the surface that their positions show throws its shadow onto set and elements.</summary>
    public bool CastsByPositions { get; init; }
    public Lettering? Text { get; init; }

    /// <summary>Of lettering: its letters move each by itself; null: they stand in their line.</summary>
    public LetterMotion? Letters { get; init; }

    /// <summary>Of a card: its width, metres; its height follows from the picture.</summary>
    public double WidthMetres { get; init; } = 1;

    /// <summary>A card turns about its upright to the camera.</summary>
    public bool FacesCamera { get; init; }

    /// <summary>A card is lit like paper; else it shows its picture as it is.</summary>
    public bool Lit { get; init; }

    /// <summary>Of a card and of lettering: how much of what is behind it it hides, times its own alpha, 0..1.</summary>
    public double Opacity { get; init; } = 1;

    /// <summary>Of a card and of lettering.</summary>
    public ElementBlend Blend { get; init; }

    /// <summary>
    /// Of a card and of lettering: where it meets the set its alpha goes to nothing over so many metres along the line of sight; 0: it is
    /// cut.
    /// </summary>
    public double SoftMetres { get; init; }

    /// <summary>A card lies in its plane, its middle on its place, and is seen from above it: on a floor, a wall, a lid.</summary>
    public bool LiesFlat { get; init; }

    /// <summary>Of a card: how often its picture stands beside and above itself.</summary>
    public double RepeatAcross { get; init; } = 1;
    public double RepeatUp { get; init; } = 1;

    /// <summary>Of a card: its picture lights set and elements around it.</summary>
    public bool LightsAround { get; init; }

    /// <summary>That light against what is seen of it, stops.</summary>
    public double LightStops { get; init; }

    /// <summary>Of a card and of lettering: strength of its colours, 0 grey, 1 as they are.</summary>
    public double Saturation { get; init; } = 1;

    /// <summary>Of a card and of lettering: by so many stops brighter.</summary>
    public double Stops { get; init; }
    public IReadOnlyList<MaterialChoice> Materials { get; init; } = [];
    public AssetCredit? Credit { get; init; }

    /// <summary>Null: it was not taken from the shelf.</summary>
    public ShelfOrigin? FromShelf { get; init; }
    public Vec3 Position { get; init; }

    /// <summary>Its tilt (x), heading (y) and roll (z), degrees: <see cref="Rotations.FromEulerYxzDegrees"/>. More than a turn may be keyed.</summary>
    public Vec3 RotationYxzDegrees { get; init; }
    public double Scale { get; init; } = 1;

    /// <summary>Its size along its own three axes, before its turn, times <see cref="Scale"/>.</summary>
    public Vec3 Stretch { get; init; } = new(1, 1, 1);

    /// <summary>The spot of it that stands on its place, in its own space before any size, metres.</summary>
    public Vec3 Pivot { get; init; }

    /// <summary>In whose frame it stands; null: in the world.</summary>
    public Carrier? HangsOn { get; init; }

    /// <summary>Where its front is turned to, whatever its tilt and heading; null: nowhere.</summary>
    public Aim? AimsAt { get; init; }
    public Shake? Shake { get; init; }

    /// <summary>It stands as many copies over pieces of the set; null: it is one, where it is put.</summary>
    public Scatter? Scatter { get; init; }

    /// <summary>From a frame on it falls by itself; null: it is where it is put.</summary>
    public LetGo? LetGo { get; init; }
    public bool Off { get; init; }

    /// <summary>A card whose picture is seen as it is, and lights what is around it.</summary>
    [JsonIgnore]
    public bool Lights => this is { Kind: ElementKind.Card, LightsAround: true, Lit: false };

    [JsonIgnore]
    public Matrix3 Rotation => Rotations.FromEulerYxzDegrees(RotationYxzDegrees.X, RotationYxzDegrees.Y, RotationYxzDegrees.Z);

    /// <summary>From its own space, already stretched.</summary>
    [JsonIgnore]
    public Similarity ObjectToWorld
    {
        get
        {
            Matrix3 turn = Rotation;
            return new(Scale, turn, Position - Scale * (turn * new Vec3(Stretch.X * Pivot.X, Stretch.Y * Pivot.Y, Stretch.Z * Pivot.Z)));
        }
    }
}
