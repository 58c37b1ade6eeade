using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>Least-squares placement of one set of points on another (Umeyama 1991; Horn 1987).</summary>
public static class Alignment
{
    /// <summary>
    /// The similarity that takes <paramref name="from"/> to <paramref name="to"/>, with weights where given, and its RMS in the
    /// unit of <paramref name="to"/>. Null and a reason where fewer than three points are given or they lie in a line.
    /// </summary>
    public static (Similarity Map, double Rms)? Similarity(
        IReadOnlyList<Vec3> from,
        IReadOnlyList<Vec3> to,
        out string? reason,
        IReadOnlyList<double>? weights = null,
        bool holdScale = false
    )
    {
        if (from.Count != to.Count || from.Count < 3)
        {
            reason = $"laying points on points needs three pairs or more; {Math.Min(from.Count, to.Count)} are given";
            return null;
        }
        Vec3 a = Vec3.Zero,
            b = Vec3.Zero;
        double total = 0;
        for (int i = 0; i < from.Count; i++)
        {
            double w = weights?[i] ?? 1;
            (a, b, total) = (a + w * from[i], b + w * to[i], total + w);
        }
        (a, b) = (a / total, b / total);
        var cross = new double[9];
        double spread = 0;
        for (int i = 0; i < from.Count; i++)
        {
            double w = (weights?[i] ?? 1) / total;
            Vec3 p = from[i] - a,
                q = to[i] - b;
            Add(cross, q, p, w);
            spread += w * p.LengthSquared;
        }
        // With points in a line two singular values vanish, and the turn about the line is anyone's guess.
        if (Fit(cross) is not { } fit || !(fit.S1 > 1e-6 * fit.S0))
        {
            reason = "the points lie in a line (or in one place), so they do not say how to turn about it; add one to the side";
            return null;
        }
        double scale = holdScale ? 1 : fit.Trace / spread;
        var map = new Similarity(scale, fit.Rotation, b - scale * (fit.Rotation * a));
        double sum = 0;
        for (int i = 0; i < from.Count; i++)
        {
            sum += (weights?[i] ?? 1) * (map.Apply(from[i]) - to[i]).LengthSquared;
        }
        reason = null;
        return (map, Math.Sqrt(sum / total));
    }

    /// <summary>The rotation that takes directions to directions, robust by Cauchy weights of the given width in radians.</summary>
    public static Matrix3 Rotation(IReadOnlyList<(Vec3 From, Vec3 To)> pairs, double width)
    {
        Matrix3 rotation = Matrix3.Identity;
        for (int round = 0; round < 8; round++)
        {
            var cross = new double[9];
            foreach (var (from, to) in pairs)
            {
                double e = round == 0 ? 0 : (rotation * from - to).LengthSquared / (width * width);
                Add(cross, to, from, 1 / (1 + e));
            }
            if (Fit(cross) is not { } fit)
            {
                return rotation;
            }
            rotation = fit.Rotation;
        }
        return rotation;
    }

    private static void Add(double[] cross, Vec3 q, Vec3 p, double w)
    {
        ReadOnlySpan<double> rows = [q.X, q.Y, q.Z],
            columns = [p.X, p.Y, p.Z];
        for (int r = 0; r < 3; r++)
        {
            for (int c = 0; c < 3; c++)
            {
                cross[3 * r + c] += w * rows[r] * columns[c];
            }
        }
    }

    private static (Matrix3 Rotation, double Trace, double S0, double S1)? Fit(double[] cross)
    {
        if (cross.Any(v => !double.IsFinite(v)))
        {
            return null;
        }
        var svd = Matrix<double>.Build.DenseOfRowMajor(3, 3, cross).Svd();
        // A mirror image fits better at times, but nothing real mirrors.
        double sign = svd.U.Determinant() * svd.VT.Determinant() < 0 ? -1 : 1;
        Matrix<double> r = svd.U * Matrix<double>.Build.DenseOfDiagonalArray([1, 1, sign]) * svd.VT;
        return (
            new(r[0, 0], r[0, 1], r[0, 2], r[1, 0], r[1, 1], r[1, 2], r[2, 0], r[2, 1], r[2, 2]),
            svd.S[0] + svd.S[1] + sign * svd.S[2],
            svd.S[0],
            svd.S[1]
        );
    }
}
