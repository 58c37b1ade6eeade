using System.Numerics;
using Plenk.Core.Images;

namespace Plenk.Core.Tracking;

/// <summary>A frame of footage as it is encoded: three channels of codes 0..1, and their brightness for finding motion.</summary>
public sealed record CodedFrame(FloatImage Codes, GrayPyramid Gray);

/// <summary>A frame with its grain averaged away, and the noise (standard deviation, codes 0..1) before and left.</summary>
public sealed record GrainFreeFrame(FloatImage Codes, double NoiseBefore, double NoiseLeft);

/// <summary>
/// Grain taken out along motion: every pixel is averaged with where its surroundings are in the frames before and after, as long
/// as they differ by no more than grain does. Motion by windows on a grid (Lucas and Kanade 1981, pyramidal); the frames'
/// weights by the mean difference over 5 × 5 pixels against the noise measured at that brightness (after Buades, Coll and Morel
/// 2005). Averaging is done on codes, where grain is nearly as strong in light as in dark.
/// </summary>
public static class GrainFree
{
    private const int Cell = 12,
        Levels = 16;

    /// <summary>What a cubic sample between pixels leaves of white noise' variance, on average.</summary>
    private const float SampledVariance = 0.8f;

    /// <param name="frames">The frame itself among its neighbours, in any order.</param>
    /// <param name="centre">Its place among them.</param>
    public static GrainFreeFrame Of(IReadOnlyList<CodedFrame> frames, int centre, CancellationToken stop = default)
    {
        FloatImage own = frames[centre].Codes;
        int width = own.Width,
            height = own.Height;
        FloatImage[] others =
        [
            .. Enumerable.Range(0, frames.Count).Where(i => i != centre).Select(i => Moved(frames[centre].Gray, frames[i], stop)),
        ];
        float[][] noise = NoiseByLevel(own, others);
        var sum = (float[])own.Data.Clone();
        var weight = new float[width * height];
        var squares = new float[width * height];
        Array.Fill(weight, 1);
        Array.Fill(squares, 1);
        foreach (FloatImage other in others)
        {
            stop.ThrowIfCancellationRequested();
            float[] difference = Difference(own, other, noise);
            Parallel.For(0, height, Cores.All, y =>
            {
                for (int x = 0; x < width; x++)
                {
                    int i = y * width + x;
                    // 1 where only grain differs; gone where it differs three times as much.
                    float t = Math.Clamp((3 - difference[i]) / 1.6f, 0, 1),
                        w = t * t * (3 - 2 * t);
                    if (w <= 0 || float.IsNaN(other.Data[3 * i]))
                    {
                        continue;
                    }
                    for (int c = 0; c < 3; c++)
                    {
                        sum[3 * i + c] += w * other.Data[3 * i + c];
                    }
                    weight[i] += w;
                    squares[i] += w * w * SampledVariance;
                }
            });
        }
        double before = 0,
            left = 0;
        for (int i = 0; i < weight.Length; i++)
        {
            float sigma = noise[1][LevelOf(own.Data[3 * i + 1])];
            before += sigma * sigma;
            left += sigma * sigma * squares[i] / (weight[i] * weight[i]);
            for (int c = 0; c < 3; c++)
            {
                sum[3 * i + c] /= weight[i];
            }
        }
        return new(new(width, height, 3, sum), Math.Sqrt(before / weight.Length), Math.Sqrt(left / weight.Length));
    }

    /// <summary>
    /// The grain's standard deviation by channel and code (0..1), from a frame and its neighbours moved onto it: what differs beyond
    /// motion. NaN where a code is not seen.
    /// </summary>
    public static Func<int, float, float> Noise(IReadOnlyList<CodedFrame> frames, int centre, CancellationToken stop = default)
    {
        float[][] noise = NoiseByLevel(
            frames[centre].Codes,
            [.. Enumerable.Range(0, frames.Count).Where(i => i != centre).Select(i => Moved(frames[centre].Gray, frames[i], stop))]
        );
        return (channel, code) => noise[channel][LevelOf(code)];
    }

    private static int LevelOf(float code) => Math.Clamp((int)(code * Levels), 0, Levels - 1);

    /// <summary>Another frame as this one would have seen it; NaN where it is outside.</summary>
    private static FloatImage Moved(GrayPyramid gray, CodedFrame other, CancellationToken stop)
    {
        int width = gray.Levels[0].Width,
            height = gray.Levels[0].Height,
            w = (width + Cell - 1) / Cell + 1,
            h = (height + Cell - 1) / Cell + 1;
        var flow = new Vector2?[w * h];
        Parallel.For(0, h, Cores.Until(stop), j =>
        {
            for (int i = 0; i < w; i++)
            {
                double x = Math.Min(i * Cell, width - 1),
                    y = Math.Min(j * Cell, height - 1),
                    u = x,
                    v = y;
                if (!WindowShift.Find(gray, other.Gray, x, y, 8, ref u, ref v))
                {
                    continue;
                }
                flow[j * w + i] = new((float)(u - x), (float)(v - y));
            }
        });
        Vector2[] filled = Filled(Agreeing(flow, w, h), w, h);
        var result = new FloatImage(width, height, 3);
        Parallel.For(0, height, Cores.All, y =>
        {
            Span<float> rgb = stackalloc float[3];
            for (int x = 0; x < width; x++)
            {
                float gx = (float)x / Cell,
                    gy = (float)y / Cell;
                int i = (int)gx,
                    j = (int)gy,
                    n = j * w + i;
                float a = gx - i,
                    b = gy - j;
                Vector2 d = Vector2.Lerp(Vector2.Lerp(filled[n], filled[n + 1], a), Vector2.Lerp(filled[n + w], filled[n + w + 1], a), b);
                Cubic(other.Codes, x + d.X, y + d.Y, rgb);
                rgb.CopyTo(result.Pixel(x, y));
            }
        });
        return result;
    }

    /// <summary>Without those that moved otherwise than most of their neighbours: they were taken for something else.</summary>
    private static Vector2?[] Agreeing(Vector2?[] flow, int w, int h) =>
        [
            .. flow.Select(
                (f, n) =>
                {
                    if (f is not { } own)
                    {
                        return f;
                    }
                    int agree = 0,
                        near = 0;
                    for (int v = Math.Max(0, n / w - 1); v <= Math.Min(h - 1, n / w + 1); v++)
                    {
                        for (int u = Math.Max(0, n % w - 1); u <= Math.Min(w - 1, n % w + 1); u++)
                        {
                            if (flow[v * w + u] is not { } other)
                            {
                                continue;
                            }
                            near++;
                            if (Vector2.Distance(own, other) < 2)
                            {
                                agree++;
                            }
                        }
                    }
                    return agree >= 3 || agree == near ? f : null;
                }
            ),
        ];

    /// <summary>Places without texture move as the middle of those around them do.</summary>
    private static Vector2[] Filled(Vector2?[] flow, int w, int h)
    {
        for (int pass = 0; pass < 12 && flow.Any(f => f is null); pass++)
        {
            Vector2?[] before = [.. flow];
            for (int j = 0; j < h; j++)
            {
                for (int i = 0; i < w; i++)
                {
                    if (before[j * w + i] is not null)
                    {
                        continue;
                    }
                    var near = new List<Vector2>();
                    for (int v = Math.Max(0, j - 2); v <= Math.Min(h - 1, j + 2); v++)
                    {
                        for (int u = Math.Max(0, i - 2); u <= Math.Min(w - 1, i + 2); u++)
                        {
                            if (before[v * w + u] is { } f)
                            {
                                near.Add(f);
                            }
                        }
                    }
                    if (near.Count >= 3)
                    {
                        flow[j * w + i] = new(
                            near.Select(n => n.X).Order().ElementAt(near.Count / 2),
                            near.Select(n => n.Y).Order().ElementAt(near.Count / 2)
                        );
                    }
                }
            }
        }
        return [.. flow.Select(f => f ?? Vector2.Zero)];
    }

    /// <summary>Catmull–Rom between pixels, so that averaging does not soften; NaN outside.</summary>
    private static void Cubic(FloatImage image, float x, float y, Span<float> rgb)
    {
        if (!(x >= 0 && y >= 0 && x <= image.Width - 1 && y <= image.Height - 1))
        {
            rgb.Fill(float.NaN);
            return;
        }
        CatmullRom.Sample(image, x + 0.5, y + 0.5, rgb);
    }

    /// <summary>
    /// Standard deviation of the grain by channel and level: from the middle absolute difference to the neighbours, most of which are the
    /// same surface.
    /// </summary>
    private static float[][] NoiseByLevel(FloatImage own, FloatImage[] others)
    {
        var result = new float[3][];
        float spread = 1.4826f / MathF.Sqrt(1 + SampledVariance);
        for (int c = 0; c < 3; c++)
        {
            var bins = new List<float>[Levels];
            for (int l = 0; l < Levels; l++)
            {
                bins[l] = [];
            }
            foreach (FloatImage other in others)
            {
                for (int i = c; i < own.Data.Length; i += 3 * 29)
                {
                    float d = MathF.Abs(own.Data[i] - other.Data[i]);
                    if (!float.IsNaN(d))
                    {
                        bins[LevelOf(own.Data[i])].Add(d);
                    }
                }
            }
            var sigma = new float[Levels];
            for (int l = 0; l < Levels; l++)
            {
                if (bins[l].Count < 60)
                {
                    continue;
                }
                bins[l].Sort();
                sigma[l] = spread * bins[l][bins[l].Count / 2];
            }
            // A level that hardly occurs takes its nearest; no noise is finer than a step of 8 bits would hide.
            for (int l = 0; l < Levels; l++)
            {
                if (sigma[l] > 0)
                {
                    continue;
                }
                int nearest = Enumerable
                    .Range(0, Levels)
                    .Where(k => bins[k].Count >= 60 && sigma[k] > 0)
                    .OrderBy(k => Math.Abs(k - l))
                    .FirstOrDefault(-1);
                if (nearest >= 0)
                {
                    sigma[l] = sigma[nearest];
                }
            }
            result[c] = [.. sigma.Select(s => MathF.Max(s, 0.0012f))];
        }
        return result;
    }

    /// <summary>
    /// Mean squared difference over 5 × 5 pixels and three channels, in units of what grain alone makes; infinite where the other frame
    /// ends.
    /// </summary>
    private static float[] Difference(FloatImage own, FloatImage other, float[][] noise)
    {
        int width = own.Width,
            height = own.Height;
        var single = new float[width * height];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                float sum = 0;
                for (int c = 0; c < 3; c++)
                {
                    float d = own.Data[3 * i + c] - other.Data[3 * i + c],
                        sigma = noise[c][LevelOf(own.Data[3 * i + c])];
                    sum += d * d / ((1 + SampledVariance) * sigma * sigma);
                }
                single[i] = float.IsNaN(sum) ? 1e6f : sum / 3;
            }
        });
        return Box(Box(single, width, height, 1, width), width, height, width, 1);
    }

    /// <summary>Mean of five along one direction, clamped at the border.</summary>
    private static float[] Box(float[] values, int width, int height, int step, int other)
    {
        int along = step == 1 ? width : height,
            across = step == 1 ? height : width;
        var result = new float[values.Length];
        Parallel.For(0, across, Cores.All, k =>
        {
            for (int i = 0; i < along; i++)
            {
                float sum = 0;
                for (int d = -2; d <= 2; d++)
                {
                    sum += values[k * other + Math.Clamp(i + d, 0, along - 1) * step];
                }
                result[k * other + i * step] = sum / 5;
            }
        });
        return result;
    }
}
