using System.Numerics;

namespace Plenk.Core.Images;

/// <summary>
/// Holes filled inwards with patches of the picture's own texture, the patch first that knows most and continues an edge
/// (Criminisi, Pérez and Toyama 2004).
/// </summary>
public static class ExemplarFill
{
    private const int Half = 4; // a patch is 9 × 9 pixels

    /// <param name="picture">Values of about even visibility (codes 0..1, three channels).</param>
    /// <param name="source">Where patches may be taken from besides what is outside the hole; null: everywhere outside.</param>
    /// <param name="reach">How far from the place that is filled, pixels.</param>
    public static FloatImage Fill(
        FloatImage picture,
        bool[] hole,
        bool[]? source = null,
        int reach = 90,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        int w = picture.Width,
            h = picture.Height;
        if (hole.Length != w * h || picture.Channels != 3)
        {
            throw new ArgumentException("a picture of three channels and a hole of its size");
        }
        FloatImage result = picture.Copy();
        bool[] open = [.. hole];
        int left = open.Count(o => o),
            all = left;
        if (left == 0 || left == open.Length)
        {
            return result;
        }
        var confidence = new float[w * h];
        for (int i = 0; i < confidence.Length; i++)
        {
            confidence[i] = open[i] ? 0 : 1;
        }
        // Centres whose whole patch was there from the beginning.
        bool[] whole = Whole(hole, source, w, h);
        if (!whole.Contains(true))
        {
            return HoleFill.Harmonic(picture, hole, stop);
        }
        var front = new HashSet<int>();
        for (int i = 0; i < open.Length; i++)
        {
            if (open[i] && OnFront(i))
            {
                front.Add(i);
            }
        }
        while (left > 0 && front.Count > 0)
        {
            stop.ThrowIfCancellationRequested();
            // Ties go to the first in reading order, so that the same hole is filled the same way.
            int best = -1;
            float most = float.NegativeInfinity;
            foreach (int i in front)
            {
                float p = Confidence(i) * (Edge(i) + 0.001f);
                if (p > most || (p == most && i < best))
                {
                    (most, best) = (p, i);
                }
            }
            float sure = Confidence(best);
            int from = Nearest(best);
            int bx = best % w,
                by = best / w,
                fx = from % w,
                fy = from / w;
            for (int v = -Half; v <= Half; v++)
            {
                for (int u = -Half; u <= Half; u++)
                {
                    int x = bx + u,
                        y = by + v;
                    if (x < 0 || y < 0 || x >= w || y >= h || !open[y * w + x])
                    {
                        continue;
                    }
                    int to = y * w + x,
                        at = (fy + v) * w + fx + u;
                    for (int c = 0; c < 3; c++)
                    {
                        result.Data[3 * to + c] = result.Data[3 * at + c];
                    }
                    open[to] = false;
                    confidence[to] = sure;
                    left--;
                }
            }
            for (int y = Math.Max(0, by - Half - 1); y <= Math.Min(h - 1, by + Half + 1); y++)
            {
                for (int x = Math.Max(0, bx - Half - 1); x <= Math.Min(w - 1, bx + Half + 1); x++)
                {
                    int i = y * w + x;
                    if (open[i] && OnFront(i))
                    {
                        front.Add(i);
                    }
                    else
                    {
                        front.Remove(i);
                    }
                }
            }
            progress?.Invoke(1 - (double)left / all);
        }
        return result;

        bool OnFront(int i)
        {
            int x = i % w,
                y = i / w;
            return (x > 0 && !open[i - 1]) || (x < w - 1 && !open[i + 1]) || (y > 0 && !open[i - w]) || (y < h - 1 && !open[i + w]);
        }

        float Confidence(int i)
        {
            int x = i % w,
                y = i / w;
            float sum = 0;
            for (int v = Math.Max(0, y - Half); v <= Math.Min(h - 1, y + Half); v++)
            {
                for (int u = Math.Max(0, x - Half); u <= Math.Min(w - 1, x + Half); u++)
                {
                    if (!open[v * w + u])
                    {
                        sum += confidence[v * w + u];
                    }
                }
            }
            return sum / ((2 * Half + 1) * (2 * Half + 1));
        }

        // The strongest isophote of the patch against the front's normal.
        float Edge(int i)
        {
            int x = i % w,
                y = i / w;
            float Known(int u, int v) =>
                u < 0 || v < 0 || u >= w || v >= h ? 0.5f
                : open[v * w + u] ? 0
                : 1;
            var normal = new Vector2(Known(x + 1, y) - Known(x - 1, y), Known(x, y + 1) - Known(x, y - 1));
            if (normal == Vector2.Zero)
            {
                return 0;
            }
            normal = Vector2.Normalize(normal);
            Vector2 steepest = default;
            for (int v = Math.Max(1, y - Half); v <= Math.Min(h - 2, y + Half); v++)
            {
                for (int u = Math.Max(1, x - Half); u <= Math.Min(w - 2, x + Half); u++)
                {
                    int j = v * w + u;
                    if (open[j] || open[j - 1] || open[j + 1] || open[j - w] || open[j + w])
                    {
                        continue;
                    }
                    var g = new Vector2(Grey(j + 1) - Grey(j - 1), Grey(j + w) - Grey(j - w)) / 2;
                    if (g.LengthSquared() > steepest.LengthSquared())
                    {
                        steepest = g;
                    }
                }
            }
            return MathF.Abs(-steepest.Y * normal.X + steepest.X * normal.Y);
        }

        float Grey(int i) => (result.Data[3 * i] + result.Data[3 * i + 1] + result.Data[3 * i + 2]) / 3;

        int Nearest(int i)
        {
            int x = i % w,
                y = i / w;
            for (int far = reach; ; far *= 2)
            {
                int y0 = Math.Max(Half, y - far),
                    y1 = Math.Min(h - 1 - Half, y + far),
                    x0 = Math.Max(Half, x - far),
                    x1 = Math.Min(w - 1 - Half, x + far);
                var found = new (float Off, int At)[Math.Max(1, y1 - y0 + 1)];
                Array.Fill(found, (float.PositiveInfinity, -1));
                Parallel.For(y0, y1 + 1, Cores.All, v =>
                {
                    (float Off, int At) own = (float.PositiveInfinity, -1);
                    for (int u = x0; u <= x1; u++)
                    {
                        if (!whole[v * w + u])
                        {
                            continue;
                        }
                        float off = Apart(x, y, u, v, own.Off);
                        if (off < own.Off)
                        {
                            own = (off, v * w + u);
                        }
                    }
                    found[v - y0] = own;
                });
                var best = found.MinBy(f => f.Off);
                if (best.At >= 0)
                {
                    return best.At;
                }
                if (far > w + h)
                {
                    return Array.IndexOf(whole, true);
                }
            }
        }

        float Apart(int x, int y, int u, int v, float least)
        {
            float sum = 0;
            for (int dy = -Half; dy <= Half; dy++)
            {
                int py = y + dy;
                if (py < 0 || py >= h)
                {
                    continue;
                }
                for (int dx = -Half; dx <= Half; dx++)
                {
                    int px = x + dx;
                    if (px < 0 || px >= w)
                    {
                        continue;
                    }
                    int a = py * w + px;
                    if (open[a])
                    {
                        continue;
                    }
                    int b = (v + dy) * w + u + dx;
                    float r = result.Data[3 * a] - result.Data[3 * b],
                        g = result.Data[3 * a + 1] - result.Data[3 * b + 1],
                        bl = result.Data[3 * a + 2] - result.Data[3 * b + 2];
                    sum += r * r + g * g + bl * bl;
                }
                if (sum >= least)
                {
                    return sum;
                }
            }
            return sum;
        }
    }

    private static bool[] Whole(bool[] hole, bool[]? source, int w, int h)
    {
        var bad = new int[(w + 1) * (h + 1)];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                bad[(y + 1) * (w + 1) + x + 1] =
                    (hole[i] || source is not null && !source[i] ? 1 : 0)
                    + bad[y * (w + 1) + x + 1]
                    + bad[(y + 1) * (w + 1) + x]
                    - bad[y * (w + 1) + x];
            }
        }
        var whole = new bool[w * h];
        for (int y = Half; y < h - Half; y++)
        {
            for (int x = Half; x < w - Half; x++)
            {
                whole[y * w + x] =
                    bad[(y + Half + 1) * (w + 1) + x + Half + 1]
                        - bad[(y - Half) * (w + 1) + x + Half + 1]
                        - bad[(y + Half + 1) * (w + 1) + x - Half]
                        + bad[(y - Half) * (w + 1) + x - Half]
                    == 0;
            }
        }
        return whole;
    }
}
