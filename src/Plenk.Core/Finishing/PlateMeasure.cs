using System.Numerics;
using Plenk.Core.Images;

namespace Plenk.Core.Finishing;

/// <summary>
/// Black and white of a region, how wide its edges are, its grain. Linear light; edges in pixels, null where none is strong enough.
/// </summary>
public sealed record PlateMeasures(Vector3 Black, Vector3 White, double? EdgePx, int Edges, Grain? Grain);

/// <summary>What is measured on a plate, and on an element to be held against it.</summary>
public static class PlateMeasure
{
    /// <param name="known">The plate's grain where it was measured on more than the region; null: on the region itself.</param>
    /// <param name="edgesOf">Where edges were read on more than the region; null: in the region itself.</param>
    public static PlateMeasures Of(FloatImage region, Grain? known = null, (double? Width, int Count)? edgesOf = null)
    {
        Grain? grain = known ?? Grain.Of(region);
        var edges = edgesOf ?? EdgeWidth.Of(region, grain);
        return new(Level(region, null, grain, dark: true), Level(region, null, grain, dark: false), edges.Width, edges.Count, grain);
    }

    /// <summary>Of a smoothed picture the share of pixels that stands for its darkest or its brightest.</summary>
    public const double Share = 0.01;
    private const double Smoothing = 2;

    /// <summary>
    /// The darkest or brightest hundredth of the pixels, a channel each, without the grain's own spread: chosen in a smoothed picture (σ 2
    /// px), where the grain is a known seven times weaker, together with all that differs from it by chance alone, so that an even patch
    /// gives its mean.
    /// </summary>
    /// <param name="weight">How far a pixel counts; null: all do. Those with less than a half are left out.</param>
    public static Vector3 Level(FloatImage picture, float[]? weight, Grain? grain, bool dark)
    {
        FloatImage smooth = Smooth(picture, weight);
        // Σ of squared weights of a sampled Gaussian: 1 ÷ (4 π σ²) (GRN-04); of grain that hangs together more is left.
        double left = Math.Sqrt(1 / (4 * Math.PI * Smoothing * Smoothing)),
            alike = grain is null ? 1 : Math.Sqrt((1 + Math.Max(0, grain.Correlation)) / Math.Max(0.2, 1 - Math.Max(0, grain.Correlation)));
        var result = new Vector3();
        for (int c = 0; c < 3; c++)
        {
            var values = new List<float>();
            for (int i = 0; i < picture.Width * picture.Height; i++)
            {
                if ((weight is null || weight[i] > 0.5f) && float.IsFinite(smooth.Data[3 * i + c]))
                {
                    values.Add(smooth.Data[3 * i + c]);
                }
            }
            if (values.Count == 0)
            {
                return new(float.NaN);
            }
            values.Sort();
            int at = (int)(Share * (values.Count - 1));
            float level = dark ? values[at] : values[values.Count - 1 - at];
            double chance = (grain?.Deviation(c, level) ?? 0) * left * alike,
                sum = 0;
            int n = 0;
            foreach (float v in values)
            {
                if (dark ? v <= level + 4.65 * chance : v >= level - 4.65 * chance)
                {
                    sum += v;
                    n++;
                }
            }
            result[c] = chance > 0 && n > 0 ? (float)(sum / n) : level;
        }
        return result;
    }

    private static FloatImage Smooth(FloatImage picture, float[]? weight)
    {
        if (weight is null)
        {
            return Blur.Gaussian(picture, Smoothing);
        }
        var weighted = new FloatImage(picture.Width, picture.Height, 4);
        for (int i = 0; i < weight.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                weighted.Data[4 * i + c] = picture.Data[3 * i + c] * weight[i];
            }
            weighted.Data[4 * i + 3] = weight[i];
        }
        weighted = Blur.Gaussian(weighted, Smoothing);
        var result = new FloatImage(picture.Width, picture.Height, 3);
        for (int i = 0; i < weight.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                result.Data[3 * i + c] = weighted.Data[4 * i + 3] > 1e-4f ? weighted.Data[4 * i + c] / weighted.Data[4 * i + 3] : float.NaN;
            }
        }
        return result;
    }

    /// <summary>The mean colour of a part of a picture.</summary>
    public static Vector3 Mean(FloatImage picture, int x, int y, int width, int height)
    {
        var sum = new double[3];
        for (int v = y; v < y + height; v++)
        {
            for (int u = x; u < x + width; u++)
            {
                for (int c = 0; c < 3; c++)
                {
                    sum[c] += picture[u, v, c];
                }
            }
        }
        double n = width * (double)height;
        return new((float)(sum[0] / n), (float)(sum[1] / n), (float)(sum[2] / n));
    }
}
