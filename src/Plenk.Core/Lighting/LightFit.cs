using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// Lights fitted to a plate: strength times colour of each chosen one, and what is left over, stops (the middle of |log2|).
/// </summary>
public sealed record FittedLights(IReadOnlyList<Vector3> Strengths, double LeftOverStops, double BeforeStops, int Probes);

/// <summary>
/// Strengths and colours of lights from a frame: plate = albedo ÷ π · Σ sₖ Eₖ at many places, the albedo one a piece and channel, the
/// sₖ above 0. Found together by least squares of the logarithms (Gauss–Newton), texture weighted down (Tukey's biweight). Light and
/// albedo cannot be told apart in their product: the middle irradiance stays what it was.
/// </summary>
public sealed class LightFit
{
    private const int Rays = 48; // a light and place

    private readonly record struct Probe(Vector3 Level, int Piece);

    private readonly Probe[] _probes;
    private readonly float[][] _basis; // [light][probe], unit strength, white
    private readonly Vector3[] _fixed; // what the other lights give

    /// <param name="plate">Linear and small.</param>
    /// <param name="chosen">Those that are fitted.</param>
    /// <param name="pieces">Indices of pieces whose surfaces count; null: all that receive.</param>
    public LightFit(
        SetScene set,
        RayGrid camera,
        FloatImage plate,
        SkyOpenings? openings,
        IReadOnlyList<Light> chosen,
        IReadOnlyList<Light> others,
        Func<Light, Panorama>? panorama,
        IReadOnlySet<int>? pieces = null,
        int most = 2500,
        CancellationToken stop = default
    )
    {
        SampledLight[] Of(Light l) =>
            [
                .. LightRig
                    .Of(
                        [
                            l with
                            {
                                Strength = 1,
                                Color = new(1, 1, 1),
                                Kelvin = null,
                                Alone = false,
                                Off = false,
                                HorizonColor = Vec3.From(
                                    l.HorizonColor.ToSingle() / Vector3.Max(SampledLight.ColourOf(l with { Strength = 1 }), new(1e-6f))
                                ),
                            },
                        ],
                        panorama
                    )
                    .Sampled,
            ];
        SampledLight[][] sampled = [.. chosen.Select(Of)];
        bool[] fill = [.. chosen.Select(l => l.Kind == LightKind.Fill)];
        LightRig rest = LightRig.Of(others.Where(l => l.InPlate).Select(l => l with { Alone = false }), panorama);
        int step = Math.Max(1, (int)Math.Sqrt((double)plate.Width * plate.Height / most));
        var places = new List<(Vector3 Point, Vector3 Normal, Probe Probe)>();
        for (int y = step / 2; y < plate.Height; y += step)
        {
            for (int x = step / 2; x < plate.Width; x += step)
            {
                if (!camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                var ray = new Ray(camera.Origin, d);
                Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                if (!hit.IsHit)
                {
                    continue;
                }
                int piece = set.PieceOf(hit);
                if (!set.Pieces[piece].Duties.Receives || (pieces is not null && !pieces.Contains(piece)))
                {
                    continue;
                }
                Vector3 n = set.Instances[hit.Instance].FaceNormal(hit),
                    p = ray.At(hit.T);
                if (Vector3.Dot(n, d) > 0)
                {
                    n = -n;
                }
                Span<float> c = plate.Pixel(x, y);
                if (c[0] is > 2e-3f and < 0.95f && c[1] is > 2e-3f and < 0.95f && c[2] is > 2e-3f and < 0.95f)
                {
                    places.Add((p + n * SetPass.SurfaceOffset(p, hit.T), n, new(new(c[0], c[1], c[2]), piece)));
                }
            }
        }
        _probes = [.. places.Select(p => p.Probe)];
        _basis = [.. chosen.Select(_ => new float[places.Count])];
        _fixed = new Vector3[places.Count];
        Parallel.For(0, places.Count, Cores.Until(stop), i =>
        {
            var (point, normal, _) = places[i];
            Vector3 Mean(SampledLight light, uint pair)
            {
                Vector3 sum = default;
                int rays = light.Kind is LightKind.Point or LightKind.Spot ? 1 : Rays;
                for (uint k = 0; k < rays; k++)
                {
                    LightSample s = light.Sample(point, normal, Sampling.Point(k, (uint)i * 7919 + 1, pair), openings);
                    if (s.Factor > 0 && !set.Scene.Occluded(new Ray(point, s.Direction, 0, s.Distance), RayKinds.LightSet))
                    {
                        sum += s.Irradiance;
                    }
                }
                return sum / rays;
            }
            for (int l = 0; l < sampled.Length; l++)
            {
                if (fill[l])
                {
                    _basis[l][i] = MathF.PI;
                    continue;
                }
                Vector3 e = sampled[l].Aggregate(Vector3.Zero, (sum, light) => sum + Mean(light, (uint)l));
                _basis[l][i] = (e.X + e.Y + e.Z) / 3;
            }
            _fixed[i] = rest.FillPlate;
            for (int k = 0; k < rest.Sampled.Count; k++)
            {
                _fixed[i] += Mean(rest.Sampled[k], 100 + (uint)k);
            }
        });
    }

    public int Probes => _probes.Length;

    /// <summary>Null where too few places are seen, or the chosen lights reach none of them.</summary>
    public FittedLights? Solve(IReadOnlyList<Vector3> start)
    {
        int lights = _basis.Length;
        if (_probes.Length < 60 || lights == 0)
        {
            return null;
        }
        for (int l = 0; l < lights; l++)
        {
            if (_basis[l].Count(e => e > 1e-6f) < 20)
            {
                return null;
            }
        }
        int pieces = _probes.Max(p => p.Piece) + 1;
        var s = new double[lights, 3];
        for (int l = 0; l < lights; l++)
        {
            for (int c = 0; c < 3; c++)
            {
                s[l, c] = Math.Max(1e-6, start[l][c]);
            }
        }
        double Irradiance(int i, int c)
        {
            double e = _fixed[i][c];
            for (int l = 0; l < lights; l++)
            {
                e += s[l, c] * _basis[l][i];
            }
            return e;
        }
        double[] MiddleOf() =>
            [
                .. Enumerable
                    .Range(0, 3)
                    .Select(c => Enumerable.Range(0, _probes.Length).Select(i => Irradiance(i, c)).Order().ElementAt(_probes.Length / 2)),
            ];
        double[] kept = MiddleOf();
        double before = LeftOver();
        for (int round = 0; round < 30; round++)
        {
            double most = 0;
            for (int c = 0; c < 3; c++)
            {
                // Gauss–Newton on the logarithms: light as log s, a piece's albedo as the weighted mean of what is over its irradiance.
                double[] over =

                    [
                        .. Enumerable
                            .Range(0, _probes.Length)
                            .Select(i => Elementary.Log(_probes[i].Level[c] / Math.Max(1e-9, Irradiance(i, c)))),
                    ],
                    albedo = Albedo(c);
                double[] off = [.. over.Select((v, i) => v - Elementary.Log(albedo[_probes[i].Piece]))];
                double scale = Math.Max(0.1, 4.685 * 1.4826 * off.Select(Math.Abs).Order().ElementAt(off.Length / 2));
                double[] weight = [.. off.Select(v => Math.Abs(v / scale) < 1 ? Elementary.Pow(1 - v / scale * (v / scale), 2) : 0)];
                var share = new double[lights][];
                for (int l = 0; l < lights; l++)
                {
                    int own = l;
                    share[l] =
                    [
                        .. Enumerable.Range(0, _probes.Length).Select(i => s[own, c] * _basis[own][i] / Math.Max(1e-9, Irradiance(i, c))),
                    ];
                }
                double[] sum = new double[pieces],
                    mean = new double[pieces];
                var shareMean = new double[lights, pieces];
                for (int i = 0; i < _probes.Length; i++)
                {
                    int k = _probes[i].Piece;
                    sum[k] += weight[i];
                    mean[k] += weight[i] * over[i];
                    for (int l = 0; l < lights; l++)
                    {
                        shareMean[l, k] += weight[i] * share[l][i];
                    }
                }
                var m = new double[lights * lights];
                var right = new double[lights];
                for (int i = 0; i < _probes.Length; i++)
                {
                    int k = _probes[i].Piece;
                    if (sum[k] < 8)
                    {
                        continue;
                    }
                    double r = over[i] - mean[k] / sum[k];
                    for (int l = 0; l < lights; l++)
                    {
                        double d = share[l][i] - shareMean[l, k] / sum[k];
                        right[l] += weight[i] * d * r;
                        for (int j = 0; j <= l; j++)
                        {
                            m[l * lights + j] += weight[i] * d * (share[j][i] - shareMean[j, k] / sum[k]);
                        }
                    }
                }
                for (int l = 0; l < lights; l++)
                {
                    m[l * lights + l] += 1e-3;
                }
                if (Algebra.Cholesky.Solve(m, right, lights) is not { } step)
                {
                    continue;
                }
                for (int l = 0; l < lights; l++)
                {
                    double d = Math.Clamp(step[l], -0.7, 0.7);
                    most = Math.Max(most, Math.Abs(d));
                    s[l, c] *= Elementary.Exp(d);
                }
            }
            double[] now = MiddleOf();
            for (int c = 0; c < 3; c++)
            {
                for (int l = 0; l < lights; l++)
                {
                    s[l, c] *= now[c] > 1e-12 ? kept[c] / now[c] : 1;
                }
            }
            if (most < 1e-3)
            {
                break;
            }
        }
        return new(
            [.. Enumerable.Range(0, lights).Select(l => new Vector3((float)s[l, 0], (float)s[l, 1], (float)s[l, 2]))],
            LeftOver(),
            before,
            _probes.Length
        );

        // Of each piece the middle of plate over irradiance; 1 ÷ π is within it.
        double[] Albedo(int c)
        {
            var result = new double[pieces];
            foreach (var g in Enumerable.Range(0, _probes.Length).GroupBy(i => _probes[i].Piece))
            {
                double[] v = [.. g.Select(i => _probes[i].Level[c] / Math.Max(1e-9, Irradiance(i, c))).Order()];
                result[g.Key] = v[v.Length / 2];
            }
            return result;
        }

        double LeftOver()
        {
            var off = new List<double>();
            for (int c = 0; c < 3; c++)
            {
                double[] albedo = Albedo(c);
                for (int i = 0; i < _probes.Length; i++)
                {
                    off.Add(Math.Abs(Elementary.Log2(Math.Max(1e-9, albedo[_probes[i].Piece] * Irradiance(i, c)) / _probes[i].Level[c])));
                }
            }
            off.Sort();
            return off[off.Count / 2];
        }
    }
}
