namespace Plenk.Core.Tracking.Outlines;

/// <summary>The line where coverage is a half (marching squares: Lorensen and Cline 1987, in the plane), and curves laid on it.</summary>
public static class Contours
{
    /// <summary>The longest closed line around what is covered, as x0 y0 x1 y1 …; it runs along the picture's border where that cuts it.</summary>
    public static double[] Longest(float[] coverage, int width, int height)
    {
        int w = width + 2,
            h = height + 2;
        float At(int x, int y) => x <= 0 || y <= 0 || x > width || y > height ? 0 : coverage[(y - 1) * width + x - 1];
        // An edge of the grid: between (x, y) and its right (0) or lower (1) neighbour.
        int Edge(int x, int y, int way) => 2 * (y * w + x) + way;
        var next = new Dictionary<int, int>();
        for (int y = 0; y < h - 1; y++)
        {
            for (int x = 0; x < w - 1; x++)
            {
                float a = At(x, y),
                    b = At(x + 1, y),
                    c = At(x + 1, y + 1),
                    d = At(x, y + 1);
                int kind = (a > 0.5f ? 1 : 0) | (b > 0.5f ? 2 : 0) | (c > 0.5f ? 4 : 0) | (d > 0.5f ? 8 : 0);
                if (kind is 0 or 15)
                {
                    continue;
                }
                int top = Edge(x, y, 0),
                    right = Edge(x + 1, y, 1),
                    bottom = Edge(x, y + 1, 0),
                    left = Edge(x, y, 1);
                bool joined = a + b + c + d > 2;
                // What is covered lies on the right of the way.
                (int, int)[] ways = kind switch
                {
                    1 => [(left, top)],
                    2 => [(top, right)],
                    3 => [(left, right)],
                    4 => [(right, bottom)],
                    5 => joined ? [(left, bottom), (right, top)] : [(left, top), (right, bottom)],
                    6 => [(top, bottom)],
                    7 => [(left, bottom)],
                    8 => [(bottom, left)],
                    9 => [(bottom, top)],
                    10 => joined ? [(top, left), (bottom, right)] : [(top, right), (bottom, left)],
                    11 => [(bottom, right)],
                    12 => [(right, left)],
                    13 => [(right, top)],
                    _ => [(top, left)],
                };
                foreach (var (from, to) in ways)
                {
                    next[from] = to;
                }
            }
        }
        (double X, double Y) Place(int edge)
        {
            int way = edge & 1,
                x = (edge >> 1) % w,
                y = (edge >> 1) / w;
            float a = At(x, y),
                b = way == 0 ? At(x + 1, y) : At(x, y + 1);
            double t = Math.Clamp((0.5 - a) / (b - a), 0, 1);
            // The grid's (1, 1) is the first pixel, whose centre is at 0.5.
            return (x - 0.5 + (way == 0 ? t : 0), y - 0.5 + (way == 1 ? t : 0));
        }
        double[] best = [];
        double most = 0;
        var seen = new HashSet<int>();
        foreach (int begin in next.Keys)
        {
            if (!seen.Add(begin))
            {
                continue;
            }
            var line = new List<double>();
            int at = begin;
            do
            {
                var (x, y) = Place(at);
                line.Add(x);
                line.Add(y);
                seen.Add(at);
            } while (next.TryGetValue(at, out at) && at != begin);
            double area = Math.Abs(AreaOf(line));
            if (area > most)
            {
                (best, most) = ([.. line], area);
            }
        }
        return best;
    }

    internal static double AreaOf(IReadOnlyList<double> line)
    {
        double sum = 0;
        for (int i = 0, n = line.Count / 2, j = n - 1; i < n; j = i++)
        {
            sum += line[2 * j] * line[2 * i + 1] - line[2 * i] * line[2 * j + 1];
        }
        return sum / 2;
    }

    /// <summary>A closed line with its places evenly apart.</summary>
    internal static double[] Resampled(double[] line, double apart)
    {
        int n = line.Length / 2;
        if (n < 3)
        {
            return line;
        }
        var lengths = new double[n + 1];
        for (int i = 0; i < n; i++)
        {
            int k = (i + 1) % n;
            double dx = line[2 * k] - line[2 * i],
                dy = line[2 * k + 1] - line[2 * i + 1];
            lengths[i + 1] = lengths[i] + Math.Sqrt(dx * dx + dy * dy);
        }
        int count = Math.Max(8, (int)Math.Round(lengths[n] / apart));
        var result = new double[2 * count];
        for (int k = 0, i = 0; k < count; k++)
        {
            double s = lengths[n] * k / count;
            while (i < n - 1 && lengths[i + 1] < s)
            {
                i++;
            }
            double t = lengths[i + 1] > lengths[i] ? (s - lengths[i]) / (lengths[i + 1] - lengths[i]) : 0;
            int next = (i + 1) % n;
            result[2 * k] = line[2 * i] + t * (line[2 * next] - line[2 * i]);
            result[2 * k + 1] = line[2 * i + 1] + t * (line[2 * next + 1] - line[2 * i + 1]);
        }
        return result;
    }

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
        if (AreaOf(line) * near.Area() < 0)
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
            double wanted = spans[i - 1] * scale;
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
                        all = before + own + off * off;
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
            (double X, double Y) Tangent(int on, int side)
            {
                int at = nearest[first] + places[on],
                    back = near.Knots[(first + on) % n].IsSmooth || side < 0 ? 3 : 0,
                    ahead = near.Knots[(first + on) % n].IsSmooth || side > 0 ? 3 : 0,
                    a = (at - Math.Min(back, m / 8) + m) % m,
                    b = (at + Math.Min(ahead, m / 8)) % m;
                double dx = line[2 * b] - line[2 * a],
                    dy = line[2 * b + 1] - line[2 * a + 1],
                    l = Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy));
                return (dx / l, dy / l);
            }
            var (out0, in1) = Fitted(points, Tangent(i, 1), Tangent((i + 1) % n, -1));
            knots[knot] = knots[knot] with { OutX = out0.X, OutY = out0.Y };
            knots[next] = knots[next] with { InX = in1.X, InY = in1.Y };
        }
        return new(knots, true);
    }

    /// <summary>Handles along given directions that fit places between two ends best, by least squares.</summary>
    private static ((double X, double Y) Out, (double X, double Y) In) Fitted((double X, double Y)[] p, (double X, double Y) t0, (double X, double Y) t1)
    {
        int n = p.Length - 1;
        double c00 = 0,
            c01 = 0,
            c11 = 0,
            x0 = 0,
            x1 = 0,
            chord = Math.Sqrt((p[n].X - p[0].X) * (p[n].X - p[0].X) + (p[n].Y - p[0].Y) * (p[n].Y - p[0].Y));
        for (int k = 1; k < n; k++)
        {
            double t = (double)k / n,
                s = 1 - t,
                b1 = 3 * s * s * t,
                b2 = 3 * s * t * t,
                b0 = s * s * s,
                b3 = t * t * t,
                rx = p[k].X - (b0 + b1) * p[0].X - (b2 + b3) * p[n].X,
                ry = p[k].Y - (b0 + b1) * p[0].Y - (b2 + b3) * p[n].Y,
                ax = b1 * t0.X,
                ay = b1 * t0.Y,
                bx = -b2 * t1.X,
                by = -b2 * t1.Y;
            c00 += ax * ax + ay * ay;
            c01 += ax * bx + ay * by;
            c11 += bx * bx + by * by;
            x0 += ax * rx + ay * ry;
            x1 += bx * rx + by * ry;
        }
        double det = c00 * c11 - c01 * c01,
            a = det > 1e-9 ? (x0 * c11 - x1 * c01) / det : 0,
            b = det > 1e-9 ? (x1 * c00 - x0 * c01) / det : 0;
        // The usual third of the chord where the fit runs away (Schneider's own rule).
        if (!(a > 0.02 * chord && b > 0.02 * chord && a < 1.2 * chord && b < 1.2 * chord))
        {
            (a, b) = (chord / 3, chord / 3);
        }
        return ((a * t0.X, a * t0.Y), (-b * t1.X, -b * t1.Y));
    }
}
