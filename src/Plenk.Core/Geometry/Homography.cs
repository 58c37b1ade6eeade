using MathNet.Numerics.LinearAlgebra;

namespace Plenk.Core.Geometry;

/// <summary>Maps of one picture of a plane onto another, nine numbers row by row: x2 ~ H x1.</summary>
public static class Homography
{
    /// <summary>
    /// The homography that most pairs agree on within a distance (random sampling of four; Fischler and Bolles 1981), fitted to all of
    /// those; and how many they are. Null where no four of them make one.
    /// </summary>
    public static (double[] Homography, int Agreeing)? Robust(
        IReadOnlyList<(double X, double Y)> a,
        IReadOnlyList<(double X, double Y)> b,
        double threshold,
        int trials,
        uint seed,
        CancellationToken stop = default
    )
    {
        int n = a.Count;
        if (n < 4)
        {
            return null;
        }
        var random = new Random((int)seed);
        double[]? best = null;
        int most = 0;
        var pick = new int[4];
        bool Agrees(double[] h, int i) => Transfer(h, a[i], b[i]) < threshold * threshold;
        for (int trial = 0; trial < trials; trial++)
        {
            for (int k = 0; k < 4; )
            {
                int i = random.Next(n);
                if (Array.IndexOf(pick, i, 0, k) < 0)
                {
                    pick[k++] = i;
                }
            }
            if (Of(a, b, pick) is not { } h)
            {
                continue;
            }
            int count = 0;
            for (int i = 0; i < n; i++)
            {
                if (Agrees(h, i))
                {
                    count++;
                }
            }
            if (count > most)
            {
                (best, most) = (h, count);
            }
        }
        for (int round = 0; best is not null && round < 4; round++)
        {
            int[] all = [.. Enumerable.Range(0, n).Where(i => Agrees(best, i))];
            if (all.Length < 4 || Of(a, b, all) is not { } h)
            {
                break;
            }
            (best, most) = (h, all.Length);
        }
        return best is null ? null : (best, most);
    }

    /// <summary>x2 ~ H x1 by the direct linear transformation on centred points (Hartley and Zisserman 4.1), row by row.</summary>
    public static double[]? Of(IReadOnlyList<(double X, double Y)> a, IReadOnlyList<(double X, double Y)> b, int[] pick)
    {
        double ax = pick.Average(i => a[i].X),
            ay = pick.Average(i => a[i].Y),
            bx = pick.Average(i => b[i].X),
            by = pick.Average(i => b[i].Y);
        double sa = 1 / Math.Max(1e-9, pick.Average(i => Math.Abs(a[i].X - ax) + Math.Abs(a[i].Y - ay))),
            sb = 1 / Math.Max(1e-9, pick.Average(i => Math.Abs(b[i].X - bx) + Math.Abs(b[i].Y - by)));
        var m = Matrix<double>.Build.Dense(9, 9);
        foreach (int i in pick)
        {
            double x = (a[i].X - ax) * sa,
                y = (a[i].Y - ay) * sa,
                u = (b[i].X - bx) * sb,
                v = (b[i].Y - by) * sb;
            double[] first = [x, y, 1, 0, 0, 0, -u * x, -u * y, -u],
                second = [0, 0, 0, x, y, 1, -v * x, -v * y, -v];
            for (int r = 0; r < 9; r++)
            {
                for (int c = 0; c < 9; c++)
                {
                    m[r, c] += first[r] * first[c] + second[r] * second[c];
                }
            }
        }
        var evd = m.Evd(Symmetricity.Symmetric);
        if (!(evd.EigenValues[1].Real > 1e-10))
        {
            return null;
        } // three of them in a line
        Vector<double> f = evd.EigenVectors.Column(0);
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
        Matrix<double> h = tb.Inverse() * Matrix<double>.Build.DenseOfRowMajor(3, 3, [.. f]) * ta;
        return [h[0, 0], h[0, 1], h[0, 2], h[1, 0], h[1, 1], h[1, 2], h[2, 0], h[2, 1], h[2, 2]];
    }

    public static double Transfer(double[] h, (double X, double Y) a, (double X, double Y) b)
    {
        double w = h[6] * a.X + h[7] * a.Y + h[8],
            dx = (h[0] * a.X + h[1] * a.Y + h[2]) / w - b.X,
            dy = (h[3] * a.X + h[4] * a.Y + h[5]) / w - b.Y;
        return dx * dx + dy * dy;
    }
}
