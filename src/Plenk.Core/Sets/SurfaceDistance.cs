using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>How points lie about a surface, metres, distances signed by the side they lie on.</summary>
/// <param name="Deviation">Of a sample (n − 1).</param>
/// <param name="RobustDeviation">1.4826 times the median distance from the median: what it would be without outliers.</param>
public sealed record FitReport(
    int Count,
    double Mean,
    double MeanAbsolute,
    double Rms,
    double Deviation,
    double MedianAbsolute,
    double RobustDeviation,
    double Largest
)
{
    public static FitReport Of(IReadOnlyList<double> distances)
    {
        int n = distances.Count;
        if (n == 0)
        {
            return new(0, 0, 0, 0, 0, 0, 0, 0);
        }
        static double Median(IEnumerable<double> values)
        {
            double[] v = [.. values.Order()];
            return v.Length % 2 == 1 ? v[v.Length / 2] : (v[v.Length / 2 - 1] + v[v.Length / 2]) / 2;
        }
        double mean = distances.Average(),
            square = distances.Sum(d => d * d),
            median = Median(distances);
        return new(
            n,
            mean,
            distances.Average(Math.Abs),
            Math.Sqrt(square / n),
            n > 1 ? Math.Sqrt(distances.Sum(d => (d - mean) * (d - mean)) / (n - 1)) : 0,
            Median(distances.Select(Math.Abs)),
            1.4826 * Median(distances.Select(d => Math.Abs(d - median))),
            distances.Max(Math.Abs)
        );
    }
}

public static class SurfaceDistance
{
    /// <summary>The point of a triangle nearest to p (Ericson, Real-Time Collision Detection, 5.1.5).</summary>
    public static Vector3 Closest(Vector3 p, Vector3 a, Vector3 b, Vector3 c)
    {
        Vector3 ab = b - a,
            ac = c - a,
            ap = p - a;
        float d1 = Vector3.Dot(ab, ap),
            d2 = Vector3.Dot(ac, ap);
        if (d1 <= 0 && d2 <= 0)
        {
            return a;
        }
        Vector3 bp = p - b;
        float d3 = Vector3.Dot(ab, bp),
            d4 = Vector3.Dot(ac, bp);
        if (d3 >= 0 && d4 <= d3)
        {
            return b;
        }
        float vc = d1 * d4 - d3 * d2;
        if (vc <= 0 && d1 >= 0 && d3 <= 0)
        {
            return a + ab * (d1 / (d1 - d3));
        }
        Vector3 cp = p - c;
        float d5 = Vector3.Dot(ab, cp),
            d6 = Vector3.Dot(ac, cp);
        if (d6 >= 0 && d5 <= d6)
        {
            return c;
        }
        float vb = d5 * d2 - d1 * d6;
        if (vb <= 0 && d2 >= 0 && d6 <= 0)
        {
            return a + ac * (d2 / (d2 - d6));
        }
        float va = d3 * d6 - d5 * d4;
        if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
        {
            return b + (c - b) * ((d4 - d3) / (d4 - d3 + (d5 - d6)));
        }
        float scale = 1 / (va + vb + vc);
        return a + ab * (vb * scale) + ac * (vc * scale);
    }

    /// <summary>
    /// The signed distance of a point from a set's nearest face, and the piece it belongs to; behind the face is negative.
    /// </summary>
    public static (double Distance, int Piece) Of(SetScene set, Vector3 point)
    {
        (float Square, double Signed, int Piece) best = (float.PositiveInfinity, double.PositiveInfinity, -1);
        for (int i = 0; i < set.Pieces.Count; i++)
        {
            if (set.Pieces[i].Duties.OnlyBlocksLight)
            {
                continue;
            }
            TriangleMesh mesh = set.Meshes[i];
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                var (a, b, c) = mesh.Triangle(t);
                Vector3 off = point - Closest(point, a, b, c);
                float square = off.LengthSquared();
                if (!(square < best.Square))
                {
                    continue;
                }
                best = (square, Math.Sqrt(square) * (Vector3.Dot(off, Vector3.Cross(b - a, c - a)) < 0 ? -1 : 1), i);
            }
        }
        return (best.Signed, best.Piece);
    }
}
