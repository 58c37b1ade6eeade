using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>
/// Several exposures of one view made into one picture of light (Debevec and Malik 1997, equations 4 and 6, for linear codes).
/// </summary>
public static class ExposureMerge
{
    /// <summary>A code's weight: highest in the middle, nothing at both ends.</summary>
    public static double Weight(double code, double top) => code <= (top - 1) / 2 ? code : top - code;

    /// <summary>
    /// Light of one spot from its codes; where all are clipped the shortest exposure tells it, where all are black the longest.
    /// </summary>
    /// <param name="codes">Linear sensor codes 0..top.</param>
    /// <param name="seconds">Their exposure times, or times that stand for them.</param>
    public static double Light(ReadOnlySpan<double> codes, ReadOnlySpan<double> seconds, double top = 255)
    {
        double sum = 0,
            weights = 0;
        int shortest = 0,
            longest = 0;
        for (int i = 0; i < codes.Length; i++)
        {
            double w = Math.Max(0, Weight(codes[i], top));
            if (seconds[i] < seconds[shortest])
            {
                shortest = i;
            }
            if (seconds[i] > seconds[longest])
            {
                longest = i;
            }
            if (w <= 0)
            {
                continue;
            }
            sum += w * (Elementary.Log(codes[i]) - Elementary.Log(seconds[i]));
            weights += w;
        }
        if (weights > 0)
        {
            return Elementary.Exp(sum / weights);
        }
        return codes[shortest] >= top ? codes[shortest] / seconds[shortest] : codes[longest] / seconds[longest];
    }

    /// <summary>Pictures of linear codes 0..1 merged, channel by channel, in the light of an exposure of one second.</summary>
    public static FloatImage Of(IReadOnlyList<FloatImage> pictures, IReadOnlyList<double> seconds)
    {
        if (pictures.Count == 0 || pictures.Count != seconds.Count)
        {
            throw new ArgumentException("a time to every picture");
        }
        if (pictures.Any(p => p.Width != pictures[0].Width || p.Height != pictures[0].Height || p.Channels != pictures[0].Channels))
        {
            throw new ArgumentException("the exposures are of one size");
        }
        var result = new FloatImage(pictures[0].Width, pictures[0].Height, pictures[0].Channels);
        double[] times = [.. seconds];
        Parallel.For(0, result.Height, Cores.All, y =>
        {
            var codes = new double[pictures.Count];
            int row = result.Width * result.Channels;
            for (int i = y * row; i < (y + 1) * row; i++)
            {
                for (int k = 0; k < codes.Length; k++)
                {
                    codes[k] = 255 * Math.Clamp(pictures[k].Data[i], 0, 1);
                }
                result.Data[i] = (float)(Light(codes, times) / 255);
            }
        });
        return result;
    }

    /// <summary>
    /// Times that the pictures' own overlap tells, the first being 1: the median ratio of spots that two neighbours expose well. Null where
    /// two neighbours share none.
    /// </summary>
    public static double[]? TimesOf(IReadOnlyList<FloatImage> pictures)
    {
        var times = new double[pictures.Count];
        times[0] = 1;
        for (int k = 1; k < pictures.Count; k++)
        {
            var ratios = new List<double>();
            int step = Math.Max(1, pictures[k].Data.Length / 60_000);
            for (int i = 0; i < pictures[k].Data.Length; i += step)
            {
                float a = pictures[k - 1].Data[i],
                    b = pictures[k].Data[i];
                if (a is > 0.02f and < 0.9f && b is > 0.02f and < 0.9f)
                {
                    ratios.Add(b / a);
                }
            }
            if (ratios.Count < 50)
            {
                return null;
            }
            ratios.Sort();
            times[k] = times[k - 1] * ratios[ratios.Count / 2];
        }
        return times;
    }
}
