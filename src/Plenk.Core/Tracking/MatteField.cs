using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Tracking;

/// <summary>Mattes as coverage pictures, 0..1: joined, grown, feathered.</summary>
public static class MatteField
{
    /// <summary>Joined by coverage: added as 1 − (1 − a)(1 − b), subtracted as a (1 − b), within as a b.</summary>
    public static void Join(float[] own, float[] other, MatteJoin how)
    {
        for (int i = 0; i < own.Length; i++)
        {
            own[i] = how switch
            {
                MatteJoin.Add => 1 - (1 - own[i]) * (1 - other[i]),
                MatteJoin.Subtract => own[i] * (1 - other[i]),
                _ => own[i] * other[i],
            };
        }
    }

    /// <summary>The half-covered line moved outwards by so many pixels, its edge as wide as the feather.</summary>
    public static float[] Grown(float[] coverage, int width, int height, double growPixels, double featherPixels)
    {
        float[] outside = Distances(coverage, width, height, inside: true),
            inside = Distances(coverage, width, height, inside: false);
        var result = new float[coverage.Length];
        double feather = Math.Max(1, featherPixels);
        // The line runs between the centres: half a pixel from those beside it, moved by how much they are covered.
        for (int i = 0; i < result.Length; i++)
        {
            double d = coverage[i] >= 0.5f ? MathF.Sqrt(inside[i]) - 0.5 : 0.5 - MathF.Sqrt(outside[i]);
            if (coverage[i] is > 0 and < 1)
            {
                d = coverage[i] - 0.5;
            }
            result[i] = (float)Math.Clamp(0.5 + (d + growPixels) / feather, 0, 1);
        }
        return result;
    }

    /// <summary>
    /// Squared distances to the nearest pixel that is half covered and more (or less), by lower envelopes of parabolas (Felzenszwalb and
    /// Huttenlocher 2012).
    /// </summary>
    private static float[] Distances(float[] coverage, int width, int height, bool inside)
    {
        const float far = 1e12f;
        var d = new float[coverage.Length];
        for (int i = 0; i < d.Length; i++)
        {
            d[i] = coverage[i] >= 0.5f == inside ? 0 : far;
        }
        Parallel.For(0, width, Cores.All, x =>
        {
            var line = new float[height];
            for (int y = 0; y < height; y++)
            {
                line[y] = d[y * width + x];
            }
            line = Envelope(line);
            for (int y = 0; y < height; y++)
            {
                d[y * width + x] = line[y];
            }
        });
        Parallel.For(0, height, Cores.All, y => Envelope(d.AsSpan(y * width, width).ToArray()).CopyTo(d.AsSpan(y * width)));
        return d;
    }

    private static float[] Envelope(float[] f)
    {
        int n = f.Length,
            k = 0;
        var v = new int[n];
        var z = new double[n + 1];
        (z[0], z[1]) = (double.NegativeInfinity, double.PositiveInfinity);
        for (int q = 1; q < n; q++)
        {
            double s;
            while (true)
            {
                s = (f[q] + (double)q * q - (f[v[k]] + (double)v[k] * v[k])) / (2.0 * (q - v[k]));
                if (s > z[k] || k == 0)
                {
                    break;
                }
                k--;
            }
            if (s <= z[k])
            {
                k = -1;
                s = double.NegativeInfinity;
            }
            k++;
            v[k] = q;
            z[k] = s;
            z[k + 1] = double.PositiveInfinity;
        }
        var result = new float[n];
        for (int q = 0, at = 0; q < n; q++)
        {
            while (z[at + 1] < q)
            {
                at++;
            }
            result[q] = (float)(((double)q - v[at]) * (q - v[at]) + f[v[at]]);
        }
        return result;
    }

    /// <summary>
    /// What stands before a coloured screen: 1 − (its colour difference ÷ the screen's), stretched between Low and High. The colour
    /// difference is that of the screen's strongest channel over the larger of the others (Vlahos' difference matte, as described by Smith
    /// and Blinn, SIGGRAPH 1996).
    /// </summary>
    public static float[] Key(FloatImage linear, ScreenKey key)
    {
        int c = Strongest(key);
        float screen = Difference([(float)key.Color.X, (float)key.Color.Y, (float)key.Color.Z], c);
        var result = new float[linear.Width * linear.Height];
        if (!(screen > 0))
        {
            return result;
        }
        for (int i = 0; i < result.Length; i++)
        {
            double d = Difference(linear.Data.AsSpan(3 * i, 3), c) / screen;
            result[i] = (float)(1 - Math.Clamp((d - key.Low) / Math.Max(1e-6, key.High - key.Low), 0, 1));
        }
        return result;
    }

    /// <summary>
    /// A key's edge by what lies on either side of it. Between whole foreground and plain screen a pixel is C = α F + (1 − α) S (the
    /// matting equation, Smith and Blinn 1996), with F and S carried on from their sides; F may be brighter or darker there than beside it.
    /// A difference alone calls a half of a colour that is the screen's opposite whole.
    /// </summary>
    public static float[] EdgeBySides(FloatImage linear, float[] key)
    {
        int w = linear.Width,
            h = linear.Height,
            reach = (int)Math.Round(3 + 0.003 * w); // an edge is as wide as the frame is large: focus, not pixels
        bool[] inside = Morphology.Eroded(Array.ConvertAll(key, v => v >= 0.999f), w, h, reach),
            outside = Morphology.Eroded(Array.ConvertAll(key, v => v <= 0), w, h, reach);
        if (!inside.Contains(true) || !outside.Contains(true))
        {
            return key;
        }
        FloatImage fore = PictureEdge.Extended(linear, Array.ConvertAll(inside, v => v ? 1f : 0)),
            screen = PictureEdge.Extended(linear, Array.ConvertAll(outside, v => v ? 1f : 0));
        var result = (float[])key.Clone();
        for (int i = 0; i < key.Length; i++)
        {
            if (inside[i] || outside[i])
            {
                continue;
            }
            // C ≈ p F + q S by least squares, p = α k where the foreground is k times as bright as beside it; k is drawn to 1 a little.
            float ff = 0,
                fs = 0,
                ss = 0,
                cf = 0,
                cs = 0;
            for (int c = 0; c < 3; c++)
            {
                float f = fore.Data[3 * i + c],
                    s = screen.Data[3 * i + c],
                    own = linear.Data[3 * i + c];
                (ff, fs, ss, cf, cs) = (ff + f * f, fs + f * s, ss + s * s, cf + own * f, cs + own * s);
            }
            float pull = 0.02f * (ff + ss);
            (ff, fs, ss, cf, cs) = (ff + pull, fs + pull, ss + pull, cf + pull, cs + pull);
            float det = ff * ss - fs * fs;
            if (det > 1e-9f)
            {
                // What lies within noise of either side is that side.
                float q = (ff * cs - fs * cf) / det;
                result[i] = Math.Clamp((1 - q - Noise) / (1 - 2 * Noise), 0, 1);
            }
        }
        return result;
    }

    private const float Noise = 0.02f;

    /// <summary>
    /// The foreground premultiplied: the screen's share taken out of each pixel; and its light that has spilled onto it, where the
    /// strongest channel is more than the larger of the others (common practice, no source).
    /// </summary>
    public static FloatImage Foreground(FloatImage linear, float[] coverage, ScreenKey key)
    {
        int c = Strongest(key);
        float[] even = [(float)key.Color.X, (float)key.Color.Y, (float)key.Color.Z];
        // A screen is never lit evenly: by a sided key its colour is that beside the pixel.
        FloatImage? beside = key.EdgeBySides ? PictureEdge.Extended(linear, Array.ConvertAll(coverage, a => a <= 0 ? 1f : 0)) : null;
        if (ReferenceEquals(beside, linear))
        {
            beside = null;
        }
        var result = new FloatImage(linear.Width, linear.Height, 3);
        for (int i = 0; i < coverage.Length; i++)
        {
            if (coverage[i] <= 0)
            {
                continue;
            }
            Span<float> to = result.Data.AsSpan(3 * i, 3);
            for (int k = 0; k < 3; k++)
            {
                to[k] = MathF.Max(0, linear.Data[3 * i + k] - (1 - coverage[i]) * (beside?.Data[3 * i + k] ?? even[k]));
            }
            if (key.TakesSpillOff)
            {
                to[c] = MathF.Min(to[c], MathF.Max(to[(c + 1) % 3], to[(c + 2) % 3]));
            }
        }
        return result;
    }

    private static int Strongest(ScreenKey key) =>
        key.Color.Y >= key.Color.X && key.Color.Y >= key.Color.Z ? 1
        : key.Color.Z >= key.Color.X ? 2
        : 0;

    private static float Difference(ReadOnlySpan<float> rgb, int c) => rgb[c] - MathF.Max(rgb[(c + 1) % 3], rgb[(c + 2) % 3]);
}
