using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Sets;

namespace Plenk.Core.Projection;

/// <summary>
/// How two cameras' pictures of the same spots differ: mean of |log2| of their luminances, in stops, and from how many spots.
/// </summary>
public sealed record OverlapDifference(int Spots, double Stops);

/// <summary>
/// Exposure and white of several cameras over one set: a gain a channel and camera, from the spots that two of them show.
/// </summary>
public static class ExposureMatch
{
    private const int LeastSpots = 30;
    private const float Darkest = 0.004f; // below it is mostly noise

    /// <summary>A spot as two cameras show it, linear RGB.</summary>
    public readonly record struct Pair(int First, int Second, Vector3 A, Vector3 B);

    /// <summary>Spots that two sources of different cameras show well, each over about four of their pixels.</summary>
    /// <param name="cameras">Which camera each source belongs to.</param>
    /// <param name="clip">Levels at which a camera's picture is no longer light but its end.</param>
    public static IReadOnlyList<Pair> Pairs(
        SetScene set,
        IReadOnlyList<Projector> sources,
        IReadOnlyList<int> cameras,
        IReadOnlyList<float> clip,
        int spots = 24000
    )
    {
        var result = new List<Pair>();
        IReadOnlyList<SetSpot> all = SetSpots.Over(set, spots);
        // In a stated order, whatever the threads do.
        var found = new List<Pair>?[all.Count];
        Parallel.For(0, all.Count, Cores.All, k =>
        {
            SetSpot s = all[k];
            for (int i = 0; i < sources.Count; i++)
            {
                for (int j = i + 1; j < sources.Count; j++)
                {
                    if (cameras[i] == cameras[j])
                    {
                        continue;
                    }
                    if (Level(sources[i], s, clip[i]) is { } a && Level(sources[j], s, clip[j]) is { } b)
                    {
                        (found[k] ??= []).Add(
                            cameras[i] < cameras[j] ? new(cameras[i], cameras[j], a, b) : new(cameras[j], cameras[i], b, a)
                        );
                    }
                }
            }
        });
        foreach (List<Pair>? f in found)
        {
            if (f is not null)
            {
                result.AddRange(f);
            }
        }
        return result;
    }

    private static Vector3? Level(Projector source, SetSpot s, float clip)
    {
        Vector3 eye = source.Sight.CameraToWorld.Position.ToSingle(),
            n = Vector3.Dot(s.Normal, eye - s.Point) < 0 ? -s.Normal : s.Normal;
        float density = source.Sight.Density(s.Point, n, s.Piece);
        if (density <= 0)
        {
            return null;
        }
        Vector3 u = Vector3.Normalize(Vector3.Cross(n, MathF.Abs(n.Y) < 0.9f ? Vector3.UnitY : Vector3.UnitX)),
            v = Vector3.Cross(n, u);
        Sighting seen = source.See(s.Point, n, s.Piece, u * (4 / density), v * (4 / density));
        // Near a step of depth, or half faded, two cameras do not show the same.
        if (seen.Reach < 0.9f || seen.Quality < 0.5f * density)
        {
            return null;
        }
        float most = MathF.Max(seen.Rgb.X, MathF.Max(seen.Rgb.Y, seen.Rgb.Z)),
            least = MathF.Min(seen.Rgb.X, MathF.Min(seen.Rgb.Y, seen.Rgb.Z));
        return most < 0.9f * clip && least > Darkest ? seen.Rgb : null;
    }

    /// <summary>
    /// Gains that make the cameras agree, the first one's being 1: least squares of (gᵢ aᵢ − gⱼ aⱼ) / (aᵢ + aⱼ) in linear light, a channel
    /// at a time, spots that fit badly (glints, what moved) weighted down (Tukey's biweight). Null for a camera that shares too few spots.
    /// </summary>
    public static Vector3?[] Gains(IReadOnlyList<Pair> pairs, int cameras)
    {
        var reached = new bool[cameras];
        reached[0] = true;
        bool grew = true;
        int Count(int a, int b) => pairs.Count(p => (p.First == a && p.Second == b) || (p.First == b && p.Second == a));
        while (grew)
        {
            grew = false;
            for (int a = 0; a < cameras; a++)
            {
                for (int b = 0; b < cameras; b++)
                {
                    if (reached[a] && !reached[b] && Count(a, b) >= LeastSpots)
                    {
                        reached[b] = grew = true;
                    }
                }
            }
        }
        int[] free = [.. Enumerable.Range(1, Math.Max(0, cameras - 1)).Where(c => reached[c])];
        var gains = new float[cameras, 3];
        for (int c = 0; c < cameras; c++)
        {
            for (int k = 0; k < 3; k++)
            {
                gains[c, k] = 1;
            }
        }
        for (int k = 0; k < 3; k++)
        {
            double scale = double.PositiveInfinity; // of the residuals; first all count alike
            for (int round = 0; round < 12; round++)
            {
                var m = new double[free.Length * free.Length];
                var right = new double[free.Length];
                var off = new List<double>();
                foreach (Pair p in pairs)
                {
                    if (!reached[p.First] || !reached[p.Second])
                    {
                        continue;
                    }
                    double a = p.A[k],
                        b = p.B[k],
                        r = (gains[p.First, k] * a - gains[p.Second, k] * b) / (gains[p.First, k] * a + gains[p.Second, k] * b);
                    off.Add(Math.Abs(r));
                    double t = r / scale,
                        w = Math.Abs(t) < 1 ? (1 - t * t) * (1 - t * t) : 0,
                        norm = gains[p.First, k] * a + gains[p.Second, k] * b;
                    w /= norm * norm;
                    int i = Array.IndexOf(free, p.First),
                        j = Array.IndexOf(free, p.Second);
                    if (i >= 0)
                    {
                        m[i * free.Length + i] += w * a * a;
                    }
                    if (j >= 0)
                    {
                        m[j * free.Length + j] += w * b * b;
                    }
                    if (i >= 0 && j >= 0)
                    {
                        m[Math.Max(i, j) * free.Length + Math.Min(i, j)] -= w * a * b;
                    }
                    if (p.First == 0 && j >= 0)
                    {
                        right[j] += w * a * b;
                    }
                    if (p.Second == 0 && i >= 0)
                    {
                        right[i] += w * a * b;
                    }
                }
                if (free.Length == 0 || Algebra.Cholesky.Solve(m, right, free.Length) is not { } g)
                {
                    break;
                }
                for (int i = 0; i < free.Length; i++)
                {
                    gains[free[i], k] = (float)Math.Clamp(g[i], 1.0 / 64, 64);
                }
                off.Sort();
                scale = Math.Max(0.01, 4.685 * 1.4826 * off[off.Count / 2]); // Tukey's constant; the middle deviation as a standard one
            }
        }
        return
        [
            .. Enumerable.Range(0, cameras).Select(c => reached[c] ? (Vector3?)new Vector3(gains[c, 0], gains[c, 1], gains[c, 2]) : null),
        ];
    }

    /// <summary>
    /// How much a source's picture and the first other one's that shows a spot differ there: |log2| of the most different channel, what is
    /// nearly black held up.
    /// </summary>
    public static Func<Vector3, Vector3, int, float, float> DifferenceOf(Projector own, IReadOnlyList<Projector> others) =>
        (point, normal, piece, width) =>
        {
            Vector3 u = Vector3.Normalize(Vector3.Cross(normal, MathF.Abs(normal.Y) < 0.9f ? Vector3.UnitY : Vector3.UnitX)) * width,
                v = Vector3.Cross(normal, u);
            Sighting a = own.See(point, normal, piece, u, v);
            foreach (Projector other in others)
            {
                Sighting b = other.See(point, normal, piece, u, v);
                if (b.Reach <= 0)
                {
                    continue;
                }
                Vector3 floor = new(0.02f),
                    x = (Vector3.Max(a.Rgb, Vector3.Zero) + floor) / (Vector3.Max(b.Rgb, Vector3.Zero) + floor);
                return MathF.Max(
                    MathF.Abs(ElementaryF.Log2(x.X)),
                    MathF.Max(MathF.Abs(ElementaryF.Log2(x.Y)), MathF.Abs(ElementaryF.Log2(x.Z)))
                );
            }
            return 0;
        };

    public static OverlapDifference Difference(IReadOnlyList<Pair> pairs, IReadOnlyList<Vector3> gains)
    {
        return new(
            pairs.Count,
            pairs.Count == 0
                ? 0
                : pairs.Average(p =>
                    Math.Abs(Elementary.Log2(Images.Luminance.Of(p.A * gains[p.First]) / Images.Luminance.Of(p.B * gains[p.Second])))
                )
        );
    }
}
