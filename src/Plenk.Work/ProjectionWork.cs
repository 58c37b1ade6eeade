using System.Numerics;
using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// Footage on the set: sources with their own cameras, seams between them, what they cover, what the set looks like in them.
/// </summary>
public sealed class ProjectionWork(ShotEngine engine, IMedia media)
{
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

    /// <summary>
    /// A camera in a frame, the set as it stood then, and by piece what takes it there from where it is looked at (null: nothing moves).
    /// </summary>
    public sealed record SourceView(Pose Pose, Pinhole Pinhole, SetScene Set, Similarity?[]? Moved);

    public SourceView ViewOf(ShotDocument shot, string? camera, int frame, SetScene looked)
    {
        var (pose, pinhole) = engine.Camera(Through(shot, camera), frame);
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        return new(
            pose,
            pinhole,
            set,
            set.Pieces.Any(q => Hanging.Moves(shot, q))
                ?
                [
                    .. set
                        .Pieces.Zip(looked.Pieces)
                        .Select(q =>
                            !Hanging.Moves(shot, q.First)
                                ? (Similarity?)null
                                : PieceMeshes.PlaceOf(q.First).After(PieceMeshes.PlaceOf(q.Second).Inverse())
                        ),
                ]
                : null
        );
    }

    /// <summary>What each projection shows of the set as it is looked at in a frame.</summary>
    internal IReadOnlyList<(ProjectionSource Source, int Frame, SourceSight Sight)> Sights(ShotDocument shot, SetScene looked, int at) =>
        [
            .. shot
                .Projections.Where(p => !p.Off)
                .Select(p =>
                {
                    int frame = p.Kind == SourceKind.Running ? at : p.Frame;
                    SourceView view = ViewOf(shot, p.Camera, frame, looked);
                    HashSet<int>? pieces =
                        p.Pieces.Count == 0 && !view.Set.Pieces.Any(q => q.Duties.New)
                            ? null
                            : [.. Enumerable.Range(0, view.Set.Pieces.Count).Where(i => p.LiesOn(view.Set.Pieces[i]))];
                    return (
                        p,
                        frame,
                        new SourceSight(
                            view.Pinhole.Wider(p.BeyondPixels),
                            view.Pose,
                            view.Set,
                            p.FadeFromDegrees,
                            p.FadeToDegrees,
                            pieces,
                            view.Moved
                        )
                        {
                            Occluders = p is { ThroughOthers: true, Pieces.Count: > 0 } ? engine.Place.Only(view.Set, p.Pieces) : null,
                            DistanceFade = p is { FadeFromMetres: { } near, FadeToMetres: { } far } ? (near, far) : null,
                        }
                    );
                }),
        ];

    /// <summary>
    /// The picture that a source lays on the set, linear, with its camera's gain; and how much of each pixel it lays on (null: all).
    /// </summary>
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
                    CleanPlate = source.Cleaned ? own.CleanPlate : new(),
                };
        ShotDocument through = Through(shot, source.Camera);
        Vector3 gain = shot.OtherCameras.FirstOrDefault(c => c.Id == source.Camera)?.Gain.ToSingle() ?? Vector3.One;
        return _sources
            .Get(ResultKey.Of("source", 2, shot, source, frame), () =>
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
                        picture = OwnColour.Lit(picture, engine.Renderer.LightOn(through, frame, picture.Width));
                    }
                }
                else
                {
                    picture = source is { Cleaned: true, Camera: null }
                        ? engine.Clean.Clean(through, frame).Linear
                        : engine.Plates.QuietPlate(through, frame, through.Plate!.Width);
                }
                if (source.Matte is { } id && shot.Mattes.FirstOrDefault(m => m.Id == id) is { } matte)
                {
                    // The source's own edge stands for the matte's.
                    var (w, h) = (picture.Width - 2 * source.BeyondPixels, picture.Height - 2 * source.BeyondPixels);
                    float[] inside = FloatImage.Around(
                        engine.Mattes.Coverage(
                            through with
                            {
                                Mattes =
                                [
                                    .. shot.Mattes.Select(m => m.Id == id ? m with { FeatherPixels = source.MatteFeatherPixels } : m),
                                ],
                            },
                            id,
                            frame,
                            w,
                            h
                        ),
                        w,
                        h,
                        1,
                        source.BeyondPixels
                    );
                    kept ??= [.. Enumerable.Repeat(1f, inside.Length)];
                    for (int i = 0; i < kept.Length; i++)
                    {
                        kept[i] *= source.MatteShows ? inside[i] : 1 - inside[i];
                    }
                }
                picture = picture.Times(gain);
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
    internal IReadOnlyList<Seam?> Seams(
        ShotDocument shot,
        int at,
        IReadOnlyList<(ProjectionSource Source, int Frame, SourceSight Sight)> sights,
        Projector[] plain
    ) =>
        _seams.Get(
            ResultKey.Of(
                "seams",
                2,
                Reduced.Footage(shot),
                shot.Projections.Any(p => p.Kind == SourceKind.Running) || shot.Pieces.Any(p => Hanging.Moves(shot, p)) ? at : 0
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

    /// <summary>
    /// How the cameras of the projections meet: what they share, how they differ in it, and the parallax where one passes into the next.
    /// </summary>
    public IReadOnlyList<CameraMeeting> Meetings(ShotDocument shot, int at, CancellationToken stop = default)
    {
        SetScene set = engine.Place.Set(Hanging.At(shot, at));
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
    internal (IReadOnlyList<ExposureMatch.Pair> Pairs, System.Numerics.Vector3[] Gains) MatchPairs(
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
        SetScene set = engine.Place.Set(Hanging.At(shot, at));
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
                $"{string.Join(" and ", alone)} {(alone.Length > 1 ? "share" : "shares")} too little with {NameOf(shot, cameras[0])}: "
                    + $"{pairs.Count} spots of the set are well seen and not clipped in two cameras. Lay on frames that overlap, or build the "
                    + "set where they do."
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
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        return CoverageView.Of(
            engine.Grid(shot, frame, width, PlateMedia.HeightFor(shot, width)),
            set,
            [.. Sights(shot, set, frame).Select(s => s.Sight)],
            stop
        );
    }

    private readonly Cache<CoveragePlan> _plans = new(p => Sizes.Small + 16L * p.NeverSeen.Count);

    public CoveragePlan Plan(ShotDocument whole)
    {
        ShotDocument shot = Reduced.Footage(whole);
        return _plans.Get(ResultKey.Of("plan", 5, shot), () =>
        {
            SetScene set = engine.Place.Set(Hanging.At(shot, shot.Range.First));
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
            // What was not there when this was shot no frame can show.
            bool[] filmed = [.. spots.Select(s => !set.Pieces[s.Piece].Duties.New)];
            bool any = filmed.Any(f => f);
            bool Counts(int i) => filmed[i] || !any;
            return new(
                SourcePlan.Greedy(
                    [.. spots.Where((_, i) => Counts(i))],
                    [.. candidates.Select(c => (c.Item1, c.Item2.Where((_, i) => Counts(i)).ToArray()))]
                ),
                Share(Counts),
                [
                    .. Enumerable
                        .Range(0, set.Pieces.Count)
                        .Where(p => spots.Any(s => s.Piece == p))
                        .Select(p => (set.Pieces[p].Id, Share(i => spots[i].Piece == p))),
                ],
                [.. Enumerable.Range(0, spots.Count).Where(i => Counts(i) && !Ever(i)).Select(i => spots[i].Point)],
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
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        return Projected(shot, engine.Grid(shot, frame, width, PlateMedia.HeightFor(shot, width)), frame, samples, stop);
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
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        return ProjectedView.Render(
            view,
            set,
            Projectors(shot, set, frame),
            samples,
            shot.Seed,
            shot.ProjectionsMix,
            stop,
            progress,
            engine.Place.Baked(set)
        );
    }
}
