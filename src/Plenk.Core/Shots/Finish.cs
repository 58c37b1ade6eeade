using System.Text.Json.Serialization;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// The steps that close a match, in the order that light, lens and film give them: what reaches the air (grade, levels), the air
/// (haze), the lens and the shutter (defocus, motion, edge width, vignette and lateral colour), the element's shadow on the plate, the
/// merge, what the lens makes of the whole picture (wrap, glow, flare, ripple), the film (grain), and what is done to the finished picture.
/// </summary>
[JsonConverter(typeof(JsonStringEnumConverter<FinishKind>))]
public enum FinishKind
{
    Grade,
    Levels,
    Haze,
    Defocus,
    Motion,
    EdgeWidth,
    Lens,
    Shadow,
    ShadowMerge,
    Wrap,
    Glow,
    Flare,
    Ripple,
    Grain,
    Reframe,
}

/// <summary>What a grade acts on: the element, or one part of its light.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<GradePart>))]
public enum GradePart
{
    Element,
    Diffuse,
    Specular,
    Reflection,
    Emission,
    /// <summary>What one light brings; <see cref="FinishStep.Light"/> names it.</summary>
    Light,
    /// <summary>What new lamps bring onto the set.</summary>
    Added,
    /// <summary>What is seen of elements in mirroring pieces.</summary>
    Mirror,
}

/// <summary>A spot of a curve, linear light.</summary>
public sealed record CurvePoint(double In, double Out);

/// <summary>
/// Un-premultiplied, in linear light, in this order: exposure in stops, white balance as gains, (gain · x + lift)^(1 / gamma), saturation
/// about the BT.709 luminance, the curve (null: straight), and an ASC CDL on ACEScct codes (null: none).
/// </summary>
public sealed record GradeSettings
{
    public double Stops { get; init; }
    public Vec3 White { get; init; } = new(1, 1, 1);
    public Vec3 Lift { get; init; }
    public Vec3 Gamma { get; init; } = new(1, 1, 1);
    public Vec3 Gain { get; init; } = new(1, 1, 1);
    public double Saturation { get; init; } = 1;
    public IReadOnlyList<CurvePoint>? Curve { get; init; }
    public Grade? Cdl { get; init; }
}

/// <summary>Black and white level by an affine map a channel: gain · x + lift.</summary>
public sealed record LevelMatch(Vec3 Lift, Vec3 Gain);

/// <summary>Airlight, linear radiance, and extinction a metre, by channel.</summary>
/// <param name="ThinsOverMetres">So many metres further up there is 1/e of it, from the world's floor (y = 0); null: it is as thick everywhere.</param>
public sealed record HazeSettings(Vec3 Airlight, Vec3 PerMetre, double? ThinsOverMetres = null);

/// <summary>A thin lens: f-number, the distance it is focused at, metres; a disc, or as many straight blades (3 and more) turned by degrees.</summary>
public sealed record DefocusSettings(double FNumber = 4, double FocusMetres = 5, int Blades = 0, double TurnDegrees = 0);

/// <summary>Vignette: 1 + r² A2 + r⁴ A4 of the light, r the distance from the middle over half the diagonal; red and blue enlarged about the middle by parts in a thousand.</summary>
public sealed record LensMarks(double A2 = 0, double A4 = 0, double RedPermille = 0, double BluePermille = 0);

/// <summary>By channel: 1 leaves the shadow as it is, 2 as if it were cast twice, 0 takes it away; likewise for the contact look; and how far its edge is blurred.</summary>
public sealed record ShadowSettings(Vec3 Density, double Contact = 1, double BlurPixels = 0);

/// <summary>The plate's own shadow of the same light: where a matte says it is, and the ratio it leaves; null matte: only shadows that came with rendered elements are joined.</summary>
public sealed record ShadowJoinSettings(string? Matte = null, Vec3? Level = null);

/// <summary>What shines into the lens: a lamp's veil, streaks and ghosts, and shafts through what stands before it.</summary>
public sealed record FlareSettings(string Light, double Veil = 0.05, double RadiusPixels = 120, int Streaks = 6, double Ghosts = 0.02, double Shafts = 0);

/// <summary>A picture that moves the finished one: its red and green about 0.5 as pixels across and down.</summary>
public sealed record RippleSettings(double Pixels = 2, FrameSource? Frames = null, double SizePixels = 40, double PerSecond = 1.5);

/// <summary>How the finished picture is framed at a frame; null: not keyed there. Pixels of the plate, degrees, times.</summary>
public sealed record FrameKey(int Frame, double? X = null, double? Y = null, double? TurnDegrees = null, double? Scale = null, KeyEase Ease = KeyEase.Smooth);

/// <summary>Keys of the framing, and a hand that shakes it: pixels (standard deviation) and times a second.</summary>
public sealed record ReframeSettings(IReadOnlyList<FrameKey> Keys, double ShakePixels = 0, double ShakePerSecond = 4);

/// <summary>A name in a layer of the ID mattes that a rendered element brings.</summary>
public sealed record RenderedId(string Element, string Layer, string Name);

/// <summary>One step of closing the match. Which settings count is told by its kind; pixels are the plate's.</summary>
public sealed record FinishStep : Extensible
{
    public required string Id { get; init; }
    public FinishKind Kind { get; init; }
    public bool Off { get; init; }

    /// <summary>How much of it is laid on, 0 to 1.</summary>
    public double Strength { get; init; } = 1;

    /// <summary>Id of the matte it is kept to; null: everywhere.</summary>
    public string? Matte { get; init; }
    public bool OutsideMatte { get; init; }

    /// <summary>Names of elements and of materials that it is kept to, through ID mattes; none: all.</summary>
    public IReadOnlyList<string> Objects { get; init; } = [];
    public IReadOnlyList<string> Materials { get; init; } = [];

    /// <summary>Names in the ID mattes that elements rendered elsewhere bring: it is kept to these too.</summary>
    public IReadOnlyList<RenderedId> RenderedIds { get; init; } = [];

    /// <summary>Elements whose footage brings this already: they are left out.</summary>
    public IReadOnlyList<string> Except { get; init; } = [];
    public GradePart Of { get; init; }
    public string? Light { get; init; }
    public GradeSettings? Grade { get; init; }
    public LevelMatch? Levels { get; init; }
    public HazeSettings? Haze { get; init; }
    public DefocusSettings? Defocus { get; init; }
    public LensMarks? Lens { get; init; }
    public ShadowSettings? Shadow { get; init; }
    public ShadowJoinSettings? ShadowJoin { get; init; }
    public FlareSettings? Flare { get; init; }
    public RippleSettings? Ripple { get; init; }
    public ReframeSettings? Reframe { get; init; }

    /// <summary>Of a blur: its standard deviation, or how far wrap and glow reach.</summary>
    public double Pixels { get; init; }

    /// <summary>Of motion by vectors: how long the shutter was open.</summary>
    public double Degrees { get; init; } = 180;

    /// <summary>Of glow: linear light above which it begins.</summary>
    public double Threshold { get; init; } = 1;
}

/// <summary>Where the plate and the element are held against each other, pixels of the plate.</summary>
public sealed record FinishRegion(int X, int Y, int Width, int Height, int? Frame = null);

/// <summary>How a shot is closed.</summary>
public sealed record FinishChoice : Extensible
{
    public IReadOnlyList<FinishStep> Steps { get; init; } = [];

    /// <summary>Of the plate, near the element; null: around the element's bounds.</summary>
    public FinishRegion? Region { get; init; }

    /// <summary>The steps that act, in their order.</summary>
    public IReadOnlyList<FinishStep> InOrder() => [.. Steps.Where(s => s is { Off: false, Strength: > 0 }).OrderBy(s => s.Kind)];
}
