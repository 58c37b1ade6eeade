using System.Diagnostics;
using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting.Smoothing;
using Plenk.Core.Projection;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// Differential rendering (Debevec, "Rendering synthetic objects into real scenes", SIGGRAPH 1998): per channel and pixel S = Σ w E1 / Σ w
/// E0 over the samples on receivers, S′ = c S + 1 − c with c their share, and comp = element (held out) over (plate · S′ + added), added =
/// plate · En / E0; with seen pieces the background stands for the plate. What elements throw back onto the set is part of E1 (by the
/// plate's lights) and En (by new ones); what is seen of them in mirroring pieces is added after.
/// </summary>
public sealed class DifferentialRenderer
{
    /// <summary>Albedo that new lamps act through where the plate's own light is too weak to tell one.</summary>
    public const float AssumedAlbedo = 0.5f;

    /// <summary>Rays of a pixel to a sky from which on what elements keep of it is aimed at.</summary>
    private const int LeastSkyRays = 32;

    /// <summary>So many surfaces along a ray, most of them clear where it goes through (leaves, hair), then it has left the elements.</summary>
    private const int MostSurfaces = 256;

    /// <summary>Below this share nothing more is asked for along a ray.</summary>
    private const float Closed = 1e-3f;

    /// <summary>Rays of the contact look a camera sample.</summary>
    public const int ContactRays = 4;

    /// <summary>One moment while the shutter is open, made ready.</summary>
    private sealed record Moment(SetPass Pass, ElementScene Scene, ElementShader Shader)
    {
        public int Samples => Pass.Quality.CameraSamples;
    }

    private readonly Moment[] _moments;
    private readonly Moment _still; // at the frame itself: what data passes tell
    private readonly SetPass _pass; // a moment's, for what all have in common
    private readonly FloatImage _plate;
    private readonly RenderOptions _options;
    private readonly LightRig _rig;
    private readonly int _width,
        _height,
        _samples,
        _perSample;
    private readonly bool[] _isNew,
        _isSun,
        _isAround;
    private readonly int[] _skyRay; // by light ray: its number among those to its sky; −1: to no sky
    private readonly SampledLight[] _skies;

    // What every pixel must answer, or only those where an element comes between: new lamps and the visibility layer ask everywhere.
    private readonly bool _everywhere,
        _touching;
    private readonly float _reach,
        _look;

    private readonly FloatImage _element,
        _holdout,
        _shadow,
        _added,
        _visibility,
        _ao,
        _held,
        _e0,
        _en,
        _depth,
        _position,
        _normal;
    private readonly FloatImage? _contact,
        _mirror,
        _through;
    private readonly ElementParts? _parts;
    private readonly FrameSmoother? _smoother;
    private readonly Guide[]? _guides; // a pixel's only sample shows what its middle does
    private readonly bool[]? _smoothed; // the shadow there is told by what is around as well
    private readonly float[] _share;
    private readonly float[] _distance; // of what elements show, along the ray; +∞ where nothing does
    private readonly IdMatte? _objects,
        _materials;
    private readonly int[] _firstMaterial; // by element, in the list of all
    private readonly float[]? _setContact;
    private readonly (double Shadow, int Shadowed, double Element, int Covered)[] _errors;
    private long _rays;

    /// <summary>
    /// Renders the frame of a set pass. <paramref name="plate"/> is linear RGB of the pass's size.
    /// <paramref name="onRow"/> is told how many rows are done and may throw to stop.
    /// </summary>
    public static FrameLayers Render(
        SetPass pass,
        IReadOnlyList<PlacedElement> elements,
        FloatImage plate,
        SkyOpenings? openings,
        Pose cameraToWorld,
        RenderOptions? options = null,
        CancellationToken stop = default,
        Action<int>? onRow = null
    ) => Render(new(pass, elements, cameraToWorld), null, plate, openings, options, stop, onRow);

    /// <summary>
    /// The same over the time that the shutter is open: camera, elements and set as they stand at each of several moments, which share the
    /// samples of a pixel. Sums are taken over all of them, so that edges, what hides and shadows are blurred by one and the same motion
    /// (distributed ray tracing, Cook, Porter and Carpenter 1984). Data passes are those of <paramref name="still"/>.
    /// </summary>
    /// <param name="open">The moments, with as many samples each and equal lights; null: the still one alone.</param>
    public static FrameLayers Render(
        RenderMoment still,
        IReadOnlyList<RenderMoment>? open,
        FloatImage plate,
        SkyOpenings? openings,
        RenderOptions? options = null,
        CancellationToken stop = default,
        Action<int>? onRow = null
    ) => new DifferentialRenderer(still, open, plate, openings, options ?? new()).Run(stop, onRow);

    private DifferentialRenderer(
        RenderMoment still,
        IReadOnlyList<RenderMoment>? open,
        FloatImage plate,
        SkyOpenings? openings,
        RenderOptions options
    )
    {
        Moment Ready(RenderMoment m)
        {
            var scene = new ElementScene(m.Elements);
            return new(m.Pass, scene, new(m.Pass, openings, scene, m.CameraToWorld, plate, options.Surfaces, options.DirectOnly));
        }
        _still = Ready(still);
        _moments = open is null ? [_still] : [.. open.Select(Ready)];
        SetPass pass = _moments[0].Pass;
        (_pass, _plate, _options, _rig) = (pass, plate, options, pass.Rig);
        (_width, _height, _samples, _perSample) = (
            pass.Camera.Pinhole.Width,
            pass.Camera.Pinhole.Height,
            _moments.Sum(m => m.Samples),
            pass.LightSamplesPerCameraSample
        );
        bool anyElements = still.Elements.Count > 0;
        if (plate.Width != _width || plate.Height != _height || plate.Channels != 3)
        {
            throw new ArgumentException(
                $"the plate is {plate.Width} × {plate.Height} × {plate.Channels}, the render {_width} × {_height} × 3"
            );
        }
        bool[] Each(Func<SampledLight, bool> of) => [.. _rig.Sampled.SelectMany(l => Enumerable.Repeat(of(l), pass.RaysTo(l)))];
        (_isNew, _isSun, _isAround) = (Each(l => !l.InPlate), Each(l => l.Kind == Shots.LightKind.Sun), Each(l => l.IsAround));
        _skyRay = [.. _rig.Sampled.SelectMany(l => Enumerable.Range(0, pass.RaysTo(l)).Select(i => l.IsSky ? i : -1))];
        // Aiming takes from what the other rays find: with few of them they may find less than is taken.
        _skies = _samples * pass.Quality.SkyRays < LeastSkyRays ? [] : [.. _rig.Sampled.Where(l => l is { IsSky: true, LightsSet: true })];
        _everywhere = (options.DataPasses && options.VisibilityEverywhere) || _rig.HasNew;
        _touching = options.Contact is { Strength: > 0 } && anyElements;
        (_reach, _look) = ((float)(options.Contact?.ReachMetres ?? 0), (float)(options.Contact?.Strength ?? 0));
        FloatImage Layer(int channels) => new(_width, _height, channels);
        (_element, _holdout, _shadow, _added, _visibility, _ao) = (Layer(4), Layer(1), Layer(3), Layer(3), Layer(1), Layer(1));
        (_held, _e0, _en, _depth, _position, _normal) = (Layer(4), Layer(3), Layer(3), Layer(1), Layer(3), Layer(3));
        _contact = _touching ? Layer(1) : null;
        _mirror = options.Surfaces is { AnyMirrors: true } && anyElements ? Layer(3) : null;
        _through = _still.Scene.AnyChanging ? Layer(3) : null;
        _parts = options.Parts
            ? new(
                Layer(3),
                Layer(3),
                Layer(3),
                Layer(3),
                Layer(3),
                [.. _rig.Sampled.Where(l => l.LightsElements).Select(l => (l.Id, Layer(3)))],
                Layer(2),
                Layer(2)
            )
            : null;
        _smoother = pass.Quality.Smooth ? new(_width, _height) : null;
        _guides = _smoother is not null && _samples == 1 ? new Guide[_width * _height] : null;
        _smoothed = _smoother is null ? null : new bool[_width * _height];
        _share = new float[_width * _height];
        _distance = new float[_width * _height];
        _firstMaterial = new int[still.Elements.Count];
        if (options.Ids)
        {
            var materials = new List<string>();
            for (int i = 0; i < _still.Scene.ThingsShown; i++)
            {
                _firstMaterial[i] = materials.Count;
                IReadOnlyList<Material> own = still.Elements[i].Model.Materials;
                materials.AddRange(own.Count == 0 ? [Material.Grey.Name] : own.Select(m => m.Name));
            }
            _objects = new(
                IdMatte.ObjectLayer,
                [
                    .. still.Elements.Where(e => e.Kind == RayKinds.Element).Select(e => e.Id),
                    .. options.Rendered.Select(r => r.Id),
                    .. pass.Set.Pieces.Select(p => p.Id),
                ],
                _width * _height
            );
            _materials = new(IdMatte.MaterialLayer, materials, _width * _height);
        }
        _setContact = _touching ? new float[_width * _height] : null;
        _errors = new (double, int, double, int)[_height];
    }

    private FrameLayers Run(CancellationToken stop, Action<int>? onRow)
    {
        var watch = Stopwatch.StartNew();
        int done = 0;
        Parallel.For(
            0,
            _height,
            Cores.Until(stop),
            () => (Rows: new SetPass.RowOfSamples[_moments.Length], Tally: new Tally()),
            (y, _, own) =>
            {
                Row(y, own.Rows, own.Tally);
                onRow?.Invoke(Interlocked.Increment(ref done));
                return own;
            },
            _ => { }
        );
        (double Shadow, double Element)? smoothed = _smoother is null ? null : Smoothed(_smoother, stop);
        var (comp, touched) = Merge();
        double shadow = 0,
            element = 0;
        long shadowed = 0,
            covered = 0;
        foreach (var e in _errors)
        {
            (shadow, shadowed, element, covered) = (shadow + e.Shadow, shadowed + e.Shadowed, element + e.Element, covered + e.Covered);
        }
        return new(comp, _element, _holdout, _shadow, _added, _visibility, _ao, _depth, _position, _normal)
        {
            Touched = touched,
            Background = _options.Background,
            Held = _held,
            Mattes = _options.Mattes,
            Rendered = _options.Rendered,
            Near = _setContact,
            Distance = _distance,
            Objects = _objects,
            Materials = _materials,
            Contact = _contact,
            Mirror = _mirror,
            Parts = _parts,
            Counts = new(
                _rays,
                watch.Elapsed.TotalSeconds,
                smoothed?.Shadow ?? (shadowed > 0 ? Math.Sqrt(shadow / shadowed) : 0),
                smoothed?.Element ?? (covered > 0 ? Math.Sqrt(element / covered) : 0)
            ),
        };
    }

    /// <summary>What a pixel's samples show, by object and by material.</summary>
    private sealed class Tally
    {
        public readonly IdTally Objects = new(),
            Materials = new();
    }

    /// <summary>What the samples of a pixel add up to; Half: those of even number, for the noise.</summary>
    private struct Sums
    {
        public Vector3 Color,
            HeldColor,
            HalfColor,
            Mirror;
        public Shaded Parts,
            HalfParts;
        public float Before,
            HalfBefore,
            After,
            ElementOpen,
            ElementSamples,
            ThroughWeight;

        /// <summary>By what pictures that are blended multiply the background.</summary>
        public Vector3 Through;
        public float DistanceSum,
            DistanceWeight,
            Shown;
        public int LightSamples,
            Receivers,
            HalfReceivers,
            SetClosed;

        /// <summary>Of the receivers, what nothing filmed before them covers.</summary>
        public float Open;
        public bool Between;
        public Vector3 E0,
            E1,
            New,
            Half0,
            Half1,
            Bounced,
            BouncedNew,
            Kept,
            KeptNew,
            HalfKept,
            HalfNew;
        public float SkyKept;
        public int SunOpen,
            SunRays,
            SkyRays;
        public float SkyOpen;
    }

    private void Row(int y, SetPass.RowOfSamples[] rows, Tally tally)
    {
        for (int m = 0; m < _moments.Length; m++)
        {
            _moments[m].Pass.Row(y, ref rows[m], _skies.Length > 0 ? _moments[m].Scene.CanAim : null);
        }
        Span<bool> closed = stackalloc bool[_samples * _perSample];
        Span<Vector3> byLight = stackalloc Vector3[_parts is null ? 0 : _rig.Sampled.Count];
        long cast = _pass.IsKept ? 0 : _width * _samples;
        for (int x = 0; x < _width; x++)
        {
            var sums = new Sums { LightSamples = _samples };
            byLight.Clear();
            closed.Clear();
            for (int m = 0, at = 0; m < _moments.Length; at += _moments[m++].Samples * _perSample)
            {
                Elements(
                    _moments[m],
                    x,
                    y,
                    SamplesOf(rows[m], m, x),
                    LightsOf(rows[m], m, x),
                    closed[at..],
                    byLight,
                    tally,
                    ref sums,
                    ref cast
                );
            }
            if (sums.Receivers > 0 && (sums.Between || _everywhere || IsProbe(x, y)))
            {
                for (int m = 0, at = 0; m < _moments.Length; at += _moments[m++].Samples * _perSample)
                {
                    Light(
                        _moments[m].Pass,
                        SamplesOf(rows[m], m, x),
                        LightsOf(rows[m], m, x),
                        closed[at..],
                        _moments[m].Pass.FirstSample,
                        ref sums,
                        ref cast
                    );
                }
                if (sums.Between && RoundsFor(sums) is > 0 and int rounds)
                {
                    Finer(x, y, rounds, closed, ref sums, ref cast);
                }
                sums.E1 = Vector3.Max(default, sums.E1 - sums.Kept) + sums.Bounced;
                sums.Half1 = Vector3.Max(default, sums.Half1 - sums.HalfKept);
                sums.HalfNew = Vector3.Max(default, sums.HalfNew);
                sums.New = Vector3.Max(default, sums.New - sums.KeptNew) + sums.BouncedNew;
            }
            if (_guides is not null)
            {
                SetSample only = SamplesOf(rows[0], 0, x)[0];
                _guides[y * _width + x] =
                    only.Piece >= 0 ? new(only.Piece, only.Distance * only.Direction, Facing(only.Normal, only.Direction)) : Guide.None;
            }
            Store(x, y, sums, byLight);
            if (_objects is not null)
            {
                tally.Objects.Into(_objects, y * _width + x, _samples);
                tally.Materials.Into(_materials!, y * _width + x, _samples);
            }
            if (_options.DataPasses || _parts is not null)
            {
                Data(x, y);
            }
        }
        Interlocked.Add(ref _rays, cast);
    }

    private ReadOnlySpan<SetSample> SamplesOf(in SetPass.RowOfSamples row, int moment, int x) =>
        row.Samples.Span.Slice(x * _moments[moment].Samples, _moments[moment].Samples);

    private ReadOnlySpan<LightSample> LightsOf(in SetPass.RowOfSamples row, int moment, int x) =>
        row.Lights.Span.Slice(x * _moments[moment].Samples * _perSample, _moments[moment].Samples * _perSample);

    /// <summary>What the camera sees of elements, what they keep from the set, and what they send it.</summary>
    private void Elements(
        Moment moment,
        int x,
        int y,
        ReadOnlySpan<SetSample> row,
        ReadOnlySpan<LightSample> lights,
        Span<bool> closed,
        Span<Vector3> byLight,
        Tally tally,
        ref Sums sums,
        ref long cast
    )
    {
        uint seed = _pass.PixelSeed(x, y);
        var (pass, scene, _) = moment;
        bool any = scene.Elements.Count > 0;
        int pixel = y * _width + x;
        Span<RenderedSpot> rendered = stackalloc RenderedSpot[_options.Rendered.Count];
        int layers = RenderedAt(pixel, rendered);
        Span<BlendedSpot> blended = stackalloc BlendedSpot[scene.AnyBlended ? SeenSet.MostLayers : 0];
        for (int i = 0; i < moment.Samples; i++)
        {
            ref readonly SetSample s = ref row[i];
            uint index = pass.FirstSample + (uint)i;
            if (s.Direction == default)
            {
                continue;
            }
            if (s.Receives)
            {
                sums.Receivers++;
                sums.HalfReceivers += (int)(1 - (index & 1));
                sums.Open += OpenTo(pass, s, pixel);
            }
            sums.Shown = 0;
            if (!any && layers == 0)
            {
                if (_objects is not null && s.Piece >= 0)
                {
                    tally.Objects.Add(scene.ThingsShown + _options.Rendered.Count + s.Piece, 1);
                }
                continue;
            }
            var ray = new Ray(pass.Camera.Origin, s.Direction);
            Hit hit = Hit.None;
            int laid = 0;
            if (scene.AnyBlended)
            {
                laid = Blended(moment, ray, s, pixel, rendered[..layers], index, seed, blended, ref sums, ref cast);
            }
            // From near to far: elements, and what was rendered elsewhere where it lies.
            bool mayMeet = scene.MayMeet(ray.Origin, ray.Direction);
            float open = 1;
            int at = 0;
            Ray rest = ray;
            for (int k = 0, met = 0; k < MostSurfaces && met < SeenSet.MostLayers && open > Closed; k++)
            {
                if (mayMeet)
                {
                    cast++;
                    hit = rest.TMin < rest.TMax ? scene.Nearest(rest) : Hit.None;
                }
                for (; at < layers && rendered[at].Distance < hit.T; at++)
                {
                    Laid(rendered[at], s, pixel, index, tally, blended[..laid], ref open, ref sums);
                }
                if (!hit.IsHit)
                {
                    for (; at < layers; at++)
                    {
                        Laid(rendered[at], s, pixel, index, tally, blended[..laid], ref open, ref sums);
                    }
                    break;
                }
                float stops = scene.Elements[hit.Instance].Stops(hit, s.Piece >= 0 ? s.Distance : float.PositiveInfinity);
                if (stops > 0)
                {
                    met++;
                    Seen(moment, hit, ray, s, pixel, open * stops, index, seed, byLight, tally, blended[..laid], ref sums, ref cast);
                }
                open *= 1 - stops;
                rest = rest.Beyond(hit);
            }
            if (_through is not null)
            {
                float left = MathF.Max(0, 1 - sums.Shown);
                sums.Through += left * Through(blended[..laid], PlateAt(pixel), float.PositiveInfinity);
                sums.ThroughWeight += left;
            }
            if (_objects is not null && s.Piece >= 0 && sums.Shown < 1)
            {
                tally.Objects.Add(scene.ThingsShown + _options.Rendered.Count + s.Piece, 1 - sums.Shown);
            }
            if (!any)
            {
                continue;
            }
            if (_mirror is not null && s.Piece >= 0 && _options.Surfaces!.ByPiece[s.Piece] is { Mirror: { } mirror } surface)
            {
                float shows = (surface.MirrorShare?[pixel] ?? 1) * OpenTo(pass, s, pixel);
                Mirrored(moment, s, mirror, shows, index, seed, ref sums, ref cast);
            }
            if (s.Receives)
            {
                Between(
                    moment,
                    s,
                    lights.Slice(i * _perSample, _perSample),
                    closed.Slice(i * _perSample, _perSample),
                    index,
                    seed,
                    ref sums,
                    ref cast
                );
            }
        }
    }

    /// <summary>
    /// How much of what was filmed before a sample of the set leaves it to be seen: what falls on the set does not fall on that. A figure
    /// is what was filmed.
    /// </summary>
    private float OpenTo(SetPass pass, in SetSample s, int pixel)
    {
        float open = 1;
        foreach (HidingMatte m in _options.Mattes)
        {
            if (!m.TakesLight && s.Distance > m.Beyond && m.Coverage[pixel] > 0 && pass.Set.Pieces[s.Piece].Figure is null)
            {
                open *= 1 - m.Coverage[pixel];
            }
        }
        return MathF.Max(0, open);
    }

    /// <summary>
    /// A new piece in the light of its footage shows its own shadow already, and that of those beside it.
    /// </summary>
    private static RayKinds ShownBy(SetPass pass, in SetSample s) =>
        pass.Set.Pieces[s.Piece].Duties is { New: true, Lit: not Shots.PieceLit.Here } ? RayKinds.CastsNew : RayKinds.None;

    /// <summary>What elements keep from a sample of the set, and what they throw onto it.</summary>
    private void Between(
        Moment moment,
        in SetSample s,
        ReadOnlySpan<LightSample> lights,
        Span<bool> closed,
        uint index,
        uint seed,
        ref Sums sums,
        ref long cast
    )
    {
        ElementScene scene = moment.Scene;
        RayKinds without = ShownBy(moment.Pass, s);
        if (_touching && scene.MayReach(s.Point, _reach))
        {
            for (uint k = 0; k < ContactRays; k++)
            {
                if (
                    scene.Occluded(
                        new Ray(s.Point, Sampling.CosineHemisphere(s.Normal, Sampling.Point(index * ContactRays + k, seed, 60)), 0, _reach),
                        without
                    )
                )
                {
                    sums.SetClosed++;
                }
            }
            cast += ContactRays;
        }
        bool aims = _skies.Length > 0 && (s.FewSky || scene.CanAim(s.Point, s.Normal));
        if (aims)
        {
            KeptOfSkies(moment, s, index, seed, ref sums, ref cast);
        }
        for (int k = 0; k < lights.Length; k++)
        {
            LightSample light = lights[k];
            if ((aims && _skyRay[k] >= 0) || light.Factor == 0 || light.Distance == 0 || !scene.MayMeet(s.Point, light.Direction))
            {
                continue;
            }
            cast++;
            sums.Between |= closed[k] = scene.Occluded(new Ray(s.Point, light.Direction, 0, light.Distance), without);
        }
        if (_options.Bounce)
        {
            Bounce(moment, s, index, seed, ref sums, ref cast);
        }
    }

    /// <summary>The more of the light elements keep or add, the more of it is noise.</summary>
    private int RoundsFor(in Sums sums)
    {
        float changed = 0;
        Vector3 with = sums.E1 - sums.Kept + sums.Bounced;
        for (int c = 0; c < 3; c++)
        {
            if (sums.E0[c] > 0)
            {
                changed = MathF.Max(changed, MathF.Abs(with[c] / sums.E0[c] - 1));
            }
        }
        int all = _pass.Quality.ShadowRounds;
        return changed > 0.1f ? all
            : changed > 0.03f ? (all + 1) / 2
            : changed > 0.01f ? (all + 3) / 4
            : 0;
    }

    /// <summary>
    /// More samples of the light alone, where an element comes between: few pixels of a frame ask for them, and a shadow's edge is wide
    /// with noise.
    /// </summary>
    private void Finer(int x, int y, int rounds, Span<bool> closed, ref Sums sums, ref long cast)
    {
        uint seed = _pass.PixelSeed(x, y);
        Span<SetSample> sample = stackalloc SetSample[1];
        Span<LightSample> lights = stackalloc LightSample[_perSample];
        Span<bool> own = closed[.._perSample];
        for (uint round = 1; round <= rounds; round++)
        {
            foreach (Moment moment in _moments)
            {
                for (uint i = 0; i < moment.Samples; i++)
                {
                    uint index = round * (uint)_samples + moment.Pass.FirstSample + i;
                    sample[0] = moment.Pass.Again(x, y, index, seed, lights, moment.Scene.CanAim);
                    sums.LightSamples++;
                    if (!sample[0].Receives)
                    {
                        continue;
                    }
                    sums.Receivers++;
                    sums.HalfReceivers += (int)(1 - (index & 1));
                    sums.Open += OpenTo(moment.Pass, sample[0], y * _width + x);
                    own.Clear();
                    cast++;
                    Between(moment, sample[0], lights, own, index, seed, ref sums, ref cast);
                    Light(moment.Pass, sample, lights, own, index, ref sums, ref cast);
                }
            }
        }
    }

    private readonly record struct RenderedSpot(float Distance, Vector3 Color, float Alpha, int Layer);

    /// <summary>What layers rendered elsewhere show at a pixel, from near to far.</summary>
    private int RenderedAt(int pixel, Span<RenderedSpot> spots)
    {
        int n = 0;
        for (int l = 0; l < _options.Rendered.Count; l++)
        {
            RenderedLayer layer = _options.Rendered[l];
            ReadOnlySpan<float> c = layer.Rgba.Data.AsSpan(4 * pixel, 4);
            if (c[3] > 0)
            {
                spots[n++] = new(layer.Distance[pixel], new(c[0], c[1], c[2]), MathF.Min(1, c[3]), l);
            }
        }
        for (int i = 1; i < n; i++)
        {
            for (int k = i; k > 0 && spots[k].Distance < spots[k - 1].Distance; k--)
            {
                (spots[k], spots[k - 1]) = (spots[k - 1], spots[k]);
            }
        }
        return n;
    }

    private void Laid(
        in RenderedSpot spot,
        in SetSample s,
        int pixel,
        uint index,
        Tally tally,
        ReadOnlySpan<BlendedSpot> blended,
        ref float open,
        ref Sums sums
    )
    {
        Vector3 own = spot.Alpha > 0 ? spot.Color / spot.Alpha : default;
        float shown = Add(
            spot.Color * Through(blended, own, spot.Distance) * open,
            spot.Alpha * open,
            spot.Distance,
            s,
            pixel,
            index,
            ref sums
        );
        if (_objects is not null)
        {
            tally.Objects.Add(_still.Scene.ThingsShown + spot.Layer, shown);
        }
        open *= 1 - spot.Alpha;
    }

    /// <summary>What the set and what was filmed leave to be seen at a distance.</summary>
    private float Kept(float distance, in SetSample s, int pixel)
    {
        if (distance >= s.HideDistance)
        {
            return 0;
        }
        float shows = 1;
        foreach (HidingMatte m in _options.Mattes)
        {
            if (distance > m.Beyond)
            {
                shows *= 1 - m.Coverage[pixel];
            }
        }
        return shows;
    }

    /// <summary>Colour and coverage before and after holding out; gives the coverage after.</summary>
    private float Add(Vector3 color, float alpha, float distance, in SetSample s, int pixel, uint index, ref Sums sums)
    {
        sums.Before += alpha;
        sums.Color += color;
        if ((index & 1) == 0)
        {
            sums.HalfColor += color;
        }
        if (float.IsFinite(distance))
        {
            (sums.DistanceSum, sums.DistanceWeight) = (sums.DistanceSum + alpha * distance, sums.DistanceWeight + alpha);
        }
        float shows = Kept(distance, s, pixel);
        sums.After += alpha * shows;
        sums.Shown += alpha * shows;
        sums.HeldColor += color * shows;
        return alpha * shows;
    }

    private void Seen(
        Moment moment,
        in Hit hit,
        in Ray ray,
        in SetSample s,
        int pixel,
        float open,
        uint index,
        uint seed,
        Span<Vector3> byLight,
        Tally tally,
        ReadOnlySpan<BlendedSpot> blended,
        ref Sums sums,
        ref long cast
    )
    {
        float near = 1;
        if (_touching)
        {
            float clear = moment.Shader.Open(hit, ray, _reach, index, seed);
            (sums.ElementOpen, sums.ElementSamples) = (sums.ElementOpen + open * clear, sums.ElementSamples + open);
            near = 1 - _look * (1 - clear);
            cast += ContactRays;
        }
        float by = near * open;
        Shaded shaded = moment.Shader.Shade(hit, ray, index, seed, byLight, by);
        if (_parts is not null || _smoother is not null)
        {
            sums.Parts.Add(shaded, open, by);
            if ((index & 1) == 0)
            {
                sums.HalfParts.Add(shaded, open, by);
                sums.HalfBefore += open;
            }
        }
        float shown = Add(shaded.Color * Through(blended, shaded.Color, hit.T) * by, open, hit.T, s, pixel, index, ref sums);
        if (_objects is null)
        {
            return;
        }
        int thing = moment.Scene.ThingOf(hit.Instance);
        tally.Objects.Add(thing, shown);
        ElementModel model = moment.Scene.Elements[hit.Instance].Model;
        tally.Materials.Add(
            _firstMaterial[thing] + Math.Clamp(model.Tree.Mesh.Materials?[hit.Triangle] ?? 0, 0, Math.Max(0, model.Materials.Count - 1)),
            shown
        );
    }

    /// <summary>A picture that is blended with what lies behind it, as a ray meets it.</summary>
    private readonly record struct BlendedSpot(Shots.ElementBlend How, Vector3 Color, float Alpha, float Distance);

    /// <summary>By what the pictures nearer than a distance multiply what is there.</summary>
    private static Vector3 Through(ReadOnlySpan<BlendedSpot> spots, Vector3 behind, float distance)
    {
        Vector3 leaves = Vector3.One;
        // The one that is nearest comes last.
        for (int i = spots.Length - 1; i >= 0; i--)
        {
            if (spots[i].Distance < distance)
            {
                leaves *= Blending.Leaves(spots[i].How, spots[i].Color, spots[i].Alpha, behind * leaves);
            }
        }
        return leaves;
    }

    private Vector3 PlateAt(int pixel) => new(_plate.Data[3 * pixel], _plate.Data[3 * pixel + 1], _plate.Data[3 * pixel + 2]);

    /// <summary>
    /// Pictures that are blended with what is behind them, from near to far, of each its nearest face; the light of what is added is counted
    /// as far as an element or what was rendered elsewhere leaves it to be seen.
    /// </summary>
    private int Blended(
        Moment moment,
        Ray ray,
        in SetSample s,
        int pixel,
        ReadOnlySpan<RenderedSpot> rendered,
        uint index,
        uint seed,
        Span<BlendedSpot> spots,
        ref Sums sums,
        ref long cast
    )
    {
        int first = moment.Scene.FirstBlended;
        Span<bool> met = stackalloc bool[moment.Scene.Elements.Count - first];
        float whole = s.Piece >= 0 ? s.Distance : float.PositiveInfinity;
        Vector3 leaves = Vector3.One;
        int n = 0;
        for (int k = 0; k < spots.Length; k++)
        {
            cast++;
            Hit hit = moment.Scene.NextBlended(ray);
            if (!hit.IsHit)
            {
                return n;
            }
            if (!met[hit.Instance - first])
            {
                met[hit.Instance - first] = true;
                PlacedElement own = moment.Scene.Elements[hit.Instance];
                float alpha = own.Stops(hit, whole),
                    shows = Clear(moment, ray, hit, rendered, whole, ref cast);
                if (alpha > 0 && shows > 0)
                {
                    Vector3 colour = alpha * moment.Shader.Shade(hit, ray, index, seed, []).Color,
                        light = shows * Blending.Adds(own.Blend, colour) * leaves;
                    if (light != default)
                    {
                        Add(light, 0, hit.T, s, pixel, index, ref sums);
                        sums.Parts.Emission += light;
                    }
                    if (own.Blend != Shots.ElementBlend.Added)
                    {
                        // What hides it hides what it changes too.
                        float kept = shows * Kept(hit.T, s, pixel);
                        spots[n] = new(own.Blend, kept * colour, kept * alpha, hit.T);
                        leaves *= Blending.Leaves(own.Blend, spots[n].Color, spots[n].Alpha, PlateAt(pixel));
                        n++;
                    }
                }
            }
            ray = ray.Beyond(hit);
            if (ray.TMin >= ray.TMax)
            {
                return n;
            }
        }
        return n;
    }

    /// <summary>What elements and what was rendered elsewhere leave to be seen of a place along a ray.</summary>
    private static float Clear(Moment moment, in Ray ray, in Hit of, ReadOnlySpan<RenderedSpot> rendered, float set, ref long cast)
    {
        float shows = 1;
        foreach (RenderedSpot spot in rendered)
        {
            shows *= spot.Distance < of.T ? 1 - spot.Alpha : 1;
        }
        Ray before = ray with { TMin = 0, TMax = of.T };
        for (int k = 0; k < SeenSet.MostLayers && shows > Closed && before.TMin < before.TMax; k++)
        {
            cast++;
            Hit hit = moment.Scene.Nearest(before);
            if (!hit.IsHit)
            {
                return shows;
            }
            shows *= 1 - moment.Scene.Elements[hit.Instance].Stops(hit, set);
            before = before.Beyond(hit);
        }
        return shows;
    }

    /// <summary>What a mirroring piece shows of elements in the place of what it showed.</summary>
    private void Mirrored(Moment moment, in SetSample s, Material mirror, float share, uint index, uint seed, ref Sums sums, ref long cast)
    {
        if (
            share <= 0
            || !Bsdf.SampleSpecular(
                mirror,
                s.Normal,
                Vector3.Negate(s.Direction),
                Sampling.Point(index, seed, 50),
                out Vector3 r,
                out float weight,
                out float vh
            )
            || !moment.Scene.MayMeet(s.Point, r)
        )
        {
            return;
        }
        var ray = new Ray(s.Point, r);
        cast++;
        Hit hit = moment.Scene.Intersect(ray);
        if (!hit.IsHit || moment.Pass.Set.Scene.Occluded(ray with { TMax = hit.T }, RayKinds.CameraSet))
        {
            return;
        }
        sums.Mirror +=
            share
            * weight
            * Bsdf.Fresnel(mirror.F0, vh, mirror.F90)
            * (moment.Shader.Shade(hit, ray, index, seed, []).Color - moment.Shader.FromPlace(ray, index, seed));
    }

    /// <summary>What elements keep of the skies' light, by a ray aimed at them.</summary>
    private void KeptOfSkies(Moment moment, in SetSample s, uint index, uint seed, ref Sums sums, ref long cast)
    {
        if (!moment.Scene.Towards(s.Point, s.Normal, Sampling.Point(index, seed, 52), out Vector3 d, out float density) || density <= 0)
        {
            return;
        }
        var ray = new Ray(s.Point, d);
        cast++;
        if (!moment.Scene.Occluded(ray, ShownBy(moment.Pass, s)))
        {
            return;
        }
        cast++;
        if (moment.Pass.Set.Scene.Occluded(ray, RayKinds.LightSet))
        {
            return;
        }
        float by = Vector3.Dot(d, s.Normal) / density;
        foreach (SampledLight sky in _skies)
        {
            Vector3 e = by * sky.Radiance(d);
            if (!sky.InPlate)
            {
                sums.KeptNew += e;
                sums.HalfNew -= (index & 1) == 0 ? e : default;
                continue;
            }
            sums.Kept += e;
            if ((index & 1) == 0)
            {
                sums.HalfKept += e;
            }
        }
        sums.SkyKept += by / MathF.PI;
        sums.Between = true;
    }

    private void Bounce(Moment moment, in SetSample s, uint index, uint seed, ref Sums sums, ref long cast)
    {
        if (!moment.Scene.Towards(s.Point, s.Normal, Sampling.Point(index, seed, 51), out Vector3 d, out float density) || density <= 0)
        {
            return;
        }
        var ray = new Ray(s.Point, d);
        cast++;
        Hit hit = moment.Scene.Intersect(ray);
        if (!hit.IsHit || moment.Pass.Set.Scene.Occluded(ray with { TMax = hit.T }, RayKinds.LightSet))
        {
            return;
        }
        var (plate, added) = moment.Shader.Bounced(hit, ray, index, seed);
        float by = Vector3.Dot(d, s.Normal) / density;
        sums.Bounced += by * plate;
        sums.BouncedNew += by * added;
        if ((index & 1) == 0)
        {
            sums.Half1 += by * plate;
            sums.HalfNew += by * added;
        }
        sums.Between = true;
    }

    /// <summary>Irradiance on the receivers without and with elements, and from new lamps.</summary>
    private void Light(
        SetPass pass,
        ReadOnlySpan<SetSample> row,
        ReadOnlySpan<LightSample> lights,
        ReadOnlySpan<bool> closed,
        uint first,
        ref Sums sums,
        ref long cast
    )
    {
        for (int i = 0; i < row.Length; i++)
        {
            ref readonly SetSample s = ref row[i];
            if (!s.Receives)
            {
                continue;
            }
            Vector3 without = pass.Rig.FillPlate,
                with = pass.Rig.FillPlate,
                lamps = pass.Rig.FillNew;
            for (int k = 0; k < _perSample; k++)
            {
                LightSample light = lights[i * _perSample + k];
                if (s.FewSky && _skyRay[k] >= SetPass.FewSkyRays)
                {
                    continue;
                }
                if (_isSun[k])
                {
                    sums.SunRays++;
                }
                else if (_isAround[k])
                {
                    sums.SkyRays++;
                }
                if (!pass.IsKept && light.Factor != 0)
                {
                    cast++;
                }
                if (!pass.IsOpen(s, light))
                {
                    continue;
                }
                Vector3 e = light.Irradiance;
                bool open = !closed[i * _perSample + k];
                if (open && _isSun[k])
                {
                    sums.SunOpen++;
                }
                else if (open && _isAround[k])
                {
                    sums.SkyOpen += light.Factor;
                }
                if (_isNew[k])
                {
                    if (open)
                    {
                        lamps += e;
                    }
                    continue;
                }
                without += e;
                if (open)
                {
                    with += e;
                }
            }
            sums.E0 += without;
            sums.E1 += with;
            sums.New += lamps;
            if (((first + (uint)i) & 1) == 0)
            {
                (sums.Half0, sums.Half1, sums.HalfNew) = (sums.Half0 + without, sums.Half1 + with, sums.HalfNew + lamps);
            }
        }
    }

    private void Store(int x, int y, in Sums sums, ReadOnlySpan<Vector3> byLight)
    {
        float inverse = 1f / _samples,
            share = sums.Open / sums.LightSamples;
        if (_contact is not null)
        {
            // What the comp shows there: the element's own where it stands, else the set's.
            float setOpen = sums.Receivers > 0 ? 1 - (float)sums.SetClosed / (ContactRays * sums.Receivers) : 1,
                covered = sums.Before * inverse;
            _contact[x, y, 0] = covered * (sums.ElementSamples > 0 ? sums.ElementOpen / sums.ElementSamples : 1) + (1 - covered) * setOpen;
            _setContact![y * _width + x] = 1 - _look * (1 - setOpen) * share;
        }
        Rgba(_element, x, y, sums.Color * inverse, sums.Before * inverse);
        Rgba(_held, x, y, sums.HeldColor * inverse, sums.After * inverse);
        _holdout[x, y, 0] = (sums.Before - sums.After) * inverse;
        if (_mirror is not null)
        {
            Rgb(_mirror, x, y, sums.Mirror * inverse);
        }
        if (_parts is not null && (sums.Before > 0 || sums.Color != default))
        {
            Rgb(_parts.Albedo, x, y, sums.Parts.Albedo * inverse);
            Rgb(_parts.Diffuse, x, y, sums.Parts.Diffuse * inverse);
            Rgb(_parts.Specular, x, y, sums.Parts.Specular * inverse);
            Rgb(_parts.Reflection, x, y, sums.Parts.Reflection * inverse);
            Rgb(_parts.Emission, x, y, sums.Parts.Emission * inverse);
            for (int k = 0, g = 0; k < _rig.Sampled.Count; k++)
            {
                if (_rig.Sampled[k].LightsElements)
                {
                    Rgb(_parts.Groups[g++].Rgb, x, y, byLight[k] * inverse);
                }
            }
        }
        if (_through is not null)
        {
            Rgb(_through, x, y, sums.ThroughWeight > 0 ? sums.Through / sums.ThroughWeight : Vector3.One);
        }
        _share[y * _width + x] = share;
        _distance[y * _width + x] = sums.DistanceWeight > 0 ? sums.DistanceSum / sums.DistanceWeight : float.PositiveInfinity;
        _visibility[x, y, 0] = sums.SunRays > 0 ? (float)sums.SunOpen / sums.SunRays : 1;
        _ao[x, y, 0] = sums.SkyRays > 0 ? MathF.Max(0, sums.SkyOpen / sums.SkyRays - sums.SkyKept / Math.Max(1, sums.Receivers)) : 1;
        for (int c = 0; c < 3; c++)
        {
            // Equal sums mean that nothing came between: the ratio is then exactly 1.
            _shadow[x, y, c] = sums.E1[c] == sums.E0[c] || sums.E0[c] <= 0 ? 1 : sums.E1[c] / sums.E0[c];
            _e0[x, y, c] = sums.Receivers > 0 ? sums.E0[c] / sums.Receivers : 0;
            _en[x, y, c] = sums.Receivers > 0 ? sums.New[c] / sums.Receivers : 0;
        }
        if (_smoother is not null)
        {
            Kept(_smoother, x, y, sums);
        }
        ref var errors = ref _errors[y];
        Vector3 rest0 = sums.E0 - sums.Half0;
        if (sums.Between && sums.Half0.Y > 0 && rest0.Y > 0)
        {
            float apart = (sums.Half1.Y / sums.Half0.Y - (sums.E1.Y - sums.Half1.Y) / rest0.Y) / 2;
            (errors.Shadow, errors.Shadowed) = (errors.Shadow + apart * apart, errors.Shadowed + 1);
        }
        if (sums.Before >= _samples - 0.001f && _samples > 1)
        {
            float apart = (2 * Luminance.Of(sums.HalfColor) - Luminance.Of(sums.Color)) * inverse;
            (errors.Element, errors.Covered) = (errors.Element + apart * apart, errors.Covered + 1);
        }
    }

    /// <summary>What of a pixel is smoothed.</summary>
    private void Kept(FrameSmoother smoother, int x, int y, in Sums sums)
    {
        void Add(SmoothedPixels to, Vector3 all, Vector3 half, Vector3 allBy, Vector3 halfBy) =>
            to.Add(x, y, _samples == 1 ? HalfSums.Single(x, y, all, allBy) : HalfSums.Of(all, half, allBy, halfBy));
        if (sums.Receivers > 0)
        {
            Vector3 all = new(sums.Receivers),
                half = new(sums.HalfReceivers);
            // Kept samples know what the set closes and others do not: what came between there changed nothing.
            if (sums.Between && (sums.E1 != sums.E0 || sums.Half1 != sums.Half0))
            {
                Add(smoother.Shadow, sums.E1, sums.Half1, sums.E0, sums.Half0);
            }
            if (_rig.HasNew || sums.New != default)
            {
                Add(smoother.Lamps, sums.New, sums.HalfNew, all, half);
                Add(smoother.Plate, sums.E0, sums.Half0, all, half);
            }
        }
        // What is blended with what lies behind it stays as it was sampled, and so does what was rendered elsewhere. An element's pixel whose
        // rays found no light is one of them.
        bool isShaded = _options.Rendered.Count == 0 || sums.Parts.Albedo + sums.Parts.Color != default;
        if (sums.Before > 0 && isShaded && _through is null)
        {
            Add(smoother.Diffuse, sums.Parts.Diffuse, sums.HalfParts.Diffuse, sums.Parts.Albedo, sums.HalfParts.Albedo);
            Add(
                smoother.Rest,
                sums.Parts.Specular + sums.Parts.Reflection,
                sums.HalfParts.Specular + sums.HalfParts.Reflection,
                new(sums.Before),
                new(sums.HalfBefore)
            );
        }
    }

    /// <summary>The light of a whole frame smoothed; its error as it was estimated, root mean square over shadowed pixels and over covered ones.</summary>
    private (double Shadow, double Element) Smoothed(FrameSmoother smoother, CancellationToken stop)
    {
        float pixel = 1 / (float)_still.Pass.Camera.Pinhole.Fx;
        Func<int, int, Guide> set = _guides is { } own ? (x, y) => own[y * _width + x] : _still.Pass.Shown;
        double shadow = 0,
            element = 0;
        long shadowed = 0,
            covered = 0;
        smoother.Lay(smoother.Shadow, set, pixel, true, Shade, stop);
        smoother.Lay(smoother.Lamps, set, pixel, false, (x, y, _, light, _) => Rgb(_en, x, y, light), stop);
        smoother.Lay(smoother.Plate, set, pixel, false, (x, y, _, light, _) => Rgb(_e0, x, y, light), stop);
        smoother.Lay(smoother.Diffuse, ElementGuide, pixel, false, (x, y, own, light, square) => Lit(x, y, own, light, square, true), stop);
        smoother.Lay(smoother.Rest, ElementGuide, pixel, false, (x, y, own, light, square) => Lit(x, y, own, light, square, false), stop);
        return (shadowed > 0 ? Math.Sqrt(shadow / shadowed) : 0, covered > 0 ? Math.Sqrt(element / covered) : 0);

        void Shade(int x, int y, HalfSums own, Vector3 ratio, float square)
        {
            if (own != default)
            {
                (shadow, shadowed) = (shadow + square, shadowed + 1);
            }
            _smoothed![y * _width + x] = true;
            // As good as one: nothing came between.
            Rgb(_shadow, x, y, Vector3.DistanceSquared(ratio, Vector3.One) < 1e-8f ? Vector3.One : ratio);
        }
        void Lit(int x, int y, HalfSums own, Vector3 light, float square, bool isDiffuse)
        {
            float inverse = 1f / _samples,
                before = _element[x, y, 3];
            Vector3 by = (own.EvenBy + own.OddBy) * inverse,
                change = by * light - (own.Even + own.Odd) * inverse;
            float held = before > 0 ? _held[x, y, 3] / before : 0;
            for (int c = 0; c < 3; c++)
            {
                _element[x, y, c] += change[c];
                _held[x, y, c] += held * change[c];
            }
            if (_parts is not null)
            {
                for (int c = 0; c < 3; c++)
                {
                    float specular = _parts.Specular[x, y, c],
                        both = specular + _parts.Reflection[x, y, c],
                        share = both > 0 ? specular / both : 0;
                    _parts.Diffuse[x, y, c] += isDiffuse ? change[c] : 0;
                    _parts.Specular[x, y, c] += isDiffuse ? 0 : share * change[c];
                    _parts.Reflection[x, y, c] += isDiffuse ? 0 : (1 - share) * change[c];
                }
            }
            if (before >= 0.999f)
            {
                float weight = Luminance.Of(by);
                (element, covered) = (element + square * weight * weight, covered + (isDiffuse ? 1 : 0));
            }
        }
    }

    /// <summary>What elements show in the middle of a pixel.</summary>
    private Guide ElementGuide(int x, int y) =>
        _still.Pass.Camera.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d)
        && new Ray(_still.Pass.Camera.Origin, d) is var ray
        && _still.Scene.Nearest(ray) is { IsHit: true } hit
            ? new(hit.Instance, hit.T * d, Facing(_still.Scene.Instances[hit.Instance].Normal(hit), d))
            : Guide.None;

    private static Vector3 Facing(Vector3 normal, Vector3 seenAlong) => Vector3.Dot(normal, seenAlong) > 0 ? -normal : normal;

    /// <summary>The ratio and the added light of a whole frame; then the comp, and where it differs from the plate.</summary>
    private (FloatImage Comp, bool[] Touched) Merge()
    {
        float[] floor = WeakLight();
        Parallel.For(0, _height, Cores.All, y =>
        {
            for (int i = 3 * y * _width; i < 3 * (y + 1) * _width; i++)
            {
                float ratio = _shadow.Data[i],
                    brought = _en.Data[i];
                // Most of a frame: nothing was kept from it, nothing brought.
                if (ratio == 1 && !(brought > 0))
                {
                    continue;
                }
                float c = _share[i / 3],
                    own = _e0.Data[i];
                bool weak = own < floor[i % 3];
                _shadow.Data[i] = ratio == 1 || (weak && _smoothed?[i / 3] != true) ? 1 : c * ratio + (1 - c);
                if (brought > 0)
                {
                    _added.Data[i] = c * brought * (weak ? AssumedAlbedo / MathF.PI : _plate.Data[i] / own);
                }
            }
        });
        for (int i = 0; i < (_through?.Data.Length ?? 0); i++)
        {
            _shadow.Data[i] *= _through!.Data[i];
            _added.Data[i] *= _through.Data[i];
            if (_mirror is not null)
            {
                _mirror.Data[i] *= _through.Data[i];
            }
        }
        return FrameMerge.Over(_held, _plate, _shadow, _setContact, _added, _mirror, _options.Mattes, _options.Background?.Touched);
    }

    private static void Rgb(FloatImage image, int x, int y, Vector3 rgb)
    {
        Span<float> p = image.Pixel(x, y);
        (p[0], p[1], p[2]) = (rgb.X, rgb.Y, rgb.Z);
    }

    private static void Rgba(FloatImage image, int x, int y, Vector3 rgb, float alpha)
    {
        Rgb(image, x, y, rgb);
        image[x, y, 3] = alpha;
    }

    /// <summary>Every eighth pixel each way answers for the frame's light whatever is near it.</summary>
    private bool IsProbe(int x, int y) =>
        ((x - _pass.Margin) & 7) == 4
        && ((y - _pass.Margin) & 7) == 4
        && x >= _pass.Margin
        && y >= _pass.Margin
        && x < _width - _pass.Margin
        && y < _height - _pass.Margin;

    /// <summary>1 % of the median E0 of the receiving probe pixels, per channel: below it S is noise and counts as 1.</summary>
    private float[] WeakLight()
    {
        var result = new float[3];
        var values = new List<float>(_share.Length / 64 + 1);
        for (int c = 0; c < 3; c++)
        {
            values.Clear();
            for (int i = 0; i < _share.Length; i++)
            {
                if (_share[i] > 0 && IsProbe(i % _width, i / _width))
                {
                    values.Add(_e0.Data[3 * i + c]);
                }
            }
            values.Sort();
            result[c] = values.Count > 0 ? 0.01f * values[values.Count / 2] : 0;
        }
        return result;
    }

    /// <summary>Depth, position, normal, texture place and motion at the pixel's centre: the nearest of set and element.</summary>
    private void Data(int x, int y)
    {
        _depth[x, y, 0] = float.PositiveInfinity;
        if (!_still.Pass.Camera.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d))
        {
            return;
        }
        var ray = new Ray(_still.Pass.Camera.Origin, d);
        Hit hit = _still.Pass.Set.Scene.Intersect(ray, RayKinds.CameraSet);
        TraceInstance? instance = hit.IsHit ? _still.Pass.Set.Instances[hit.Instance] : null;
        Similarity? moves = hit.IsHit ? _options.Next?.Pieces?[_still.Pass.Set.PieceOf(hit)] : null;
        Vec3? place = null;
        // A piece that does not hide leaves the element seen through it; one that is held out smaller or larger hides it there.
        Hit own = _still.Scene.Intersect(ray with { TMax = _still.Pass.Set.HideDistance(ray, hit) });
        if (own.IsHit)
        {
            (hit, instance) = (own, _still.Scene.Instances[own.Instance]);
            moves = null;
            place = _options.Next?.Elements[own.Instance].PlaceOf(own, _still.Scene.Elements[own.Instance], ray.At(own.T));
            if (_parts is not null)
            {
                Vector2 uv = instance.Tree.Mesh.TextureCoordinate(own.Triangle, own.U, own.V);
                (_parts.Uv[x, y, 0], _parts.Uv[x, y, 1]) = (uv.X, uv.Y);
            }
        }
        if (instance is null)
        {
            return;
        }
        Vector3 p = ray.At(hit.T),
            n = instance.Normal(hit);
        if (Vector3.Dot(n, d) > 0)
        {
            n = -n;
        }
        _depth[x, y, 0] = _still.Pass.Camera.DepthOf(p);
        Rgb(_position, x, y, p);
        Rgb(_normal, x, y, n);
        if (_parts is not null && _options.Next is { } next)
        {
            Vec3 then = place ?? (moves is { } m ? m.Apply(Vec3.From(p)) : Vec3.From(p));
            if (next.Pinhole.TryProject(next.CameraToWorld, then, out double px, out double py))
            {
                double way = next.Back ? -1 : 1;
                (_parts.Motion[x, y, 0], _parts.Motion[x, y, 1]) = (
                    (float)(way * (px * _width / next.Pinhole.Width - x - 0.5)),
                    (float)(way * (py * _height / next.Pinhole.Height - y - 0.5))
                );
            }
        }
    }
}
