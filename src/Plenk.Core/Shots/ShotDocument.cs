using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>
/// Everything the artist has set in a shot, immutable and versioned. Metres, +Y up; scene-linear colour. Large data
/// stands here only as the hash of its bytes. Fields that this version does not know survive a round trip.
/// </summary>
public sealed record ShotDocument : Extensible
{
    public const int CurrentSchema = 1;

    public int SchemaVersion { get; init; } = CurrentSchema;
    public required string Production { get; init; }
    public required string Sequence { get; init; }
    public required string Code { get; init; }
    public string Title { get; init; } = "";
    public string Units { get; init; } = "metre";
    public string ColorSpace { get; init; } = "linear-bt709";
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

    /// <summary>Depth found from the footage, for places where nothing is built; null: not made.</summary>
    public DepthSource? Depth { get; init; }
    public IReadOnlyList<ProjectionSource> Projections { get; init; } = [];

    public SourceMix ProjectionsMix { get; init; }

    /// <summary>How wide one source passes into the next along a seam, pixels of its picture.</summary>
    public double SeamBlendPixels { get; init; } = 12;

    /// <summary>Cameras that filmed the same place beside the shot's own.</summary>
    public IReadOnlyList<OtherCamera> OtherCameras { get; init; } = [];
    public IReadOnlyList<Light> Lights { get; init; } = [];

    /// <summary>Pictures rendered elsewhere that are lit again from their own passes.</summary>
    public IReadOnlyList<RenderedPicture> Rendered { get; init; } = [];

    /// <summary>Darkening where element and set nearly touch: a look, apart from light; strength 0: off.</summary>
    public ContactLook Contact { get; init; } = new();

    /// <summary>Elements throw light that falls on them back onto the set, once.</summary>
    public bool Bounces { get; init; }

    /// <summary>How long the camera's shutter was open, of a whole turn of 360°; elements and their shadows are blurred by it. 0: they are not.</summary>
    public double ShutterDegrees { get; init; }

    /// <summary>How the element is closed against the plate.</summary>
    public FinishChoice Finish { get; init; } = new();

    /// <summary>A real shadow that ours are held against; null: none is named.</summary>
    public ShadowPair? RealShadow { get; init; }

    /// <summary>Ways in which the sun was found, to be held against each other.</summary>
    public SunFinds Sun { get; init; } = new();
    public IReadOnlyList<Element> Elements { get; init; } = [];

    /// <summary>Notes pinned to the picture, oldest first.</summary>
    public IReadOnlyList<ReviewNote> Notes { get; init; } = [];

    /// <summary>Reading id to tolerance, where the artist changed it.</summary>
    public IReadOnlyDictionary<string, double> Tolerances { get; init; } = new Dictionary<string, double>();
    public uint Seed { get; init; } = 1;
}

/// <summary>Keeps what a newer version wrote.</summary>
public abstract record Extensible
{
    [JsonExtensionData]
    public Dictionary<string, JsonElement>? Unknown { get; init; }
}

public sealed record FrameRange(int First, int Last)
{
    [JsonIgnore]
    public int Count => Last - First + 1;

    public bool Contains(int frame) => frame >= First && frame <= Last;
}

/// <summary>Frames a second as a ratio: 24000/1001 is not 23.976.</summary>
public sealed record FrameRate(int Num, int Den)
{
    [JsonIgnore]
    public double PerSecond => (double)Num / Den;

    public override string ToString() => Den == 1 ? $"{Num}" : $"{Num}/{Den}";
}

/// <summary>Source frame = SourceFrame + (shot frame − ShotFrame) × source rate ÷ shot rate.</summary>
public sealed record FrameMapping(double SourceFrame, int ShotFrame)
{
    public double ToSource(double shotFrame, FrameRate source, FrameRate shot) =>
        SourceFrame + (shotFrame - ShotFrame) * ((double)source.Num * shot.Den / ((double)source.Den * shot.Num));

    /// <summary>The source's frame that a shot frame shows: the nearest one, of two as near the later. The one place where source frames are rounded.</summary>
    public int FrameAt(double shotFrame, FrameRate source, FrameRate shot) => (int)Math.Floor(ToSource(shotFrame, source, shot) + 0.5 + 1e-9);
}

public sealed record PlateSource : Extensible
{
    public string Name { get; init; } = "";
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public int Width { get; init; }
    public int Height { get; init; }
    public int Bits { get; init; } = 8;

    /// <summary>Of the footage that these frames are a proxy of; null: they are the footage.</summary>
    public int? FullWidth { get; init; }
    public int? FullHeight { get; init; }
    public ColorEncoding Encoding { get; init; } = ColorEncoding.Srgb;

    /// <summary>Of the light that the codes stand for: bt2020, acescg, aces2065-1; null: BT.709's.</summary>
    public string? Primaries { get; init; }

    [JsonIgnore]
    public ColorSpace Space => ColorSpace.Of(Encoding, Primaries);
    public double SensorWidthMm { get; init; } = 36;
    public double SensorHeightMm { get; init; } = 20.25;
    public double? FocalMm { get; init; }

    /// <summary>Of the first frame, hh:mm:ss:ff, and the clip's name, where the files have them.</summary>
    public string? Timecode { get; init; }
    public string? Clip { get; init; }
    public IReadOnlyList<PlateFrame> Frames { get; init; } = [];

    /// <summary>What was wrong with the delivery, as it was found on arrival.</summary>
    public IReadOnlyList<PlateFault> Faults { get; init; } = [];

    /// <summary>The same frames with their grain averaged away along motion; null: not made.</summary>
    public GrainFreeCopy? GrainFree { get; init; }

    public string? MediaAt(int sourceFrame) => Frames.FirstOrDefault(f => f.Frame == sourceFrame)?.Media;

    /// <summary>The plate's own frame that a shot frame shows.</summary>
    public int FrameAt(int shotFrame, FrameRate shot) => Mapping.FrameAt(shotFrame, Rate, shot);
}

/// <summary>Sixteen-bit frames in the plate's encoding; the grain's standard deviation before and left, codes 0..1, mean over its frames.</summary>
public sealed record GrainFreeCopy(IReadOnlyList<PlateFrame> Frames, double NoiseBefore, double NoiseLeft);

/// <summary>A frame by its own number in the source, and the hash of its file.</summary>
public sealed record PlateFrame(int Frame, string File, string Media);

/// <summary>What the plate can be seen through besides its display encoding; its data stays as it is.</summary>
public sealed record PlateLook : Extensible
{
    public Grade? Cdl { get; init; }
    public string? LutMedia { get; init; }
    public string LutName { get; init; } = "";

    /// <summary>For log or flat footage.</summary>
    public ContrastCurve? Curve { get; init; }

    /// <summary>Features are found and followed in what the curve shows.</summary>
    public bool TrackThroughCurve { get; init; }

    /// <summary>They are followed in the grain-free copy, where there is one.</summary>
    public bool TrackGrainFree { get; init; }
}

/// <summary>The numbers of an ASC CDL, and the file's name.</summary>
public sealed record Grade(string Name, Vec3 Slope, Vec3 Offset, Vec3 Power, double Saturation)
{
    public Cdl ToCdl() => new(Slope.ToSingle(), Offset.ToSingle(), Power.ToSingle(), (float)Saturation);
}

public sealed record PlateFault(int? Frame, string? File, string Kind, string Message, string Mend);

public sealed record LensValues(double K1 = 0, double K2 = 0, double P1 = 0, double P2 = 0, double K3 = 0)
{
    public Cameras.Lens ToLens() => new(K1, K2, P1, P2, K3);
}

/// <summary>A camera as it came in, in its own space; <see cref="Orientation"/> takes it to the world.</summary>
public sealed record CameraSource : Extensible
{
    public string Name { get; init; } = "";
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public LensValues Lens { get; init; } = new();

    /// <summary>Size of the picture that focal lengths and principal points in pixels refer to.</summary>
    public int Width { get; init; }
    public int Height { get; init; }
    public IReadOnlyList<CameraSample> Samples { get; init; } = [];
}

/// <summary>CameraToWorld row-major; focal length and principal point in pixels of the camera's own picture size.</summary>
public sealed record CameraSample(double Frame, double[] CameraToWorld, double FocalPx, double Cx, double Cy);

/// <summary>Features followed through the plate, by shot frame; the places stand in the media.</summary>
public sealed record TrackSource : Extensible
{
    public required string Media { get; init; }
    public int Count { get; init; }
}

/// <summary>What is drawn on a still: edges along the axes, the origin, a known length; pixels of the plate.</summary>
public sealed record StillLines : Extensible
{
    public int Frame { get; init; }
    public IReadOnlyList<StillLine> Lines { get; init; } = [];
    public double[]? Origin { get; init; }
    public StillLengthLine? Length { get; init; }
}

/// <summary>Axis is x, y or z.</summary>
public sealed record StillLine(string Axis, double X1, double Y1, double X2, double Y2);

/// <summary>Along is x, y, z or floor; null: found from the picture.</summary>
public sealed record StillLengthLine(double[] From, double[] To, double Metres, string? Along = null);

/// <summary>How the camera is to be solved.</summary>
public sealed record SolveChoice : Extensible
{
    /// <summary>It turns about one place; else it travels.</summary>
    public bool Turns { get; init; }

    /// <summary>The plate's focal length is held; else it is found.</summary>
    public bool HoldFocal { get; init; }

    /// <summary>The lens zooms: every frame has a focal length of its own; a held one is that of the first frame.</summary>
    public bool Zooms { get; init; }

    /// <summary>none, k1 or k1k2.</summary>
    public string RefineLens { get; init; } = "k1k2";
    public bool RefinePrincipalPoint { get; init; }

    /// <summary>Tracks that were cleaned away.</summary>
    public IReadOnlyList<int> LeftOut { get; init; } = [];
}

/// <summary>A solve that gave the shot its camera; frames, points and doubts stand in the media.</summary>
public sealed record SolveSource : Extensible
{
    public required string Media { get; init; }
    public bool Turns { get; init; }
    public double RmsPx { get; init; }
    public int TracksUsed { get; init; }
}

/// <summary>
/// A place clicked on the plate and known in space, in the camera's own: measured on set, or found from its clicks
/// (<see cref="FromClicks"/>). Position is null until two clicks have found it.
/// </summary>
public sealed record SurveyPoint : Extensible
{
    public required string Name { get; init; }
    public Vec3? Position { get; init; }
    public bool FromClicks { get; init; }
    public IReadOnlyList<PointClick> Clicks { get; init; } = [];
}

/// <summary>Where a point is seen: shot frame, pixels of the plate.</summary>
public sealed record PointClick(int Frame, double X, double Y);

/// <summary>What the artist named: the points of the floor, of the origin, of an axis, and a known distance.</summary>
public sealed record Orientation : Extensible
{
    public IReadOnlyList<string> Floor { get; init; } = [];
    public string? Origin { get; init; }
    public NamedAxis? Axis { get; init; }
    public KnownDistance? Scale { get; init; }

    /// <summary>Lines that say which way is up where no floor is named.</summary>
    public IReadOnlyList<LevelLine> Level { get; init; } = [];
}

/// <summary>A horizon, or an edge that is upright in the place, drawn on a shot frame; pixels of the plate.</summary>
public sealed record LevelLine(int Frame, bool Horizon, double X1, double Y1, double X2, double Y2);

/// <summary>Direction is one of +X, −X, +Z, −Z, written with an ASCII minus.</summary>
public sealed record NamedAxis(string From, string To, string Direction = "+X");

public sealed record KnownDistance(string From, string To, double Metres);

/// <summary>A standing figure, or a box as wide and deep as it is high; position of its foot, metres.</summary>
public sealed record StandIn(string Id, bool Box, Vec3 Position, double HeightMetres);

/// <summary>
/// A thing that moves on its own: found from the tracks inside its matte, or a mesh held to the picture in some frames and
/// followed between. <see cref="Frames"/> says where it is, frame by frame.
/// </summary>
public sealed record MovingObject : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>Id of the matte around it; for a thing found from tracks.</summary>
    public string? Matte { get; init; }

    /// <summary>Its mesh, in metres, in its own space; for a thing that is held.</summary>
    public string? Media { get; init; }
    public IReadOnlyList<ObjectHold> Holds { get; init; } = [];
    public IReadOnlyList<ObjectPose> Frames { get; init; } = [];

    /// <summary>Its distance from the camera in the first frame, metres, where the artist gives it.</summary>
    public double? DistanceMetres { get; init; }

    /// <summary>How its size was found, and how far it may be off, as a share; of a thing found from tracks.</summary>
    public string SizeBy { get; init; } = "";
    public double SizeDoubt { get; init; }
    public double RmsPx { get; init; }

    /// <summary>What was told when it was last followed.</summary>
    public IReadOnlyList<string> Warnings { get; init; } = [];
}

/// <summary>A frame in which a mesh is held, row-major ObjectToWorld, and the pins that hold it.</summary>
public sealed record ObjectHold(int Frame, double[] ObjectToWorld, IReadOnlyList<ObjectPin> Pins);

/// <summary>A place of the mesh, in its own space, pinned to a spot of the picture; pixels of the plate.</summary>
public sealed record ObjectPin(Vec3 Place, double X, double Y);

/// <summary>Row-major ObjectToWorld at a shot frame; how far what it was found by lies off, pixels, where it is known.</summary>
public sealed record ObjectPose(int Frame, double[] ObjectToWorld, double? RmsPx = null);

[JsonConverter(typeof(JsonStringEnumConverter<PieceKind>))]
public enum PieceKind
{
    Plane,
    Box,
    Mesh,
    Cylinder,
    /// <summary>Steps that rise along −Z.</summary>
    Stairs,
    /// <summary>A floor by its outline, walls raised from it, with openings.</summary>
    Outline,
    /// <summary>A kerb or ledge along a path.</summary>
    Strip,
    /// <summary>Half a sphere to look up into.</summary>
    Dome,
    /// <summary>Somebody filmed: an outline of every frame, stood in the place as a solid.</summary>
    Figure,
}

/// <summary>
/// A part of the rebuilt set. A plane lies in its own XZ with its front up; a box, a cylinder, stairs and a dome stand on the middle of
/// their foot; an outline and a strip keep the coordinates they are drawn in; a mesh keeps those of its file. Turned about Y, then tilted about X, then rolled about Z, in degrees.
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

    /// <summary>Id of the moving thing in whose frame it stands; null: in the world.</summary>
    public string? HangsOn { get; init; }

    /// <summary>It wears its own textures instead of the projections; null: it does not.</summary>
    public BakedFootage? Baked { get; init; }
    public bool Off { get; init; }
}

/// <summary>A place of a piece's shape pinned to a spot of the picture; pixels of the plate. With a direction it is an edge, which may slide along itself.</summary>
public sealed record PiecePin(int Frame, Vec3 Place, Vec3? Along, double X, double Y);

/// <summary>Points of a scanner or of another program, in their own space.</summary>
public sealed record PointCloud : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>The PLY file.</summary>
    public required string Media { get; init; }
    public int Count { get; init; }

    /// <summary>Places in the cloud that are survey points of the shot; three and more say how it lies.</summary>
    public IReadOnlyList<CloudTarget> Targets { get; init; } = [];

    /// <summary>It is in metres already; else its scale is found too.</summary>
    public bool HoldScale { get; init; } = true;
    public bool Off { get; init; }
}

/// <summary>A survey point's name and its place in the cloud's own space.</summary>
public sealed record CloudTarget(string Point, Vec3 Place);

/// <summary>Depth maps by shot frame, EXR with depth.Z (metres along the camera's axis) and confidence.Y.</summary>
public sealed record DepthSource : Extensible
{
    public IReadOnlyList<DepthFrame> Frames { get; init; } = [];

    /// <summary>What is nearer than an element hides it, in frames that have a map.</summary>
    public bool Hides { get; init; }

    /// <summary>Spots that are less sure are left out, 0..1.</summary>
    public double LeastConfidence { get; init; } = 0.3;
}

public sealed record DepthFrame(int Frame, string Media);

/// <summary>A piece's footage in textures of its own: they stay on it wherever it goes, until its shape changes.</summary>
/// <param name="Texel">Side of a texel in the piece's own space.</param>
/// <param name="Tiles">Sixteen-bit sRGB pictures with what is covered as alpha.</param>
/// <param name="Shape">What the shape was when they were made.</param>
public sealed record BakedFootage(double Texel, IReadOnlyList<string> Tiles, string Shape, double Covered);

/// <summary>
/// A filmed figure: the matte that is its outline, its thickness, what it is turned to. It stands where its outline's foot meets the set, or
/// at the place of what it hangs on; keys correct it.
/// </summary>
public sealed record PieceFigure(string Matte, double ThicknessMetres = 0.25, bool TowardsLight = false)
{
    public IReadOnlyList<FigureKey> Keys { get; init; } = [];
}

/// <summary>A correction of a figure at a frame: moved in the world, and sized about its foot.</summary>
public sealed record FigureKey(int Frame, Vec3? Shift = null, double? Scale = null, KeyEase Ease = KeyEase.Straight);

/// <summary>How a piece mirrors elements: reflectivity where it is faced (0.02 is water, 0.04 varnish or glaze), roughness 0..1, and the matte of what is wet or polished.</summary>
public sealed record PieceMirror(double Reflectivity = 0.02, double Roughness = 0.1, string? Matte = null);

/// <summary>A door or window in an outline's wall: the wall's number from 0, metres along it from its first corner, and above its foot.</summary>
public sealed record Opening(int Wall, double From, double To, double Bottom, double Top);

public sealed record Duties : Extensible
{
    public bool Receives { get; init; } = true;
    public bool Hides { get; init; } = true;
    public bool WearsFootage { get; init; } = true;
    public bool BlocksLight { get; init; } = true;

    /// <summary>How much larger than it is it hides elements (smaller: negative), millimetres and pixels of the plate; nothing else knows of it.</summary>
    public double HoldoutMillimetres { get; init; }
    public double HoldoutPixels { get; init; }

    /// <summary>Camera rays pass through; what it does beyond light is then void.</summary>
    public bool OnlyBlocksLight { get; init; }

    /// <summary>It sends the footage that it wears to elements as light, unseen.</summary>
    public bool LightsElements { get; init; }

    /// <summary>A card: the albedo by which it bounces light onto elements; null: it does not.</summary>
    public Vec3? Bounces { get; init; }
}

/// <summary>How several sources share a spot.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<SourceMix>))]
public enum SourceMix
{
    /// <summary>In their order: a later one fills what earlier ones leave.</summary>
    Order,
    /// <summary>The better one wins, softly: weights go with the sixth power of quality.</summary>
    Quality,
    /// <summary>In their order, each up to the border through their overlap that is seen least.</summary>
    Seam,
}

/// <summary>Another camera of the same place and what it filmed; its samples stand in the world already.</summary>
public sealed record OtherCamera : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public required PlateSource Plate { get; init; }
    public required CameraSource Camera { get; init; }

    /// <summary>What makes its exposure and white those of the shot's own plate, linear, a channel.</summary>
    public Vec3 Gain { get; init; } = new(1, 1, 1);
}

[JsonConverter(typeof(JsonStringEnumConverter<SourceKind>))]
public enum SourceKind
{
    /// <summary>One frame of the plate, on the set in every frame.</summary>
    Held,
    /// <summary>The plate as it runs: in every frame that frame.</summary>
    Running,
    /// <summary>A cleaned or painted picture of a frame.</summary>
    Picture,
}

/// <summary>A picture laid on pieces from the camera that saw it; fades between two angles of incidence, and with distance.</summary>
public sealed record ProjectionSource : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public SourceKind Kind { get; init; }

    /// <summary>Id among <see cref="ShotDocument.OtherCameras"/>; null: the shot's own.</summary>
    public string? Camera { get; init; }

    /// <summary>The shot frame whose camera it is laid on from; void for a running plate.</summary>
    public int Frame { get; init; }

    /// <summary>Of a picture: its file, what its codes stand for, and how it came to be.</summary>
    public string? Media { get; init; }
    public ColorEncoding? Encoding { get; init; }

    /// <summary>As of a plate.</summary>
    public string? Primaries { get; init; }
    public string MadeBy { get; init; } = "";

    /// <summary>The picture is the surface's own colour (albedo); it is laid on under the light that the set had in its frame.</summary>
    public bool OwnColour { get; init; }

    /// <summary>Id of a matte of its camera's frame: what lies inside is left out, or is all that is laid on.</summary>
    public string? Matte { get; init; }
    public bool MatteShows { get; init; }
    public double MatteFeatherPixels { get; init; } = 2;

    /// <summary>It fades out between two distances from its camera, metres; null: it does not.</summary>
    public double? FadeFromMetres { get; init; }
    public double? FadeToMetres { get; init; }

    /// <summary>Ids of pieces; empty: all that wear footage.</summary>
    public IReadOnlyList<string> Pieces { get; init; } = [];
    public double FadeFromDegrees { get; init; } = 72;
    public double FadeToDegrees { get; init; } = 84;
    public bool Off { get; init; }
}

[JsonConverter(typeof(JsonStringEnumConverter<LightKind>))]
public enum LightKind
{
    Sun,
    Sky,
    /// <summary>A uniform light that nothing hides; it stands for interreflection.</summary>
    Fill,
    Point,
    Spot,
    /// <summary>A plane that shines to its front.</summary>
    Rectangle,
    /// <summary>A lat-long picture of all light around.</summary>
    Panorama,
}

[JsonConverter(typeof(JsonStringEnumConverter<SkyKind>))]
public enum SkyKind
{
    Uniform,
    /// <summary>From the horizon's colour to its own at the zenith.</summary>
    Gradient,
    /// <summary>Clear, by turbidity and where the first sun stands.</summary>
    Clear,
    Overcast,
}

/// <summary>A picture of a frame with position and normal passes, through the shot's camera.</summary>
public sealed record RenderedPicture : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public int Frame { get; init; }

    /// <summary>Its files and their names.</summary>
    public IReadOnlyList<string> Media { get; init; } = [];
    public IReadOnlyList<string> Names { get; init; } = [];

    /// <summary>How depth is meant where it brings no positions.</summary>
    public DepthConvention Depth { get; init; } = new(DepthKind.Axis);

    /// <summary>Ids of the lights that shade it anew.</summary>
    public IReadOnlyList<string> Lamps { get; init; } = [];
    public Lighting.RelightLook Look { get; init; } = new();

    /// <summary>Shadows are cast by the set; else by the surface that its own positions show.</summary>
    public bool ShadowsBySet { get; init; }

    /// <summary>Only the new light is shown; else it is added to the picture.</summary>
    public bool Alone { get; init; }
}

/// <summary>Ambient occlusion of short reach, metres: set by element and element by set.</summary>
public sealed record ContactLook(double Strength = 0, double ReachMetres = 0.06);

/// <summary>A lit and a shadowed spot of one surface in a frame; pixels of the plate.</summary>
public sealed record ShadowPair(int Frame, double LitX, double LitY, double DarkX, double DarkY);

/// <summary>Towards the sun as a shadow, the date and a fit say; null: not asked. Place and time as they were typed.</summary>
public sealed record SunFinds : Extensible
{
    public Vec3? FromShadow { get; init; }
    public Vec3? FromDate { get; init; }
    public Vec3? FromFit { get; init; }

    /// <summary>ISO 8601 with its offset, like 2003-10-17T12:30:30-07:00.</summary>
    public string Moment { get; init; } = "";
    public double LatitudeDegrees { get; init; }
    public double LongitudeDegrees { get; init; }

    /// <summary>The heading of north in the world, clockwise from −Z.</summary>
    public double NorthDegrees { get; init; }
}

/// <summary>What a light is at a frame; what is null is not keyed there.</summary>
public sealed record LightKey(int Frame, double? Strength = null, Vec3? Color = null, Vec3? Direction = null, Vec3? Position = null);

/// <summary>
/// Strength × Color is irradiance on a facing surface for a sun; radiance for a sky, a fill, a rectangle and (times its picture) a
/// panorama; radiant intensity for a point and a spot.
/// </summary>
public sealed record Light : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public LightKind Kind { get; init; }

    /// <summary>Towards the light, from the surface; made unit length on use.</summary>
    public Vec3 Direction { get; init; } = new(0, 1, 0);
    public double Strength { get; init; } = 1;
    public Vec3 Color { get; init; } = new(1, 1, 1);
    public double AngularDiameterDegrees { get; init; } = 0.53;

    /// <summary>Its colour is that of this temperature; null: <see cref="Color"/> stands as it is.</summary>
    public double? Kelvin { get; init; }

    /// <summary>Of point, spot, rectangle and a panorama that shows the place, metres. A spot and a rectangle shine along −<see cref="Direction"/>.</summary>
    public Vec3 Position { get; init; } = new(0, 2, 0);

    /// <summary>Of a spot: half angles within which it is whole and beyond which it is dark.</summary>
    public double InnerDegrees { get; init; } = 20;
    public double OuterDegrees { get; init; } = 30;

    /// <summary>Of a rectangle, metres.</summary>
    public double Width { get; init; } = 1;
    public double Height { get; init; } = 1;

    /// <summary>Of a rectangle that may be rolled or skewed: from its middle to the middle of two edges, metres; null: upright, by width and height.</summary>
    public Vec3? HalfU { get; init; }
    public Vec3? HalfV { get; init; }

    public SkyKind Sky { get; init; }
    public Vec3 HorizonColor { get; init; } = new(1, 1, 1);
    public double Turbidity { get; init; } = 2.5;

    /// <summary>A panorama's picture and how far it is turned.</summary>
    public string? Media { get; init; }
    public double HeadingDegrees { get; init; }

    /// <summary>A panorama is a picture of the place itself, shot at <see cref="Position"/>: it lights nothing, and what mirrors reads it for what the plate does not show.</summary>
    public bool ShowsPlace { get; init; }

    /// <summary>It lit the place when the plate was shot; else it is a new lamp.</summary>
    public bool InPlate { get; init; } = true;
    public bool LightsSet { get; init; } = true;
    public bool LightsElements { get; init; } = true;
    public bool CastsShadow { get; init; } = true;

    /// <summary>Id of a matte inside which it does not reach the set, with and without elements: for a caster that is not built.</summary>
    public string? ShadeMatte { get; init; }

    /// <summary>Where any light is alone, only those that are count.</summary>
    public bool Alone { get; init; }
    public IReadOnlyList<LightKey> Keys { get; init; } = [];
    public bool Off { get; init; }

    /// <summary>As it is at a frame: straight between its keys, held before the first and after the last.</summary>
    public Light At(int frame)
    {
        if (Keys.Count == 0) { return this; }
        Vec3? Place(Func<LightKey, Vec3?> of) => KeyCurve.At(Keys, frame, k => k.Frame, of, _ => KeyEase.Straight);
        return this with
        {
            Strength = KeyCurve.At(Keys, frame, k => k.Frame, k => k.Strength, _ => KeyEase.Straight) ?? Strength,
            Color = Place(k => k.Color) ?? Color,
            Direction = Place(k => k.Direction?.Normalized()) ?? Direction,
            Position = Place(k => k.Position) ?? Position,
            Keys = [],
        };
    }
}
