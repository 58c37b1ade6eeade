namespace Plenk.Core.Tracking.Outlines;

/// <summary>The line where coverage is a half (marching squares: Lorensen and Cline 1987, in the plane).</summary>
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

    /// <summary>What a closed line x0 y0 x1 y1 … encloses; positive: clockwise as y points down.</summary>
    public static double AreaOf(IReadOnlyList<double> line)
    {
        double sum = 0;
        for (int i = 0, n = line.Count / 2, j = n - 1; i < n; j = i++)
        {
            sum += line[2 * j] * line[2 * i + 1] - line[2 * i] * line[2 * j + 1];
        }
        return sum / 2;
    }

    /// <summary>A closed line with its places evenly apart.</summary>
    public static double[] Resampled(double[] line, double apart)
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
}
