using System.IO.Enumeration;
using System.Numerics;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Frames with their steps of finishing, and what is measured to set them.</summary>
public sealed class FinishWork(ShotEngine engine, IMedia media)
{
    /// <summary>Rendered frames that are looked at are kept: a step that is changed needs no ray anew.</summary>
    private readonly Cache<FrameLayers> _frames = new(Sizes.Of);
    private readonly Cache<Box<Grain?>> _grains = new(_ => 16 * Sizes.Small);
    private readonly Cache<Box<PlateMeasures>> _measures = new(_ => 16 * Sizes.Small);

    /// <summary>The frame as it leaves, its steps laid on. With <paramref name="keep"/> the frame without them is remembered.</summary>
    /// <param name="whole">As it is seen: with the grade of everything.</param>
    public FrameLayers Frame(
        ShotDocument shot,
        int frame,
        int width,
        RenderQuality quality,
        bool keepWithout = false,
        bool dataPasses = true,
        bool parts = false,
        bool keep = false,
        CancellationToken stop = default,
        Action<double>? progress = null,
        bool whole = false
    ) => Laid(shot, frame, Bare(shot, frame, width, quality, keepWithout, dataPasses, parts, keep, stop, progress), whole: whole);

    /// <summary>The frame before its steps.</summary>
    public FrameLayers Bare(
        ShotDocument shot,
        int frame,
        int width,
        RenderQuality quality,
        bool keepWithout = false,
        bool dataPasses = true,
        bool parts = false,
        bool keep = false,
        CancellationToken stop = default,
        Action<double>? progress = null,
        int overscan = 0
    )
    {
        shot = ShotCurves.At(shot, frame);
        IReadOnlyList<FinishStep> steps = shot.Finish.InOrder();
        StepNeeds needs = StepKinds.Needs(steps);
        parts |= needs.HasFlag(StepNeeds.Parts);
        bool ids =
                parts
                || steps.Any(s => s.Objects.Count + s.Materials.Count + s.RenderedIds.Count + s.Except.Count > 0 || s.Named is not null),
            depth = dataPasses || needs.HasFlag(StepNeeds.Depth);
        ShotDocument bare = Reduced.Bare(shot);
        FrameLayers Make() => engine.Renderer.Render(bare, frame, width, quality, keepWithout, depth, stop, progress, parts, ids, overscan);
        return !keep ? Make() : _frames.Get(ResultKey.Of("frame", 3, bare, frame, width, quality, depth, parts, ids, overscan), Make);
    }

    /// <summary>A rendered frame's steps laid on it.</summary>
    /// <param name="overscan">By how many pixels the layers go on beyond the plate. Its comp means something within the plate only.</param>
    /// <param name="whole">As it is seen: with the grade of everything.</param>
    public FrameLayers Laid(ShotDocument shot, int frame, FrameLayers layers, int overscan = 0, bool whole = false)
    {
        shot = ShotCurves.At(shot, frame);
        try
        {
            return Finisher.Run(
                layers,
                engine.Plates.Plate(shot, frame, layers.Comp.Width - 2 * overscan).Around(overscan),
                Chosen(shot),
                Context(shot, frame, layers, overscan),
                whole
            );
        }
        catch (FinishFault e)
        {
            throw new ShotFault($"Finish: {e.Message}");
        }
    }

    /// <summary>The steps, those that are kept to names with what bears them.</summary>
    public static IReadOnlyList<FinishStep> Chosen(ShotDocument shot) =>
        [
            .. shot.Finish.Steps.Select(s =>
                s.Named is not { Length: > 0 } pattern
                    ? s
                    : s with
                    {
                        // One that nothing bears keeps it to nothing.
                        Objects = [.. s.Objects.Union(Bearing(shot, pattern)).DefaultIfEmpty("")],
                    }
            ),
        ];

    /// <summary>Ids of elements and seen pieces whose name is as a pattern says.</summary>
    public static IEnumerable<string> Bearing(ShotDocument shot, string pattern) =>
        shot
            .Elements.Where(e => !e.Off)
            .Select(e => (e.Id, e.Name))
            .Concat(shot.Pieces.Where(p => p.IsSeen).Select(p => (p.Id, p.Name)))
            .Where(t => FileSystemName.MatchesSimpleExpression(pattern, t.Name.Length > 0 ? t.Name : t.Id))
            .Select(t => t.Id);

    /// <summary>Of the plate and of the comp where elements are: how often each level is met, and where across the picture.</summary>
    public Scopes Scopes(ShotDocument shot, int frame, CancellationToken stop = default)
    {
        int width = Math.Min(480, shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet."));
        return Core.Finishing.Scopes.Of(
            Frame(shot, frame, width, RenderQuality.Draft, keepWithout: true, dataPasses: false, stop: stop),
            engine.Plates.Plate(shot, frame, width)
        );
    }

    /// <summary>What a step does to a frame, as if it were on; at a reduced width, in the plate's pixels.</summary>
    public StepEffect Effect(ShotDocument shot, int frame, string step, CancellationToken stop = default)
    {
        shot = ShotCurves.At(shot, frame);
        FinishStep own = shot.Finish.Steps.FirstOrDefault(s => s.Id == step) ?? throw new ShotFault("That step is no longer in the shot.");
        ShotDocument on = shot with
        {
            Finish = shot.Finish with { Steps = [.. shot.Finish.Steps.Select(s => s.Id == step ? s with { Off = false } : s)] },
        };
        ShotDocument without = on with { Finish = on.Finish with { Steps = [.. on.Finish.Steps.Where(s => s.Id != step)] } };
        int width = Math.Min(EffectWidth, shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."));
        FrameLayers bare = Bare(on, frame, width, RenderQuality.Measured, keepWithout: true, dataPasses: false, keep: true, stop: stop);
        return StepEffect.Of(own, Laid(on, frame, bare, whole: true), Laid(without, frame, bare, whole: true), Context(on, frame, bare, 0));
    }

    private const int EffectWidth = 640;

    private FinishContext Context(ShotDocument shot, int frame, FrameLayers layers, int overscan)
    {
        int width = layers.Comp.Width - 2 * overscan,
            height = layers.Comp.Height - 2 * overscan;
        var (pose, pinhole) = engine.Camera(shot, frame);
        StepNeeds needs = StepKinds.Needs(shot.Finish.InOrder());
        pinhole = pinhole.Resized(width, height).Wider(overscan);
        return new(
            pinhole,
            (double)width / shot.Plate!.Width,
            shot.Plate.SensorWidthMm,
            frame,
            (frame - shot.Range.First) * (double)shot.Rate.Den / shot.Rate.Num,
            shot.Seed
        )
        {
            Grain = needs.HasFlag(StepNeeds.Grain) ? GrainOf(shot, width) : null,
            CameraToWorld = pose,
            FramesPerSecond = shot.Rate.PerSecond,
            Lights = Hanging.At(shot, frame).Lights.Where(l => !l.Off).ToDictionary(l => l.Id),
            Places = id => Middle(shot, id, frame),
            Margin = overscan,
            SeenPieces = shot.Pieces.Where(p => p.IsSeen).ToDictionary(p => p.Id, p => p.Duties.New),
            BlurredBySamples = shot.ShutterDegrees > 0,
            Matte = id => FloatImage.Around(engine.Mattes.Coverage(shot, id, frame, width, height), width, height, 1, overscan),
            Lamps = needs.HasFlag(StepNeeds.Lamps) ? Lamps(shot, frame, pose, pinhole) : new Dictionary<string, SeenLamp>(),
            Driving = ripple => ripple.Frames?.At(frame, shot.Rate) is { } f ? Codes(f) : null,
        };
    }

    /// <summary>A driving picture's codes as they are, 0 to 1.</summary>
    private FloatImage Codes(PlateFrame frame)
    {
        CodeImage codes = RasterFile.Read(media.Read(frame.Media), frame.File);
        float top = (1 << codes.Bits) - 1;
        return new(codes.Width, codes.Height, codes.Channels, Array.ConvertAll(codes.Codes, c => c / top));
    }

    /// <summary>The frame that grain and levels are measured in, whichever frame is looked at.</summary>
    public static int MeasuredAt(ShotDocument shot) =>
        shot.Finish.Region?.Frame ?? ((shot.Cut ?? shot.Range).First + (shot.Cut ?? shot.Range).Last) / 2;

    /// <summary>The plate's grain at a picture's width: null where nothing is flat enough.</summary>
    public Grain? GrainOf(ShotDocument shot, int width)
    {
        int frame = MeasuredAt(shot);
        shot = Reduced.Plate(shot);
        return _grains
            .Get(ResultKey.Of("grain", 3, shot, frame, width), () =>
                new(Grain.Of(engine.Plates.Plate(shot, frame, width), Moving(shot, frame, width)))
            )
            .Value;
    }

    private Func<int, float, float>? Moving(ShotDocument shot, int frame, int width)
    {
        int[] near = [.. Enumerable.Range(frame - 1, 3).Where(shot.Range.Contains)];
        CodeImage Codes(int f) =>
            width >= shot.Plate!.Width
                ? engine.Plates.PlateCodes(shot, f)
                : CodeImage.FromLinear(engine.Plates.Plate(shot, f, width), shot.Plate.Space, 16);
        return GrainWork.Moving([.. near.Select(Codes)], Array.IndexOf(near, frame), shot.Plate!.Space);
    }

    /// <summary>Where the middle of a light or an element is at a frame; null: it is off, or nowhere.</summary>
    private Vec3? Middle(ShotDocument shot, string id, int frame)
    {
        ShotDocument at = Hanging.At(shot, frame);
        if (at.Lights.FirstOrDefault(l => l.Id == id) is { } light)
        {
            return light.Off || light.Kind is not (LightKind.Point or LightKind.Spot or LightKind.Rectangle) ? null : light.Position;
        }
        if (engine.Elements(at, frame).FirstOrDefault(e => e.Id == id) is not { } own)
        {
            return at.Elements.FirstOrDefault(e => e is { Off: false, Kind: ElementKind.Rendered } && e.Id == id)?.Position;
        }
        return own.Middle;
    }

    private const int LampSamples = 32;

    /// <summary>Lights as the lens sees them: their irradiance there, and the share that neither set nor element hides.</summary>
    private Dictionary<string, SeenLamp> Lamps(ShotDocument shot, int frame, Pose pose, Pinhole pinhole)
    {
        ShotDocument at = Hanging.At(shot, frame);
        var set = engine.Place.Set(at);
        var elements = new ElementScene(engine.Elements(at, frame));
        Vector3 eye = pose.Position.ToSingle();
        var result = new Dictionary<string, SeenLamp>();
        foreach (
            Light light in at.Lights.Where(l =>
                l is { Off: false, Kind: LightKind.Sun or LightKind.Point or LightKind.Spot or LightKind.Rectangle }
            )
        )
        {
            Vec3 place = light.Kind == LightKind.Sun ? pose.Position + 1e6 * light.Direction.Normalized() : light.Position;
            if (!pinhole.TryProject(pose, place, out double x, out double y))
            {
                continue;
            }
            if (LightRig.Of([light with { Alone = false }]).Sampled is not [var sampled])
            {
                continue;
            }
            Vector3 towards = Vector3.Normalize(place.ToSingle() - eye),
                sum = default;
            int open = 0;
            for (uint i = 0; i < LampSamples; i++)
            {
                // A lens is no point: spots over an opening of 4 cm (the disk below a cosine-weighted direction, Malley).
                Vector3 up = Sampling.CosineHemisphere(towards, Sampling.Point(i, 17, 1)),
                    from = eye + 0.02f * (up - towards * Vector3.Dot(up, towards));
                LightSample s = sampled.Sample(from, towards, Sampling.Point(i, 17, 0), null);
                sum += s.Irradiance;
                var ray = new Ray(
                    from,
                    s.Direction,
                    0,
                    light.Kind == LightKind.Sun ? float.PositiveInfinity
                        : s.Distance > 0 ? s.Distance
                        : (place.ToSingle() - from).Length()
                );
                if (s.Factor > 0 && !set.Scene.Occluded(ray, RayKinds.CameraSet) && !elements.Occluded(ray))
                {
                    open++;
                }
            }
            result[light.Id] = new(
                x,
                y,
                sum / LampSamples,
                (float)open / LampSamples,
                light.Kind == LightKind.Sun ? 1e6 : -pose.ToLocal(place).Z
            );
        }
        HashSet<string> named = [.. shot.Finish.Steps.Select(s => s.Flare?.Light).OfType<string>()];
        for (int i = 0; i < elements.Elements.Count; i++)
        {
            if (
                named.Contains(elements.Elements[i].Id)
                && GlowingElement.Seen(elements, i, set.Scene, pose, pinhole, LampSamples) is { } lamp
            )
            {
                result[elements.Elements[i].Id] = lamp;
            }
        }
        return result;
    }

    /// <summary>Where the plate is measured: as chosen, or about the elements' bounds in the frame, twice as wide and high.</summary>
    public FinishRegion Region(ShotDocument shot, int? at = null)
    {
        int frame = at ?? MeasuredAt(shot),
            w = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            h = shot.Plate.Height;
        if (shot.Finish.Region is { } r)
        {
            int x = Math.Clamp(r.X, 0, Math.Max(0, w - 16)),
                y = Math.Clamp(r.Y, 0, Math.Max(0, h - 16));
            return new(x, y, Math.Clamp(r.Width, Math.Min(16, w - x), w - x), Math.Clamp(r.Height, Math.Min(16, h - y), h - y), frame);
        }
        var (pose, pinhole) = engine.Camera(shot, frame);
        double left = w,
            top = h,
            right = 0,
            bottom = 0;
        foreach (PlacedElement e in engine.Elements(Hanging.At(shot, frame), frame))
        {
            var (min, max) = e.Model.Tree.Mesh.Bounds();
            for (int k = 0; k < 8; k++)
            {
                var corner = new Vec3((k & 1) == 0 ? min.X : max.X, (k & 2) == 0 ? min.Y : max.Y, (k & 4) == 0 ? min.Z : max.Z);
                if (pinhole.TryProject(pose, e.ObjectToWorld.Apply(corner), out double x, out double y))
                {
                    (left, top, right, bottom) = (Math.Min(left, x), Math.Min(top, y), Math.Max(right, x), Math.Max(bottom, y));
                }
            }
        }
        if (right <= left || bottom <= top || right < 0 || left > w || bottom < 0 || top > h)
        {
            return new(0, 0, w, h, frame);
        }
        double dx = (right - left) / 2,
            dy = (bottom - top) / 2;
        int x0 = (int)Math.Clamp(left - dx, 0, Math.Max(0, w - 64)),
            y0 = (int)Math.Clamp(top - dy, 0, Math.Max(0, h - 64));
        return new(
            x0,
            y0,
            (int)Math.Clamp(right + dx - x0, Math.Min(64, w - x0), w - x0),
            (int)Math.Clamp(bottom + dy - y0, Math.Min(64, h - y0), h - y0),
            frame
        );
    }

    /// <summary>The plate's black, white, edges and grain in the region, at its full size.</summary>
    public PlateMeasures Plate(ShotDocument shot, int? at = null)
    {
        FinishRegion r = Region(shot, at);
        shot = (shot.Finish.Region is null ? Reduced.Contact(shot) : Reduced.Plate(shot)) with
        {
            Cut = shot.Cut,
            Finish = new() { Region = shot.Finish.Region },
        };
        return _measures
            .Get(ResultKey.Of("plate measures", 8, shot, r), () => new(Measures(shot, r, engine.Plates.Plate(shot, r.Frame!.Value), 1)))
            .Value;
    }

    /// <summary>Frames that are measured have this width, or the plate's if that is less.</summary>
    private const int MeasuredWidth = 1280;
    private readonly Cache<FinishReadings.Measured> _measured = new(_ => 16 * Sizes.Small);

    /// <summary>A frame's plate and element, at one size.</summary>
    /// <param name="at">Null: the one that is measured while one works.</param>
    public FinishReadings.Measured Measured(ShotDocument shot, CancellationToken stop = default, int? at = null)
    {
        int frame = at ?? MeasuredAt(shot),
            width = Math.Min(MeasuredWidth, shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."));
        shot = Reduced.Seen(shot);
        return _measured.Get(ResultKey.Of("finish measured", 8, shot, frame), () =>
        {
            FrameLayers bare = Bare(shot, frame, width, RenderQuality.Measured, dataPasses: false, keep: true, stop: stop),
                done = Laid(shot, frame, bare);
            FloatImage plate = engine.Plates.Plate(shot, frame, width);
            double scale = (double)width / shot.Plate!.Width;
            Grain? grain = GrainOf(shot, width);
            PlateMeasures own = scale == 1 ? Plate(shot, frame) : Measures(shot, Region(shot, frame), plate, scale);
            IReadOnlyList<(double, double)>? ratio = null;
            if (grain is not null && shot.Finish.InOrder().Any(s => s.Kind == FinishKind.Grain))
            {
                ShotDocument Without(Func<FinishStep, bool> which) =>
                    shot with
                    {
                        Finish = shot.Finish with { Steps = [.. shot.Finish.Steps.Where(s => !which(s))] },
                    };
                // Framing moves the picture after the grain: it is left out of both.
                ratio = ElementMeasure.GrainRatio(
                    Laid(Without(s => s.Kind == FinishKind.Reframe), frame, bare),
                    Laid(Without(s => s.Kind is FinishKind.Reframe or FinishKind.Grain), frame, bare),
                    grain
                );
            }
            float clip = ColorEncodings.ToLinear(shot.Plate.Encoding, 1);
            return new(
                frame,
                scale,
                own with
                {
                    Grain = grain,
                },
                PlateMeasure.Level(plate, null, grain, dark: false),
                ElementMeasure.Of(done, grain, clip),
                ratio
            );
        });
    }

    private PlateMeasures Measures(ShotDocument shot, FinishRegion r, FloatImage plate, double scale)
    {
        int x = (int)(r.X * scale),
            y = (int)(r.Y * scale);
        Grain? grain = GrainOf(shot, plate.Width);
        FloatImage region = plate.Cut(
            new(
                x,
                y,
                x + Math.Clamp((int)(r.Width * scale), 1, plate.Width - x),
                y + Math.Clamp((int)(r.Height * scale), 1, plate.Height - y)
            )
        );
        return PlateMeasure.Of(region, grain, shot.Finish.Region is null ? Edges(shot, r.Frame!.Value, plate, grain) : null);
    }

    /// <summary>How far away the set is at each pixel's middle; +∞ where none is, 0 outside the lens.</summary>
    private static float[] Distances(SetScene set, RayGrid grid)
    {
        var distance = new float[grid.Width * grid.Height];
        Parallel.For(0, grid.Height, Cores.All, y =>
        {
            for (int x = 0; x < grid.Width; x++)
            {
                distance[y * grid.Width + x] = grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                    ? set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet).T
                    : 0;
            }
        });
        return distance;
    }

    /// <summary>So many outlines of the set about as far away as the elements tell how sharp the plate is there.</summary>
    private const int LeastEdges = 30;

    /// <summary>
    /// Edges of the whole plate where something of the set ends before something else, at from half to twice the element's distance: the
    /// edge of a shadow is soft by the sun, not by the lens. Where there are too few, the sharp ones of all.
    /// </summary>
    private (double? Width, int Count) Edges(ShotDocument shot, int frame, FloatImage plate, Grain? grain)
    {
        RayGrid grid = engine.Grid(shot, frame, plate.Width, plate.Height);
        ShotDocument at = Hanging.At(shot, frame);
        double[] away =
        [
            .. engine
                .Elements(at, frame)
                .Select(e => (e.ObjectToWorld.Translation.ToSingle() - grid.Origin).Length())
                .Order()
                .Select(d => (double)d),
        ];
        var set = engine.Place.Set(at);
        if (away.Length > 0 && set.Pieces.Count > 0)
        {
            double middle = away[away.Length / 2];
            int w = plate.Width,
                h = plate.Height;
            float[] distance = Distances(set, grid);
            var where = new bool[w * h];
            const int around = 3; // the set is as exact as it was built
            for (int y = around; y < h - around; y++)
            {
                for (int x = around; x < w - around; x++)
                {
                    float own = distance[y * w + x];
                    if (!(own > middle / 2 && own < middle * 2))
                    {
                        continue;
                    }
                    if (
                        !(
                            distance[y * w + x + 1] > own * 1.1f
                            || distance[y * w + x - 1] > own * 1.1f
                            || distance[(y + 1) * w + x] > own * 1.1f
                            || distance[(y - 1) * w + x] > own * 1.1f
                        )
                    )
                    {
                        continue;
                    }
                    for (int v = -around; v <= around; v++)
                    {
                        for (int u = -around; u <= around; u++)
                        {
                            where[(y + v) * w + x + u] = true;
                        }
                    }
                }
            }
            if (EdgeWidth.Of(plate, grain, where) is { Width: not null, Count: >= LeastEdges } near)
            {
                return near;
            }
        }
        return EdgeWidth.Of(plate, grain);
    }

    /// <summary>What was set, and what could not be, in words.</summary>
    public sealed record Brought(FinishChoice Finish, IReadOnlyList<string> Notes);

    /// <summary>
    /// The steps that measuring can set, one after the other, each on what the ones before it leave: levels, edge width, grain.
    /// </summary>
    /// <param name="what">Which; null: all.</param>
    /// <param name="white">
    /// Of levels, the brightest are brought down to the plate's too; never by itself, as it takes from all of the element.
    /// </param>
    public Brought BringToPlate(ShotDocument shot, FinishKind? what = null, CancellationToken stop = default, bool white = false)
    {
        var notes = new List<string>();
        if (shot.Elements.All(e => e.Off))
        {
            throw new ShotFault("No element stands in the shot yet: place one at step 6.");
        }
        foreach (FinishKind kind in (ReadOnlySpan<FinishKind>)[FinishKind.Levels, FinishKind.EdgeWidth, FinishKind.Grain])
        {
            if (what is { } only && only != kind)
            {
                continue;
            }
            ShotDocument without = shot with
            {
                Finish = shot.Finish with { Steps = [.. shot.Finish.Steps.Where(s => s.Kind != kind && s.Kind < FinishKind.Grain)] },
            };
            FinishReadings.Measured m = Measured(without, stop);
            FinishStep own = shot.Finish.Steps.FirstOrDefault(s => s.Kind == kind) is { } had
                ? had with
                {
                    Off = false,
                }
                : new() { Id = NewId(shot.Finish, kind), Kind = kind };
            (FinishStep? step, string note) = kind switch
            {
                FinishKind.Levels => Levels(own, m, white),
                FinishKind.EdgeWidth => Edge(own, m),
                _ => m.Plate.Grain is null
                    ? (null, "Grain: no part of the plate is flat enough to tell it; nothing was added.")
                    : (
                        own,
                        FormattableString.Invariant(
                            $"Grain as the plate's at {m.Plate.Grain.Levels.Count} levels, neighbours alike by {m.Plate.Grain.Correlation:0.00}."
                        )
                    ),
            };
            notes.Add(note);
            shot = shot with { Finish = With(shot.Finish, kind, step) };
        }
        return new(shot.Finish, notes);
    }

    /// <summary>
    /// With a step that measuring set in the place of the one that it was; others of its kind stay. Null: none of the kind is needed.
    /// </summary>
    public static FinishChoice With(FinishChoice finish, FinishKind kind, FinishStep? step) =>
        finish with
        {
            Steps =
            [
                .. finish.Steps.Where(s => step is null ? s.Kind != kind : s.Id != step.Id),
                .. step is null ? Array.Empty<FinishStep>() : [step],
            ],
        };

    public static string NewId(FinishChoice finish, FinishKind kind) =>
        FreeId.Of(finish.Steps.Select(s => s.Id), kind.ToString().ToLowerInvariant());

    /// <summary>
    /// Up to the plate's black, channel by channel, so that the tint comes with it; what is not as dark is left. With the white, one gain
    /// for all three, black kept where it is.
    /// </summary>
    private static (FinishStep?, string) Levels(FinishStep step, FinishReadings.Measured m, bool white)
    {
        if (m.Element.Black is not { } own)
        {
            return (null, $"Black level: too little of the element is seen at {m.Frame}.");
        }
        Vector3 lift = m.Plate.Black - own;
        bool raised = MathF.Max(lift.X, MathF.Max(lift.Y, lift.Z)) > 0;
        // Where one channel is under, all are brought: black is black in all three.
        Vector3 black = raised ? m.Plate.Black : own;
        string told = raised
            ? FormattableString.Invariant($"Black level: lifted by {lift.X:0.0000} {lift.Y:0.0000} {lift.Z:0.0000}.")
            : FormattableString.Invariant(
                $"Black level: the element's darkest, {own.Y:0.0000}, is no darker than the plate's, {m.Plate.Black.Y:0.0000}; nothing was lifted."
            );
        float gain = 1;
        if (white)
        {
            float brightest = m.Element.White is { } w ? Luminance.Of(w) : 0,
                wanted = Luminance.Of(m.PlateWhite),
                dark = Luminance.Of(black),
                from = Luminance.Of(own);
            if (brightest > wanted && wanted > dark && brightest > from)
            {
                gain = (wanted - dark) / (brightest - from);
            }
            told +=
                gain < 1
                    ? FormattableString.Invariant($" White level: {brightest:0.000} brought to {wanted:0.000} by {gain:0.000} times.")
                    : FormattableString.Invariant(
                        $" White level: the element's brightest, {brightest:0.000}, is no brighter than the plate's, {wanted:0.000}; nothing was taken."
                    );
        }
        return raised || gain < 1 ? (step with { Levels = new(Vec3.From(black - gain * own), new(gain, gain, gain)) }, told) : (null, told);
    }

    private static (FinishStep?, string) Edge(FinishStep step, FinishReadings.Measured m)
    {
        if (m.Plate.EdgePx is not { } plate)
        {
            return (null, "Edge width: the plate has no straight edge in the region; choose another one.");
        }
        if (m.Element.EdgePx is not { } own)
        {
            return (null, $"Edge width: the element has no straight edge that stands alone at {m.Frame}.");
        }
        // Variances add: what a Gaussian must bring on top of the element's own width.
        double sigma = Math.Sqrt(Math.Max(0, plate * plate - own * own)) / Blur.EdgeOfSigma / m.Scale;
        return sigma < 0.15
            ? (
                null,
                FormattableString.Invariant(
                    $"Edge width: the element's, {own / m.Scale:0.00} px, is no sharper than the plate's, {plate / m.Scale:0.00} px; nothing was blurred."
                )
            )
            : (
                step with
                {
                    Pixels = Math.Round(sigma, 3),
                },
                FormattableString.Invariant(
                    $"Edge width: {own / m.Scale:0.00} px brought to {plate / m.Scale:0.00} px by a blur of {sigma:0.00} px."
                )
            );
    }

    /// <summary>Haze from the darkest hundredth of the plate in each of several distances of the set.</summary>
    public (FinishStep Step, string Note) FitHaze(ShotDocument shot)
    {
        int frame = MeasuredAt(shot),
            width = Math.Min(MeasuredWidth, shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."));
        FloatImage plate = engine.Plates.QuietPlate(shot, frame, width);
        RayGrid grid = engine.Grid(shot, frame, plate.Width, plate.Height);
        var set = engine.Place.Set(Hanging.At(shot, frame));
        if (set.Pieces.Count == 0)
        {
            throw new ShotFault("Haze is told by distance, and there is no set yet: build one at step 3.");
        }
        var spots = new List<(float Distance, Vector3 Color)>();
        float[] distance = Distances(set, grid);
        for (int y = 0; y < plate.Height; y += 2)
        {
            for (int x = 0; x < plate.Width; x += 2)
            {
                if (distance[y * plate.Width + x] is > 0 and < float.PositiveInfinity and float far)
                {
                    spots.Add((far, new(plate[x, y, 0], plate[x, y, 1], plate[x, y, 2])));
                }
            }
        }
        const int bins = 8;
        if (spots.Count < 100 * bins)
        {
            throw new ShotFault($"The set covers too little of frame {frame} to tell haze by distance.");
        }
        spots.Sort((a, b) => a.Distance.CompareTo(b.Distance));
        var levels = new List<(double, Vec3)>();
        for (int k = 0; k < bins; k++)
        {
            var part = spots[(spots.Count * k / bins)..(spots.Count * (k + 1) / bins)];
            float Darkest(int c)
            {
                float[] v = [.. part.Select(s => s.Color[c])];
                Array.Sort(v);
                return v[v.Length / 50];
            }
            levels.Add((part[part.Count / 2].Distance, new(Darkest(0), Darkest(1), Darkest(2))));
        }
        Haze.Fit fit = Haze.Of(levels, null, out string why) ?? throw new ShotFault(why);
        double farthest = spots[^1].Distance,
            seen = 1 - Math.Exp(-fit.Haze.PerMetre.Y * farthest);
        FinishStep step = shot.Finish.Steps.FirstOrDefault(s => s.Kind == FinishKind.Haze)
            ?? new() { Id = NewId(shot.Finish, FinishKind.Haze), Kind = FinishKind.Haze };
        return (
            step with
            {
                Haze = fit.Haze,
                Off = false,
            },
            FormattableString.Invariant(
                $"Haze by the darkest of eight distances from {levels[0].Item1:0.0} to {levels[^1].Item1:0.0} m: {100 * seen:0.0} % of the light at {farthest:0} m is air; levels are met to {fit.Rms:0.0000}."
            )
        );
    }
}
