using System.Text.Json.Serialization;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<ElementKind>))]
public enum ElementKind
{
    /// <summary>A mesh of a file.</summary>
    Mesh,
    /// <summary>An upright picture, or a sequence, with alpha.</summary>
    Card,
    /// <summary>A text, flat or solid.</summary>
    Lettering,
    /// <summary>Frames rendered elsewhere through the shot's camera, with alpha, merged by their depth or by the distance where they stand.</summary>
    Rendered,
}

/// <summary>What an artist set for a material in the place of what the file says; null: the file's. Colours linear.</summary>
public sealed record MaterialChoice(string Name, Vec3? BaseColor = null, double? Metallic = null, double? Roughness = null, Vec3? Emission = null);

/// <summary>Who made an asset, under which licence it may be used, and where it is from.</summary>
public sealed record AssetCredit(string Author = "", string Licence = "", string Source = "");

/// <summary>Pictures by their own frame numbers; one picture stands for all frames.</summary>
public sealed record FrameSource : Extensible
{
    public IReadOnlyList<PlateFrame> Frames { get; init; } = [];
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public ColorEncoding Encoding { get; init; } = ColorEncoding.Srgb;

    /// <summary>As of a plate.</summary>
    public string? Primaries { get; init; }

    [JsonIgnore]
    public ColorSpace Space => ColorSpace.Of(Encoding, Primaries);

    /// <summary>Its colour is premultiplied by its alpha already.</summary>
    public bool Premultiplied { get; init; }

    /// <summary>Of frames rendered elsewhere: they were rendered through a straight pinhole of the shot's focal length, and are bent here as the lens bends.</summary>
    public bool WithoutLens { get; init; }

    /// <summary>Of frames rendered elsewhere: by how much their display window is wider than the plate, middle on middle; 1: as wide.</summary>
    public double Overscan { get; init; } = 1;

    /// <summary>It begins anew after its last frame; else its last one stands.</summary>
    public bool Repeats { get; init; }

    /// <summary>A single frame that is seen at its own number alone; else it is a still that is seen at all.</summary>
    public bool AtItsFrame { get; init; }

    /// <summary>The picture that a shot frame shows; null where it has none: before its first frame, and in a hole.</summary>
    public PlateFrame? At(int shotFrame, FrameRate shot)
    {
        if (Frames.Count == 0 || (Frames.Count == 1 && !AtItsFrame)) { return Frames.FirstOrDefault(); }
        int frame = Mapping.FrameAt(shotFrame, Rate, shot), first = Frames[0].Frame, last = Frames[^1].Frame;
        if (Repeats) { int n = last - first + 1; frame = first + ((frame - first) % n + n) % n; }
        else if (frame > last && !AtItsFrame) { return Frames[^1]; }
        return Frames.FirstOrDefault(f => f.Frame == frame);
    }
}

/// <summary>A text as it stands: height of its capitals, thickness and bevel in metres; colours linear, the second at its head (null: one colour).</summary>
public sealed record Lettering(string Text, double HeightMetres = 0.3, double DepthMetres = 0, double BevelMetres = 0, Vec3? Color = null, Vec3? HeadColor = null, bool Serif = false);

/// <summary>How a value goes on from a key to the next.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<KeyEase>))]
public enum KeyEase
{
    Straight,
    /// <summary>Slow at both keys: the cubic Bézier (0.42, 0, 0.58, 1) of CSS Easing Functions Level 1.</summary>
    Eased,
    /// <summary>It stays until the next.</summary>
    Held,
    /// <summary>Through the keys without a corner: Catmull–Rom tangents for uneven times.</summary>
    Smooth,
}

/// <summary>Where an element is at a frame; what is null is not keyed there.</summary>
public sealed record ElementKey(int Frame, Vec3? Position = null, double? TurnDegrees = null, double? Scale = null, KeyEase Ease = KeyEase.Eased);

/// <summary>A thing added to the plate, placed by its own origin, turned about its own +Y, its +Y laid along <see cref="Up"/>.</summary>
public sealed record Element : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public ElementKind Kind { get; init; }

    /// <summary>The file of a mesh; copies share it.</summary>
    public string Media { get; init; } = "";

    /// <summary>What the mesh's file names beside it (materials, pictures), by name.</summary>
    public IReadOnlyDictionary<string, string> Beside { get; init; } = new Dictionary<string, string>();
    public FrameSource? Frames { get; init; }
    public Lettering? Text { get; init; }

    /// <summary>Of a card: its width, metres; its height follows from the picture.</summary>
    public double WidthMetres { get; init; } = 1;

    /// <summary>A card turns about its upright to the camera.</summary>
    public bool FacesCamera { get; init; }

    /// <summary>A card is lit like paper; else it shows its picture as it is.</summary>
    public bool Lit { get; init; }
    public IReadOnlyList<MaterialChoice> Materials { get; init; } = [];
    public AssetCredit? Credit { get; init; }
    public Vec3 Position { get; init; }
    public double TurnDegrees { get; init; }
    public Vec3 Up { get; init; } = new(0, 1, 0);
    public double Scale { get; init; } = 1;
    public IReadOnlyList<ElementKey> Keys { get; init; } = [];

    /// <summary>Id of the moving thing in whose frame it stands; null: in the world.</summary>
    public string? HangsOn { get; init; }
    public bool Off { get; init; }

    [JsonIgnore]
    public Similarity ObjectToWorld => new(
        Scale, Rotations.Between(Vec3.UnitY, Up.Normalized()) * Rotations.AboutY(Rotations.Radians(TurnDegrees)), Position);

    /// <summary>As it is keyed at a frame.</summary>
    public Element At(double frame) => Keys.Count == 0 ? this : this with
    {
        Position = KeyCurve.At(Keys, frame, k => k.Frame, k => k.Position, k => k.Ease) ?? Position,
        TurnDegrees = KeyCurve.At(Keys, frame, k => k.Frame, k => k.TurnDegrees, k => k.Ease) ?? TurnDegrees,
        Scale = KeyCurve.At(Keys, frame, k => k.Frame, k => k.Scale, k => k.Ease) ?? Scale,
    };
}
