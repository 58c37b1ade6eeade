using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>A drawn curve laid on a line that was found.</summary>
public static class CurveFit
{
    /// <summary>
    /// What a square pixel between the line and the straight way from a point to the next costs, at each place of the line, beyond what the way was
    /// bent by before: points go to corners.
    /// </summary>
    private const double ChordWeight = 0.5;

    /// <summary>
    /// A curve's knots laid on a line: each near where it was, in their order and about as far from each other as they were (dynamic programming), and
    /// between them the cubics that fit it best (Schneider 1990, An Algorithm for Automatically Fitting Digitized Curves).
    /// </summary>
    /// <param name="line">Closed, evenly spaced, in the curve's own sense.</param>
    public static Curve Laid(Curve near, double[] line, double reach)
    {
        int n = near.Knots.Count,
            m = line.Length / 2;
        if (n < 3 || m < n)
        {
            return near;
        }
        if (Contours.Area(line) * near.Area() > 0)
        {
            line = [.. line.Chunk(2).Reverse().SelectMany(p => p)];
        }
        double Apart(int knot, int at)
        {
            double dx = near.Knots[knot].X - line[2 * at],
                dy = near.Knots[knot].Y - line[2 * at + 1];
            return dx * dx + dy * dy;
        }
        int[] nearest = [.. Enumerable.Range(0, n).Select(i => Enumerable.Range(0, m).MinBy(k => Apart(i, k)))];
        int first = Enumerable.Range(0, n).MinBy(i => Apart(i, nearest[i]));
        double perimeter = 0;
        double[] spans =
        [
            .. Enumerable
                .Range(0, n)
                .Select(i => new Curve([near.Knots[(first + i) % n], near.Knots[(first + i + 1) % n]], false).Length()),
        ];
        perimeter = spans.Sum();
        double scale = m / Math.Max(1e-9, perimeter),
            soft = reach * reach / 9;
        // Sums along the line from where the first knot lies, for what is left between a chord and the line beside it.
        int start = nearest[first];
        var sums = new double[5][];
        for (int c = 0; c < 5; c++)
        {
            sums[c] = new double[m + 2];
        }
        for (int k = 0; k <= m; k++)
        {
            double x = line[2 * ((start + k) % m)] - line[2 * start],
                y = line[2 * ((start + k) % m) + 1] - line[2 * start + 1];
            (sums[0][k + 1], sums[1][k + 1]) = (sums[0][k] + x, sums[1][k] + y);
            (sums[2][k + 1], sums[3][k + 1], sums[4][k + 1]) = (sums[2][k] + x * x, sums[3][k] + x * y, sums[4][k] + y * y);
        }
        double Beside(int a, int b)
        {
            double ax = line[2 * ((start + a) % m)] - line[2 * start],
                ay = line[2 * ((start + a) % m) + 1] - line[2 * start + 1],
                dx = line[2 * ((start + b) % m)] - line[2 * start] - ax,
                dy = line[2 * ((start + b) % m) + 1] - line[2 * start + 1] - ay,
                length = Math.Sqrt(dx * dx + dy * dy);
            int count = b - a + 1;
            double xx = sums[2][b + 1] - sums[2][a] - 2 * ax * (sums[0][b + 1] - sums[0][a]) + count * ax * ax,
                yy = sums[4][b + 1] - sums[4][a] - 2 * ay * (sums[1][b + 1] - sums[1][a]) + count * ay * ay,
                xy =
                    sums[3][b + 1] - sums[3][a] - ax * (sums[1][b + 1] - sums[1][a]) - ay * (sums[0][b + 1] - sums[0][a]) + count * ax * ay;
            return length < 1e-9 ? xx + yy : Math.Max(0, (dy * dy * xx - 2 * dx * dy * xy + dx * dx * yy) / (length * length));
        }
        // cost[i][k]: knot first + i lies k places after where the first does.
        var cost = new double[n + 1][];
        var from = new int[n + 1][];
        for (int i = 0; i <= n; i++)
        {
            cost[i] = new double[m + 1];
            from[i] = new int[m + 1];
            Array.Fill(cost[i], double.PositiveInfinity);
        }
        cost[0][0] = 0;
        for (int i = 1; i <= n; i++)
        {
            double wanted = spans[i - 1] * scale,
                curved = Bent(near, (first + i - 1) % n);
            int least = 1,
                most = (int)Math.Ceiling(3 * wanted + 6);
            for (int k = i; k <= m; k++)
            {
                if (i == n && k != m)
                {
                    continue;
                }
                double own = i == n ? 0 : Apart((first + i) % n, (nearest[first] + k) % m) / soft;
                for (int d = least; d <= most && d <= k; d++)
                {
                    double before = cost[i - 1][k - d];
                    if (double.IsInfinity(before))
                    {
                        continue;
                    }
                    double off = (d - wanted) / (wanted + 3),
                        all = before + own + off * off + ChordWeight * Math.Max(0, Beside(k - d, k) - 1.5 * curved * (d + 1));
                    if (all < cost[i][k])
                    {
                        (cost[i][k], from[i][k]) = (all, d);
                    }
                }
            }
        }
        if (double.IsInfinity(cost[n][m]))
        {
            return near;
        }
        var places = new int[n];
        for (int i = n, k = m; i > 0; i--)
        {
            k -= from[i][k];
            places[i - 1] = k;
        }
        var knots = new Knot[n];
        for (int i = 0; i < n; i++)
        {
            int at = (nearest[first] + places[i]) % m,
                knot = (first + i) % n;
            knots[knot] = near.Knots[knot] with { X = line[2 * at], Y = line[2 * at + 1] };
        }
        // A corner is where the ways to it and from it meet: the line itself goes round it.
        for (int i = 0; i < n; i++)
        {
            int knot = (first + i) % n;
            if (!near.Knots[knot].IsSmooth && Corner(line, (nearest[first] + places[i]) % m) is var (x, y))
            {
                knots[knot] = knots[knot] with { X = x, Y = y };
            }
        }
        for (int i = 0; i < n; i++)
        {
            int knot = (first + i) % n,
                next = (first + i + 1) % n,
                count = (i + 1 < n ? places[i + 1] : m) - places[i];
            var points = new (double X, double Y)[count + 1];
            for (int k = 0; k <= count; k++)
            {
                int at = (nearest[first] + places[i] + k) % m;
                points[k] = (line[2 * at], line[2 * at + 1]);
            }
            var (ahead, behind) = Fitted(
                points,
                knots[knot],
                knots[next],
                near.Knots[knot].IsSmooth ? (near.Knots[knot].OutX, near.Knots[knot].OutY) : null,
                near.Knots[next].IsSmooth ? (near.Knots[next].InX, near.Knots[next].InY) : null
            );
            knots[knot] = knots[knot] with { OutX = ahead.X, OutY = ahead.Y };
            knots[next] = knots[next] with { InX = behind.X, InY = behind.Y };
        }
        for (int i = 0; i < n; i++)
        {
            if (near.Knots[i].IsSmooth)
            {
                knots[i] = Straightened(knots[i]);
            }
        }
        return new(knots, true);
    }

    /// <summary>The mean square that a curve's way from a knot to the next lies off the straight one.</summary>
    private static double Bent(Curve curve, int span)
    {
        double[] flat = new Curve([curve.Knots[span], curve.Knots[(span + 1) % curve.Knots.Count]], false).Flat(0.1);
        double dx = flat[^2] - flat[0],
            dy = flat[^1] - flat[1],
            length = Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy)),
            sum = 0;
        for (int i = 0; i < flat.Length; i += 2)
        {
            double off = ((flat[i] - flat[0]) * dy - (flat[i + 1] - flat[1]) * dx) / length;
            sum += off * off;
        }
        return 2 * sum / flat.Length;
    }

    /// <summary>Where two straight ways meet, each laid through places from 2.5 to 9 steps off a corner; null: they do not, or far from it.</summary>
    private static (double X, double Y)? Corner(double[] line, int at)
    {
        int m = line.Length / 2;
        (double X, double Y, double Dx, double Dy) Way(int side)
        {
            double mx = 0,
                my = 0,
                xx = 0,
                xy = 0,
                yy = 0;
            const int from = 3,
                to = 11;
            for (int k = from; k <= to; k++)
            {
                int i = ((at + side * k) % m + m) % m;
                (mx, my) = (mx + line[2 * i] / (to - from + 1), my + line[2 * i + 1] / (to - from + 1));
            }
            for (int k = from; k <= to; k++)
            {
                int i = ((at + side * k) % m + m) % m;
                double x = line[2 * i] - mx,
                    y = line[2 * i + 1] - my;
                (xx, xy, yy) = (xx + x * x, xy + x * y, yy + y * y);
            }
            double angle = 0.5 * Math.Atan2(2 * xy, xx - yy);
            return (mx, my, Math.Cos(angle), Math.Sin(angle));
        }
        if (m < 40)
        {
            return null;
        }
        var a = Way(-1);
        var b = Way(1);
        double det = a.Dx * b.Dy - a.Dy * b.Dx;
        if (Math.Abs(det) < 0.35)
        {
            return null;
        }
        double t = ((b.X - a.X) * b.Dy - (b.Y - a.Y) * b.Dx) / det,
            x = a.X + t * a.Dx,
            y = a.Y + t * a.Dy,
            off = (x - line[2 * at]) * (x - line[2 * at]) + (y - line[2 * at + 1]) * (y - line[2 * at + 1]);
        return off < 16 ? (x, y) : null;
    }

    /// <summary>Both handles of a round point in one line, each as long as it was.</summary>
    private static Knot Straightened(Knot k)
    {
        double a = Math.Sqrt(k.InX * k.InX + k.InY * k.InY),
            b = Math.Sqrt(k.OutX * k.OutX + k.OutY * k.OutY);
        if (a < 1e-6 || b < 1e-6)
        {
            return k;
        }
        double dx = b * k.OutX / b - a * k.InX / a,
            dy = b * k.OutY / b - a * k.InY / a,
            l = Math.Sqrt(dx * dx + dy * dy);
        return l < 1e-6 ? k : k with { InX = -a * dx / l, InY = -a * dy / l, OutX = b * dx / l, OutY = b * dy / l };
    }

    /// <summary>
    /// Handles with which a cubic between two ends fits places best: linear least squares over chord lengths (Schneider 1990), those far off counted less
    /// (Huber), drawn a little to what they were. Where that is as good as straight, it is straight.
    /// </summary>
    private static ((double X, double Y) Ahead, (double X, double Y) Behind) Fitted(
        (double X, double Y)[] p,
        Knot a,
        Knot b,
        (double X, double Y)? wasAhead,
        (double X, double Y)? wasBehind
    )
    {
        int n = p.Length - 1;
        double chordX = b.X - a.X,
            chordY = b.Y - a.Y,
            chord = Math.Sqrt(chordX * chordX + chordY * chordY);
        var (h0, h1) = (wasAhead ?? (chordX / 3, chordY / 3), wasBehind ?? (-chordX / 3, -chordY / 3));
        if (n < 4 || chord < 1e-6)
        {
            return (wasAhead ?? (0, 0), wasBehind ?? (0, 0));
        }
        var (own0, own1) = (h0, h1);
        var weights = new double[n + 1];
        Array.Fill(weights, 1);
        for (int round = 0; round < 5; round++)
        {
            double hold = 0.01 * n,
                c00 = hold,
                c01 = 0,
                c11 = hold,
                x0 = hold * h0.X,
                x1 = hold * h1.X,
                y0 = hold * h0.Y,
                y1 = hold * h1.Y;
            for (int k = 1; k < n; k++)
            {
                double t = (double)k / n,
                    s = 1 - t,
                    b1 = 3 * s * s * t,
                    b2 = 3 * s * t * t,
                    rx = p[k].X - (s * s * s + b1) * a.X - (t * t * t + b2) * b.X,
                    ry = p[k].Y - (s * s * s + b1) * a.Y - (t * t * t + b2) * b.Y,
                    w = weights[k];
                c00 += w * b1 * b1;
                c01 += w * b1 * b2;
                c11 += w * b2 * b2;
                (x0, y0) = (x0 + w * b1 * rx, y0 + w * b1 * ry);
                (x1, y1) = (x1 + w * b2 * rx, y1 + w * b2 * ry);
            }
            double det = c00 * c11 - c01 * c01;
            own0 = ((x0 * c11 - x1 * c01) / det, (y0 * c11 - y1 * c01) / det);
            own1 = ((x1 * c00 - x0 * c01) / det, (y1 * c00 - y0 * c01) / det);
            for (int k = 1; k < n; k++)
            {
                double t = (double)k / n,
                    s = 1 - t,
                    b1 = 3 * s * s * t,
                    b2 = 3 * s * t * t,
                    ex = p[k].X - (s * s * s + b1) * a.X - b1 * own0.X - (t * t * t + b2) * b.X - b2 * own1.X,
                    ey = p[k].Y - (s * s * s + b1) * a.Y - b1 * own0.Y - (t * t * t + b2) * b.Y - b2 * own1.Y,
                    e = Math.Sqrt(ex * ex + ey * ey);
                weights[k] = e < 0.75 ? 1 : 0.75 / e;
            }
        }
        // Handles longer than the way itself are a loop.
        double Length((double X, double Y) h) => Math.Sqrt(h.X * h.X + h.Y * h.Y);
        if (Length(own0) > chord || Length(own1) > chord)
        {
            return (wasAhead ?? (0, 0), wasBehind ?? (0, 0));
        }
        double Beside((double X, double Y) h) => Math.Abs(h.X * chordY - h.Y * chordX) / chord;
        return wasAhead is null && wasBehind is null && Beside(own0) < 0.6 && Beside(own1) < 0.6 ? ((0, 0), (0, 0)) : (own0, own1);
    }
}
