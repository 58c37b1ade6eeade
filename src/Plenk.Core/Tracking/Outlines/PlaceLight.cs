using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>The lights that a place may stand in, and how well it explains a picture in the best of them.</summary>
internal sealed class PlaceLight
{
    /// <summary>What a light makes of square roots of light, and what it costs to say so.</summary>
    private readonly record struct Light(float R, float G, float B, float Price, float Structure);

    /// <summary>Windows are so far from their middle to their sides, pixels.</summary>
    private const int Radius = 2;

    /// <summary>Pixels of a window that must be known.</summary>
    private const int Least = 12;

    /// <summary>Full light, a twentieth more or less.</summary>
    private const int Full = 3;

    /// <summary>How well a shadow's colour is known, in ln of square roots of light.</summary>
    private const float Hue = 0.025f;
    private readonly Light[] _lights;

    /// <summary>Before any shadow was seen: grey ones, and such as a blue sky leaves; dear.</summary>
    public PlaceLight()
        : this([(0.22, 0.22, 0.22), (0.12, 0.17, 0.26)], 1.5f) { }

    /// <param name="shadow">Share of full light that is left in full shadow.</param>
    public PlaceLight((double R, double G, double B) shadow)
        : this([shadow], 0.5f) { }

    private PlaceLight(IReadOnlyList<(double R, double G, double B)> shadows, float price)
    {
        var all = new List<Light> { new(1, 1, 1, 0, 1), new(1.05f, 1.05f, 1.05f, 0, 1), new(0.95f, 0.95f, 0.95f, 0, 1) };
        foreach (var (r, g, b) in shadows)
        {
            // Through the half-shadow to the whole one; then deeper, where little of the sky is seen, and more is noise.
            foreach (double a in (double[])[0.8, 0.65, 0.5, 0.35, 0.2, 0.1, 0])
            {
                float Root(double s) => (float)Math.Sqrt(a + (1 - a) * s);
                all.Add(new(Root(r), Root(g), Root(b), price, 0.5f));
            }
            foreach (double k in (double[])[0.85, 0.7, 0.55, 0.4, 0.28])
            {
                float Root(double s) => (float)Math.Sqrt(k * s);
                all.Add(new(Root(r), Root(g), Root(b), price + (float)(1.5 * (1 - k)), 0.3f));
            }
        }
        _lights = [.. all];
    }

    /// <summary>
    /// The colour of a shadow: of spots that have less light than the place has at other times, the ratio that most of them share.
    /// </summary>
    /// <returns>Null: there are too few.</returns>
    public static PlaceLight? Learned(IReadOnlyList<(double R, double G, double B)> ratios)
    {
        if (ratios.Count <= 25)
        {
            return null;
        }
        static double Apart((double R, double G, double B) a, (double R, double G, double B) b) =>
            Math.Max(Math.Abs(Math.Log(a.R / b.R)), Math.Max(Math.Abs(Math.Log(a.G / b.G)), Math.Abs(Math.Log(a.B / b.B))));
        int every = 1 + ratios.Count / 400;
        (double R, double G, double B)[] some = [.. ratios.Where((_, i) => i % every == 0)];
        var most = some.MaxBy(s => some.Count(o => Apart(s, o) < 0.12));
        (double R, double G, double B)[] near = [.. some.Where(o => Apart(most, o) < 0.12)];
        double Median(Func<(double R, double G, double B), double> of) => near.Select(of).Order().ElementAt(near.Length / 2);
        return new((Median(s => s.R), Median(s => s.G), Median(s => s.B)));
    }

    /// <summary>What it costs to say that a picture shows the place, by pixel.</summary>
    /// <param name="now">Square roots of light, as <paramref name="place"/> is.</param>
    /// <param name="known">Where the place is.</param>
    public byte[] Costs(FloatImage now, FloatImage place, bool[] known, float noise)
    {
        int w = now.Width,
            h = now.Height;
        float[] weight = Weights(place, known, noise);
        float[][] sums = Sums(now, place, known, weight);
        var misfit = new float[w * h];
        var best = new byte[w * h];
        Array.Fill(misfit, float.NaN);
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int at = y * w; at < (y + 1) * w; at++)
            {
                if (sums[^1][at] >= Least)
                {
                    (misfit[at], best[at]) = Best(sums, at);
                }
            }
        });
        // Of the windows that a pixel lies in the one that fits best: a shadow's edge is none of its own.
        var costs = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int at = y * w + x;
                costs[at] = float.PositiveInfinity;
                if (!known[at])
                {
                    continue;
                }
                for (int j = Math.Max(0, y - Radius); j <= Math.Min(h - 1, y + Radius); j++)
                {
                    for (int i = Math.Max(0, x - Radius); i <= Math.Min(w - 1, x + Radius); i++)
                    {
                        float m = misfit[j * w + i];
                        if (0.6f * m < costs[at])
                        {
                            Light light = _lights[best[j * w + i]];
                            float own = Math.Min(12, weight[at] * Off(now.Pixel(x, y), place.Pixel(x, y), light) / 3);
                            costs[at] = Math.Min(costs[at], 0.6f * m + (best[j * w + i] < Full ? 0.4f : 0.2f) * own);
                        }
                    }
                }
            }
        });
        // Most of a picture is the place itself: how well that fits is what its motion, and its light, are known to.
        float[] some = [.. costs.Where((c, i) => i % 7 == 0 && !float.IsInfinity(c)).Order()];
        float fits = some.Length == 0 ? 1 : Math.Clamp(1.6f * some[some.Length * 3 / 4], 0.9f, 4);
        return
        [
            .. costs.Select(c =>
                float.IsInfinity(c) ? Behind.Unknown : (byte)(Math.Clamp(3 * (c / fits - 1) / LayerCosts.Most, 0, 1) * Behind.Steps + 0.5f)
            ),
        ];
    }

    /// <summary>One over what the noise of both, and a third of a pixel's motion, leave of a difference.</summary>
    private static float[] Weights(FloatImage place, bool[] known, float noise)
    {
        int w = place.Width,
            h = place.Height;
        var weight = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                if (!known[y * w + x])
                {
                    continue;
                }
                ReadOnlySpan<float> left = place.Pixel(Math.Max(0, x - 1), y),
                    right = place.Pixel(Math.Min(w - 1, x + 1), y),
                    up = place.Pixel(x, Math.Max(0, y - 1)),
                    down = place.Pixel(x, Math.Min(h - 1, y + 1));
                float slope = 0;
                for (int c = 0; c < 3; c++)
                {
                    slope += ((right[c] - left[c]) * (right[c] - left[c]) + (down[c] - up[c]) * (down[c] - up[c])) / 4;
                }
                weight[y * w + x] = 1 / (1.3f * noise * noise + 0.15f * slope + 0.00005f);
            }
        });
        return weight;
    }

    /// <summary>Over windows: now · now, now · place and place · place by channel, weighted; last how many pixels are known.</summary>
    private static float[][] Sums(FloatImage now, FloatImage place, bool[] known, float[] weight)
    {
        int w = now.Width,
            h = now.Height;
        float[][] sums = [.. Enumerable.Range(0, 10).Select(_ => new float[w * h])];
        for (int at = 0; at < weight.Length; at++)
        {
            for (int c = 0; known[at] && c < 3; c++)
            {
                float i = now.Data[3 * at + c],
                    p = place.Data[3 * at + c];
                (sums[c][at], sums[3 + c][at], sums[6 + c][at]) = (weight[at] * i * i, weight[at] * i * p, weight[at] * p * p);
            }
            sums[9][at] = known[at] ? 1 : 0;
        }
        Parallel.ForEach(sums, Cores.All, s => Windowed(s, w, h));
        return sums;
    }

    private static void Windowed(float[] field, int w, int h)
    {
        var across = new float[w * h];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                float sum = 0;
                for (int i = Math.Max(0, x - Radius); i <= Math.Min(w - 1, x + Radius); i++)
                {
                    sum += field[y * w + i];
                }
                across[y * w + x] = sum;
            }
        }
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                float sum = 0;
                for (int j = Math.Max(0, y - Radius); j <= Math.Min(h - 1, y + Radius); j++)
                {
                    sum += across[j * w + x];
                }
                field[y * w + x] = sum;
            }
        }
    }

    /// <summary>The light in which a window's place fits best: by its structure, and in shadow by its colour, which noise hardly hides.</summary>
    private (float Misfit, byte Light) Best(float[][] sums, int at)
    {
        float Ratio(int c, int to) =>
            MathF.Log(Math.Max(1e-3f, sums[3 + c][at] / Math.Max(1e-6f, sums[6 + c][at])))
            - MathF.Log(Math.Max(1e-3f, sums[3 + to][at] / Math.Max(1e-6f, sums[6 + to][at])));
        float red = Ratio(0, 1),
            blue = Ratio(2, 1),
            least = float.MaxValue;
        byte which = 0;
        for (int k = 0; k < _lights.Length; k++)
        {
            Light l = _lights[k];
            float Left(int c, float q) => sums[c][at] - 2 * q * sums[3 + c][at] + q * q * sums[6 + c][at];
            float e = l.Structure * (Left(0, l.R) + Left(1, l.G) + Left(2, l.B)) / (3 * sums[9][at]) + l.Price;
            if (k >= Full)
            {
                float dr = red - MathF.Log(l.R / l.G),
                    db = blue - MathF.Log(l.B / l.G);
                e += 0.5f * Math.Min(40, (dr * dr + db * db) / (Hue * Hue));
            }
            if (e < least)
            {
                (least, which) = (e, (byte)k);
            }
        }
        return (least, which);
    }

    private static float Off(ReadOnlySpan<float> now, ReadOnlySpan<float> place, Light light)
    {
        float r = now[0] - light.R * place[0],
            g = now[1] - light.G * place[1],
            b = now[2] - light.B * place[2];
        return r * r + g * g + b * b;
    }
}
