using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Lighting.Smoothing;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// One camera sample of the set without elements: where it lands, and how far an element must be in front to be seen.
/// Its light samples stand beside it in the pass.
/// </summary>
public struct SetSample
{
    public Vector3 Point;
    public Vector3 Direction;
    public Vector3 Normal;
    public float Distance;
    public float HideDistance;
    public int Piece;
    public bool Receives;

    /// <summary>Of its rays to a sky only <see cref="SetPass.FewSkyRays"/> were drawn, each counting for more.</summary>
    public bool FewSky;
}

/// <summary>
/// The "without" half of differential rendering (Debevec, SIGGRAPH 1998). Samples depend on the camera, the set, the lights
/// and the seed, never on elements: "with" and "without" share them, and while an element is dragged they are kept. A pass
/// that is not kept leaves open whether the set closes a light ray until <see cref="IsOpen"/> is asked: most pixels of a
/// frame are out of the elements' reach and never ask.
/// </summary>
public sealed class SetPass
{
    /// <summary>So many rays tell the light of a sky where what elements keep of it is asked otherwise.</summary>
    public const int FewSkyRays = 4;

    private readonly SetSample[]? _samples;
    private readonly LightSample[]? _lights;

    public RayGrid Camera { get; }
    public SetScene Set { get; }
    public LightRig Rig { get; }
    public RenderQuality Quality { get; }
    public uint Seed { get; }
    public int LightSamplesPerCameraSample { get; }
    private readonly SkyOpenings? _openings;
    private readonly float[]? _hideDistance;
    private readonly bool _centred;
    private readonly float[]?[]? _reaches;
    private readonly Func<Vector3, Vector3, int, int, float>? _covers;
    private readonly bool[]? _closed;

    /// <summary>Number of its first camera sample among all of a pixel: passes of one frame at several moments share them out.</summary>
    public uint FirstSample { get; }

    /// <summary>
    /// So many pixels on every side, of a pass that is not kept, lie beyond the plate (overscan): it shows nothing there. Those within have
    /// the samples that they have without them.
    /// </summary>
    public int Margin { get; init; }

    /// <summary>What a pixel's samples are drawn from.</summary>
    public uint PixelSeed(int x, int y) => Sampling.PixelSeed(x - Margin, y - Margin, Seed);

    /// <param name="hideDistance">
    /// By pixel: how far away something hides elements that is no piece (found depth); +∞ where nothing does. Null: nowhere.
    /// </param>
    /// <param name="reaches">By sampled light: by pixel how much of it reaches the set there, 0..1; null: all of it.</param>
    /// <param name="centred">A single sample of a pixel sits in its middle.</param>
    /// <param name="covers">
    /// How much of a seen piece covers what is behind it at a place, with the face's normal, the piece and the pixel; null: all of it.
    /// </param>
    /// <param name="closed">By pixel: it need not be asked, what is met first covers all.</param>
    public SetPass(
        RayGrid camera,
        SetScene set,
        LightRig rig,
        SkyOpenings? openings,
        RenderQuality quality,
        uint seed,
        bool keep,
        float[]? hideDistance = null,
        IReadOnlyList<float[]?>? reaches = null,
        uint firstSample = 0,
        bool centred = true,
        Func<Vector3, Vector3, int, int, float>? covers = null,
        bool[]? closed = null
    )
    {
        (_covers, _closed) = (covers, closed);
        (FirstSample, _centred) = (firstSample, centred && quality.CameraSamples == 1);
        _reaches = reaches?.ToArray();
        (Camera, Set, Rig, Quality, Seed, _openings) = (camera, set, rig, quality, seed, openings);
        _hideDistance = hideDistance;
        LightSamplesPerCameraSample = rig.Sampled.Sum(RaysTo);
        if (!keep)
        {
            return;
        }
        int width = camera.Pinhole.Width,
            height = camera.Pinhole.Height,
            n = quality.CameraSamples,
            l = LightSamplesPerCameraSample;
        _samples = new SetSample[width * height * n];
        _lights = new LightSample[width * height * n * l];
        Parallel.For(0, height, Cores.All, y =>
            Trace(y, _samples.AsSpan(y * width * n, width * n), _lights.AsSpan(y * width * n * l, width * n * l), null)
        );
    }

    /// <summary>Of the samples that are kept.</summary>
    public long KeptBytes =>
        (_samples?.LongLength ?? 0) * System.Runtime.CompilerServices.Unsafe.SizeOf<SetSample>()
        + (_lights?.LongLength ?? 0) * System.Runtime.CompilerServices.Unsafe.SizeOf<LightSample>();

    /// <summary>What the middle of a pixel shows of the set.</summary>
    internal Guide Shown(int x, int y)
    {
        if (
            !Camera.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d)
            || Set.Scene.Intersect(new Ray(Camera.Origin, d), RayKinds.CameraSet) is not { IsHit: true } hit
        )
        {
            return Guide.None;
        }
        Vector3 normal = Set.Instances[hit.Instance].Normal(hit);
        return new(Set.PieceOf(hit), hit.T * d, Vector3.Dot(normal, d) > 0 ? -normal : normal);
    }

    /// <summary>Whether the set leaves a light ray of a sample open.</summary>
    public bool IsOpen(in SetSample sample, in LightSample light) =>
        light.Factor != 0
        && (_samples is not null || !Set.Scene.Occluded(new Ray(sample.Point, light.Direction, 0, light.Distance), RayKinds.LightSet));

    /// <summary>Kept samples know already which light rays are open.</summary>
    public bool IsKept => _samples is not null;

    public int RaysTo(SampledLight light) => light.IsAround || light.Kind == LightKind.Rectangle ? Quality.SkyRays : Quality.SunRays;

    /// <summary>A row of pixels' samples and their light samples.</summary>
    public struct RowOfSamples
    {
        internal SetSample[]? Own;
        internal LightSample[]? OwnLights;
        public ReadOnlyMemory<SetSample> Samples;
        public ReadOnlyMemory<LightSample> Lights;
    }

    /// <summary>The samples of a row of pixels: from the kept ones, or traced into the row's own memory, which is used again.</summary>
    /// <param name="few">Whether few rays to a sky do at a spot with a normal; null: nowhere. Kept samples have all.</param>
    public void Row(int y, ref RowOfSamples row, Func<Vector3, Vector3, bool>? few = null)
    {
        int n = Camera.Pinhole.Width * Quality.CameraSamples,
            l = n * LightSamplesPerCameraSample;
        if (_samples is not null)
        {
            (row.Samples, row.Lights) = (_samples.AsMemory(y * n, n), _lights.AsMemory(y * l, l));
            return;
        }
        row.Own ??= new SetSample[n];
        row.OwnLights ??= new LightSample[l];
        Trace(y, row.Own, row.OwnLights, few);
        (row.Samples, row.Lights) = (row.Own, row.OwnLights);
    }

    /// <summary>
    /// One more camera sample of a pixel, beyond those of its row, and its light samples, which <see cref="IsOpen"/> answers for.
    /// </summary>
    public SetSample Again(int x, int y, uint index, uint seed, Span<LightSample> lights, Func<Vector3, Vector3, bool>? few) =>
        Sample(x, y, index, seed, lights, closed: IsKept, few);

    private void Trace(int y, Span<SetSample> samples, Span<LightSample> lights, Func<Vector3, Vector3, bool>? few)
    {
        int n = Quality.CameraSamples,
            l = LightSamplesPerCameraSample;
        for (int x = 0; x < Camera.Pinhole.Width; x++)
        {
            uint seed = PixelSeed(x, y);
            for (int i = 0; i < n; i++)
            {
                int at = x * n + i;
                samples[at] = Sample(x, y, FirstSample + (uint)i, seed, lights.Slice(at * l, l), closed: IsKept, few);
            }
        }
    }

    private SetSample Sample(int x, int y, uint index, uint seed, Span<LightSample> lights, bool closed, Func<Vector3, Vector3, bool>? few)
    {
        lights.Clear();
        // One sample a pixel sits in the middle; more are spread over the pixel's square (box filter).
        Vector2 spot = _centred ? new(0.5f, 0.5f) : Sampling.Point(index, seed, 0);
        var s = new SetSample
        {
            Piece = -1,
            Distance = float.PositiveInfinity,
            HideDistance = float.PositiveInfinity,
        };
        if (!Camera.TryDirection(x, y, spot, out s.Direction))
        {
            return s;
        }
        var ray = new Ray(Camera.Origin, s.Direction);
        Hit hit = Set.Scene.Intersect(ray, RayKinds.CameraSet);
        if (_covers is not null && _closed?[y * Camera.Width + x] != true)
        {
            PassOpenOnes(ref ray, ref hit, y * Camera.Width + x, Sampling.Point(index, seed, 61).X);
        }
        s.HideDistance = Set.HideDistance(ray, hit);
        if (_hideDistance is not null)
        {
            s.HideDistance = MathF.Min(s.HideDistance, _hideDistance[y * Camera.Width + x]);
        }
        if (!hit.IsHit)
        {
            return s;
        }
        s.Distance = hit.T;
        s.Piece = Set.PieceOf(hit);
        Duties duties = Set.Pieces[s.Piece].Duties;
        s.Receives = duties.Receives;
        TraceInstance instance = Set.Instances[hit.Instance];
        Vector3 face = instance.FaceNormal(hit),
            n = instance.Normal(hit);
        if (Vector3.Dot(face, s.Direction) > 0)
        {
            face = -face;
        }
        if (Vector3.Dot(n, face) < 0)
        {
            n = -n;
        }
        Vector3 p = ray.At(hit.T);
        (s.Point, s.Normal) = (p + face * SurfaceOffset(p, hit.T), face);
        if (!s.Receives)
        {
            return s;
        }

        s.FewSky = few is not null && Quality.SkyRays > FewSkyRays && few(s.Point, s.Normal);
        int at = 0;
        for (int k = 0; k < Rig.Sampled.Count; k++)
        {
            SampledLight light = Rig.Sampled[k];
            int all = RaysTo(light),
                rays = s.FewSky && light.IsSky ? FewSkyRays : all,
                next = at + all;
            for (uint j = 0; j < rays; j++, at++)
            {
                if (!light.LightsSet)
                {
                    continue;
                }
                float reaches = _reaches?[k]?[y * Camera.Width + x] ?? 1;
                if (reaches <= 0)
                {
                    continue;
                }
                LightSample l = light.Sample(s.Point, n, Sampling.Point(index * (uint)rays + j, seed, 1 + (uint)k), _openings);
                if (
                    l.Factor > 0
                    && Vector3.Dot(face, l.Direction) > 0
                    && (!closed || !Set.Scene.Occluded(new Ray(s.Point, l.Direction, 0, l.Distance), RayKinds.LightSet))
                )
                {
                    lights[at] = l with { Irradiance = l.Irradiance * (reaches / rays) };
                }
            }
            at = next;
        }
        return s;
    }

    /// <summary>
    /// A sample goes on through a seen piece where that covers less than the sample's own threshold: as many do as it leaves open.
    /// </summary>
    private void PassOpenOnes(ref Ray ray, ref Hit hit, int pixel, float threshold)
    {
        for (int k = 0; k < SeenSet.MostLayers && hit.IsHit && Set.Pieces[Set.PieceOf(hit)].IsSeen; k++)
        {
            Vector3 n = Set.Instances[hit.Instance].FaceNormal(hit);
            if (_covers!(ray.At(hit.T), Vector3.Dot(n, ray.Direction) > 0 ? -n : n, Set.PieceOf(hit), pixel) > threshold)
            {
                return;
            }
            ray = ray.Beyond(hit);
            hit = Set.Scene.Intersect(ray, RayKinds.CameraSet);
        }
    }

    /// <summary>How far a ray's start is lifted off a surface along its normal, in metres: above the rounding of the hit.</summary>
    public static float SurfaceOffset(Vector3 p, float distance)
    {
        Vector3 a = Vector3.Abs(p);
        return 1e-5f * (1 + MathF.Max(a.X, MathF.Max(a.Y, a.Z)) + distance);
    }
}
