namespace Plenk.Core.Images;

/// <summary>
/// Carries a picture on beyond a matte, so that what is averaged at its edge mixes with more of the same and no rim shows.
/// </summary>
public static class PictureEdge
{
    /// <summary>
    /// Pixels with little weight take the mean of those around that have more, found in ever coarser pictures and brought back (pull–push:
    /// Gortler, Grzeszczuk, Szeliski and Cohen 1996, section 3.4). The same picture where nothing is left out or nothing is kept.
    /// </summary>
    /// <param name="kept">A weight 0..1 a pixel.</param>
    public static FloatImage Extended(FloatImage picture, ReadOnlySpan<float> kept)
    {
        bool all = true,
            none = true;
        foreach (float k in kept)
        {
            all &= k >= 1;
            none &= k <= 0;
        }
        if (all || none)
        {
            return picture;
        }
        var levels = new List<(int Width, int Height, float[] Sum, float[] Weight)>();
        int channels = picture.Channels;
        var sum = new float[picture.Data.Length];
        var weight = kept.ToArray();
        for (int i = 0; i < weight.Length; i++)
        {
            for (int c = 0; c < channels; c++)
            {
                sum[i * channels + c] = picture.Data[i * channels + c] * weight[i];
            }
        }
        levels.Add((picture.Width, picture.Height, sum, weight));
        while (levels[^1].Width > 1 || levels[^1].Height > 1)
        {
            levels.Add(Halved(levels[^1], channels));
        }
        // The coarsest level knows one colour; each finer one takes from it what it lacks, smoothly between the coarser pixels.
        var (tw, th, top, topWeight) = levels[^1];
        var colours = new FloatImage(tw, th, channels);
        for (int i = 0; i < topWeight.Length; i++)
        {
            for (int c = 0; c < channels; c++)
            {
                colours.Data[i * channels + c] = top[i * channels + c] / MathF.Max(1e-12f, topWeight[i]);
            }
        }
        for (int l = levels.Count - 2; l >= 0; l--)
        {
            var (w, h, own, ownWeight) = levels[l];
            FloatImage coarse = colours;
            colours = new FloatImage(w, h, channels);
            FloatImage finer = colours;
            Parallel.For(0, h, Cores.All, y =>
            {
                Span<float> from = stackalloc float[channels];
                for (int x = 0; x < w; x++)
                {
                    int i = y * w + x;
                    float lack = 1 - MathF.Min(1, ownWeight[i]);
                    if (lack > 0)
                    {
                        coarse.SampleBilinear((x + 0.5) / 2, (y + 0.5) / 2, from);
                    }
                    for (int c = 0; c < channels; c++)
                    {
                        finer.Data[i * channels + c] = own[i * channels + c] + lack * from[c];
                    }
                }
            });
        }
        return colours;
    }

    private static (int, int, float[], float[]) Halved((int Width, int Height, float[] Sum, float[] Weight) from, int channels)
    {
        int w = (from.Width + 1) / 2,
            h = (from.Height + 1) / 2;
        var sum = new float[w * h * channels];
        var weight = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int to = y * w + x;
                for (int v = 2 * y; v < Math.Min(from.Height, 2 * y + 2); v++)
                {
                    for (int u = 2 * x; u < Math.Min(from.Width, 2 * x + 2); u++)
                    {
                        int at = v * from.Width + u;
                        weight[to] += from.Weight[at];
                        for (int c = 0; c < channels; c++)
                        {
                            sum[to * channels + c] += from.Sum[at * channels + c];
                        }
                    }
                }
                // Once something is known the mean of it counts as known.
                if (weight[to] > 1)
                {
                    for (int c = 0; c < channels; c++)
                    {
                        sum[to * channels + c] /= weight[to];
                    }
                    weight[to] = 1;
                }
            }
        });
        return (w, h, sum, weight);
    }
}
