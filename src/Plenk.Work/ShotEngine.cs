using System.Numerics;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Looks;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A step cannot be computed for this shot as it stands; the message says why and what would mend it.</summary>
public sealed class ShotFault(string message) : Exception(message);

/// <summary>What lies under a pixel of the plate.</summary>
public sealed record PickResult(double X, double Y, double[]? Linear, double? Distance, double[]? Point, double[]? Normal, string? PieceId, string? ElementId);

/// <summary>
/// Fetches media, calls the core, remembers what is asked for again. The pages, the command line and the jobs all make
/// their pictures and readings here, so the same frame has the same pixels whoever asks.
/// </summary>
public sealed class ShotEngine(IMedia media)
{
    private readonly Cache<ImportedMesh> _meshes = new(64);
    private readonly Cache<ElementModel> _models = new(32);
    private readonly Cache<CodeImage> _codes = new(40);
    private readonly Cache<FloatImage> _linear = new(24);
    private readonly Cache<SetScene> _sets = new(8);
    private readonly Cache<Box<SkyOpenings?>> _openings = new(8);
    private readonly Cache<SetPass> _passes = new(4);
    private readonly Cache<Lut> _luts = new(4);
    private readonly Cache<RayGrid> _grids = new(12);
    private TrackWork? _tracks;

    public TrackWork TrackWork => _tracks ??= new(this, media);

    public sealed record Box<T>(T Value);

    /// <summary>Parts of documents are immutable: each is hashed once, however often it is part of a key.</summary>
    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<object, string> Hashes = [];

    private static string HashOf(object? part)
    {
        string Make(object? p) => MediaStore.HashOf(JsonSerializer.SerializeToUtf8Bytes(p, ShotJson.Options));
        return part is null || part.GetType().IsValueType || part is string ? JsonSerializer.Serialize(part, ShotJson.Options) : Hashes.GetValue(part, Make);
    }

    /// <summary>Hash of what a computation reads: its name, its version, and the parts of the document.</summary>
    public static string Key(string computation, int version, params object?[] parts)
    {
        var text = new StringBuilder(computation).Append('/').Append(version);
        foreach (object? part in parts) { text.Append('\n').Append(HashOf(part)); }
        return MediaStore.HashOf(Encoding.UTF8.GetBytes(text.ToString()));
    }

    public ImportedMesh Mesh(string hash, string name) => _meshes.Get(hash, () => ImportedMesh.Read(media.Read(hash), name));

    private TriangleMesh PieceMesh(string hash, string? objectName)
    {
        // The bytes tell a glTF; all else is OBJ.
        ImportedMesh mesh = Mesh(hash, "mesh.obj");
        return objectName is null ? mesh.Merged()
            : mesh.Objects.FirstOrDefault(o => o.Name == objectName)?.Mesh ?? throw new ShotFault($"The mesh file has no object called “{objectName}”.");
    }

    public ElementModel Model(string hash) => _models.Get(hash, () =>
    {
        ImportedMesh mesh = Mesh(hash, "element.obj");
        return new ElementModel(new MeshTree(mesh.Merged()), mesh.Materials);
    });

    public IReadOnlyList<PlacedElement> Elements(ShotDocument shot) =>
        [.. shot.Elements.Where(e => !e.Off).Select(e => new PlacedElement(e.Id, Model(e.Media), e.ObjectToWorld))];

    public SetScene Set(ShotDocument shot) => _sets.Get(Key("set", 1, shot.Pieces), () => new SetScene(shot.Pieces, PieceMesh));

    private SkyOpenings? Openings(ShotDocument shot) =>
        shot.Lights.Any(l => l is { Kind: LightKind.Sky, Off: false })
            ? _openings.Get(Key("openings", 1, shot.Pieces, shot.Seed), () => new(SkyOpenings.Find(Set(shot), shot.Seed))).Value : null;

    public (Pose Pose, Pinhole Pinhole) Camera(ShotDocument shot, int frame)
    {
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
        return camera.TryAt(frame, out Pose pose, out Pinhole pinhole) ? (pose, pinhole)
            : throw new ShotFault($"The camera has no sample for frame {frame}. Check its first frame and rate at step 2, or shorten the range.");
    }

    private RayGrid Grid(ShotDocument shot, int frame, int width, int height)
    {
        var (pose, pinhole) = Camera(shot, frame);
        return _grids.Get(Key("rays", 1, pose, pinhole, width, height), () => new RayGrid(pinhole.Resized(width, height), pose));
    }

    private static string FrameMedia(ShotDocument shot, int frame)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        int source = (int)Math.Round(plate.Mapping.ToSource(frame, plate.Rate, shot.Rate));
        return plate.MediaAt(source) ?? throw new ShotFault($"The plate has no frame {frame}.");
    }

    /// <summary>Code values of the grain-free copy where it has the frame, else the plate's own.</summary>
    public CodeImage GrainFreeCodes(ShotDocument shot, int frame)
    {
        if (shot.Plate?.GrainFree is not { } copy) { return PlateCodes(shot, frame); }
        int source = (int)Math.Round(shot.Plate.Mapping.ToSource(frame, shot.Plate.Rate, shot.Rate));
        return copy.Frames.FirstOrDefault(f => f.Frame == source) is { } f ? _codes.Get(f.Media, () => RasterFile.Read(media.Read(f.Media), $"frame {frame}, without grain")) : PlateCodes(shot, frame);
    }

    /// <summary>The plate's own code values.</summary>
    public CodeImage PlateCodes(ShotDocument shot, int frame)
    {
        string hash = FrameMedia(shot, frame);
        return _codes.Get(hash, () => RasterFile.Read(media.Read(hash), $"frame {frame}"));
    }

    /// <summary>What the shot's pictures are seen through.</summary>
    public PlateView View(ShotDocument shot, SeenThrough through) => new(through, shot.Plate?.Encoding ?? ColorEncoding.Srgb, shot.Look.Cdl?.ToCdl(),
        through == SeenThrough.Look && shot.Look.LutMedia is { } lut ? _luts.Get(lut, () => CubeFile.Read(media.Read(lut), shot.Look.LutName)) : null, shot.Look.Curve);

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
        if (shot.Plate?.GrainFree is null) { return Plate(shot, frame, width); }
        FloatImage linear = GrainFreeCodes(shot, frame).ToLinear(shot.Plate.Encoding);
        return width >= linear.Width ? linear : linear.ReducedTo(width, HeightFor(shot, width));
    }

    /// <summary>Scene-linear plate, at its own width or reduced by area.</summary>
    public FloatImage Plate(ShotDocument shot, int frame, int? width = null)
    {
        string hash = FrameMedia(shot, frame);
        ColorEncoding encoding = shot.Plate!.Encoding;
        int full = shot.Plate.Width;
        if (width is not { } w || w >= full) { return _linear.Get($"{hash}/{encoding}", () => PlateCodes(shot, frame).ToLinear(encoding)); }
        return _linear.Get($"{hash}/{encoding}/{w}", () => Plate(shot, frame).ReducedTo(w, HeightFor(shot, w)));
    }

    private static int HeightFor(ShotDocument shot, int width) => Math.Max(1, (int)Math.Round((double)shot.Plate!.Height * width / shot.Plate.Width));

    /// <summary>
    /// The whole frame. With <paramref name="keepWithout"/> the set's own samples are remembered, so that only elements are
    /// traced anew while one is dragged.
    /// </summary>
    public FrameLayers Render(ShotDocument shot, int frame, int width, RenderQuality quality, bool keepWithout = false, bool dataPasses = true,
        CancellationToken stop = default, Action<double>? progress = null)
    {
        shot = Hanging.At(shot, frame);
        FloatImage plate = Plate(shot, frame, width);
        var (pose, pinhole) = Camera(shot, frame);
        shot = Holdouts.At(shot, pose, pinhole);
        SetScene set = Set(shot);
        SkyOpenings? openings = Openings(shot);
        LightRig rig = LightRig.Of(shot.Lights);
        RayGrid grid = Grid(shot, frame, plate.Width, plate.Height);
        uint seed = Sampling.Hash(shot.Seed * 747796405u + (uint)frame);
        SetPass Make() => new(grid, set, rig, openings, quality, seed, keepWithout);
        SetPass pass = keepWithout ? _passes.Get(Key("without", 1, shot.Pieces, shot.Lights, seed, pose, grid.Pinhole, quality), Make) : Make();
        return DifferentialRenderer.Render(pass, Elements(shot), plate, openings, pose, dataPasses, stop, progress is null ? null : rows => progress((double)rows / plate.Height));
    }

    /// <summary>The comp in the plate's encoding and depth: the plate's own codes where nothing touches it.</summary>
    public CodeImage Comp(ShotDocument shot, int frame, FrameLayers layers)
    {
        int width = layers.Comp.Width, height = layers.Comp.Height;
        CodeImage plate = PlateCodes(shot, frame), under = plate;
        ColorEncoding encoding = shot.Plate!.Encoding;
        if (plate.Width != width || plate.Height != height)
        {
            under = _codes.Get($"{FrameMedia(shot, frame)}/{encoding}/{width}", () => CodeImage.FromLinear(Plate(shot, frame, width), encoding, plate.Bits));
        }
        var codes = new ushort[width * height * 3];
        Parallel.For(0, height, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                for (int c = 0; c < 3; c++)
                {
                    codes[3 * i + c] = layers.Touched[i] ? (ushort)ColorEncodings.ToCode(encoding, layers.Comp.Data[3 * i + c], plate.Bits)
                        : under.Codes[i * under.Channels + c];
                }
            }
        });
        return new(width, height, 3, plate.Bits, codes);
    }

    /// <summary>What each projection shows of the set as it is looked at.</summary>
    private IReadOnlyList<(int Frame, SourceSight Sight)> Sights(ShotDocument shot, SetScene looked) =>
    [
        .. shot.Projections.Where(p => !p.Off).Select(p =>
        {
            var (pose, pinhole) = Camera(shot, p.Frame);
            SetScene set = Set(Hanging.At(shot, p.Frame));
            Similarity?[]? moved = set.Pieces.Any(q => q.HangsOn is not null)
                ? [.. set.Pieces.Zip(looked.Pieces).Select(q => q.First.HangsOn is null ? (Similarity?)null : PieceMeshes.PlaceOf(q.First).After(PieceMeshes.PlaceOf(q.Second).Inverse()))] : null;
            HashSet<int>? pieces = p.Pieces.Count == 0 ? null
                : [.. Enumerable.Range(0, set.Pieces.Count).Where(i => p.Pieces.Contains(set.Pieces[i].Id))];
            return (p.Frame, new SourceSight(pinhole, pose, set, p.FadeFromDegrees, p.FadeToDegrees, pieces, moved));
        }),
    ];

    // Grain that is laid on a set would stand still there.
    private IReadOnlyList<Projector> Projectors(ShotDocument shot, SetScene looked) =>
        [.. Sights(shot, looked).Select(s => new Projector(QuietPlate(shot, s.Frame, shot.Plate!.Width), s.Sight))];

    /// <summary>What the projections cover of a frame, and how finely.</summary>
    public CoverageMap Covered(ShotDocument shot, int frame, int width, CancellationToken stop = default)
    {
        SetScene set = Set(Hanging.At(shot, frame));
        return CoverageView.Of(Grid(shot, frame, width, HeightFor(shot, width)), set, [.. Sights(shot, set).Select(s => s.Sight)], stop);
    }

    private readonly Cache<Box<(IReadOnlyList<PlannedSource> Plan, double Now, IReadOnlyList<(string Piece, double Covered)> Pieces)>> _plans = new(4);

    /// <summary>Which frames see the set best, one after another; the share that the projections cover now; and of each piece.</summary>
    public (IReadOnlyList<PlannedSource> Plan, double Now, IReadOnlyList<(string Piece, double Covered)> Pieces) Plan(ShotDocument shot) =>
        _plans.Get(Key("plan", 1, shot.Pieces, shot.Projections, shot.Camera, shot.Orientation, shot.SurveyPoints, shot.Range, shot.MovingObjects), () =>
        {
            SetScene set = Set(Hanging.At(shot, shot.Range.First));
            IReadOnlyList<SetSpot> spots = SourcePlan.Spots(set);
            ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
            int every = Math.Max(1, shot.Range.Count / 30);
            var candidates = new List<(int, float[])>();
            for (int f = shot.Range.First; f <= shot.Range.Last; f += every)
            {
                if (camera.TryAt(f, out Pose pose, out Pinhole pinhole)) { candidates.Add((f, SourcePlan.Sharpness(spots, new SourceSight(pinhole, pose, set), camera.TryAt(f + 1, out Pose next, out _) ? next : null))); }
            }
            var seen = new bool[spots.Count];
            foreach (var (_, s) in Sights(shot, set)) { float[] sharp = SourcePlan.Sharpness(spots, s, null); for (int i = 0; i < seen.Length; i++) { seen[i] |= sharp[i] > 0; } }
            double Share(Func<int, bool> which) { double all = 0, has = 0; for (int i = 0; i < seen.Length; i++) { if (which(i)) { all += spots[i].Area; has += seen[i] ? spots[i].Area : 0; } } return all > 0 ? has / all : 0; }
            return new((SourcePlan.Greedy(spots, candidates), Share(_ => true), [.. Enumerable.Range(0, set.Pieces.Count).Where(p => spots.Any(s => s.Piece == p)).Select(p => (set.Pieces[p].Id, Share(i => spots[i].Piece == p)))]));
        }).Value;

    /// <summary>The set wearing its projections, through the shot camera of a frame: RGBA premultiplied.</summary>
    public FloatImage Projected(ShotDocument shot, int frame, int width, int samples = 4, CancellationToken stop = default)
    {
        if (!shot.Projections.Any(p => !p.Off)) { throw new ShotFault("Nothing is projected yet. Add a projection at step 4."); }
        SetScene set = Set(Hanging.At(shot, frame));
        return ProjectedView.Render(Grid(shot, frame, width, HeightFor(shot, width)), set, Projectors(shot, set), samples, shot.Seed, shot.ProjectionsByQuality ? SourceMix.Quality : SourceMix.Order, stop);
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
        if (ShotCamera.Of(shot) is not { } camera || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            || !pinhole.TryDirection(x, y, out Vec3 inCamera))
        {
            return new(x, y, linear, null, null, null, null, null);
        }
        SetScene set = Set(shot);
        IReadOnlyList<PlacedElement> elements = Elements(shot);
        var elementScene = new TraceScene([.. elements.Select(e => new TraceInstance(e.Model.Tree, e.ObjectToWorld, RayKinds.Element))]);
        var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * inCamera).Normalized().ToSingle());
        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
        Hit own = elementScene.Intersect(ray with { TMax = hit.T }, RayKinds.Element);
        if (!hit.IsHit && !own.IsHit) { return new(x, y, linear, null, null, null, null, null); }
        TraceInstance instance = own.IsHit ? elementScene.Instances[own.Instance] : set.Instances[hit.Instance];
        Vector3 p3 = ray.At(own.IsHit ? own.T : hit.T), n = instance.FaceNormal(own.IsHit ? own : hit);
        if (Vector3.Dot(n, ray.Direction) > 0) { n = -n; }
        // Under an element the set's own place still answers: that is what things stand on.
        Vector3 onSet = hit.IsHit ? ray.At(hit.T) : p3;
        Vector3 setNormal = hit.IsHit ? set.Instances[hit.Instance].FaceNormal(hit) : n;
        if (Vector3.Dot(setNormal, ray.Direction) > 0) { setNormal = -setNormal; }
        return new(x, y, linear, (p3 - ray.Origin).Length(), [onSet.X, onSet.Y, onSet.Z], [setNormal.X, setNormal.Y, setNormal.Z],
            hit.IsHit ? set.Pieces[set.PieceOf(hit)].Id : null, own.IsHit ? elements[own.Instance].Id : null);
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
        double drop = Standing.DropToTouch(set, Model(element.Media), element.ObjectToWorld)
            ?? throw new ShotFault($"Nothing of the set lies below {element.Name}. Move it over a piece.");
        element = element with { Position = element.Position - Vec3.UnitY * drop };
        return hangs is { } pose ? Hanging.Placed(element, Hanging.Inverse(pose)) : element;
    }
}
