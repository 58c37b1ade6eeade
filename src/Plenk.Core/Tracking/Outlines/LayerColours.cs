using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// What pixels of a layer look like: a mixture of normal distributions over lightness, two differences of colour, texture and, where it is known, the
/// logarithm of distance (as Rother, Kolmogorov and Blake 2004 have it for colour).
/// </summary>
internal sealed class LayerColours
{
    private const int Parts = 5,
        Rounds = 6;

    /// <summary>Least variance of each: noise, and what light does over a surface.</summary>
    private static readonly double[] Least = [4e-4, 1e-4, 1e-4, 0.15, 4e-3];
    private readonly double[][] _means;
    private readonly double[][] _variances;
    private readonly double[] _weights;
    private readonly int _count;

    /// <param name="features">By pixel, <paramref name="count"/> each.</param>
    /// <param name="own">Pixels that are known to be of it; one at least.</param>
    public LayerColours(float[] features, int count, IReadOnlyList<int> own)
    {
        _count = count;
        // Enough to tell.
        int step = Math.Max(1, own.Count / 6000);
        double[][] some = [.. own.Where((_, i) => i % step == 0).Select(i => Of(features, i))];
        int parts = Math.Min(Parts, some.Length);
        // The first in the middle, each other furthest from those before it.
        double[] mean = Mean(some);
        _means = new double[parts][];
        var near = some.Select(s => Square(s, mean)).ToArray();
        _means[0] = some[Array.IndexOf(near, near.Min())];
        Array.Fill(near, double.MaxValue);
        for (int k = 1; k < parts; k++)
        {
            for (int i = 0; i < some.Length; i++)
            {
                near[i] = Math.Min(near[i], Square(some[i], _means[k - 1]));
            }
            _means[k] = some[Array.IndexOf(near, near.Max())];
        }
        var nearest = new int[some.Length];
        for (int round = 0; round < Rounds; round++)
        {
            for (int i = 0; i < some.Length; i++)
            {
                nearest[i] = Enumerable.Range(0, parts).MinBy(k => Square(some[i], _means[k]));
            }
            for (int k = 0; k < parts; k++)
            {
                double[][] part = [.. some.Where((_, i) => nearest[i] == k)];
                _means[k] = part.Length > 0 ? Mean(part) : _means[k];
            }
        }
        _variances =
        [
            .. Enumerable
                .Range(0, parts)
                .Select(k =>
                {
                    double[][] part = [.. some.Where((_, i) => nearest[i] == k)];
                    return Enumerable
                        .Range(0, count)
                        .Select(c => Least[c] + (part.Length == 0 ? 0 : part.Average(s => Math.Pow(s[c] - _means[k][c], 2))))
                        .ToArray();
                }),
        ];
        _weights = [.. Enumerable.Range(0, parts).Select(k => (nearest.Count(n => n == k) + 1.0) / (some.Length + parts))];
    }

    private double[] Of(float[] features, int pixel) => [.. Enumerable.Range(0, _count).Select(c => (double)features[pixel * _count + c])];

    private double[] Mean(double[][] some) => [.. Enumerable.Range(0, _count).Select(c => some.Average(s => s[c]))];

    private double Square(double[] a, double[] b)
    {
        double sum = 0;
        for (int c = 0; c < _count; c++)
        {
            sum += (a[c] - b[c]) * (a[c] - b[c]) / (Least[c] * 20);
        }
        return sum;
    }

    /// <summary>Logarithm of how likely a pixel is of it.</summary>
    public double Likely(float[] features, int pixel)
    {
        double sum = 0;
        for (int k = 0; k < _means.Length; k++)
        {
            double exponent = 0,
                spread = 1;
            for (int c = 0; c < _count; c++)
            {
                double d = features[pixel * _count + c] - _means[k][c];
                exponent += d * d / _variances[k][c];
                spread *= _variances[k][c];
            }
            sum += _weights[k] * Math.Exp(-exponent / 2) / Math.Sqrt(spread);
        }
        return Math.Log(sum + 1e-12);
    }

    /// <summary>What pixels are told apart by, as many each as is returned.</summary>
    /// <param name="even">Square roots of light.</param>
    /// <param name="distance">Metres; NaN: nothing is there; null: it is not known.</param>
    public static (float[] Features, int Count) FeaturesOf(FloatImage even, float[]? distance)
    {
        int w = even.Width,
            h = even.Height,
            count = distance is null ? 4 : 5;
        var features = new float[count * w * h];
        var light = new float[w * h];
        for (int i = 0; i < light.Length; i++)
        {
            ReadOnlySpan<float> p = even.Data.AsSpan(3 * i, 3);
            light[i] = (p[0] + p[1] + p[2]) / 3;
        }
        FloatImage mean = Blur.Gaussian(new FloatImage(w, h, 1, light), 1.5),
            square = Blur.Gaussian(new FloatImage(w, h, 1, [.. light.Select(v => v * v)]), 1.5);
        for (int i = 0; i < light.Length; i++)
        {
            ReadOnlySpan<float> p = even.Data.AsSpan(3 * i, 3);
            Span<float> to = features.AsSpan(count * i, count);
            (to[0], to[1], to[2]) = (light[i], p[0] - p[2], p[1] - (p[0] + p[2]) / 2);
            // In e-folds of contrast, from that of noise on.
            to[3] = MathF.Log(0.01f + MathF.Sqrt(MathF.Max(0, square.Data[i] - mean.Data[i] * mean.Data[i])));
            if (distance is not null)
            {
                to[4] = float.IsNaN(distance[i]) ? 8 : MathF.Log(Math.Clamp(distance[i], 0.05f, 2000));
            }
        }
        return (features, count);
    }
}
