using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>What it costs to say that pixels of a frame are of one layer: by the layer's picture as it has moved there, and by its colours.</summary>
internal static class LayerCosts
{
    /// <summary>What a pixel's difference costs at most: it may be a reflection, or something new.</summary>
    public const float Most = 10;

    /// <summary>The price of a part of a layer that was never seen.</summary>
    public const float New = 3;

    /// <summary>The price of a pixel that moves with one side but was called the other's.</summary>
    public const float Turned = 2.5f;

    /// <summary>Of what neighbours differ by where little is seen: the median of |I(x) − (I(x − 1) + I(x + 1)) ÷ 2|, over its share of σ.</summary>
    public static float NoiseOf(FloatImage even)
    {
        var some = new List<float>();
        for (int y = 1; y < even.Height - 1; y += 3)
        {
            for (int x = 1; x < even.Width - 1; x += 3)
            {
                int i = 3 * (y * even.Width + x) + 1;
                some.Add(MathF.Abs(even.Data[i] - (even.Data[i - 3] + even.Data[i + 3]) / 2));
            }
        }
        some.Sort();
        // √1.5 σ, and the median of |normal| is 0.6745 σ; texture adds to it, so a low part of it is taken.
        return some.Count == 0 ? 0.02f : Math.Clamp(some[some.Count / 4] / (0.3186f * 1.2247f), 0.008f, 0.05f);
    }

    /// <summary>
    /// What it costs to say that a pixel is of a layer: how it differs from what is remembered of it there, as noise and a third of a pixel's motion
    /// would explain it; of a place that the layer was not seen at, what moving with it as the other side does would.
    /// </summary>
    public static float[] Of(FloatImage now, FloatImage here, float[] known, FloatImage seen, float[] own, PixelBox box, float noise)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] remembered = Differences(now, here, box, noise),
            moving = Differences(now, seen, box, noise);
        var result = new float[w * h];
        for (int i = 0; i < result.Length; i++)
        {
            float byMotion = own[i] > 0.5f ? moving[i] : Math.Min(moving[i] + Turned, Most),
                byMemory = known[i] > 0.3f ? remembered[i] : Most;
            result[i] = Math.Min(Math.Min(byMotion, byMemory), Most);
            // Nothing is known of it there: neither for nor against.
            if (known[i] <= 0.3f && own[i] <= 0.5f)
            {
                result[i] = Math.Min(result[i], Turned + New);
            }
        }
        return result;
    }

    public static float[] Differences(FloatImage now, FloatImage here, PixelBox box, float noise)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        var own = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                ReadOnlySpan<float> a = now.Pixel(x + box.X0, y + box.Y0),
                    b = here.Pixel(x, y),
                    l = here.Pixel(Math.Max(0, x - 1), y),
                    r = here.Pixel(Math.Min(w - 1, x + 1), y),
                    u = here.Pixel(x, Math.Max(0, y - 1)),
                    d = here.Pixel(x, Math.Min(h - 1, y + 1));
                float sum = 0;
                for (int c = 0; c < 3; c++)
                {
                    float gx = (r[c] - l[c]) / 2,
                        gy = (d[c] - u[c]) / 2,
                        e = a[c] - b[c],
                        variance = 2 * noise * noise + 0.12f * (gx * gx + gy * gy);
                    sum += e * e / variance;
                }
                own[y * w + x] = sum;
            }
        });
        // By 3 × 3 pixels: one alone may be anything.
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                float sum = 0,
                    weight = 0;
                for (int j = Math.Max(0, y - 1); j <= Math.Min(h - 1, y + 1); j++)
                {
                    for (int i = Math.Max(0, x - 1); i <= Math.Min(w - 1, x + 1); i++)
                    {
                        float k =
                            i == x && j == y ? 4
                            : i == x || j == y ? 2
                            : 1;
                        sum += k * Math.Min(own[j * w + i], 60);
                        weight += k;
                    }
                }
                // Three channels: 3 is what noise alone gives.
                result[y * w + x] = Math.Clamp((sum / weight - 3) / 3, 0, Most);
            }
        });
        return result;
    }

    /// <summary>
    /// What colours say, in bits: how often a pixel's colour is found inside and outside near it, by histograms of 8 × 8 × 8 that reach about so far.
    /// </summary>
    public static float[] ByColours(FloatImage now, FloatImage before, float[] coverage, PixelBox box, double reach)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0,
            cell = Math.Max(8, (int)(2.5 * reach)),
            columns = w / cell + 1,
            rows = h / cell + 1;
        const int bins = 512;
        float[] inner = new float[columns * rows * bins],
            outer = new float[columns * rows * bins];
        int Bin(ReadOnlySpan<float> p)
        {
            int b = 0;
            for (int c = 0; c < 3; c++)
            {
                b = 8 * b + Math.Clamp((int)(p[c] * 8), 0, 7);
            }
            return b;
        }
        // Of the frame before, whose sides are known; a cell and those around it.
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                float a = coverage[y * now.Width + x];
                if (a is > 0.05f and < 0.95f)
                {
                    continue;
                }
                int k = ((y - box.Y0) / cell * columns + (x - box.X0) / cell) * bins + Bin(before.Pixel(x, y));
                (a > 0.5f ? inner : outer)[k]++;
            }
        }
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int bin = Bin(now.Pixel(x + box.X0, y + box.Y0)),
                    cx = x / cell,
                    cy = y / cell;
                float a = 0,
                    b = 0;
                for (int j = Math.Max(0, cy - 1); j <= Math.Min(rows - 1, cy + 1); j++)
                {
                    for (int i = Math.Max(0, cx - 1); i <= Math.Min(columns - 1, cx + 1); i++)
                    {
                        int k = (j * columns + i) * bins + bin;
                        (a, b) = (a + inner[k], b + outer[k]);
                    }
                }
                result[y * w + x] = Math.Clamp(0.6f * MathF.Log((a + 2) / (b + 2)), -1.5f, 1.5f);
            }
        });
        return result;
    }
}
