using System.Numerics;
using System.Text;
using System.Text.Json;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats.Looks;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A step cannot be computed for this shot as it stands; the message says why and what would mend it.</summary>
public sealed class ShotFault(string message) : Exception(message);

/// <summary>How two cameras of the projections meet on the set: the share of the first one's picture, the parallax along the shortest border, how far they differ in stops before and with their gains.</summary>
public sealed record CameraMeeting(
    string First,
    string Second,
    double Overlap,
    double? ParallaxDegrees,
    double? WorstParallaxDegrees,
    int Spots,
    double StopsBefore,
    double StopsNow,
    int Frame,
    double? WorstX,
    double? WorstY
);

/// <summary>Which frames see the set best, one after another; the share that the projections cover now; that of each piece; and spots that no frame ever saw.</summary>
/// <param name="Nothing">Ids of projections that lie on no spot of the set.</param>
public sealed record CoveragePlan(
    IReadOnlyList<PlannedSource> Frames,
    double Now,
    IReadOnlyList<(string Piece, double Covered)> Pieces,
    IReadOnlyList<Vector3> NeverSeen,
    IReadOnlyList<string> Nothing
);

/// <summary>(found depth − set's) ÷ set's a pixel, NaN where one of them is not known; and the piece that is seen there.</summary>
public sealed record DepthDifference(int Width, int Height, float[] Relative, int[] Piece, IReadOnlyList<string> Names);

/// <summary>What lies under a pixel of the plate: the nearest of set and elements, and the set below where an element is seen.</summary>
/// <param name="Point">The place that is seen, with its distance and its normal towards the camera.</param>
/// <param name="PieceId">Of the set, there or behind the element.</param>
/// <param name="OnSet">The place of the set: what things are stood on. The same where no element is before it.</param>
public sealed record PickResult(
    double X,
    double Y,
    double[]? Linear,
    double? Distance,
    double[]? Point,
    double[]? Normal,
    string? PieceId,
    string? ElementId
)
{
    public double[]? OnSet { get; init; }
    public double[]? OnSetNormal { get; init; }
}

/// <summary>
/// Fetches media, calls the core, remembers what is asked for again. The pages, the command line and the jobs all make
/// their pictures and readings here, so the same frame has the same pixels whoever asks.
/// </summary>
public sealed class ShotEngine
{
    private readonly IMedia media;
    private readonly ElementWork _elements;

    public ShotEngine(IMedia from)
    {
        media = from;
        Clouds = new(from);
        _elements = new(from);
        Mattes = new(this, from);
        Figures = new(this);
        Finish = new(this, from);
    }

    public FigureWork Figures { get; }

    public FinishWork Finish { get; }

    public MatteWork Mattes { get; }

    private readonly Cache<ImportedMesh> _meshes = new(Sizes.Of);
    private readonly Cache<MeshTree> _trees = new(Sizes.Of);
    private readonly Cache<CodeImage> _codes = new(Sizes.Of);
    private readonly Cache<FloatImage> _linear = new(Sizes.Of);
    private readonly Cache<SetScene> _sets = new(Sizes.Of);
    private readonly Cache<Box<SkyOpenings?>> _openings = new(_ => 32 * Sizes.Small);
    private readonly Cache<SetPass> _passes = new(Sizes.Of);
    private readonly Cache<Lut> _luts = new(l => 12L * l.Values.Length);
    private readonly Cache<RayGrid> _grids = new(Sizes.Of);
    private TrackWork? _tracks;

    public TrackWork TrackWork => _tracks ??= new(this, media);
    public CloudWork Clouds { get; }

    public sealed record Box<T>(T Value);

    /// <summary>Parts of documents are immutable: each is hashed once, however often it is part of a key.</summary>
    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<object, string> Hashes = [];

    private static string HashOf(object? part)
    {
        string Make(object? p) =>
            p is ShotDocument document ? HashOf(document) : MediaStore.HashOf(JsonSerializer.SerializeToUtf8Bytes(p, ShotJson.Options));
        return part is null || part.GetType().IsValueType || part is string
            ? JsonSerializer.Serialize(part, ShotJson.Options)
            : Hashes.GetValue(part, Make);
    }

    /// <summary>Of a whole document, part by part: parts that two documents share are hashed once.</summary>
    private static string HashOf(ShotDocument document)
    {
        var text = new StringBuilder().Append(document.StoodAt?.ToString("R", System.Globalization.CultureInfo.InvariantCulture));
        foreach (var property in ShotJson.Options.GetTypeInfo(typeof(ShotDocument)).Properties)
        {
            if (property.Get is { } get)
            {
                text.Append('\n').Append(property.Name).Append(' ').Append(HashOf(get(document)));
            }
        }
        return MediaStore.HashOf(Encoding.UTF8.GetBytes(text.ToString()));
    }

    /// <summary>Hash of what a computation reads: its name, its version, and a reduced document (<see cref="Reduced"/>) or parts of one.</summary>
    public static string Key(string computation, int version, params object?[] parts)
    {
        var text = new StringBuilder(computation).Append('/').Append(version);
        foreach (object? part in parts)
        {
            text.Append('\n').Append(HashOf(part));
        }
        return MediaStore.HashOf(Encoding.UTF8.GetBytes(text.ToString()));
    }

    public ImportedMesh Mesh(string hash, string name) => _meshes.Get(hash, () => ImportedMesh.Read(media.Read(hash), name));

    private TriangleMesh PieceMesh(string hash, string? objectName)
    {
        if (FigureWork.IsFigure(hash))
        {
            return Figures.Mesh(hash);
        }
        // The bytes tell a glTF; all else is OBJ.
        ImportedMesh mesh = Mesh(hash, "mesh.obj");
        return objectName is null
            ? mesh.Merged()
            : mesh.Objects.FirstOrDefault(o => o.Name == objectName)?.Mesh
                ?? throw new ShotFault($"The mesh file has no object called “{objectName}”.");
    }

    /// <summary>A mesh file made ready for rays, its objects as one.</summary>
    public MeshTree Tree(string hash) => _trees.Get(hash, () => new(Mesh(hash, "mesh.obj").Merged()));

    /// <summary>The elements that are on, as they stand in a frame of the document as it is.</summary>
    public IReadOnlyList<PlacedElement> Elements(ShotDocument shot, int? frame = null) => _elements.Placed(shot, frame ?? shot.Range.First);

    /// <summary>An element's mesh with what the artist chose for its materials.</summary>
    /// <inheritdoc cref="ElementWork.IdNames"/>
    public (IReadOnlyList<(string Layer, string Name, double Share)> Names, IReadOnlyList<string> Notes) IdNames(
        ShotDocument shot,
        Element element,
        int frame
    ) => _elements.IdNames(shot, element, frame);

    /// <inheritdoc cref="ElementWork.MaterialFault"/>
    public string? MaterialFault(ShotDocument shot, Element element) => _elements.MaterialFault(shot, element);

    public ElementModel Model(ShotDocument shot, Element element, int? frame = null) =>
        _elements.Model(shot, element, frame ?? shot.Range.First);

    public SetScene Set(ShotDocument shot) => _sets.Get(Key("set", 1, shot.Pieces), () => new SetScene(shot.Pieces, PieceMesh));

    /// <summary>Where the sky is seen from inside the set; null where no light comes from all around.</summary>
    public SkyOpenings? OpeningsOf(ShotDocument shot) =>
        shot.Lights.Any(l => l is { Kind: LightKind.Sky or LightKind.Panorama, ShowsPlace: false, Off: false })
            ? _openings.Get(Key("openings", 1, shot.Pieces, shot.Seed), () => new(SkyOpenings.Find(Set(shot), shot.Seed))).Value
            : null;

    private readonly Cache<Panorama> _panoramas = new(Sizes.Of);

    /// <summary>A panorama's picture: linear, negative samples clamped.</summary>
    public Panorama Around(string hash) => _panoramas.Get(hash, () => PanoramaFile.Read(media.Read(hash), "the panorama"));

    private LightRig Rig(ShotDocument shot) => LightRig.Of(shot.Lights, l => Around(l.Media!));

    /// <summary>The shot with its lights as they are keyed at a frame.</summary>
    public static ShotDocument LitAt(ShotDocument shot, int frame) =>
        shot.Lights.All(l => l.Keys.Count == 0) ? shot : shot with { Lights = [.. shot.Lights.Select(l => l.At(frame))] };

    public (Pose Pose, Pinhole Pinhole) Camera(ShotDocument shot, int frame)
    {
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
        return camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            ? (pose, pinhole)
            : throw new ShotFault(
                $"The camera has no sample for frame {frame}. Check its first frame and rate at step 2, or shorten the range."
            );
    }

    public RayGrid Grid(ShotDocument shot, int frame, int width, int height)
    {
        var (pose, pinhole) = Camera(shot, frame);
        // The inverse lens is the same wherever the camera stands.
        return _grids
            .Get(Key("rays", 2, pinhole, width, height), () => new RayGrid(pinhole.Resized(width, height), Pose.Identity))
            .From(pose);
    }

    private static string FrameMedia(ShotDocument shot, int frame)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        int source = plate.FrameAt(frame, shot.Rate);
        return plate.MediaAt(source) ?? throw new ShotFault($"The plate has no frame {frame}.");
    }

    /// <summary>Code values of the grain-free copy where it has the frame, else the plate's own.</summary>
    public CodeImage GrainFreeCodes(ShotDocument shot, int frame)
    {
        if (shot.Plate?.GrainFree is not { } copy)
        {
            return PlateCodes(shot, frame);
        }
        int source = shot.Plate.FrameAt(frame, shot.Rate);
        return copy.Frames.FirstOrDefault(f => f.Frame == source) is { } f
            ? _codes.Get(f.Media, () => RasterFile.Read(media.Read(f.Media), $"frame {frame}, without grain"))
            : PlateCodes(shot, frame);
    }

    /// <summary>The plate's own code values.</summary>
    public CodeImage PlateCodes(ShotDocument shot, int frame)
    {
        string hash = FrameMedia(shot, frame);
        return _codes.Get(hash, () => RasterFile.Read(media.Read(hash), $"frame {frame}"));
    }

    /// <summary>What the shot's pictures are seen through.</summary>
    public PlateView View(ShotDocument shot, SeenThrough through) =>
        new(
            through,
            shot.Plate?.Space ?? ColorSpace.Srgb,
            shot.Look.Cdl?.ToCdl(),
            through == SeenThrough.Look && shot.Look.LutMedia is { } lut
                ? _luts.Get(lut, () => CubeFile.Read(media.Read(lut), shot.Look.LutName))
                : null,
            shot.Look.Curve
        );

    /// <summary>The contrast curve that suits a frame.</summary>
    public ContrastCurve CurveFor(ShotDocument shot, int frame)
    {
        CodeImage codes = PlateCodes(shot, frame);
        float top = (1 << codes.Bits) - 1;
        int step = Math.Max(1, codes.Codes.Length / 200_000);
        return ContrastCurve.For([.. Enumerable.Range(0, codes.Codes.Length / step).Select(i => codes.Codes[i * step] / top)]);
    }

    /// <summary>Scene-linear, without its grain where a grain-free copy has been made: what is measured against.</summary>
    public FloatImage QuietPlate(ShotDocument shot, int frame, int width)
    {
        if (shot.Plate?.GrainFree is null)
        {
            return Plate(shot, frame, width);
        }
        FloatImage linear = GrainFreeCodes(shot, frame).ToLinear(shot.Plate.Space);
        return width >= linear.Width ? linear : linear.ReducedTo(width, HeightFor(shot, width));
    }

    /// <summary>Scene-linear plate, at its own width or reduced by area.</summary>
    public FloatImage Plate(ShotDocument shot, int frame, int? width = null)
    {
        string hash = FrameMedia(shot, frame);
        ColorSpace space = shot.Plate!.Space;
        int full = shot.Plate.Width;
        if (width is not { } w || w >= full)
        {
            return _linear.Get($"{hash}/{space.Name}", () => PlateCodes(shot, frame).ToLinear(space));
        }
        return _linear.Get($"{hash}/{space.Name}/{w}", () => Plate(shot, frame).ReducedTo(w, HeightFor(shot, w)));
    }

    private static int HeightFor(ShotDocument shot, int width) =>
        Math.Max(1, (int)Math.Round((double)shot.Plate!.Height * width / shot.Plate.Width));

    /// <summary>
    /// The whole frame. With <paramref name="keepWithout"/> the set's own samples are remembered, so that only elements are
    /// traced anew while one is dragged.
    /// </summary>
    /// <param name="overscan">All layers go on by so many pixels of that width on every side; the plate does not, and its border's pixels stand for it. Not with <paramref name="keepWithout"/>.</param>
    public FrameLayers Render(
        ShotDocument shot,
        int frame,
        int width,
        RenderQuality quality,
        bool keepWithout = false,
        bool dataPasses = true,
        CancellationToken stop = default,
        Action<double>? progress = null,
        bool parts = false,
        bool ids = false,
        int overscan = 0
    )
    {
        ShotDocument given = shot;
        shot = Hanging.At(shot, frame);
        FloatImage plate = Plate(shot, frame, width);
        var (w, h) = (plate.Width, plate.Height);
        var (pose, pinhole) = Camera(shot, frame);
        shot = Holdouts.At(shot, pose, pinhole);
        SkyOpenings? openings = OpeningsOf(shot);
        shot = Figures.At(LitAt(shot, frame), frame);
        SetScene set = Set(shot);
        LightRig rig = Rig(shot);
        RayGrid within = Grid(shot, frame, w, h),
            grid = overscan == 0 ? within : new(within.Pinhole.Wider(overscan), pose);
        uint seed = Sampling.Hash(shot.Seed * 747796405u + (uint)frame);
        float[] Wider(float[] values) => FloatImage.Around(values, w, h, 1, overscan);
        float[]? hides = shot.Depth is { Hides: true } && HideDistance(shot, frame, within) is { } near ? Wider(near) : null;
        IReadOnlyList<float[]?>? reaches = Reaches(shot, rig, frame, w, h) is { } own
            ? [.. own.Select(r => r is null ? null : Wider(r))]
            : null;
        SetPass Make() => new(grid, set, rig, openings, quality, seed, keepWithout, hides, reaches) { Margin = overscan };
        string known = Key("without", 4, Reduced.Light(shot), hides is null ? null : shot.Depth, seed, pose, grid.Pinhole, quality);
        SetPass pass =
            keepWithout ? _passes.Get(known, Make)
            : _passes.TryGet(known, out SetPass kept) && overscan == 0 ? kept
            : Make();
        var options = new RenderOptions
        {
            DataPasses = dataPasses,
            Parts = parts,
            Ids = ids || parts,
            Bounce = shot.Bounces,
            Contact = shot.Contact,
            Surfaces = Surfaces(given, set, frame, w, h) is { } s
                ? new([.. s.ByPiece.Select(p => p?.MirrorShare is { } share ? p with { MirrorShare = Wider(share) } : p)])
                : null,
            Next = parts && Next(given, frame, width, set) is { } next ? next with { Pinhole = next.Pinhole.Wider(overscan) } : null,
            Mattes = [.. Hiding(shot, frame, plate).Select(m => m.Around(w, h, overscan))],
            Rendered = RenderedLayers(shot, frame, grid, overscan),
        };
        return DifferentialRenderer.Render(
            new(pass, Elements(shot, frame), pose),
            keepWithout
                ? null
                : WhileOpen(
                    given,
                    shot,
                    frame,
                    grid,
                    overscan,
                    (at, samples, first) =>
                        new(
                            at.Grid,
                            at.Set,
                            rig,
                            openings,
                            quality with
                            {
                                CameraSamples = samples,
                            },
                            seed,
                            false,
                            hides,
                            reaches,
                            first,
                            centred: false
                        )
                        {
                            Margin = overscan,
                        },
                    quality
                ),
            plate.Around(overscan),
            openings,
            options,
            stop,
            progress is null ? null : rows => progress((double)rows / grid.Height)
        );
    }

    /// <summary>A pixel's samples are shared out over at most so many moments.</summary>
    private const int MostMoments = 16;

    /// <summary>Camera, set and elements at moments spread over the time that the shutter is open, centred on the frame; null: it is not counted.</summary>
    private IReadOnlyList<RenderMoment>? WhileOpen(
        ShotDocument given,
        ShotDocument at,
        int frame,
        RayGrid grid,
        int overscan,
        Func<(RayGrid Grid, SetScene Set), int, uint, SetPass> pass,
        RenderQuality quality
    )
    {
        int n = Math.Min(MostMoments, quality.CameraSamples);
        if (given.ShutterDegrees <= 0 || n < 2)
        {
            return null;
        }
        ShotCamera camera = ShotCamera.Of(given)!;
        bool moves = given.Pieces.Any(p => p.HangsOn is not null);
        return
        [
            .. Enumerable
                .Range(0, n)
                .Select(i =>
                {
                    double moment = frame + ((i + 0.5) / n - 0.5) * given.ShutterDegrees / 360;
                    if (!camera.TryNear(frame, moment, out Pose pose, out Pinhole pinhole))
                    {
                        (pose, pinhole) = Camera(given, frame);
                    }
                    pinhole = pinhole.Resized(grid.Width - 2 * overscan, grid.Height - 2 * overscan).Wider(overscan);
                    RayGrid own = pinhole == grid.Pinhole ? grid.From(pose) : new(pinhole, pose);
                    ShotDocument then = Hanging.At(given, moment);
                    SetScene set = Set(at);
                    if (moves)
                    {
                        var places = then.Pieces.ToDictionary(p => p.Id);
                        set = new(
                            at.Pieces.Select(p =>
                                    p.HangsOn is not null && places.TryGetValue(p.Id, out Piece? q)
                                        ? p with
                                        {
                                            Position = q.Position,
                                            RotationYxzDegrees = q.RotationYxzDegrees,
                                        }
                                        : p
                                )
                                .ToArray(),
                            PieceMesh
                        );
                    }
                    return new RenderMoment(
                        pass((own, set), quality.CameraSamples / n, (uint)(i * (quality.CameraSamples / n))),
                        Elements(then, frame),
                        pose
                    );
                }),
        ];
    }

    /// <summary>By light, where a matte keeps it from the set; null where none does.</summary>
    private IReadOnlyList<float[]?>? Reaches(ShotDocument shot, LightRig rig, int frame, int width, int height)
    {
        if (shot.Lights.All(l => l.Off || l.ShadeMatte is null))
        {
            return null;
        }
        return
        [
            .. rig.Sampled.Select(s =>
                shot.Lights.First(l => l.Id == s.Id).ShadeMatte is { } matte
                    ? (float[])[.. Mattes.Coverage(shot, matte, frame, width, height).Select(v => 1 - v)]
                    : null
            ),
        ];
    }

    /// <summary>The mattes that hide elements; those of a screen bring the foreground without it.</summary>
    private IReadOnlyList<HidingMatte> Hiding(ShotDocument shot, int frame, FloatImage plate) =>
        [
            .. Mattes
                .Hiding(shot, frame, plate.Width, plate.Height)
                .Select(m => new HidingMatte(
                    m.Coverage,
                    m.Beyond,
                    m.Matte is { Kind: MatteKind.Screen, Screen: { } key } ? MatteField.Foreground(plate, m.Coverage, key) : null
                )),
        ];

    /// <summary>Elements that were rendered elsewhere: their picture of the frame, and how far away each pixel of it is.</summary>
    private IReadOnlyList<RenderedLayer> RenderedLayers(ShotDocument shot, int frame, RayGrid grid, int margin) =>
        [
            .. shot
                .Elements.Where(e => e is { Off: false, Kind: ElementKind.Rendered })
                .Select(e => _elements.Layer(shot, e, frame, grid, margin))
                .OfType<RenderedLayer>(),
        ];

    /// <summary>Where all will be a frame later; at the camera's last frame, where it was a frame before. Null: it has one frame.</summary>
    private NextFrame? Next(ShotDocument shot, int frame, int width, SetScene set)
    {
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
        bool back = false;
        if (!camera.TryAt(frame + 1, out Pose pose, out Pinhole pinhole) && !(back = camera.TryAt(frame - 1, out pose, out pinhole)))
        {
            return null;
        }
        int other = back ? frame - 1 : frame + 1;
        ShotDocument now = Hanging.At(shot, frame),
            then = Hanging.At(shot, other);
        Similarity? Taken(Piece piece)
        {
            int i = shot.Pieces.ToList().FindIndex(p => p.Id == piece.Id);
            return piece.HangsOn is null ? null : PieceMeshes.PlaceOf(then.Pieces[i]).After(PieceMeshes.PlaceOf(now.Pieces[i]).Inverse());
        }
        // A card without a picture there is seen in one of the two frames only: it counts as still.
        var places = Elements(then, other).ToDictionary(e => e.Id, e => e.ObjectToWorld);
        return new(
            pose,
            pinhole.Resized(width, HeightFor(shot, width)),
            [.. Elements(now, frame).Select(e => places.GetValueOrDefault(e.Id, e.ObjectToWorld))],
            set.Pieces.All(p => p.HangsOn is null) ? null : [.. set.Pieces.Select(Taken)],
            back
        );
    }

    /// <summary>What pieces mirror, bounce and shine onto elements; null where none does.</summary>
    private SetSurfaces? Surfaces(ShotDocument shot, SetScene set, int frame, int width, int height)
    {
        if (!set.Pieces.Any(p => p.Mirror is not null || p.Duties.LightsElements || p.Duties.Bounces is not null))
        {
            return null;
        }
        Lazy<IReadOnlyList<Projector>> projectors = new(() => Projectors(shot, set, frame));
        return new([
            .. set.Pieces.Select(
                (p, i) =>
                    p.Mirror is null && !p.Duties.LightsElements && p.Duties.Bounces is null
                        ? null
                        : new SetSurface
                        {
                            Mirror = p.Mirror is { } m
                                ? new Material(p.Name, default, 0, (float)m.Roughness) { Specular = (float)(m.Reflectivity / 0.04) }
                                : null,
                            MirrorShare = p.Mirror?.Matte is { } matte ? Mattes.Coverage(shot, matte, frame, width, height) : null,
                            Bounces = p.Duties.Bounces?.ToSingle(),
                            Shines = p.Duties.LightsElements
                                ? (point, normal) => Shown(projectors.Value, shot.ProjectionsMix, point, normal, i)
                                : null,
                        }
            ),
        ]);
    }

    /// <summary>The footage on a spot, where some is.</summary>
    private static Vector3 Shown(IReadOnlyList<Projector> projectors, SourceMix mix, Vector3 point, Vector3 normal, int piece)
    {
        Vector4 c = ProjectedView.Mix(projectors, point, normal, piece, default, default, mix);
        return c.W > 0 ? new Vector3(c.X, c.Y, c.Z) / c.W : default;
    }

    /// <summary>The comp in the plate's encoding and depth: the plate's own codes where nothing touches it.</summary>
    /// <param name="bits">Of its codes; null: as many as the plate's. Untouched pixels are the plate's codes, brought to that depth.</param>
    public CodeImage Comp(ShotDocument shot, int frame, FrameLayers layers, int? bits = null)
    {
        int width = layers.Comp.Width,
            height = layers.Comp.Height;
        CodeImage plate = PlateCodes(shot, frame),
            under = plate;
        ColorSpace space = shot.Plate!.Space;
        if (plate.Width != width || plate.Height != height)
        {
            under = _codes.Get($"{FrameMedia(shot, frame)}/{space.Name}/{width}", () =>
                CodeImage.FromLinear(Plate(shot, frame, width), space, plate.Bits)
            );
        }
        int deep = bits ?? plate.Bits;
        double by = ((1 << deep) - 1) / (double)((1 << plate.Bits) - 1);
        var codes = new ushort[width * height * 3];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                Vector3 code = layers.Touched[i] ? space.ToCodes(new Vector3(layers.Comp.Data.AsSpan(3 * i, 3))) : default;
                for (int c = 0; c < 3; c++)
                {
                    codes[3 * i + c] =
                        layers.Touched[i] ? (ushort)ColorEncodings.Rounded(code[c], deep)
                        : deep == plate.Bits ? under.Codes[i * under.Channels + c]
                        : (ushort)Math.Round(under.Codes[i * under.Channels + c] * by);
                }
            }
        });
        return new(width, height, 3, deep, codes);
    }

    /// <summary>The shot as another of its cameras filmed it: that one's plate and camera for its own.</summary>
    public static ShotDocument Through(ShotDocument shot, string? camera)
    {
        if (camera is null)
        {
            return shot;
        }
        OtherCamera other = shot.OtherCameras.FirstOrDefault(c => c.Id == camera)
            ?? throw new ShotFault("That camera is no longer in the shot.");
        return shot with { Plate = other.Plate, Camera = other.Camera, Orientation = new(), SurveyPoints = [], Still = null, Solve = null };
    }

    /// <summary>A camera in a frame, the set as it stood then, and by piece what takes it there from where it is looked at (null: nothing moves).</summary>
    public sealed record SourceView(Pose Pose, Pinhole Pinhole, SetScene Set, Similarity?[]? Moved);

    public SourceView ViewOf(ShotDocument shot, string? camera, int frame, SetScene looked)
    {
        var (pose, pinhole) = Camera(Through(shot, camera), frame);
        SetScene set = Set(Hanging.At(shot, frame));
        return new(
            pose,
            pinhole,
            set,
            set.Pieces.Any(q => q.HangsOn is not null)
                ?
                [
                    .. set
                        .Pieces.Zip(looked.Pieces)
                        .Select(q =>
                            q.First.HangsOn is null
                                ? (Similarity?)null
                                : PieceMeshes.PlaceOf(q.First).After(PieceMeshes.PlaceOf(q.Second).Inverse())
                        ),
                ]
                : null
        );
    }

    /// <summary>What each projection shows of the set as it is looked at in a frame.</summary>
    private IReadOnlyList<(ProjectionSource Source, int Frame, SourceSight Sight)> Sights(ShotDocument shot, SetScene looked, int at) =>
        [
            .. shot
                .Projections.Where(p => !p.Off)
                .Select(p =>
                {
                    int frame = p.Kind == SourceKind.Running ? at : p.Frame;
                    SourceView view = ViewOf(shot, p.Camera, frame, looked);
                    HashSet<int>? pieces =
                        p.Pieces.Count == 0
                            ? null
                            : [.. Enumerable.Range(0, view.Set.Pieces.Count).Where(i => p.Pieces.Contains(view.Set.Pieces[i].Id))];
                    return (
                        p,
                        frame,
                        new SourceSight(view.Pinhole, view.Pose, view.Set, p.FadeFromDegrees, p.FadeToDegrees, pieces, view.Moved)
                        {
                            DistanceFade = p is { FadeFromMetres: { } near, FadeToMetres: { } far } ? (near, far) : null,
                        }
                    );
                }),
        ];

    /// <summary>The picture that a source lays on the set, linear, with its camera's gain; and how much of each pixel it lays on (null: all).</summary>
    public (FloatImage Picture, float[]? Kept) SourcePicture(ShotDocument whole, ProjectionSource source, int frame)
    {
        ShotDocument own = whole with { Projections = [source], OtherCameras = [.. whole.OtherCameras.Where(c => c.Id == source.Camera)] };
        // A frame that is laid on as it is hangs on its plate alone, not on the set.
        ShotDocument shot =
            source.OwnColour || source.Matte is not null
                ? Reduced.Footage(own)
                : Reduced.Plate(own) with
                {
                    OtherCameras = own.OtherCameras,
                };
        ShotDocument through = Through(shot, source.Camera);
        Vec3 gain = shot.OtherCameras.FirstOrDefault(c => c.Id == source.Camera)?.Gain ?? new(1, 1, 1);
        return _sources
            .Get(Key("source", 2, shot, source, frame), () =>
            {
                FloatImage picture;
                float[]? kept = null;
                if (source.Kind == SourceKind.Picture)
                {
                    // Grain that is laid on a set would stand still there; a painted picture is taken as it is.
                    CodeImage codes = RasterFile.Read(media.Read(source.Media!), source.Name);
                    picture = codes.ToLinear(
                        source.Encoding is { } encoding
                            ? ColorSpace.Of(encoding, source.Primaries)
                            : through.Plate?.Space ?? ColorSpace.Srgb
                    );
                    if (codes.Channels is 2 or 4)
                    {
                        float top = (1 << codes.Bits) - 1;
                        kept =
                        [
                            .. Enumerable.Range(0, codes.Width * codes.Height).Select(i => codes.Codes[(i + 1) * codes.Channels - 1] / top),
                        ];
                    }
                    if (source.OwnColour)
                    {
                        picture = OwnColour.Lit(picture, LightOn(through, frame, picture.Width));
                    }
                }
                else
                {
                    picture = QuietPlate(through, frame, through.Plate!.Width);
                }
                if (source.Matte is { } id && shot.Mattes.FirstOrDefault(m => m.Id == id) is { } matte)
                {
                    // The source's own edge stands for the matte's.
                    float[] inside = Mattes.Coverage(
                        through with
                        {
                            Mattes = [.. shot.Mattes.Select(m => m.Id == id ? m with { FeatherPixels = source.MatteFeatherPixels } : m)],
                        },
                        id,
                        frame,
                        picture.Width,
                        picture.Height
                    );
                    kept ??= [.. Enumerable.Repeat(1f, inside.Length)];
                    for (int i = 0; i < kept.Length; i++)
                    {
                        kept[i] *= source.MatteShows ? inside[i] : 1 - inside[i];
                    }
                }
                if (gain != new Vec3(1, 1, 1))
                {
                    FloatImage by = picture.Copy();
                    for (int i = 0; i < by.Data.Length; i++)
                    {
                        by.Data[i] *= (float)(
                            i % 3 == 0 ? gain.X
                            : i % 3 == 1 ? gain.Y
                            : gain.Z
                        );
                    }
                    picture = by;
                }
                return new Box<(FloatImage, float[]?)>((picture, kept));
            })
            .Value;
    }

    private readonly Cache<Box<(FloatImage, float[]?)>> _sources = new(s => Sizes.Of(s.Value.Item1) + Sizes.Of(s.Value.Item2));
    private readonly Cache<IReadOnlyList<Seam?>> _seams = new(s =>
        Sizes.Small + s.Sum(x => x is null ? 0 : Sizes.Of(x.Shown) + 12L * x.Spots.Count)
    );

    /// <summary>The projections, ready to be asked; with seams each shows its own side.</summary>
    public IReadOnlyList<Projector> Projectors(ShotDocument shot, SetScene looked, int at)
    {
        var sights = Sights(shot, looked, at);
        Projector[] plain =
        [
            .. sights.Select(s =>
                SourcePicture(shot, s.Source, s.Frame) is var (picture, kept) ? new Projector(picture, s.Sight, kept) : null!
            ),
        ];
        if (shot.ProjectionsMix != SourceMix.Seam || plain.Length < 2)
        {
            return plain;
        }
        IReadOnlyList<Seam?> seams = Seams(shot, at, sights, plain);
        return
        [
            .. plain.Select(
                (p, i) =>
                    seams[i] is not { } seam
                        ? p
                        : new Projector(p.Picture, p.Sight, Both(p.Kept, seam.Over(p.Picture.Width, p.Picture.Height)))
            ),
        ];
    }

    private static float[] Both(float[]? a, float[] b) => a is null ? b : [.. a.Zip(b, (u, v) => u * v)];

    /// <summary>Where each source gives way to those after it; null for the last and for one that shares nothing with them.</summary>
    private IReadOnlyList<Seam?> Seams(
        ShotDocument shot,
        int at,
        IReadOnlyList<(ProjectionSource Source, int Frame, SourceSight Sight)> sights,
        Projector[] plain
    ) =>
        _seams.Get(
            Key(
                "seams",
                2,
                Reduced.Footage(shot),
                shot.Projections.Any(p => p.Kind == SourceKind.Running) || shot.Pieces.Any(p => p.HangsOn is not null) ? at : 0
            ),
            () =>
                [
                    .. plain.Select(
                        (own, i) =>
                            i == plain.Length - 1
                                ? null
                                : Seam.Find(
                                    own.Sight,
                                    [.. sights.Skip(i + 1).Select(s => s.Sight)],
                                    ExposureMatch.DifferenceOf(own, [.. plain.Skip(i + 1)]),
                                    shot.SeamBlendPixels
                                )
                    ),
                ]
        );

    /// <summary>How the cameras of the projections meet: what they share, how they differ in it, and the parallax where one passes into the next.</summary>
    public IReadOnlyList<CameraMeeting> Meetings(ShotDocument shot, int at, CancellationToken stop = default)
    {
        SetScene set = Set(Hanging.At(shot, at));
        var sights = Sights(shot, set, at);
        string[] cameras = [.. sights.Select(s => s.Source.Camera ?? "").Distinct().OrderBy(c => c, StringComparer.Ordinal)];
        if (cameras.Length < 2)
        {
            return [];
        }
        var (pairs, gains) = MatchPairs(shot, at, cameras);
        var result = new List<CameraMeeting>();
        for (int a = 0; a < cameras.Length; a++)
        {
            for (int b = a + 1; b < cameras.Length; b++)
            {
                stop.ThrowIfCancellationRequested();
                SourceSight[] own = [.. sights.Where(s => (s.Source.Camera ?? "") == cameras[a]).Select(s => s.Sight)],
                    others = [.. sights.Where(s => (s.Source.Camera ?? "") == cameras[b]).Select(s => s.Sight)];
                Seam? seam = Seam.Find(own[0], others, null, 1, stop);
                ExposureMatch.Pair[] both = [.. pairs.Where(p => p.First == a && p.Second == b)];
                System.Numerics.Vector3[] one = [.. cameras.Select(_ => System.Numerics.Vector3.One)];
                result.Add(
                    new(
                        NameOf(shot, cameras[a]),
                        NameOf(shot, cameras[b]),
                        seam?.Overlap ?? 0,
                        seam?.ParallaxDegrees,
                        seam?.WorstParallaxDegrees,
                        both.Length,
                        ExposureMatch.Difference(both, one).Stops,
                        ExposureMatch.Difference(both, gains).Stops,
                        sights.First(s => (s.Source.Camera ?? "") == cameras[a]).Frame,
                        seam?.WorstX,
                        seam?.WorstY
                    )
                );
            }
        }
        return result;
    }

    private static string NameOf(ShotDocument shot, string camera) =>
        camera.Length == 0 ? "the shot's camera" : shot.OtherCameras.FirstOrDefault(c => c.Id == camera)?.Name ?? camera;

    /// <summary>Spots that two cameras share, as their pictures have them before any gain, and the gains that the document has.</summary>
    private (IReadOnlyList<ExposureMatch.Pair> Pairs, System.Numerics.Vector3[] Gains) MatchPairs(
        ShotDocument shot,
        int at,
        string[] cameras
    )
    {
        ShotDocument plain = shot with
        {
            OtherCameras = [.. shot.OtherCameras.Select(c => c with { Gain = new(1, 1, 1) })],
            ProjectionsMix = SourceMix.Order,
        };
        SetScene set = Set(Hanging.At(shot, at));
        var sights = Sights(plain, set, at);
        Projector[] sources =
        [
            .. sights.Select(s =>
                SourcePicture(plain, s.Source, s.Frame) is var (picture, kept) ? new Projector(picture, s.Sight, kept) : null!
            ),
        ];
        float[] clip = [.. sights.Select(s => ColorEncodings.ToLinear(Through(shot, s.Source.Camera).Plate!.Encoding, 1))];
        return (
            ExposureMatch.Pairs(set, sources, [.. sights.Select(s => Array.IndexOf(cameras, s.Source.Camera ?? ""))], clip),
            [.. cameras.Select(c => shot.OtherCameras.FirstOrDefault(o => o.Id == c)?.Gain.ToSingle() ?? System.Numerics.Vector3.One)]
        );
    }

    /// <summary>The other cameras with gains that make their light that of the shot's own plate, where they share enough.</summary>
    public IReadOnlyList<OtherCamera> Matched(ShotDocument shot, int at)
    {
        string[] cameras =
        [
            .. shot.Projections.Where(p => !p.Off).Select(p => p.Camera ?? "").Distinct().OrderBy(c => c, StringComparer.Ordinal),
        ];
        if (cameras.Length < 2)
        {
            throw new ShotFault("All projections are of one camera. Lay a frame of another one on first.");
        }
        var (pairs, _) = MatchPairs(shot, at, cameras);
        System.Numerics.Vector3?[] gains = ExposureMatch.Gains(pairs, cameras.Length);
        string[] alone = [.. cameras.Where((c, i) => gains[i] is null).Select(c => NameOf(shot, c))];
        if (alone.Length > 0)
        {
            throw new ShotFault(
                $"{string.Join(" and ", alone)} {(alone.Length > 1 ? "share" : "shares")} too little with {NameOf(shot, cameras[0])}: {pairs.Count} spots of the set are well seen and not clipped in two cameras. Lay on frames that overlap, or build the set where they do."
            );
        }
        return
        [
            .. shot.OtherCameras.Select(o =>
                Array.IndexOf(cameras, o.Id) is >= 0 and var i ? o with { Gain = Vec3.From(gains[i]!.Value) } : o
            ),
        ];
    }

    /// <summary>What the projections cover of a frame, and how finely.</summary>
    public CoverageMap Covered(ShotDocument shot, int frame, int width, CancellationToken stop = default)
    {
        SetScene set = Set(Hanging.At(shot, frame));
        return CoverageView.Of(
            Grid(shot, frame, width, HeightFor(shot, width)),
            set,
            [.. Sights(shot, set, frame).Select(s => s.Sight)],
            stop
        );
    }

    private readonly Cache<CoveragePlan> _plans = new(p => Sizes.Small + 16L * p.NeverSeen.Count);

    public CoveragePlan Plan(ShotDocument whole)
    {
        ShotDocument shot = Reduced.Footage(whole);
        return _plans.Get(Key("plan", 4, shot), () =>
        {
            SetScene set = Set(Hanging.At(shot, shot.Range.First));
            IReadOnlyList<SetSpot> spots = SetSpots.Over(set);
            ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
            int every = Math.Max(1, shot.Range.Count / 30);
            var candidates = new List<(int, float[])>();
            for (int f = shot.Range.First; f <= shot.Range.Last; f += every)
            {
                if (camera.TryAt(f, out Pose pose, out Pinhole pinhole))
                {
                    candidates.Add(
                        (
                            f,
                            SourcePlan.Sharpness(
                                spots,
                                new SourceSight(pinhole, pose, set),
                                camera.TryAt(f + 1, out Pose next, out _) ? next : null
                            )
                        )
                    );
                }
            }
            var seen = new bool[spots.Count];
            var nothing = new List<string>();
            foreach (var (source, _, s) in Sights(shot, set, shot.Range.First))
            {
                float[] sharp = SourcePlan.Sharpness(spots, s, null);
                bool lies = false;
                for (int i = 0; i < seen.Length; i++)
                {
                    if (sharp[i] > 0)
                    {
                        seen[i] = lies = true;
                    }
                }
                if (!lies)
                {
                    nothing.Add(source.Id);
                }
            }
            double Share(Func<int, bool> which)
            {
                double all = 0,
                    has = 0;
                for (int i = 0; i < seen.Length; i++)
                {
                    if (which(i))
                    {
                        all += spots[i].Area;
                        has += seen[i] ? spots[i].Area : 0;
                    }
                }
                return all > 0 ? has / all : 0;
            }
            bool Ever(int i) => candidates.Any(c => c.Item2[i] > 0);
            return new(
                SourcePlan.Greedy(spots, candidates),
                Share(_ => true),
                [
                    .. Enumerable
                        .Range(0, set.Pieces.Count)
                        .Where(p => spots.Any(s => s.Piece == p))
                        .Select(p => (set.Pieces[p].Id, Share(i => spots[i].Piece == p))),
                ],
                [.. Enumerable.Range(0, spots.Count).Where(i => !Ever(i)).Select(i => spots[i].Point)],
                nothing
            );
        });
    }

    /// <summary>The set wearing its projections, through the shot camera of a frame: RGBA premultiplied.</summary>
    public FloatImage Projected(ShotDocument shot, int frame, int width, int samples = 4, CancellationToken stop = default)
    {
        if (!shot.Projections.Any(p => !p.Off))
        {
            throw new ShotFault("Nothing is projected yet. Add a projection at step 4.");
        }
        SetScene set = Set(Hanging.At(shot, frame));
        return Projected(shot, Grid(shot, frame, width, HeightFor(shot, width)), frame, samples, stop);
    }

    /// <summary>The same through any camera, at a frame.</summary>
    public FloatImage Projected(
        ShotDocument shot,
        IViewRays view,
        int frame,
        int samples = 4,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        SetScene set = Set(Hanging.At(shot, frame));
        return ProjectedView.Render(
            view,
            set,
            Projectors(shot, set, frame),
            samples,
            shot.Seed,
            shot.ProjectionsMix,
            stop,
            progress,
            Baked(set)
        );
    }

    private readonly Cache<BakedSurface> _baked = new(Sizes.Of);

    /// <summary>What a piece's shape depends on; where it stands is no part of it.</summary>
    public static string ShapeOf(Piece p) =>
        Key("shape", 1, p.Kind, p.Size, p.Count, p.Corners, p.Walls, p.Ground, p.Openings, p.Holes, p.Media, p.Object, p.Subdivisions);

    /// <summary>The piece in its own space.</summary>
    public TriangleMesh Local(Piece piece) => PieceMeshes.Local(piece, PieceMesh);

    /// <summary>By piece: its own textures where it has some that belong to its shape.</summary>
    public IReadOnlyList<BakedSurface?>? Baked(SetScene set) =>
        set.Pieces.All(p => p.Baked is null)
            ? null
            :
            [
                .. set.Pieces.Select(p =>
                    p.Baked is not { } b || b.Shape != ShapeOf(p)
                        ? null
                        : _baked.Get(Key("baked", 1, b), () =>
                            new BakedSurface(
                                Local(p),
                                b.Texel,
                                [.. b.Tiles.Select(t => MaterialPicture.Read(media.Read(t), $"the texture of {p.Name}"))]
                            )
                        )
                ),
            ];

    private readonly Cache<DepthMap> _depths = new(Sizes.Of);

    /// <summary>The found depth of a frame, less sure spots left out; null where there is none.</summary>
    public DepthMap? DepthOf(ShotDocument shot, int frame)
    {
        if (shot.Depth?.Frames.FirstOrDefault(f => f.Frame == frame) is not { } own)
        {
            return null;
        }
        return _depths.Get($"{own.Media}/{shot.Depth.LeastConfidence}", () =>
        {
            DepthMap map = DepthFile.Read(media.Read(own.Media), $"the depth of {frame}");
            float[] depth = [.. map.Depth.Select((d, i) => map.Confidence[i] >= shot.Depth.LeastConfidence ? d : float.PositiveInfinity)];
            return map with { Depth = depth };
        });
    }

    /// <summary>The found depth of a frame against the set's, where both are: (found − set) ÷ set.</summary>
    public DepthDifference DepthAgainstSet(ShotDocument shot, int frame)
    {
        DepthMap map = DepthOf(shot, frame) ?? throw new ShotFault($"Frame {frame} has no depth yet. Make it at step 3.");
        SetScene set = Set(Hanging.At(shot, frame));
        RayGrid grid = Grid(shot, frame, map.Width, map.Height);
        var relative = new float[map.Depth.Length];
        var piece = new int[map.Depth.Length];
        Parallel.For(0, map.Height, Cores.All, y =>
        {
            for (int x = 0; x < map.Width; x++)
            {
                int i = y * map.Width + x;
                (relative[i], piece[i]) = (float.NaN, -1);
                if (!float.IsFinite(map.Depth[i]) || !grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                Hit hit = set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                if (!hit.IsHit)
                {
                    continue;
                }
                float own = grid.DepthOf(grid.Origin + hit.T * d);
                (relative[i], piece[i]) = (map.Depth[i] / own - 1, set.PieceOf(hit));
            }
        });
        return new(map.Width, map.Height, relative, piece, [.. set.Pieces.Select(p => p.Name)]);
    }

    private float[]? HideDistance(ShotDocument shot, int frame, RayGrid grid)
    {
        if (DepthOf(shot, frame) is not { } map)
        {
            return null;
        }
        DepthMap small = map.Width == grid.Width && map.Height == grid.Height ? map : map.Resized(grid.Width, grid.Height);
        var distance = new float[grid.Width * grid.Height];
        for (int y = 0; y < grid.Height; y++)
        {
            for (int x = 0; x < grid.Width; x++)
            {
                int i = y * grid.Width + x;
                // Along the ray: the depth is along the camera's axis.
                distance[i] =
                    float.IsFinite(small.Depth[i]) && grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                        ? small.Depth[i] / Math.Max(1e-3f, grid.DepthOf(grid.Origin + d))
                        : float.PositiveInfinity;
            }
        }
        return distance;
    }

    private readonly Cache<SetLight> _light = new(Sizes.Of);

    /// <summary>The light that was on the set when a frame was shot.</summary>
    public SetLight LightOn(ShotDocument shot, int frame, int width, CancellationToken stop = default)
    {
        if (!shot.Lights.Any(l => l is { Off: false, InPlate: true }))
        {
            throw new ShotFault("No light of the plate is known yet. Add the sun and the sky that lit it at step 5.");
        }
        shot = Reduced.Light(LitAt(Hanging.At(shot, frame), frame));
        RayGrid grid = Grid(shot, frame, width, HeightFor(shot, width));
        uint seed = Sampling.Hash(shot.Seed * 747796405u + (uint)frame);
        return _light.Get(Key("light", 3, shot, frame, width), () =>
        {
            LightRig rig = Rig(shot);
            return SetLight.Of(
                new SetPass(
                    grid,
                    Set(shot),
                    rig,
                    OpeningsOf(shot),
                    new(16, 1, 2),
                    seed,
                    keep: false,
                    reaches: Reaches(shot, rig, frame, grid.Width, grid.Height)
                ),
                stop
            );
        });
    }

    /// <summary>The surfaces' own colour of a frame, and where it is not to be trusted.</summary>
    public (FloatImage Albedo, ColourDoubt[] Doubt) OwnColourOf(ShotDocument shot, int frame, int width, CancellationToken stop = default)
    {
        if (shot.Pieces.All(p => p.Off))
        {
            throw new ShotFault("Nothing is built yet: own colour is told apart from light on the set. Build it at step 3.");
        }
        return OwnColour.Of(QuietPlate(shot, frame, width), LightOn(shot, frame, width, stop));
    }

    public PickResult Pick(ShotDocument shot, int frame, double x, double y)
    {
        shot = Hanging.At(shot, frame);
        double[]? linear = null;
        if (shot.Plate is { } plate && x >= 0 && y >= 0 && x < plate.Width && y < plate.Height)
        {
            Span<float> p = Plate(shot, frame).Pixel((int)x, (int)y);
            linear = [p[0], p[1], p[2]];
        }
        if (
            ShotCamera.Of(shot) is not { } camera
            || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            || !pinhole.TryDirection(x, y, out Vec3 inCamera)
        )
        {
            return new(x, y, linear, null, null, null, null, null);
        }
        SetScene set = Set(shot);
        IReadOnlyList<PlacedElement> elements = Elements(shot, frame);
        var elementScene = new ElementScene(elements);
        var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * inCamera).Normalized().ToSingle());
        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
        Hit own = elementScene.Intersect(ray with { TMax = hit.T });
        if (!hit.IsHit && !own.IsHit)
        {
            // Where nothing is built the found depth still answers.
            if (
                DepthOf(shot, frame) is { } map
                && x >= 0
                && y >= 0
                && x < map.Width
                && y < map.Height
                && map.Depth[(int)y * map.Width + (int)x] is var depth
                && float.IsFinite(depth)
            )
            {
                Vec3 place = pose.Position + depth * (pose.Rotation * inCamera);
                return new(x, y, linear, (place - pose.Position).Length, [place.X, place.Y, place.Z], null, null, null)
                {
                    OnSet = [place.X, place.Y, place.Z],
                };
            }
            return new(x, y, linear, null, null, null, null, null);
        }
        TraceInstance instance = own.IsHit ? elementScene.Instances[own.Instance] : set.Instances[hit.Instance];
        Vector3 p3 = ray.At(own.IsHit ? own.T : hit.T),
            n = instance.FaceNormal(own.IsHit ? own : hit);
        if (Vector3.Dot(n, ray.Direction) > 0)
        {
            n = -n;
        }
        double[]? onSet = null,
            onSetNormal = null;
        if (hit.IsHit)
        {
            Vector3 at = ray.At(hit.T),
                up = set.Instances[hit.Instance].FaceNormal(hit);
            if (Vector3.Dot(up, ray.Direction) > 0)
            {
                up = -up;
            }
            (onSet, onSetNormal) = ([at.X, at.Y, at.Z], [up.X, up.Y, up.Z]);
        }
        return new(
            x,
            y,
            linear,
            (p3 - ray.Origin).Length(),
            [p3.X, p3.Y, p3.Z],
            [n.X, n.Y, n.Z],
            hit.IsHit ? set.Pieces[set.PieceOf(hit)].Id : null,
            own.IsHit ? elements[own.Instance].Id : null
        )
        {
            OnSet = onSet,
            OnSetNormal = onSetNormal,
        };
    }

    /// <summary>An element's keys, each with its place lowered until it touches there.</summary>
    public IReadOnlyList<ElementKey> StandKeys(ShotDocument shot, string elementId)
    {
        Element own = shot.Elements.FirstOrDefault(e => e.Id == elementId) ?? throw new ShotFault("That element is no longer in the shot.");
        if (own.Keys.All(k => k.Position is null))
        {
            throw new ShotFault($"{own.Name} has no keys of its place. Key it first.");
        }
        return
        [
            .. own.Keys.Select(k => k.Position is null ? k : k with { Position = Stand(shot, elementId, lay: false, k.Frame).Position }),
        ];
    }

    /// <summary>An element lowered along gravity until it touches; or laid: turned to the slope of what lies under its middle first.</summary>
    public Element Stand(ShotDocument shot, string elementId, bool lay, int frame)
    {
        Element own = shot.Elements.FirstOrDefault(e => e.Id == elementId) ?? throw new ShotFault("That element is no longer in the shot.");
        Pose? hangs = shot.MovingObjects.FirstOrDefault(o => o.Id == own.HangsOn) is { } thing ? Hanging.PoseOf(thing, frame) : null;
        shot = Hanging.At(shot, frame);
        Element element = shot.Elements.First(e => e.Id == elementId);
        SetScene set = Set(shot);
        if (lay)
        {
            (Vec3 Point, Vec3 Normal) under = Standing.Below(set, element.Position + Vec3.UnitY * 0.35)
                ?? throw new ShotFault($"Nothing of the set lies below {element.Name}. Move it over a piece.");
            element = element with { Up = under.Normal, Position = under.Point };
        }
        double drop = Standing.DropToTouch(set, Model(shot, element, frame), element.ObjectToWorld)
            ?? throw new ShotFault($"Nothing of the set lies below {element.Name}. Move it over a piece.");
        element = element with { Position = element.Position - Vec3.UnitY * drop };
        return hangs is { } pose ? Hanging.Placed(element, Hanging.Inverse(pose)) : element;
    }
}
