using System.Numerics;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>Gaussian blur of premultiplied pictures: colour and coverage together, so that no black bleeds in.</summary>
public static class Blur
{
    /// <summary>Ratio of a blurred step's 10–90 % width to the standard deviation: 2 · Φ⁻¹(0.9).</summary>
    public const double EdgeOfSigma = 2.5631031;

    /// <summary>Weights of whole pixels, their sum 1, out to four standard deviations; the first is the middle's.</summary>
    public static float[] Kernel(double sigma)
    {
        int reach = Reach(sigma);
        var w = new double[reach + 1];
        double sum = 0;
        for (int i = 0; i <= reach; i++)
        {
            sum += (i == 0 ? 1 : 2) * (w[i] = Elementary.Exp(-i * (double)i / (2 * sigma * sigma)));
        }
        return [.. w.Select(v => (float)(v / sum))];
    }

    /// <summary>How far <see cref="Gaussian"/> reaches, pixels.</summary>
    public static int Reach(double sigma) => sigma > 0.05 ? Math.Max(1, (int)Math.Ceiling(4 * sigma)) : 0;

    /// <summary>
    /// Blurred by a Gaussian of a standard deviation in pixels; the border's pixels go on beyond it. The same picture for 0.
    /// </summary>
    public static FloatImage Gaussian(FloatImage image, double sigma)
    {
        if (!(sigma > 0.05))
        {
            return image;
        }
        float[] kernel = Kernel(sigma);
        int w = image.Width,
            h = image.Height,
            n = image.Channels,
            row = w * n;
        var across = new FloatImage(w, h, n);
        Parallel.For(
            0,
            h,
            Cores.All,
            () => new float[(w + 2 * kernel.Length) * n],
            (y, _, wide) =>
            {
                ReadOnlySpan<float> from = image.Row(y);
                int pad = kernel.Length * n;
                from.CopyTo(wide.AsSpan(pad));
                for (int i = 0; i < pad; i++)
                {
                    (wide[i], wide[pad + row + i]) = (from[i % n], from[row - n + i % n]);
                }
                Span<float> to = across.Row(y);
                for (int k = 1 - kernel.Length; k < kernel.Length; k++)
                {
                    Add(to, wide.AsSpan(pad + k * n, row), kernel[Math.Abs(k)]);
                }
                return wide;
            },
            _ => { }
        );
        var result = new FloatImage(w, h, n);
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> to = result.Row(y);
            for (int k = 1 - kernel.Length; k < kernel.Length; k++)
            {
                Add(to, across.Row(Math.Clamp(y + k, 0, h - 1)), kernel[Math.Abs(k)]);
            }
        });
        return result;
    }

    /// <summary>target += weight · source. Lanes do not meet, so their number changes nothing.</summary>
    public static void Add(Span<float> target, ReadOnlySpan<float> source, float weight)
    {
        Span<Vector256<float>> t = MemoryMarshal.Cast<float, Vector256<float>>(target);
        ReadOnlySpan<Vector256<float>> s = MemoryMarshal.Cast<float, Vector256<float>>(source[..target.Length]);
        var by = Vector256.Create(weight);
        for (int i = 0; i < t.Length; i++)
        {
            t[i] += s[i] * by;
        }
        for (int i = t.Length * Vector256<float>.Count; i < target.Length; i++)
        {
            target[i] += source[i] * weight;
        }
    }
}
