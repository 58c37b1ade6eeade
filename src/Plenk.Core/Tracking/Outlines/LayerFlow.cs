using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// Where one layer of a picture goes in the next, as pixels off, dense: patches of the layer alone are settled by inverse search over a pyramid
/// (Lucas and Kanade 1981; densely as Kroeger, Timofte, Dai and Van Gool 2016), then what they have in common is an affine motion, and what they
/// differ by is smoothed. It goes on beyond the layer.
/// </summary>
internal sealed class LayerFlow : IPictureMotion
{
    private const int Radius = 5;
    private readonly int _step,
        _left,
        _top,
        _columns,
        _rows;
    private readonly double[] _u,
        _v;

    /// <summary>Share of its patches that were found again, 0..1.</summary>
    public double Found { get; private init; }

    /// <summary>The mean of its patches.</summary>
    public (double U, double V) Mean { get; private init; }

    private LayerFlow(int step, int left, int top, int columns, int rows, double[] u, double[] v) =>
        (_step, _left, _top, _columns, _rows, _u, _v) = (step, left, top, columns, rows, u, v);

    public (double U, double V) At(double x, double y)
    {
        double gx = Math.Clamp((x - _left) / _step, 0, _columns - 1.001),
            gy = Math.Clamp((y - _top) / _step, 0, _rows - 1.001);
        int i = (int)gx,
            j = (int)gy,
            k = j * _columns + i;
        double s = gx - i,
            t = gy - j;
        double Mix(double[] f) => (1 - t) * ((1 - s) * f[k] + s * f[k + 1]) + t * ((1 - s) * f[k + _columns] + s * f[k + _columns + 1]);
        return (Mix(_u), Mix(_v));
    }

    public (double X, double Y) From(double x, double y)
    {
        var (u, v) = At(x, y);
        for (int k = 0; k < 4; k++)
        {
            (u, v) = At(x - u, y - v);
        }
        return (x - u, y - v);
    }

    /// <param name="layer">How much of each pixel of the first picture belongs to the layer, 0..1.</param>
    /// <param name="box">Where it is asked for: left, top, right, bottom, array coordinates.</param>
    /// <param name="start">The motion that is looked around first.</param>
    /// <param name="isPace">It was that before: it is left for a much better one only.</param>
    /// <param name="reach">How far around it, pixels.</param>
    /// <param name="step">Pixels from a patch to the next.</param>
    public static LayerFlow Of(
        GrayPyramid from,
        GrayPyramid to,
        float[] layer,
        PixelBox box,
        (double U, double V) start,
        bool isPace,
        double reach,
        int step = 4
    )
    {
        int width = from.Levels[0].Width,
            columns = Math.Max(2, (box.X1 - box.X0) / step + 2),
            rows = Math.Max(2, (box.Y1 - box.Y0) / step + 2);
        var masks = new List<float[]> { layer };
        var sizes = new List<(int W, int H)> { (width, from.Levels[0].Height) };
        for (int l = 1; l < from.Levels.Length; l++)
        {
            masks.Add(Half(masks[^1], sizes[^1].W, sizes[^1].H, from.Levels[l].Width, from.Levels[l].Height));
            sizes.Add((from.Levels[l].Width, from.Levels[l].Height));
        }
        int coarse = Math.Min(2, from.Levels.Length - 1);
        start = Search(
            from.Levels[coarse],
            to.Levels[coarse],
            masks[coarse],
            box,
            1 << coarse,
            start,
            isPace ? 2e-5 * (1 << (2 * coarse)) : 1e-6,
            reach
        );
        var u = new double[columns * rows];
        var v = new double[columns * rows];
        var sure = new double[columns * rows];
        Array.Fill(u, start.U);
        Array.Fill(v, start.V);
        double found = 0,
            asked = 0;
        for (int l = coarse; l >= 0; l--)
        {
            int scale = 1 << l,
                every = scale;
            GrayImage a = from.Levels[l],
                b = to.Levels[l];
            float[] mask = masks[l];
            Array.Clear(sure);
            Parallel.For(0, rows, Cores.All, j =>
            {
                if (j % every != 0)
                {
                    return;
                }
                for (int i = 0; i < columns; i += every)
                {
                    int k = j * columns + i;
                    double x = (box.X0 + i * step + 0.5) / scale - 0.5,
                        y = (box.Y0 + j * step + 0.5) / scale - 0.5,
                        du = u[k] / scale,
                        dv = v[k] / scale;
                    sure[k] = Settle(a, b, mask, x, y, ref du, ref dv);
                    (u[k], v[k]) = (du * scale, dv * scale);
                }
            });
            Smooth(u, v, sure, columns, rows, l == 0 ? 2.0 : 1.5 * every);
            if (l == 0)
            {
                for (int j = 0; j < rows; j++)
                {
                    for (int i = 0; i < columns; i++)
                    {
                        int x = Math.Clamp(box.X0 + i * step, 0, width - 1),
                            y = Math.Clamp(box.Y0 + j * step, 0, sizes[0].H - 1);
                        if (layer[y * width + x] > 0.5f)
                        {
                            asked++;
                            found += sure[j * columns + i] > 0.1 ? 1 : 0;
                        }
                    }
                }
            }
        }
        double whole = Math.Max(1e-9, sure.Sum());
        return new(step, box.X0, box.Y0, columns, rows, u, v)
        {
            Found = asked > 0 ? found / asked : 0,
            Mean = (u.Zip(sure, (a, s) => a * s).Sum() / whole, v.Zip(sure, (a, s) => a * s).Sum() / whole),
        };
    }

    private static float[] Half(float[] mask, int w, int h, int w2, int h2)
    {
        var half = new float[w2 * h2];
        for (int y = 0; y < h2; y++)
        {
            for (int x = 0; x < w2; x++)
            {
                int x0 = Math.Min(2 * x, w - 1),
                    x1 = Math.Min(2 * x + 1, w - 1),
                    y0 = Math.Min(2 * y, h - 1) * w,
                    y1 = Math.Min(2 * y + 1, h - 1) * w;
                half[y * w2 + x] = (mask[y0 + x0] + mask[y0 + x1] + mask[y1 + x0] + mask[y1 + x1]) / 4;
            }
        }
        return half;
    }

    /// <summary>The shift of the whole layer that fits best, every whole pixel of a coarse level looked at; light may change as a whole.</summary>
    private static (double U, double V) Search(
        GrayImage a,
        GrayImage b,
        float[] mask,
        PixelBox box,
        int scale,
        (double U, double V) start,
        double holds,
        double reach
    )
    {
        int r = (int)Math.Ceiling(reach / scale),
            su = (int)Math.Round(start.U / scale),
            sv = (int)Math.Round(start.V / scale);
        var places = new List<(int X, int Y, float W)>();
        for (int y = Math.Max(0, box.Y0 / scale); y < Math.Min(a.Height, box.Y1 / scale + 1); y++)
        {
            for (int x = Math.Max(0, box.X0 / scale); x < Math.Min(a.Width, box.X1 / scale + 1); x++)
            {
                if (mask[y * a.Width + x] > 0.5f)
                {
                    places.Add((x, y, mask[y * a.Width + x]));
                }
            }
        }
        if (places.Count < 4)
        {
            return start;
        }
        int skip = 1 + places.Count / 3000;
        (int X, int Y, float W)[] some = [.. places.Where((_, i) => i % skip == 0)];
        var costs = new double[(2 * r + 1) * (2 * r + 1)];
        Parallel.For(0, costs.Length, Cores.All, k =>
        {
            int dx = su + k % (2 * r + 1) - r,
                dy = sv + k / (2 * r + 1) - r;
            double sum = 0,
                square = 0,
                weight = 0;
            foreach (var (x, y, w) in some)
            {
                int tx = x + dx,
                    ty = y + dy;
                if (tx < 0 || ty < 0 || tx >= b.Width || ty >= b.Height)
                {
                    continue;
                }
                double d = b.Data[ty * b.Width + tx] - a.Data[y * a.Width + x];
                (sum, square, weight) = (sum + w * d, square + w * d * d, weight + w);
            }
            costs[k] =
                weight < 0.4 * some.Sum(p => p.W)
                    ? double.PositiveInfinity
                    : square / weight - 0.8 * (sum / weight) * (sum / weight) + holds * ((dx - su) * (dx - su) + (dy - sv) * (dy - sv));
        });
        int best = Array.IndexOf(costs, costs.Min());
        // What repeats fits at many places: the start is left for one that fits much better alone.
        return double.IsInfinity(costs[best]) || costs[best] > 0.6 * costs[costs.Length / 2]
            ? start
            : ((su + best % (2 * r + 1) - r) * (double)scale, (sv + best / (2 * r + 1) - r) * (double)scale);
    }

    /// <summary>A patch of the layer moved to where it fits; how sure it is of it, 0..1.</summary>
    private static double Settle(GrayImage a, GrayImage b, float[] mask, double x, double y, ref double u, ref double v)
    {
        const int n = 2 * Radius + 1;
        int cx = (int)Math.Round(x),
            cy = (int)Math.Round(y);
        Span<float> w = stackalloc float[n * n],
            value = stackalloc float[n * n],
            gx = stackalloc float[n * n],
            gy = stackalloc float[n * n];
        float total = 0;
        for (int j = -Radius, k = 0; j <= Radius; j++)
        {
            for (int i = -Radius; i <= Radius; i++, k++)
            {
                int px = cx + i,
                    py = cy + j;
                float m = px >= 0 && py >= 0 && px < a.Width && py < a.Height ? mask[py * a.Width + px] : 0;
                w[k] = m * m * (1 - 0.8f * (i * i + j * j) / (2f * Radius * Radius));
                total += w[k];
                if (w[k] > 0)
                {
                    value[k] = a.At(px, py);
                    gx[k] = (a.At(px + 1, py) - a.At(px - 1, py)) / 2;
                    gy[k] = (a.At(px, py + 1) - a.At(px, py - 1)) / 2;
                }
            }
        }
        if (total < 0.15f * n * n)
        {
            return 0;
        }
        double u0 = u,
            v0 = v,
            residual = 0,
            least = 0;
        const double noise = 0.03;
        for (int round = 0; round < 10; round++)
        {
            double h11 = 0,
                h12 = 0,
                h22 = 0,
                b1 = 0,
                b2 = 0,
                bias = 0,
                weight = 0;
            for (int pass = 0; pass < 2; pass++)
            {
                double mean = weight > 0 ? bias / weight : 0;
                (h11, h12, h22, b1, b2, bias, weight, residual) = (0, 0, 0, 0, 0, 0, 0, 0);
                for (int j = -Radius, k = 0; j <= Radius; j++)
                {
                    for (int i = -Radius; i <= Radius; i++, k++)
                    {
                        if (w[k] <= 0)
                        {
                            continue;
                        }
                        double d = b.At((float)(cx + i + u), (float)(cy + j + v)) - value[k],
                            e = d - mean,
                            own = w[k] / (1 + e * e / (noise * noise * 4));
                        h11 += own * gx[k] * gx[k];
                        h12 += own * gx[k] * gy[k];
                        h22 += own * gy[k] * gy[k];
                        b1 += own * gx[k] * e;
                        b2 += own * gy[k] * e;
                        bias += own * d;
                        weight += own;
                        residual += w[k] * Math.Min(e * e, 0.04);
                    }
                }
            }
            double half = (h11 + h22) / 2,
                apart = Math.Sqrt((h11 - h22) * (h11 - h22) / 4 + h12 * h12);
            least = (half - apart) / total;
            double soft = 1e-5 * total,
                det = (h11 + soft) * (h22 + soft) - h12 * h12;
            double du = -((h22 + soft) * b1 - h12 * b2) / det,
                dv = -((h11 + soft) * b2 - h12 * b1) / det,
                length = Math.Sqrt(du * du + dv * dv);
            if (length > 1)
            {
                (du, dv) = (du / length, dv / length);
            }
            (u, v) = (u + du, v + dv);
            if (length < 0.01)
            {
                break;
            }
        }
        if ((u - u0) * (u - u0) + (v - v0) * (v - v0) > Radius * Radius)
        {
            (u, v) = (u0, v0);
            return 0;
        }
        double error = Math.Sqrt(residual / total);
        return least / (least + 2e-4) * Math.Exp(-error * error / (2 * 0.05 * 0.05)) * Math.Min(1, total / (0.5 * n * n * 0.6));
    }

    /// <summary>An affine motion by what is sure, and what is left over smoothed about it, drawn to it where little is known.</summary>
    private static void Smooth(double[] u, double[] v, double[] sure, int columns, int rows, double sigma)
    {
        double[] weights = [.. sure];
        var (pu, pv) = (new double[3], new double[3]);
        for (int round = 0; round < 6; round++)
        {
            var h = new double[9];
            var (bu, bv) = (new double[3], new double[3]);
            for (int j = 0; j < rows; j++)
            {
                for (int i = 0; i < columns; i++)
                {
                    int k = j * columns + i;
                    if (weights[k] <= 0)
                    {
                        continue;
                    }
                    ReadOnlySpan<double> row = [1, (double)i / columns - 0.5, (double)j / rows - 0.5];
                    for (int r = 0; r < 3; r++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            h[3 * r + c] += weights[k] * row[r] * row[c];
                        }
                        bu[r] += weights[k] * row[r] * u[k];
                        bv[r] += weights[k] * row[r] * v[k];
                    }
                }
            }
            if (h[0] < 1e-3)
            {
                return;
            }
            for (int r = 1; r < 3; r++)
            {
                h[4 * r] += 1e-3 * h[0];
            }
            if (Algebra.Cholesky.Solve([.. h], bu, 3) is not { } su || Algebra.Cholesky.Solve([.. h], bv, 3) is not { } sv)
            {
                return;
            }
            (pu, pv) = (su, sv);
            for (int k = 0; k < weights.Length; k++)
            {
                double x = (double)(k % columns) / columns - 0.5,
                    y = (double)(k / columns) / rows - 0.5,
                    eu = u[k] - (pu[0] + pu[1] * x + pu[2] * y),
                    ev = v[k] - (pv[0] + pv[1] * x + pv[2] * y);
                weights[k] = sure[k] / (1 + (eu * eu + ev * ev) / 4);
            }
        }
        int reach = (int)Math.Ceiling(2.5 * sigma);
        double[] of = [.. Enumerable.Range(0, reach + 1).Select(d => Math.Exp(-d * d / (2 * sigma * sigma)))];
        double[] ru = new double[u.Length],
            rv = new double[v.Length],
            w = new double[u.Length];
        for (int k = 0; k < u.Length; k++)
        {
            double x = (double)(k % columns) / columns - 0.5,
                y = (double)(k / columns) / rows - 0.5;
            w[k] = weights[k];
            (ru[k], rv[k]) = (w[k] * (u[k] - (pu[0] + pu[1] * x + pu[2] * y)), w[k] * (v[k] - (pv[0] + pv[1] * x + pv[2] * y)));
        }
        foreach (double[] field in (double[][])[ru, rv, w])
        {
            Convolved(field, columns, rows, of);
        }
        for (int k = 0; k < u.Length; k++)
        {
            double x = (double)(k % columns) / columns - 0.5,
                y = (double)(k / columns) / rows - 0.5,
                sum = w[k] + 0.15;
            u[k] = pu[0] + pu[1] * x + pu[2] * y + ru[k] / sum;
            v[k] = pv[0] + pv[1] * x + pv[2] * y + rv[k] / sum;
        }
    }

    private static void Convolved(double[] field, int columns, int rows, double[] kernel)
    {
        var first = new double[field.Length];
        for (int j = 0; j < rows; j++)
        {
            for (int i = 0; i < columns; i++)
            {
                double sum = 0;
                for (int d = -kernel.Length + 1; d < kernel.Length; d++)
                {
                    if (i + d >= 0 && i + d < columns)
                    {
                        sum += kernel[Math.Abs(d)] * field[j * columns + i + d];
                    }
                }
                first[j * columns + i] = sum;
            }
        }
        for (int j = 0; j < rows; j++)
        {
            for (int i = 0; i < columns; i++)
            {
                double sum = 0;
                for (int d = -kernel.Length + 1; d < kernel.Length; d++)
                {
                    if (j + d >= 0 && j + d < rows)
                    {
                        sum += kernel[Math.Abs(d)] * first[(j + d) * columns + i];
                    }
                }
                field[j * columns + i] = sum;
            }
        }
    }
}
