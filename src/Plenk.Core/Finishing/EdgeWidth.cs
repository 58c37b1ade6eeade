using Plenk.Core.Algebra;
using Plenk.Core.Images;

namespace Plenk.Core.Finishing;

/// <summary>
/// How wide edges are, from 10 % to 90 % of their step, by the edge-spread function of slanted edges (ISO 12233): around strong places of
/// the gradient a straight edge is fitted, all pixels about it are sorted by their distance from it, and the crossings are read between the
/// two levels beside it.
/// </summary>
public static class EdgeWidth
{
    /// <summary>Half the side of the square that an edge is read in, and how far across it is looked.</summary>
    private const int Reach = 10;
    private const double Bin = 0.25;

    /// <summary>How far along the edge pixels are gathered, either way.</summary>
    private const double Along = 7;

    /// <summary>A step is worth reading when it is so many times the grain.</summary>
    private const double LeastContrast = 12;

    /// <summary>How far the levels beside a step are looked at, pixels.</summary>
    private const double Beside = 2.5;

    /// <summary>
    /// Null where no edge is straight, strong and alone enough. Of many the sharp ones count: those within half as much again as the
    /// sharpest tenth.
    /// </summary>
    /// <param name="where">Pixels whose edges count; null: all.</param>
    public static (double? Width, int Count) Of(FloatImage picture, Grain? grain, bool[]? where = null)
    {
        int w = picture.Width,
            h = picture.Height;
        if (w < 2 * Reach + 3 || h < 2 * Reach + 3)
        {
            return (null, 0);
        }
        var luma = new float[w * h];
        for (int i = 0; i < luma.Length; i++)
        {
            luma[i] = Luminance.Of(picture.Data.AsSpan(picture.Channels * i, 3));
        }
        FloatImage smooth = Blur.Gaussian(new FloatImage(w, h, 1, luma), 1);
        float[] strength = new float[w * h];
        for (int y = 1; y < h - 1; y++)
        {
            for (int x = 1; x < w - 1; x++)
            {
                float gx = smooth.Data[y * w + x + 1] - smooth.Data[y * w + x - 1],
                    gy = smooth.Data[(y + 1) * w + x] - smooth.Data[(y - 1) * w + x];
                strength[y * w + x] = MathF.Sqrt(gx * gx + gy * gy);
            }
        }
        double noise = grain is null ? 0 : grain.Deviation(1, Middle(luma)),
            least = Math.Max(1e-4, 1.5 * LeftOfGrain * noise);
        var widths = new List<double>();
        var taken = new bool[w * h];
        int[] order =
        [
            .. Enumerable
                .Range(0, w * h)
                .Where(i =>
                    (where is null || where[i])
                    && strength[i] > least
                    && i % w >= Reach + 1
                    && i % w < w - Reach - 1
                    && i / w >= Reach + 1
                    && i / w < h - Reach - 1
                    && IsTop(strength, w, i)
                )
                .OrderByDescending(i => strength[i]),
        ];
        foreach (int i in order.Take(4000))
        {
            if (taken[i])
            {
                continue;
            }
            int cx = i % w,
                cy = i / w;
            if (Read(luma, smooth.Data, w, cx, cy, noise) is { } width)
            {
                widths.Add(width);
            }
            // The same stretch of an edge is read once.
            for (int y = cy - Reach / 2; y <= cy + Reach / 2; y++)
            {
                for (int x = cx - Reach / 2; x <= cx + Reach / 2; x++)
                {
                    taken[y * w + x] = true;
                }
            }
            if (widths.Count >= 400)
            {
                break;
            }
        }
        if (widths.Count == 0)
        {
            // Wider than the square that is looked at: the same at half the size. Its pixels' own width is taken off (variances add).
            if (where is not null || Math.Min(w, h) < 4 * Reach + 8)
            {
                return (null, 0);
            }
            float[] small = new FloatImage(w, h, 1, luma).ReducedTo(w / 2, h / 2).Data;
            var (half, n) = Of(FloatImage.Of(w / 2, h / 2, small, small, small), grain);
            return (half is { } v ? Math.Sqrt(Math.Max(0, 4 * v * v - Blur.EdgeOfSigma * Blur.EdgeOfSigma * 3 / 12)) : null, n);
        }
        widths.Sort();
        double sharp = widths[widths.Count / 10];
        double[] alike = [.. widths.Where(v => v <= 1.5 * sharp)];
        return (alike[alike.Length / 2], alike.Length);
    }

    /// <summary>Of white grain's deviation a Gaussian of 1 px leaves this (GRN-04): 1 ÷ (2 √π).</summary>
    private const double LeftOfGrain = 0.2821;

    private static float Middle(float[] values)
    {
        float[] some =
        [
            .. Enumerable
                .Range(0, Math.Min(values.Length, 4096))
                .Select(i => values[(int)((long)i * values.Length / Math.Min(values.Length, 4096))]),
        ];
        Array.Sort(some);
        return some[some.Length / 2];
    }

    private static bool IsTop(float[] s, int w, int i) => (s[i] >= s[i - 1] && s[i] >= s[i + 1]) || (s[i] >= s[i - w] && s[i] >= s[i + w]);

    private static double? Read(float[] luma, float[] smooth, int w, int cx, int cy, double noise)
    {
        // The edge's direction by the gradients close about it, weighted by their strength (structure tensor); and its middle.
        double xx = 0,
            xy = 0,
            yy = 0,
            sum = 0,
            mx = 0,
            my = 0;
        const int close = 5;
        for (int y = cy - close; y <= cy + close; y++)
        {
            for (int x = cx - close; x <= cx + close; x++)
            {
                double gx = smooth[y * w + x + 1] - smooth[y * w + x - 1],
                    gy = smooth[(y + 1) * w + x] - smooth[(y - 1) * w + x],
                    g = gx * gx + gy * gy;
                (xx, xy, yy, sum, mx, my) = (xx + gx * gx, xy + gx * gy, yy + gy * gy, sum + g, mx + g * x, my + g * y);
            }
        }
        double turn = 0.5 * Elementary.Atan2(2 * xy, xx - yy),
            nx = Elementary.Cos(turn),
            ny = Elementary.Sin(turn),
            across = xx * nx * nx + 2 * xy * nx * ny + yy * ny * ny;
        if (sum <= 0 || across < 0.93 * sum)
        {
            return null;
        } // bent, or not alone
        (mx, my) = (mx / sum, my / sum);
        // A curve that is nearly straight is refined by the line through the gradient's ridge.
        double sa = 0,
            sd = 0,
            saa = 0,
            sad = 0,
            sw = 0;
        for (int y = cy - Reach; y <= cy + Reach; y++)
        {
            for (int x = cx - Reach; x <= cx + Reach; x++)
            {
                double a = -(x - mx) * ny + (y - my) * nx,
                    d = (x - mx) * nx + (y - my) * ny;
                if (Math.Abs(a) > Along || Math.Abs(d) > close)
                {
                    continue;
                }
                double gx = smooth[y * w + x + 1] - smooth[y * w + x - 1],
                    gy = smooth[(y + 1) * w + x] - smooth[(y - 1) * w + x],
                    g = gx * gx + gy * gy;
                (sw, sa, sd, saa, sad) = (sw + g, sa + g * a, sd + g * d, saa + g * a * a, sad + g * a * d);
            }
        }
        double det = sw * saa - sa * sa,
            slope = det > 1e-12 * sw * sw ? (sw * sad - sa * sd) / det : 0,
            offset = sw > 0 ? (sd - slope * sa) / sw : 0;
        const int bins = (int)(2 * Reach / Bin);
        var total = new double[bins];
        var count = new int[bins];
        double stretch = 1 / Math.Sqrt(1 + slope * slope);
        for (int y = cy - Reach; y <= cy + Reach; y++)
        {
            for (int x = cx - Reach; x <= cx + Reach; x++)
            {
                double a = -(x - mx) * ny + (y - my) * nx,
                    d = ((x - mx) * nx + (y - my) * ny - offset - slope * a) * stretch;
                int b = (int)Math.Floor((d + Reach) / Bin);
                if (b < 0 || b >= bins || Math.Abs(a) > Along)
                {
                    continue;
                }
                total[b] += luma[y * w + x];
                count[b]++;
            }
        }
        var at = new List<double>();
        var value = new List<double>();
        for (int b = 0; b < bins; b++)
        {
            if (count[b] > 0)
            {
                at.Add((b + 0.5) * Bin - Reach);
                value.Add(total[b] / count[b]);
            }
        }
        if (at.Count < bins / 2)
        {
            return null;
        }
        return Crossings([.. at], [.. value], noise);
    }

    /// <summary>Between the levels beside the step: they are the medians beyond it, as far out as the width itself asks.</summary>
    private static double? Crossings(double[] at, double[] value, double noise)
    {
        double width = 2;
        for (int pass = 0; pass < 4; pass++)
        {
            double clear = 1.2 * width + 0.5;
            if (clear > Reach - 3)
            {
                return null;
            } // wider than can be read here
            // Close beside the step, and no further: a tile's joint or another thing may come next.
            double[] low = [.. Enumerable.Range(0, at.Length).Where(i => at[i] < -clear && at[i] > -clear - Beside).Select(i => value[i])],
                high = [.. Enumerable.Range(0, at.Length).Where(i => at[i] > clear && at[i] < clear + Beside).Select(i => value[i])];
            if (low.Length < 4 || high.Length < 4)
            {
                return null;
            }
            double a = Median(low),
                b = Median(high),
                step = b - a;
            if (Math.Abs(step) < Math.Max(LeastContrast * noise, 0.004))
            {
                return null;
            }
            // Beside the step it must be even: else it is a ridge, or one of several edges.
            double Uneven(double[] v, double m) => v.Max(x => Math.Abs(x - m));
            if (Uneven(low, a) > 0.15 * Math.Abs(step) + 3 * noise || Uneven(high, b) > 0.15 * Math.Abs(step) + 3 * noise)
            {
                return null;
            }
            double? from = Cross(at, value, a + 0.1 * step, step > 0),
                to = Cross(at, value, a + 0.9 * step, step > 0);
            if (from is null || to is null || to <= from)
            {
                return null;
            }
            double next = to.Value - from.Value;
            if (Math.Abs(next - width) < 0.01)
            {
                return next;
            }
            width = next;
        }
        return width;
    }

    /// <summary>
    /// Where a rising (or falling) step passes a level: the mean of the first and the last time, so that grain moves it little.
    /// </summary>
    private static double? Cross(double[] at, double[] value, double level, bool rises)
    {
        double? first = null,
            last = null;
        for (int i = 1; i < at.Length; i++)
        {
            double u = value[i - 1] - level,
                v = value[i] - level;
            if (u == v || (rises ? !(u < 0 && v >= 0) : !(u >= 0 && v < 0)))
            {
                continue;
            }
            double x = at[i - 1] + (at[i] - at[i - 1]) * u / (u - v);
            first ??= x;
            last = x;
        }
        return first is { } f ? (f + last!.Value) / 2 : null;
    }

    private static double Median(double[] v)
    {
        Array.Sort(v);
        return v[v.Length / 2];
    }
}
