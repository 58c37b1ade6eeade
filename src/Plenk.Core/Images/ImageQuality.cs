using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>How alike two pictures are.</summary>
public static class ImageQuality
{
    /// <summary>Peak signal-to-noise ratio over all channels together, decibels; +∞ for equal pictures.</summary>
    public static double Psnr(FloatImage a, FloatImage b, double peak = 1)
    {
        Alike(a, b);
        double sum = 0;
        for (int i = 0; i < a.Data.Length; i++)
        {
            double d = (double)a.Data[i] - b.Data[i];
            sum += d * d;
        }
        return sum == 0 ? double.PositiveInfinity : 10 * Elementary.Log10(peak * peak * a.Data.Length / sum);
    }

    /// <summary>
    /// Structural similarity (Wang, Bovik, Sheikh and Simoncelli 2004): the mean over windows of 8 × 8, uniform weights, of the first
    /// channel.
    /// </summary>
    public static double Ssim(FloatImage a, FloatImage b, double peak = 1)
    {
        const int window = 8;
        Alike(a, b);
        double c1 = 0.01 * peak * (0.01 * peak),
            c2 = 0.03 * peak * (0.03 * peak),
            total = 0;
        int n = 0;
        for (int y = 0; y + window <= a.Height; y += window / 2)
        {
            for (int x = 0; x + window <= a.Width; x += window / 2)
            {
                double ma = 0,
                    mb = 0,
                    aa = 0,
                    bb = 0,
                    ab = 0;
                for (int v = y; v < y + window; v++)
                {
                    for (int u = x; u < x + window; u++)
                    {
                        double p = a[u, v, 0],
                            q = b[u, v, 0];
                        ma += p;
                        mb += q;
                        aa += p * p;
                        bb += q * q;
                        ab += p * q;
                    }
                }
                const double k = window * window;
                (ma, mb) = (ma / k, mb / k);
                double va = aa / k - ma * ma,
                    vb = bb / k - mb * mb,
                    cov = ab / k - ma * mb;
                total += (2 * ma * mb + c1) * (2 * cov + c2) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
                n++;
            }
        }
        return n == 0 ? double.NaN : total / n;
    }

    private static void Alike(FloatImage a, FloatImage b)
    {
        if (a.Width != b.Width || a.Height != b.Height || a.Channels != b.Channels)
        {
            throw new ArgumentException("pictures of one size and as many channels");
        }
    }
}
