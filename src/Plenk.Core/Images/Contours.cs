using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>
/// Outlines of coverage pictures. Marching squares (Lorensen and Cline 1987, in the plane) with crossings interpolated, t = (iso − a) ÷ (b
/// − a); where opposite corners lie above, the cell's mean decides. Values stand at pixel centres; outside the picture nothing is.
/// </summary>
public static class Contours
{
    /// <summary>
    /// Closed outlines, x0 y0 x1 y1 …, in pixels: what is inside lies to the left of the way along them as it is seen, and holes run the
    /// other way round.
    /// </summary>
    public static IReadOnlyList<double[]> Of(ReadOnlySpan<float> values, int width, int height, double iso = 0.5)
    {
        // A crossing is named by the grid edge it lies on: (cell corner, along x or along y). A frame of nothing closes what leaves the picture.
        int w = width + 2;
        var next = new Dictionary<long, long>();
        float[] own = values.ToArray();
        double At(int x, int y) => x < 1 || y < 1 || x > width || y > height ? Math.Min(0, iso - 1e-3) : own[(y - 1) * width + x - 1];
        long Edge(int x, int y, bool down) => ((long)y * w + x) * 2 + (down ? 1 : 0);
        for (int y = 0; y <= height; y++)
        {
            for (int x = 0; x <= width; x++)
            {
                double tl = At(x, y),
                    tr = At(x + 1, y),
                    br = At(x + 1, y + 1),
                    bl = At(x, y + 1);
                int which = (tl > iso ? 8 : 0) | (tr > iso ? 4 : 0) | (br > iso ? 2 : 0) | (bl > iso ? 1 : 0);
                if (which is 0 or 15)
                {
                    continue;
                }
                long top = Edge(x, y, false),
                    bottom = Edge(x, y + 1, false),
                    left = Edge(x, y, true),
                    right = Edge(x + 1, y, true);
                bool joined = (tl + tr + br + bl) / 4 > iso;
                switch (which)
                {
                    case 8:
                        next[left] = top;
                        break;
                    case 4:
                        next[top] = right;
                        break;
                    case 2:
                        next[right] = bottom;
                        break;
                    case 1:
                        next[bottom] = left;
                        break;
                    case 12:
                        next[left] = right;
                        break;
                    case 6:
                        next[top] = bottom;
                        break;
                    case 3:
                        next[right] = left;
                        break;
                    case 9:
                        next[bottom] = top;
                        break;
                    case 14:
                        next[left] = bottom;
                        break;
                    case 13:
                        next[bottom] = right;
                        break;
                    case 11:
                        next[right] = top;
                        break;
                    case 7:
                        next[top] = left;
                        break;
                    case 10 when joined:
                        (next[left], next[right]) = (bottom, top);
                        break;
                    case 10:
                        (next[left], next[right]) = (top, bottom);
                        break;
                    case 5 when joined:
                        (next[top], next[bottom]) = (left, right);
                        break;
                    case 5:
                        (next[top], next[bottom]) = (right, left);
                        break;
                }
            }
        }
        (double X, double Y) Place(long edge)
        {
            bool down = (edge & 1) == 1;
            int x = (int)(edge / 2 % w),
                y = (int)(edge / 2 / w);
            double a = At(x, y),
                b = down ? At(x, y + 1) : At(x + 1, y),
                t = (iso - a) / (b - a);
            // Corner (1, 1) of the framed grid is the first pixel's centre.
            return down ? (x - 0.5, y - 0.5 + t) : (x - 0.5 + t, y - 0.5);
        }
        var outlines = new List<double[]>();
        foreach (long start in next.Keys.Order().ToArray())
        {
            if (!next.ContainsKey(start))
            {
                continue;
            }
            var points = new List<double>();
            for (long at = start; next.Remove(at, out long to); at = to)
            {
                var (x, y) = Place(at);
                points.Add(x);
                points.Add(y);
            }
            if (points.Count >= 6)
            {
                outlines.Add([.. points]);
            }
        }
        return outlines;
    }

    /// <summary>
    /// Area of a closed outline: positive where it runs round what is inside (y down), negative round a hole. The shoelace formula.
    /// </summary>
    public static double Area(ReadOnlySpan<double> outline)
    {
        double sum = 0;
        for (int i = 0, n = outline.Length / 2, j = n - 1; i < n; j = i++)
        {
            sum += outline[2 * i] * outline[2 * j + 1] - outline[2 * j] * outline[2 * i + 1];
        }
        return sum / 2;
    }

    public static double Perimeter(ReadOnlySpan<double> outline)
    {
        double sum = 0;
        for (int i = 0, n = outline.Length / 2, j = n - 1; i < n; j = i++)
        {
            sum += Math.Sqrt(
                Elementary.Pow(outline[2 * j] - outline[2 * i], 2) + Elementary.Pow(outline[2 * j + 1] - outline[2 * i + 1], 2)
            );
        }
        return sum;
    }

    /// <summary>The outline that encloses most; empty: nothing is half covered.</summary>
    public static double[] Largest(ReadOnlySpan<float> coverage, int width, int height) =>
        Of(coverage, width, height).MaxBy(o => Math.Abs(Area(o))) ?? [];

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
