using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>Relative pose of two views: x2 = R x1 + t with t of unit length, and which pairs agree with it.</summary>
public sealed record TwoViewResult(Matrix3 Rotation, Vec3 Translation, bool[] Inliers, int Count);

/// <summary>
/// Essential matrix by eight points within random sampling (Hartley and Zisserman, 11.7.3 and 9.6; sampling after Fischler and
/// Bolles 1981), on image points at focal length 1 with y down.
/// </summary>
public static class TwoView
{
    /// <summary>
    /// How many random samples make one of them free of outliers with a confidence: N = log(1 − p) ÷ log(1 − wˢ), w the share of
    /// inliers (Fischler and Bolles 1981; Hartley and Zisserman 4.7.1).
    /// </summary>
    public static int Trials(double confidence, double inliers, int sample)
    {
        double good = Elementary.Pow(inliers, sample);
        return good >= 1 ? 1
            : good <= 1e-9 ? int.MaxValue
            : (int)Math.Ceiling(Elementary.Log(1 - confidence) / Elementary.Log(1 - good) - 1e-9);
    }

    /// <param name="trials">At most as many samples; fewer where what agrees already says that enough were drawn.</param>
    public static TwoViewResult? Find(
        IReadOnlyList<(double X, double Y)> a,
        IReadOnlyList<(double X, double Y)> b,
        double threshold,
        int trials,
        uint seed,
        CancellationToken stop = default
    )
    {
        int n = a.Count;
        if (n < 8)
        {
            return null;
        }
        var random = new Random((int)seed);
        double[]? best = null;
        double bestScore = double.PositiveInfinity;
        var pick = new int[8];
        int enough = trials;
        for (int trial = 0; trial < enough; trial++)
        {
            stop.ThrowIfCancellationRequested();
            for (int k = 0; k < 8; )
            {
                int i = random.Next(n);
                if (Array.IndexOf(pick, i, 0, k) < 0)
                {
                    pick[k++] = i;
                }
            }
            double[]? e = EightPoints(a, b, pick);
            if (e is null || !Score(e))
            {
                continue;
            }
            double share = (double)Enumerable.Range(0, n).Count(i => Sampson(e, a[i], b[i]) < threshold * threshold) / n;
            enough = Math.Clamp(Trials(0.9999, share, 8), Math.Min(trials, 300), trials);
        }
        if (best is null)
        {
            return null;
        }
        // Once more from all that agree.
        for (int round = 0; round < 4; round++)
        {
            int[] all = [.. Enumerable.Range(0, n).Where(i => Sampson(best, a[i], b[i]) < threshold * threshold)];
            if (all.Length < 8 || EightPoints(a, b, all) is not { } e || !Score(e))
            {
                break;
            }
        }
        return Decompose(best, a, b, threshold);

        bool Score(double[] e)
        {
            // Truncated squares tell a tight model from a loose one with as many inliers (Torr and Zisserman 2000).
            double score = 0,
                limit = threshold * threshold;
            for (int i = 0; i < n && score < bestScore; i++)
            {
                score += Math.Min(Sampson(e, a[i], b[i]), limit);
            }
            if (score >= bestScore)
            {
                return false;
            }
            (best, bestScore) = (e, score);
            return true;
        }
    }

    /// <summary>The essential matrix, row by row, of unit norm with equal singular values.</summary>
    private static double[]? EightPoints(IReadOnlyList<(double X, double Y)> a, IReadOnlyList<(double X, double Y)> b, int[] pick)
    {
        // Centred and scaled to √2 (Hartley 1997).
        (double Cx, double Cy, double S) Norm(IReadOnlyList<(double X, double Y)> p)
        {
            double cx = 0,
                cy = 0,
                s = 0;
            foreach (int i in pick)
            {
                (cx, cy) = (cx + p[i].X, cy + p[i].Y);
            }
            (cx, cy) = (cx / pick.Length, cy / pick.Length);
            foreach (int i in pick)
            {
                s += Math.Sqrt((p[i].X - cx) * (p[i].X - cx) + (p[i].Y - cy) * (p[i].Y - cy));
            }
            return (cx, cy, s > 0 ? Math.Sqrt(2) * pick.Length / s : 1);
        }
        var (ax, ay, sa) = Norm(a);
        var (bx, by, sb) = Norm(b);
        var m = Matrix<double>.Build.Dense(9, 9);
        var row = new double[9];
        foreach (int i in pick)
        {
            double x = (a[i].X - ax) * sa,
                y = (a[i].Y - ay) * sa,
                u = (b[i].X - bx) * sb,
                v = (b[i].Y - by) * sb;
            (row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7], row[8]) = (u * x, u * y, u, v * x, v * y, v, x, y, 1);
            for (int r = 0; r < 9; r++)
            {
                for (int c = 0; c <= r; c++)
                {
                    m[r, c] += row[r] * row[c];
                }
            }
        }
        for (int r = 0; r < 9; r++)
        {
            for (int c = r + 1; c < 9; c++)
            {
                m[r, c] = m[c, r];
            }
        }
        Vector<double> f = m.Evd(Symmetricity.Symmetric).EigenVectors.Column(0);
        var ta = Matrix<double>.Build.DenseOfArray(
            new[,]
            {
                { sa, 0, -sa * ax },
                { 0, sa, -sa * ay },
                { 0, 0, 1.0 },
            }
        );
        var tb = Matrix<double>.Build.DenseOfArray(
            new[,]
            {
                { sb, 0, -sb * bx },
                { 0, sb, -sb * by },
                { 0, 0, 1.0 },
            }
        );
        Matrix<double> e = tb.Transpose() * Matrix<double>.Build.DenseOfRowMajor(3, 3, f.AsArray() ?? [.. f]) * ta;
        var svd = e.Svd();
        if (!(svd.S[1] > 1e-12))
        {
            return null;
        }
        Matrix<double> good = svd.U * Matrix<double>.Build.DenseOfDiagonalArray([1, 1, 0]) * svd.VT;
        return [good[0, 0], good[0, 1], good[0, 2], good[1, 0], good[1, 1], good[1, 2], good[2, 0], good[2, 1], good[2, 2]];
    }

    /// <summary>
    /// Poses from pairs that lie in one plane, where eight points do not determine an essential matrix (Hartley and Zisserman
    /// 11.9.2): a homography by four points within random sampling, then its decomposition (Faugeras and Lustman 1988; Ma, Soatto,
    /// Košecká and Sastry, An Invitation to 3-D Vision, 5.3). Up to two poses keep the plane in front of the views; further
    /// frames tell them apart. Empty where fewer than <paramref name="least"/> pairs agree.
    /// </summary>
    public static IReadOnlyList<TwoViewResult> FromPlane(
        IReadOnlyList<(double X, double Y)> a,
        IReadOnlyList<(double X, double Y)> b,
        double threshold,
        int trials,
        uint seed,
        int least
    )
    {
        if (Homography.Robust(a, b, threshold, trials, seed) is not var (best, most) || most < least)
        {
            return [];
        }
        bool[] inliers = [.. Enumerable.Range(0, a.Count).Select(i => Homography.Transfer(best, a[i], b[i]) < threshold * threshold)];
        return [.. DecomposePlane(best, inliers, a).Select(p => new TwoViewResult(p.Rotation, p.Translation, inliers, most))];
    }

    private static IEnumerable<(Matrix3 Rotation, Vec3 Translation)> DecomposePlane(
        double[] values,
        bool[] inliers,
        IReadOnlyList<(double X, double Y)> a
    )
    {
        var h = Matrix<double>.Build.DenseOfRowMajor(3, 3, values);
        h /= h.Svd().S[1];
        if (h.Determinant() < 0)
        {
            h = -h;
        }
        var svd = h.Svd();
        double s1 = svd.S[0] * svd.S[0],
            s3 = svd.S[2] * svd.S[2];
        if (s1 - s3 < 1e-9)
        {
            yield break;
        } // a turn alone
        Vec3 V(int i) => new(svd.VT[i, 0], svd.VT[i, 1], svd.VT[i, 2]);
        var m = new Matrix3(h[0, 0], h[0, 1], h[0, 2], h[1, 0], h[1, 1], h[1, 2], h[2, 0], h[2, 1], h[2, 2]);
        double first = Math.Sqrt(Math.Max(0, 1 - s3) / (s1 - s3)),
            third = Math.Sqrt(Math.Max(0, s1 - 1) / (s1 - s3));
        foreach (double sign in (double[])[1, -1])
        {
            Vec3 v2 = V(1),
                u = first * V(0) + sign * third * V(2),
                normal = Vec3.Cross(v2, u);
            Matrix3 rotation =
                Matrix3.FromColumns(m * v2, m * u, Vec3.Cross(m * v2, m * u)) * Matrix3.FromColumns(v2, u, normal).Transpose();
            Vec3 t = m * normal - rotation * normal;
            // The plane n·x = d lies before the first view.
            int front = Enumerable.Range(0, inliers.Length).Count(i => inliers[i] && Vec3.Dot(normal, new(a[i].X, a[i].Y, 1)) > 0);
            if (front < inliers.Count(i => i) / 2)
            {
                t = -t;
            }
            if (t.Length > 1e-9)
            {
                yield return (rotation, t.Normalized());
            }
        }
    }

    /// <summary>First-order squared distance to the epipolar geometry (Sampson; Hartley and Zisserman 11.4.3).</summary>
    private static double Sampson(double[] e, (double X, double Y) a, (double X, double Y) b)
    {
        double l0 = e[0] * a.X + e[1] * a.Y + e[2],
            l1 = e[3] * a.X + e[4] * a.Y + e[5],
            l2 = e[6] * a.X + e[7] * a.Y + e[8];
        double m0 = e[0] * b.X + e[3] * b.Y + e[6],
            m1 = e[1] * b.X + e[4] * b.Y + e[7],
            c = b.X * l0 + b.Y * l1 + l2;
        return c * c / (l0 * l0 + l1 * l1 + m0 * m0 + m1 * m1);
    }

    /// <summary>
    /// Of the four poses of an essential matrix, the one that has most pairs in front of both views (Hartley and Zisserman 9.6.2).
    /// </summary>
    private static TwoViewResult? Decompose(
        double[] e,
        IReadOnlyList<(double X, double Y)> a,
        IReadOnlyList<(double X, double Y)> b,
        double threshold
    )
    {
        var svd = Matrix<double>.Build.DenseOfRowMajor(3, 3, e).Svd();
        Matrix<double> u = svd.U,
            vt = svd.VT;
        if (u.Determinant() < 0)
        {
            u = -u;
        }
        if (vt.Determinant() < 0)
        {
            vt = -vt;
        }
        var w = Matrix<double>.Build.DenseOfArray(
            new double[,]
            {
                { 0, -1, 0 },
                { 1, 0, 0 },
                { 0, 0, 1 },
            }
        );
        TwoViewResult? best = null;
        foreach (Matrix<double> r in (Matrix<double>[])[u * w * vt, u * w.Transpose() * vt])
        {
            var rotation = new Matrix3(r[0, 0], r[0, 1], r[0, 2], r[1, 0], r[1, 1], r[1, 2], r[2, 0], r[2, 1], r[2, 2]);
            foreach (double sign in (double[])[1, -1])
            {
                var t = new Vec3(sign * u[0, 2], sign * u[1, 2], sign * u[2, 2]);
                var inliers = new bool[a.Count];
                int count = 0;
                for (int i = 0; i < a.Count; i++)
                {
                    if (Sampson(e, a[i], b[i]) >= threshold * threshold)
                    {
                        continue;
                    }
                    // Depths z1, z2 with z2 x2 = z1 R x1 + t, by least squares.
                    Vec3 d1 = rotation * new Vec3(a[i].X, a[i].Y, 1),
                        d2 = new(b[i].X, b[i].Y, 1);
                    double aa = Vec3.Dot(d1, d1),
                        ab = Vec3.Dot(d1, d2),
                        bb = Vec3.Dot(d2, d2),
                        det = aa * bb - ab * ab;
                    if (det <= 0)
                    {
                        continue;
                    }
                    double z1 = (ab * Vec3.Dot(d2, t) - bb * Vec3.Dot(d1, t)) / det,
                        z2 = (aa * Vec3.Dot(d2, t) - ab * Vec3.Dot(d1, t)) / det;
                    if (z1 > 0 && z2 > 0)
                    {
                        inliers[i] = true;
                        count++;
                    }
                }
                if (count > (best?.Count ?? 0))
                {
                    best = new(rotation, t, inliers, count);
                }
            }
        }
        return best;
    }
}
