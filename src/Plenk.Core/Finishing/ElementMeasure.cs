using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;

namespace Plenk.Core.Finishing;

/// <summary>
/// What a comp shows of elements, to be held against the plate: its darkest and brightest colours (null: too little is seen), how wide its
/// own edges and those of what hides it are, in pixels (null: none is straight and alone enough), and where its darkest pixel is.
/// </summary>
public sealed record ElementMeasures(Vector3? Black, Vector3? White, double? EdgePx, double? HoldoutPx, int DarkestX, int DarkestY);

public static class ElementMeasure
{
    /// <summary>So many whole pixels tell a level.</summary>
    private const int LeastPixels = 50;

    /// <param name="clip">Linear light that the plate's codes end at: what is brighter is seen no brighter.</param>
    public static ElementMeasures Of(FrameLayers layers, Grain? grain, float clip)
    {
        int w = layers.Comp.Width,
            h = layers.Comp.Height;
        var whole = new float[w * h];
        int seen = 0,
            darkest = -1;
        float least = float.PositiveInfinity;
        for (int i = 0; i < whole.Length; i++)
        {
            whole[i] = layers.Held.Data[4 * i + 3] > 0.99f ? 1 : 0;
            if (whole[i] == 0)
            {
                continue;
            }
            seen++;
            float l = Luminance.Of(layers.Comp.Data.AsSpan(3 * i, 3));
            if (l < least)
            {
                (least, darkest) = (l, i);
            }
        }
        var clipped = new FloatImage(w, h, 3, Array.ConvertAll(layers.Comp.Data, v => MathF.Min(v, clip)));
        bool tells = seen >= LeastPixels;
        return new(
            tells ? PlateMeasure.Level(clipped, whole, grain, dark: true) : null,
            tells ? PlateMeasure.Level(clipped, whole, grain, dark: false) : null,
            Width(layers.Element, _ => true),
            Hidden(layers),
            darkest < 0 ? 0 : darkest % w,
            darkest < 0 ? 0 : darkest / w
        );
    }

    /// <summary>Of the coverage's own edge.</summary>
    private static double? Width(FloatImage rgba, Func<int, bool> where)
    {
        int n = rgba.Width * rgba.Height;
        var alpha = new FloatImage(rgba.Width, rgba.Height, 3);
        var edge = new bool[n];
        for (int i = 0; i < n; i++)
        {
            float a = MathF.Min(1, rgba.Data[4 * i + 3]);
            for (int c = 0; c < 3; c++)
            {
                alpha.Data[3 * i + c] = a;
            }
            edge[i] = a is > 0.02f and < 0.98f && where(i);
        }
        return EdgeWidth.Of(alpha, null, Near(edge, rgba.Width, rgba.Height)).Width;
    }

    /// <summary>Edges of what hides the element, read where the element itself is whole.</summary>
    private static double? Hidden(FrameLayers layers)
    {
        int w = layers.Comp.Width,
            h = layers.Comp.Height;
        var share = new FloatImage(w, h, 4);
        for (int i = 0; i < w * h; i++)
        {
            float a = layers.Element.Data[4 * i + 3];
            share.Data[4 * i + 3] = a > 0.5f ? MathF.Min(1, layers.Held.Data[4 * i + 3] / a) : 0;
        }
        return Width(share, i => layers.Element.Data[4 * i + 3] > 0.98f);
    }

    /// <summary>Within a pixel of a true one.</summary>
    private static bool[] Near(bool[] edge, int w, int h)
    {
        var result = new bool[edge.Length];
        for (int y = 1; y < h - 1; y++)
        {
            for (int x = 1; x < w - 1; x++)
            {
                for (int k = 0; k < 9; k++)
                {
                    result[y * w + x] |= edge[(y + k / 3 - 1) * w + x + k % 3 - 1];
                }
            }
        }
        return result;
    }

    /// <summary>
    /// The grain that a step laid on, by the plate's levels: its spread over the plate's there, from the comp with it and without it;
    /// levels that the element does not show are left out.
    /// </summary>
    public static IReadOnlyList<(double Level, double Ratio)> GrainRatio(FrameLayers with, FrameLayers without, Grain plate)
    {
        var result = new List<(double, double)>();
        IReadOnlyList<(Vector3 Level, Vector3 Deviation)> levels = plate.Levels;
        for (int k = 0; k < levels.Count; k++)
        {
            double low = k == 0 ? 0 : (levels[k - 1].Level.Y + levels[k].Level.Y) / 2,
                high = k + 1 == levels.Count ? double.PositiveInfinity : (levels[k].Level.Y + levels[k + 1].Level.Y) / 2,
                sum = 0,
                expected = 0;
            int n = 0;
            for (int i = 0; i < with.Comp.Width * with.Comp.Height; i++)
            {
                float at = without.Comp.Data[3 * i + 1];
                if (without.Held.Data[4 * i + 3] < 0.99f || at < low || at >= high)
                {
                    continue;
                }
                for (int c = 0; c < 3; c++)
                {
                    double d = with.Comp.Data[3 * i + c] - without.Comp.Data[3 * i + c],
                        e = plate.Deviation(c, without.Comp.Data[3 * i + c]);
                    (sum, expected) = (sum + d * d, expected + e * e);
                }
                n++;
            }
            // Neighbours are alike: of fewer the spread itself is not told to some percent.
            if (n >= 500 && expected > 0)
            {
                result.Add((levels[k].Level.Y, Math.Sqrt(sum / expected)));
            }
        }
        return result;
    }
}
