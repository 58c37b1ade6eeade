using System.Text.Json.Serialization;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>
/// Everything the artist has set in a shot, immutable and versioned. Metres, +Y up; scene-linear colour. Large data
/// stands here only as the hash of its bytes. Fields that this version does not know survive a round trip.
/// </summary>
public sealed record ShotDocument : Extensible
{
    public const int CurrentSchema = 5;

    public int SchemaVersion { get; init; } = CurrentSchema;
    public required string Production { get; init; }
    public required string Sequence { get; init; }
    public required string Code { get; init; }
    public string Title { get; init; } = "";
    public string Units { get; init; } = "metre";
    public string ColorSpace { get; init; } = "linear-bt709";

    /// <summary>Shots of one production with one name here share what stands in the place: its pieces, lights and elements.</summary>
    public string? SharesPlace { get; init; }
    public FrameRange Range { get; init; } = new(1001, 1001);

    /// <summary>The frame that <see cref="Hanging"/> has stood all at that hangs; never kept.</summary>
    [JsonIgnore]
    public double? StoodAt { get; init; }

    /// <summary>What the cut uses; the rest of <see cref="Range"/> is handles. Null: there are none.</summary>
    public FrameRange? Cut { get; init; }
    public FrameRate Rate { get; init; } = new(24, 1);
    public PlateSource? Plate { get; init; }
    public PlateLook Look { get; init; } = new();
    public CameraSource? Camera { get; init; }

    /// <summary>Shapes drawn on the plate that keep tracks off what moves or mirrors.</summary>
    public IReadOnlyList<Matte> Mattes { get; init; } = [];
    public TrackSource? Tracks { get; init; }

    /// <summary>Straight edges drawn on one frame, which give its camera.</summary>
    public StillLines? Still { get; init; }
    public SolveChoice Solving { get; init; } = new();

    /// <summary>What the camera was solved as; null: it came in from elsewhere.</summary>
    public SolveSource? Solve { get; init; }
    public IReadOnlyList<SurveyPoint> SurveyPoints { get; init; } = [];
    public Orientation Orientation { get; init; } = new();

    /// <summary>Lengths that are known and not used for the scale: what a camera is judged by.</summary>
    public IReadOnlyList<KnownDistance> KnownLengths { get; init; } = [];

    /// <summary>Figures and boxes of known size, stood on the floor to see whether they stay.</summary>
    public IReadOnlyList<StandIn> StandIns { get; init; } = [];

    /// <summary>Things that move on their own; pieces and elements can hang on them.</summary>
    public IReadOnlyList<MovingObject> MovingObjects { get; init; } = [];
    public IReadOnlyList<PointCloud> Clouds { get; init; } = [];
    public IReadOnlyList<Piece> Pieces { get; init; } = [];

    /// <summary>What is behind all that is seen of pieces and elements.</summary>
    public BackgroundKind Background { get; init; }

    /// <summary>Pictures of their own that can be behind it: of another shot's plate, or brought in.</summary>
    public FrameSource? BackgroundFrames { get; init; }

    /// <summary>The plate without what passes before the place.</summary>
    public CleanPlate CleanPlate { get; init; } = new();

    /// <summary>The plate is shown as it is: no piece is seen, nothing filmed elsewhere, and nothing else stands for it.</summary>
    [JsonIgnore]
    public bool ShowsPlate => Background == BackgroundKind.Plate && !Pieces.Any(p => p.IsSeen) && !Mattes.Any(m => m.IsLaid);

    /// <summary>Depth found from the footage, for places where nothing is built; null: not made.</summary>
    public DepthSource? Depth { get; init; }
    public IReadOnlyList<ProjectionSource> Projections { get; init; } = [];

    public SourceMix ProjectionsMix { get; init; }

    /// <summary>How wide one source passes into the next along a seam, pixels of its picture.</summary>
    public double SeamBlendPixels { get; init; } = 12;

    /// <summary>Cameras that filmed the same place beside the shot's own.</summary>
    public IReadOnlyList<OtherCamera> OtherCameras { get; init; } = [];
    public IReadOnlyList<Light> Lights { get; init; } = [];

    /// <summary>Darkening where element and set nearly touch: a look, apart from light; strength 0: off.</summary>
    public ContactLook Contact { get; init; } = new();

    /// <summary>Elements throw light that falls on them back onto the set, once.</summary>
    public bool Bounces { get; init; }

    /// <summary>
    /// How long the camera's shutter was open, of a whole turn of 360°; elements and their shadows are blurred by it. 0: they are not.
    /// </summary>
    public double ShutterDegrees { get; init; }

    /// <summary>How the element is closed against the plate.</summary>
    public FinishChoice Finish { get; init; } = new();

    /// <summary>A real shadow that ours are held against; null: none is named.</summary>
    public ShadowPair? RealShadow { get; init; }

    /// <summary>Ways in which the sun was found, to be held against each other.</summary>
    public SunFinds Sun { get; init; } = new();
    public IReadOnlyList<Element> Elements { get; init; } = [];

    /// <summary>Values that change over the shot's frames, each known by its place.</summary>
    public IReadOnlyList<ValueCurve> Curves { get; init; } = [];

    /// <summary>Notes pinned to the picture, oldest first.</summary>
    public IReadOnlyList<ReviewNote> Notes { get; init; } = [];

    /// <summary>Reading id to tolerance, where the artist changed it.</summary>
    public IReadOnlyDictionary<string, double> Tolerances { get; init; } = new Dictionary<string, double>();
    public uint Seed { get; init; } = 1;
}
