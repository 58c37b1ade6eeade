using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// A border put to where both its sides mix by halves: across it a pixel is C = α F + (1 − α) B (the matting equation, Smith and Blinn 1996), and the
/// sum of α over a line across is how far it reaches.
/// </summary>
internal static class BorderSettling
{
    private const double Fine = 0.5;

    /// <param name="line">Closed, evenly spaced, pixels.</param>
    /// <param name="contrast">Share of it along which both sides differ by more than noise.</param>
    public static double[] Settled(FloatImage linear, double[] line, float noise, out double contrast)
    {
        int n = line.Length / 2;
        double sense = Contours.Area(line) < 0 ? 1 : -1;
        double[] shift = new double[n],
            weight = new double[n];
        var across = new (double X, double Y)[n];
        Parallel.For(0, n, Cores.All, i =>
        {
            int a = (i + n - 4) % n,
                b = (i + 4) % n;
            double dx = line[2 * b] - line[2 * a],
                dy = line[2 * b + 1] - line[2 * a + 1],
                l = Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy));
            // Outwards.
            across[i] = (sense * dy / l, -sense * dx / l);
            (shift[i], weight[i]) = Half(linear, line[2 * i], line[2 * i + 1], across[i].X, across[i].Y, noise);
        });
        contrast = n == 0 ? 0 : weight.Count(w => w > 0.5) / (double)n;
        // Along the border it is even over some pixels; where nothing is told it stays.
        var result = new double[2 * n];
        for (int i = 0; i < n; i++)
        {
            double sum = 0,
                whole = 0.3;
            for (int k = -6; k <= 6; k++)
            {
                int j = (i + k + n) % n;
                // Not round a corner.
                double turn = across[i].X * across[j].X + across[i].Y * across[j].Y;
                if (turn < 0.85)
                {
                    continue;
                }
                double w = weight[j] * Math.Exp(-k * k / 18.0);
                (sum, whole) = (sum + w * shift[j], whole + w);
            }
            double by = sum / whole;
            result[2 * i] = line[2 * i] + by * across[i].X;
            result[2 * i + 1] = line[2 * i + 1] + by * across[i].Y;
        }
        return result;
    }

    /// <summary>How far outwards the half lies, and how much that counts.</summary>
    private static (double Shift, double Weight) Half(FloatImage linear, double x, double y, double nx, double ny, float noise)
    {
        Span<float> p = stackalloc float[linear.Channels];
        Span<double> inner = stackalloc double[3],
            outer = stackalloc double[3];
        foreach (double d in (ReadOnlySpan<double>)[2, 2.75, 3.5])
        {
            linear.SampleBilinear(x - d * nx, y - d * ny, p);
            for (int c = 0; c < 3; c++)
            {
                inner[c] += p[c] / 3;
            }
            linear.SampleBilinear(x + d * nx, y + d * ny, p);
            for (int c = 0; c < 3; c++)
            {
                outer[c] += p[c] / 3;
            }
        }
        if (x + 2 * nx < 0 || y + 2 * ny < 0 || x + 2 * nx > linear.Width || y + 2 * ny > linear.Height)
        {
            return (0, 0);
        }
        double square = 0,
            light = 0;
        for (int c = 0; c < 3; c++)
        {
            square += (inner[c] - outer[c]) * (inner[c] - outer[c]);
            light += Math.Max(0, inner[c] + outer[c]) / 6;
        }
        // Noise that is even in roots of light is 2 √l times as much in light.
        double sigma = noise * 2 * Math.Sqrt(light) + 1e-4,
            told = square / (square + 30 * sigma * sigma);
        double reach = 0,
            off = 0;
        int count = 0;
        const double across = 2.0;
        for (double d = -across; d <= across; d += Fine, count++)
        {
            linear.SampleBilinear(x + d * nx, y + d * ny, p);
            double dot = 0;
            for (int c = 0; c < 3; c++)
            {
                dot += (p[c] - outer[c]) * (inner[c] - outer[c]);
            }
            double a = dot / Math.Max(1e-12, square),
                own = Math.Clamp(a, 0, 1);
            reach += own * Fine;
            off += Math.Abs(a - own);
        }
        // A line half inside sums to its half.
        double shift = reach - (2 * across + Fine) / 2;
        // What is neither of both is another thing's edge.
        told *= Math.Exp(-off / count / 0.15);
        return (Math.Clamp(shift, -1.2, 1.2), told);
    }
}
