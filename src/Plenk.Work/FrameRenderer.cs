using System.Numerics;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Frames in layers and merged, and the light that was on the set when they were shot.</summary>
public sealed class FrameRenderer(ShotEngine engine)
{
    private readonly Cache<SetPass> _passes = new(Sizes.Of);

    internal LightRig Rig(ShotDocument shot) => LightRig.Of(shot.Lights, l => engine.Place.Around(l.Media!));

    /// <summary>The same with the cards whose pictures light what is around them, as they are at a frame.</summary>
    /// <param name="shot">With all that hangs where it is then.</param>
    internal LightRig Rig(ShotDocument shot, int frame)
    {
        LightRig rig = Rig(shot);
        Element[] cards = [.. shot.Elements.Where(e => e.Lights && !e.Off)];
        // A light that is looked at alone is alone.
        return cards.Length == 0 || shot.Lights.Any(l => l is { Alone: true, Off: false })
            ? rig
            : rig with
            {
                Sampled =
                [
                    .. rig.Sampled,
                    .. engine
                        .Elements(shot with { Elements = cards }, frame)
                        .Select(p => (Placed: p, Card: cards.First(c => c.Id == p.Id)))
                        .Select(c => PictureLight.Of(c.Placed, c.Card.Name, c.Card.LightStops, !c.Card.LiesFlat))
                        .OfType<PictureLight>(),
                ],
            };
    }

    /// <summary>
    /// The lights at a moment that the shutter is open for; where none of them moves or changes, or one is out then, those of the frame.
    /// </summary>
    /// <param name="given">The shot as it is kept.</param>
    /// <param name="then">As it stands at the moment.</param>
    private LightRig RigWhile(ShotDocument given, LightRig frames, ShotDocument then, int frame)
    {
        bool moves =
            given.Lights.Any(l => !l.Off && Hanging.Moves(given, l))
            || given.Elements.Any(e => e.Lights && !e.Off && Hanging.Moves(given, e));
        if (!moves)
        {
            return frames;
        }
        LightRig own = Rig(then, frame);
        return own.Sampled.Select(l => l.Id).SequenceEqual(frames.Sampled.Select(l => l.Id)) ? own : frames;
    }

    /// <summary>
    /// The whole frame. With <paramref name="keepWithout"/> the set's own samples are remembered, so that only elements are
    /// traced anew while one is dragged.
    /// </summary>
    /// <param name="overscan">
    /// All layers go on by so many pixels of that width on every side; the plate does not, and its border's pixels stand for it. Not with
    /// <paramref name="keepWithout"/>.
    /// </param>
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
        ShotDocument given = ShotCurves.At(shot, frame);
        shot = Hanging.At(shot, frame);
        FloatImage plate = engine.Plates.Plate(shot, frame, width);
        var (w, h) = (plate.Width, plate.Height);
        var (pose, pinhole) = engine.Camera(shot, frame);
        Background? background = engine.Background.Of(given, frame, width, quality.CameraSamples, overscan, stop);
        shot = Holdouts.At(shot, pose, pinhole);
        SkyOpenings? openings = engine.Place.OpeningsOf(shot);
        shot = engine.Figures.At(shot, frame);
        SetScene set = engine.Place.Set(shot);
        LightRig rig = Rig(shot, frame);
        RayGrid within = engine.Grid(shot, frame, w, h),
            grid = overscan == 0 ? within : new(within.Pinhole.Wider(overscan), pose);
        uint seed = Sampling.Hash(shot.Seed * 747796405u + (uint)frame);
        float[] Wider(float[] values) => FloatImage.Around(values, w, h, 1, overscan);
        float[]? hides = shot.Depth is { Hides: true } && engine.Depth.HideDistance(shot, frame, within) is { } near ? Wider(near) : null;
        IReadOnlyList<float[]?>? reaches = Reaches(shot, rig, frame, w, h) is { } own
            ? [.. own.Select(r => r is null ? null : Wider(r))]
            : null;
        Func<Vector3, Vector3, int, int, float>? covers = engine.Background.Covers(given, set, frame, grid, overscan);
        SetPass Make() =>
            new(grid, set, rig, openings, quality, seed, keepWithout, hides, reaches, covers: covers, closed: background?.Closed)
            {
                Margin = overscan,
            };
        string known = ResultKey.Of(
            "without",
            6,
            Reduced.Light(shot),
            covers is null ? null : (Reduced.Background(given), frame),
            hides is null ? null : shot.Depth,
            seed,
            pose,
            grid.Pinhole,
            quality
        );
        SetPass pass =
            keepWithout ? _passes.Get(known, Make)
            : _passes.TryGet(known, out SetPass kept) && overscan == 0 ? kept
            : Make();
        IReadOnlyList<PlacedElement> casting = engine.Relit.Casting(shot, frame, grid, overscan);
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
            Background = background,
            Mattes = [.. engine.Background.Before(shot, frame, plate).Select(m => m.Around(w, h, overscan))],
            Rendered = RenderedLayers(shot, frame, grid, overscan),
        };
        return DifferentialRenderer.Render(
            new(pass, [.. engine.Elements(shot, frame), .. casting, .. NewPieces(set)], pose),
            keepWithout
                ? null
                : WhileOpen(
                    given,
                    shot,
                    frame,
                    grid,
                    overscan,
                    at =>
                        new(
                            at.Grid,
                            at.Set,
                            RigWhile(given, rig, at.Then, frame),
                            openings,
                            quality with
                            {
                                CameraSamples = at.Samples,
                            },
                            seed,
                            false,
                            hides,
                            reaches,
                            at.First,
                            centred: false,
                            covers,
                            background?.Closed
                        )
                        {
                            Margin = overscan,
                        },
                    casting,
                    quality
                ),
            background?.Rgb ?? plate.Around(overscan),
            openings,
            options,
            stop,
            progress is null ? null : rows => progress((double)rows / grid.Height)
        );
    }

    /// <summary>A pixel's samples are shared out over at most so many moments.</summary>
    private const int MostMoments = 16;

    /// <summary>With fewer samples a pixel has, as in drafts, what moves stands as it does at the frame itself: moments would be seen one by one.</summary>
    private const int LeastMoments = 4;

    /// <summary>
    /// A moment while the shutter is open: the shot with all that hangs where it is then, and how many of a pixel's samples it has from
    /// which on.
    /// </summary>
    internal sealed record OpenMoment(double Moment, ShotDocument Then, RayGrid Grid, SetScene Set, Pose Pose, int Samples, uint First);

    /// <summary>Moments spread over the time that the shutter is open, centred on the frame.</summary>
    /// <param name="at">The shot as it stands at the frame itself.</param>
    internal IReadOnlyList<OpenMoment> Open(ShotDocument given, ShotDocument at, int frame, RayGrid grid, int overscan, int samples)
    {
        int n = Math.Min(MostMoments, samples);
        ShotCamera camera = ShotCamera.Of(given)!;
        HashSet<string> moving = [.. given.Pieces.Where(p => Hanging.Moves(given, p)).Select(p => p.Id)];
        return
        [
            .. Enumerable
                .Range(0, n)
                .Select(i =>
                {
                    double moment = frame + ((i + 0.5) / n - 0.5) * given.ShutterDegrees / 360;
                    if (!camera.TryNear(frame, moment, out Pose pose, out Pinhole pinhole))
                    {
                        (pose, pinhole) = engine.Camera(given, frame);
                    }
                    pinhole = pinhole.Resized(grid.Width - 2 * overscan, grid.Height - 2 * overscan).Wider(overscan);
                    RayGrid own = pinhole == grid.Pinhole ? grid.From(pose) : new(pinhole, pose);
                    ShotDocument then = Hanging.At(given, moment);
                    SetScene set = engine.Place.Set(at);
                    if (moving.Count > 0)
                    {
                        var places = then.Pieces.ToDictionary(p => p.Id);
                        set = new(
                            at.Pieces.Select(p =>
                                    moving.Contains(p.Id) && places.TryGetValue(p.Id, out Piece? q)
                                        ? p with
                                        {
                                            Position = q.Position,
                                            RotationYxzDegrees = q.RotationYxzDegrees,
                                            Size = q.Size,
                                            Scale = q.Scale,
                                        }
                                        : p
                                )
                                .ToArray(),
                            engine.Place.PieceMesh
                        );
                    }
                    return new OpenMoment(moment, then, own, set, pose, samples / n, (uint)(i * (samples / n)));
                }),
        ];
    }

    /// <summary>Camera, set and elements at those moments; null: the shutter is not counted.</summary>
    private IReadOnlyList<RenderMoment>? WhileOpen(
        ShotDocument given,
        ShotDocument at,
        int frame,
        RayGrid grid,
        int overscan,
        Func<OpenMoment, SetPass> pass,
        IReadOnlyList<PlacedElement> casting,
        RenderQuality quality
    ) =>
        given.ShutterDegrees <= 0 || quality.CameraSamples < LeastMoments
            ? null
            :
            [
                .. Open(given, at, frame, grid, overscan, quality.CameraSamples)
                    .Select(m => new RenderMoment(
                        pass(m),
                        [.. engine.Elements(m.Then, frame, m.Moment), .. casting, .. NewPieces(m.Set)],
                        m.Pose
                    )),
            ];

    /// <summary>Pieces that were not there when the plate was shot, as what keeps light from what was.</summary>
    private static IEnumerable<PlacedElement> NewPieces(SetScene set) =>
        set.New.Select(n => new PlacedElement(n.Piece.Id, new(n.World, []), Similarity.Identity, RayKinds.CastsNew));

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
                shot.Lights.FirstOrDefault(l => l.Id == s.Id)?.ShadeMatte is { } matte
                    ? (float[])[.. engine.Mattes.Coverage(shot, matte, frame, width, height).Select(v => 1 - v)]
                    : null
            ),
        ];
    }

    /// <summary>Elements that were rendered elsewhere: their picture of the frame, and how far away each pixel of it is.</summary>
    private IReadOnlyList<RenderedLayer> RenderedLayers(ShotDocument shot, int frame, RayGrid grid, int margin) =>
        [
            .. shot
                .Elements.Where(e => e is { Off: false, Kind: ElementKind.Rendered })
                .Select(e => engine.LayerOf(shot, e, frame, grid, margin))
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
            Piece a = now.Pieces[i],
                b = then.Pieces[i];
            return a.Position == b.Position && a.RotationYxzDegrees == b.RotationYxzDegrees && a.Scale == b.Scale
                ? null
                : PieceMeshes.PlaceOf(b).After(PieceMeshes.PlaceOf(a).Inverse());
        }
        // A card without a picture there is seen in one of the two frames only: it counts as still.
        var places = engine.Elements(then, other).ToDictionary(e => e.Id);
        return new(
            pose,
            pinhole.Resized(width, PlateMedia.HeightFor(shot, width)),
            [
                .. engine
                    .Elements(now, frame)
                    .SelectMany(e => (places.GetValueOrDefault(e.Id) is { } p && p.Copies?.Count == e.Copies?.Count ? p : e).Each()),
            ],
            !set.Pieces.Any(p => Hanging.Moves(shot, p)) ? null : [.. set.Pieces.Select(Taken)],
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
        Lazy<IReadOnlyList<Projector>> projectors = new(() => engine.Projection.Projectors(shot, set, frame));
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
                            MirrorShare = p.Mirror?.Matte is { } matte ? engine.Mattes.Coverage(shot, matte, frame, width, height) : null,
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
    /// <param name="bits">
    /// Of its codes; null: as many as the plate's. Untouched pixels are the plate's codes, brought to that depth.
    /// </param>
    public CodeImage Comp(ShotDocument shot, int frame, FrameLayers layers, int? bits = null)
    {
        int width = layers.Comp.Width,
            height = layers.Comp.Height;
        CodeImage plate = engine.Plates.PlateCodes(shot, frame),
            under = plate;
        ColorSpace space = shot.Plate!.Space;
        if (plate.Width != width || plate.Height != height)
        {
            under = engine.Plates.PlateCodes(shot, frame, width);
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

    private readonly Cache<SetLight> _light = new(Sizes.Of);

    /// <summary>The light that was on the set when a frame was shot.</summary>
    public SetLight LightOn(ShotDocument shot, int frame, int width, CancellationToken stop = default)
    {
        if (!shot.Lights.Any(l => l is { Off: false, InPlate: true }))
        {
            throw new ShotFault("No light of the plate is known yet. Add the sun and the sky that lit it at step 5.");
        }
        // Cards that light are no light of the plate.
        shot = Reduced.Light(Hanging.At(shot with { Elements = [.. shot.Elements.Where(e => !e.Lights)] }, frame));
        RayGrid grid = engine.Grid(shot, frame, width, PlateMedia.HeightFor(shot, width));
        uint seed = Sampling.Hash(shot.Seed * 747796405u + (uint)frame);
        return _light.Get(ResultKey.Of("light", 3, shot, frame, width), () =>
        {
            LightRig rig = Rig(shot);
            return SetLight.Of(
                new SetPass(
                    grid,
                    engine.Place.Set(shot),
                    rig,
                    engine.Place.OpeningsOf(shot),
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
        return OwnColour.Of(engine.Plates.QuietPlate(shot, frame, width), LightOn(Reduced.Filmed(shot), frame, width, stop));
    }
}
