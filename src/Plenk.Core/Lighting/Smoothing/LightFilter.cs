using System.Numerics;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using Plenk.Core.Images;

namespace Plenk.Core.Lighting.Smoothing;

/// <summary>
/// Ratios of sums, smoothed over pixels of one surface: an edge-avoiding à-trous transform (Dammertz, Sewtz, Hanika and Lensch 2010) by normals and
/// planes alone, numerator and denominator apart, in levels of growing reach. Which level a pixel takes is cross-validated: each half of the samples,
/// smoothed, is held against the other as it was sampled (as in Rousselle, Knaus and Zwicker 2012): that tells bias and noise of every level
/// alike, so edges of shadows stay as sharp as they were sampled.
/// </summary>
/// <param name="width">Of the region that is worked on, pixels.</param>
/// <param name="own">By pixel; those that are not there had nothing come between: their ratio is 1.</param>
/// <param name="pixel">How wide a pixel is a metre away, metres.</param>
internal sealed class LightFilter(int width, int height, HalfSums?[] own, Guide[] guides, float pixel, bool restIsOne)
{
    /// <summary>The widest reaches 1 + 2 + 4 + 8 + 16 + 32 pixels.</summary>
    public const int Levels = 6;
    public const int Reach = 63;

    /// <summary>Over so many pixels (σ) the levels' errors are averaged: one pixel's say little.</summary>
    private const double ErrorOver = 2.5;
    private const double ChosenOver = 1.2;

    /// <summary>By pixels around, row by row: the product of two triangles.</summary>
    private static readonly float[] Kernel = [1 / 16f, 1 / 8f, 1 / 16f, 1 / 8f, 1 / 4f, 1 / 8f, 1 / 16f, 1 / 8f, 1 / 16f];
    private const int Middle = 4;
    private readonly int _count = width * height;

    /// <summary>The smoothed ratio, and its error's mean square as it was estimated; only where there is a guide.</summary>
    public (Vector3[] Ratio, float[] Square) Run()
    {
        HalfSums[] now = Filled(out bool[] has);
        var valid = new float[_count];
        Vector3[] even = new Vector3[_count],
            odd = new Vector3[_count],
            best = new Vector3[_count];
        var apart = new float[_count];
        Each(i =>
        {
            ref readonly HalfSums s = ref now[i];
            (even[i], odd[i], best[i]) = (Ratio(s.Even, s.EvenBy), Ratio(s.Odd, s.OddBy), Ratio(s.Even + s.Odd, s.EvenBy + s.OddBy));
            valid[i] = has[i] && s.EvenBy != default && s.OddBy != default ? 1 : 0;
            apart[i] = valid[i] * Square(even[i] - odd[i]);
        });
        float[] weight = Averaged(valid);
        apart = Averaged(apart);
        float[] least = [.. apart.Select(a => 0.75f * a)];
        var chosen = new float[_count];
        var levels = new List<Vector3[]> { best };
        for (int level = 1; level <= Levels; level++)
        {
            now = Wider(now, has, 1 << (level - 1));
            var error = new float[_count];
            var ratio = new Vector3[_count];
            Each(i =>
            {
                ref readonly HalfSums s = ref now[i];
                Vector3 fe = Ratio(s.Even, s.EvenBy),
                    fo = Ratio(s.Odd, s.OddBy);
                ratio[i] = Ratio(s.Even + s.Odd, s.EvenBy + s.OddBy);
                // E[(F a − b)²] is bias² and both variances; of (F a − F b)² ÷ 4 all but what the mean of both halves has is taken off.
                error[i] = valid[i] * ((Square(fe - odd[i]) + Square(fo - even[i])) / 2 - Square(fe - fo) / 4);
            });
            error = Averaged(error);
            levels.Add(ratio);
            int own = level;
            Each(i =>
            {
                if (error[i] < least[i])
                {
                    (least[i], chosen[i]) = (error[i], own);
                }
            });
        }
        var square = new float[_count];
        Each(i => square[i] = weight[i] > 1e-6f ? MathF.Max(0, least[i] - apart[i] / 2) / weight[i] : 0);
        return (Mixed(levels, chosen, has), square);
    }

    private void Each(Action<int> act) => Parallel.For(0, height, Cores.All, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                act(i);
            }
        });

    private static Vector3 Ratio(Vector3 of, Vector3 by) =>
        new(by.X > 0 ? of.X / by.X : 0, by.Y > 0 ? of.Y / by.Y : 0, by.Z > 0 ? of.Z / by.Z : 0);

    private static float Square(Vector3 v) => Vector3.Dot(v, v) / 3;

    /// <summary>
    /// Pixels that nothing came between have a ratio of one; how much light they are measured by is taken from those around them on their
    /// surface, as far as there are any.
    /// </summary>
    private HalfSums[] Filled(out bool[] has)
    {
        bool[] known = [.. own.Select((o, i) => o is not null && guides[i].Surface >= 0)];
        HalfSums[] now = [.. own.Select((o, i) => known[i] ? o!.Value : default)];
        for (int step = 1; restIsOne && step <= 8; step *= 2)
        {
            bool[] before = [.. known];
            HalfSums[] from = [.. now];
            Parallel.For(0, height, Cores.All, y =>
            {
                for (int x = 0; x < width; x++)
                {
                    int i = y * width + x;
                    if (before[i] || guides[i].Surface < 0)
                    {
                        continue;
                    }
                    Vector3 by = default;
                    float whole = 0;
                    for (int k = 0; k < Kernel.Length; k++)
                    {
                        if (Neighbour(x, y, k, step, before, out int j) is > 0 and var weight)
                        {
                            by += weight * (from[j].EvenBy + from[j].OddBy) / 2;
                            whole += weight;
                        }
                    }
                    if (whole > 0)
                    {
                        by /= whole;
                        (now[i], known[i]) = (new(by, by, by, by), true);
                    }
                }
            });
        }
        has = known;
        return now;
    }

    private HalfSums[] Wider(HalfSums[] from, bool[] has, int step)
    {
        var result = new HalfSums[_count];
        Parallel.For(0, height, Cores.All, y =>
        {
            // A pixel's sums are three vectors of four.
            ReadOnlySpan<Vector128<float>> all = MemoryMarshal.Cast<HalfSums, Vector128<float>>(from.AsSpan());
            Span<Vector128<float>> to = MemoryMarshal.Cast<HalfSums, Vector128<float>>(result.AsSpan());
            for (int x = 0; x < width; x++)
            {
                int i = y * width + x;
                if (!has[i])
                {
                    continue;
                }
                Vector128<float> a = default,
                    b = default,
                    c = default;
                float whole = 0;
                for (int k = 0; k < Kernel.Length; k++)
                {
                    float weight = Neighbour(x, y, k, step, has, out int j);
                    if (weight <= 0)
                    {
                        continue;
                    }
                    (a, b, c) = (a + weight * all[3 * j], b + weight * all[3 * j + 1], c + weight * all[3 * j + 2]);
                    whole += weight;
                }
                float by = 1 / whole;
                (to[3 * i], to[3 * i + 1], to[3 * i + 2]) = (by * a, by * b, by * c);
            }
        });
        return result;
    }

    /// <summary>How much one of the nine around a pixel counts: on the same surface, in the same plane, turned alike.</summary>
    private float Neighbour(int x, int y, int k, int step, bool[] has, out int j)
    {
        int dx = k % 3 - 1,
            dy = k / 3 - 1,
            nx = x + dx * step,
            ny = y + dy * step;
        j = ny * width + nx;
        if (nx < 0 || ny < 0 || nx >= width || ny >= height || !has[j])
        {
            return 0;
        }
        float weight = Kernel[k];
        if (k == Middle)
        {
            return weight;
        }
        ref readonly Guide a = ref guides[y * width + x],
            b = ref guides[j];
        if (a.Surface != b.Surface)
        {
            return 0;
        }
        float turn = Vector3.Dot(a.Normal, b.Normal);
        if (turn <= 0.5f)
        {
            return 0;
        }
        // turn⁸
        turn *= turn;
        turn *= turn;
        turn *= turn;
        float off = Vector3.Dot(a.Normal, b.Point - a.Point) / (pixel * a.Distance * (1 + step)),
            plane = 1 / (1 + off * off);
        return weight * turn * plane * plane;
    }

    /// <summary>Values averaged over the pixels around; all by the same weights, so that they can be compared as they are.</summary>
    private float[] Averaged(float[] of) => Blur.Gaussian(new FloatImage(width, height, 1, of), ErrorOver).Data;

    /// <summary>Between the levels on either side of what was chosen, which changes softly from pixel to pixel.</summary>
    private Vector3[] Mixed(List<Vector3[]> levels, float[] chosen, bool[] has)
    {
        float[] soft = Blur.Gaussian(new FloatImage(width, height, 1, chosen), ChosenOver).Data;
        var result = new Vector3[_count];
        Each(i =>
        {
            if (has[i])
            {
                int level = Math.Clamp((int)soft[i], 0, levels.Count - 2);
                result[i] = Vector3.Lerp(levels[level][i], levels[level + 1][i], Math.Clamp(soft[i] - level, 0, 1));
            }
        });
        return result;
    }
}
