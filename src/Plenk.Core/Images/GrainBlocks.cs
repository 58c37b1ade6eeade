using System.Collections.Concurrent;
using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>
/// What a plane leaves of grain in a block, where the grain is white noise through a Gaussian: the expected share of its variance, the
/// likeness of neighbours in what is left, how far the mean of a block wanders, and how the variance spreads from block to block (a χ² of
/// as many degrees as its first two moments say, Satterthwaite 1946). By the covariance matrix of the block's pixels.
/// </summary>
public sealed class GrainBlocks
{
    private const double SigmaStep = 0.05,
        MostSigma = 2;
    private static readonly ConcurrentDictionary<(int Block, int X, int Y), GrainBlocks> Made = new();

    /// <summary>Of the grain's variance, what the mean square about the plane is on the average.</summary>
    public double Left { get; private init; }

    public double SigmaX { get; private init; }
    public double SigmaY { get; private init; }

    /// <summary>Correlation of a pixel with the next one in what is left, across and down.</summary>
    public double LikeX { get; private init; }
    public double LikeY { get; private init; }

    /// <summary>Variance of a block's mean, of the grain's.</summary>
    public double OfMean { get; private init; }
    public double Degrees { get; private init; }

    public static GrainBlocks Of(int block, int stepX, int stepY) =>
        Made.GetOrAdd((block, stepX, stepY), k => Make(k.Block, k.X * SigmaStep, k.Y * SigmaStep));

    /// <summary>The Gaussian whose grain is as alike in what a plane leaves, across and down: likeness grows with its width.</summary>
    public static GrainBlocks For(int block, double likeX, double likeY)
    {
        int Step(Func<int, double> likeness, double wanted)
        {
            int low = 0,
                high = (int)(MostSigma / SigmaStep);
            while (high - low > 1)
            {
                int mid = (low + high) / 2;
                if (likeness(mid) < wanted)
                {
                    low = mid;
                }
                else
                {
                    high = mid;
                }
            }
            return Math.Abs(likeness(low) - wanted) <= Math.Abs(likeness(high) - wanted) ? low : high;
        }
        int x = 0,
            y = 0;
        for (int pass = 0; pass < 2; pass++)
        {
            x = Step(s => Of(block, s, y).LikeX, likeX);
            y = Step(s => Of(block, x, s).LikeY, likeY);
        }
        return Of(block, x, y);
    }

    /// <summary>Of the filter at a whole place.</summary>
    public static double Weight(int at, double sigma) =>
        sigma < SigmaStep / 2 ? (at == 0 ? 1 : 0) : Elementary.Exp(-at * at / (2 * sigma * sigma));

    /// <summary>The variance that a share of blocks stays below, over the mean: χ² by Wilson and Hilferty 1931.</summary>
    public double Quantile(double share)
    {
        double z = InverseNormal(share),
            k = 2 / (9 * Degrees),
            v = 1 - k + z * Math.Sqrt(k);
        return v * v * v;
    }

    private static GrainBlocks Make(int block, double sigmaX, double sigmaY)
    {
        int n = block * block;
        // White noise through sampled Gaussian weights: its correlation at a distance is theirs with themselves.
        double[] Along(double sigma)
        {
            double[] w = [.. Enumerable.Range(-2, 5).Select(i => Weight(i, sigma))];
            double all = w.Sum(v => v * v);
            return [.. Enumerable.Range(0, block).Select(d => d < 5 ? Enumerable.Range(0, 5 - d).Sum(i => w[i] * w[i + d]) / all : 0)];
        }
        double[] along = Along(sigmaX),
            down = Along(sigmaY);
        // An orthonormal basis of planes on the block.
        double middle = (block - 1) / 2.0;
        double[][] plane = [new double[n], new double[n], new double[n]];
        for (int i = 0; i < n; i++)
        {
            (plane[0][i], plane[1][i], plane[2][i]) = (1, i % block - middle, i / block - middle);
        }
        foreach (double[] p in plane)
        {
            double l = Math.Sqrt(p.Sum(v => v * v));
            for (int i = 0; i < n; i++)
            {
                p[i] /= l;
            }
        }
        var cov = new double[n * n];
        for (int i = 0; i < n; i++)
        {
            for (int j = 0; j < n; j++)
            {
                cov[i * n + j] = along[Math.Abs(i % block - j % block)] * down[Math.Abs(i / block - j / block)];
            }
        }
        double mean = 0;
        foreach (double v in cov)
        {
            mean += v;
        }
        // (I − P) C (I − P)
        foreach (double[] p in plane)
        {
            for (int i = 0; i < n; i++)
            {
                double s = 0;
                for (int j = 0; j < n; j++)
                {
                    s += cov[i * n + j] * p[j];
                }
                for (int j = 0; j < n; j++)
                {
                    cov[i * n + j] -= s * p[j];
                }
            }
            for (int j = 0; j < n; j++)
            {
                double s = 0;
                for (int i = 0; i < n; i++)
                {
                    s += cov[i * n + j] * p[i];
                }
                for (int i = 0; i < n; i++)
                {
                    cov[i * n + j] -= s * p[i];
                }
            }
        }
        double trace = 0,
            square = 0,
            right = 0,
            below = 0;
        for (int i = 0; i < n; i++)
        {
            trace += cov[i * n + i];
            for (int j = 0; j < n; j++)
            {
                square += cov[i * n + j] * cov[i * n + j];
            }
            if (i % block + 1 < block)
            {
                right += cov[i * n + i + 1];
            }
            if (i / block + 1 < block)
            {
                below += cov[i * n + i + block];
            }
        }
        double by = block * (block - 1) * trace / n;
        return new()
        {
            SigmaX = sigmaX,
            SigmaY = sigmaY,
            Left = trace / n,
            LikeX = right / by,
            LikeY = below / by,
            OfMean = mean / n / n,
            Degrees = trace * trace / square,
        };
    }

    /// <summary>Abramowitz and Stegun 26.2.23, within 4.5e-4.</summary>
    private static double InverseNormal(double p)
    {
        double q = Math.Min(p, 1 - p),
            t = Math.Sqrt(-2 * Elementary.Log(q)),
            z = t - (2.515517 + t * (0.802853 + t * 0.010328)) / (1 + t * (1.432788 + t * (0.189269 + t * 0.001308)));
        return p < 0.5 ? -z : z;
    }
}
