using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// What lies behind things that pass: each pixel as the frames before and after have it, by the motion of most of the picture, where these agree (the
/// median over time). It tells where something stands before it now; a shadow on it, even or not, does not.
/// </summary>
internal sealed class PlaceBehind(PictureLine pictures, int first, int last, FilmedPlace? place)
{
    private static readonly int[] Aside = [-10, -8, -6, -4, -3, 3, 4, 6, 8, 10];
    private const int Step = 8;
    private readonly Dictionary<(int, int), LayerFlow> _flows = [];
    private readonly Dictionary<int, float[]> _hidden = [];

    /// <summary>Tells how it moves; null: the picture alone does.</summary>
    public FilmedPlace? Place => place;

    /// <summary>How surely something hides what lies behind, 0..1, for every pixel of the small picture.</summary>
    public float[] Hidden(int frame, float noise)
    {
        if (_hidden.TryGetValue(frame, out float[]? known))
        {
            return known;
        }
        FloatImage now = pictures.Small(frame).Even;
        int w = now.Width,
            h = now.Height;
        int[] others = [.. Aside.Select(k => frame + k).Where(f => f >= first && f <= last)];
        var result = new float[w * h];
        int before = others.Count(f => f < frame);
        if (others.Length < 4)
        {
            return _hidden[frame] = result;
        }
        // Seen from one side in time alone, the same thing may stand there in most of it.
        bool both = before >= 2 && others.Length - before >= 2;
        double asked = both ? 0.6 : 0.7;
        var samples = others.Select(f => Brought(frame, f)).ToArray();
        var middle = new FloatImage(w, h, 3);
        var agreed = new bool[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> own = stackalloc float[Aside.Length];
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x,
                    n = 0;
                foreach (float[] s in samples)
                {
                    if (!float.IsNaN(s[3 * i]))
                    {
                        n++;
                    }
                }
                if (n < 4)
                {
                    continue;
                }
                for (int c = 0; c < 3; c++)
                {
                    int k = 0;
                    foreach (float[] s in samples)
                    {
                        if (!float.IsNaN(s[3 * i]))
                        {
                            own[k++] = s[3 * i + c];
                        }
                    }
                    own[..k].Sort();
                    middle.Data[3 * i + c] = (own[(k - 1) / 2] + own[k / 2]) / 2;
                }
                int near = 0,
                    nearBefore = 0;
                for (int k = 0; k < samples.Length; k++)
                {
                    float[] s = samples[k];
                    float most = 0;
                    for (int c = 0; c < 3; c++)
                    {
                        most = Math.Max(most, MathF.Abs(s[3 * i + c] - middle.Data[3 * i + c]));
                    }
                    bool agrees = most < 0.05f + 3 * noise;
                    near += agrees ? 1 : 0;
                    nearBefore += agrees && k < before ? 1 : 0;
                }
                agreed[i] = near >= asked * n && (!both || (nearBefore >= 1 && near - nearBefore >= 1));
            }
        });
        const int r = 2;
        var misfit = new float[w * h];
        Array.Fill(misfit, float.NaN);
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> im = stackalloc float[3],
                mm = stackalloc float[3],
                gain = stackalloc float[3];
            for (int x = 0; x < w; x++)
            {
                im.Clear();
                mm.Clear();
                int count = 0;
                for (int j = Math.Max(0, y - r); j <= Math.Min(h - 1, y + r); j++)
                {
                    for (int i = Math.Max(0, x - r); i <= Math.Min(w - 1, x + r); i++)
                    {
                        int at = j * w + i;
                        if (agreed[at])
                        {
                            count++;
                            for (int c = 0; c < 3; c++)
                            {
                                im[c] += now.Data[3 * at + c] * middle.Data[3 * at + c];
                                mm[c] += middle.Data[3 * at + c] * middle.Data[3 * at + c];
                            }
                        }
                    }
                }
                if (count < 12)
                {
                    continue;
                }
                // Less light is a shadow on it: the same place in a part of its light, bluer or redder by a fifth at most.
                float all = Math.Clamp((im[0] + im[1] + im[2]) / Math.Max(1e-6f, mm[0] + mm[1] + mm[2]), 0.25f, 1.15f),
                    sum = 0;
                for (int c = 0; c < 3; c++)
                {
                    gain[c] = Math.Clamp(im[c] / Math.Max(1e-6f, mm[c]), 0.8f * all, 1.2f * all);
                }
                for (int j = Math.Max(0, y - r); j <= Math.Min(h - 1, y + r); j++)
                {
                    for (int i = Math.Max(0, x - r); i <= Math.Min(w - 1, x + r); i++)
                    {
                        int at = j * w + i,
                            left = j * w + Math.Max(0, i - 1),
                            right = j * w + Math.Min(w - 1, i + 1),
                            up = Math.Max(0, j - 1) * w + i,
                            down = Math.Min(h - 1, j + 1) * w + i;
                        if (!agreed[at])
                        {
                            continue;
                        }
                        float e = 0,
                            slope = 0;
                        for (int c = 0; c < 3; c++)
                        {
                            float d = now.Data[3 * at + c] - gain[c] * middle.Data[3 * at + c],
                                gx = gain[c] * (middle.Data[3 * right + c] - middle.Data[3 * left + c]),
                                gy = gain[c] * (middle.Data[3 * down + c] - middle.Data[3 * up + c]);
                            (e, slope) = (e + d * d, slope + (gx * gx + gy * gy) / 4);
                        }
                        sum += Math.Min(30, e / (6 * noise * noise + 0.5f * slope + 0.0012f));
                    }
                }
                misfit[y * w + x] = sum / count;
            }
        });
        // Of the windows that a pixel lies in the one that fits best: a shadow's edge is none of its own.
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                float best = agreed[y * w + x] ? float.PositiveInfinity : 0;
                for (int j = Math.Max(0, y - r); j <= Math.Min(h - 1, y + r); j++)
                {
                    for (int i = Math.Max(0, x - r); i <= Math.Min(w - 1, x + r); i++)
                    {
                        best = misfit[j * w + i] < best ? misfit[j * w + i] : best;
                    }
                }
                result[y * w + x] = float.IsInfinity(best) ? 0 : Math.Clamp((best - 1f) / 2f, 0, 1);
            }
        });
        if (_hidden.Count > 400)
        {
            _hidden.Clear();
        }
        return _hidden[frame] = result;
    }

    /// <summary>Another frame's picture as it lies over this one; NaN where it does not reach.</summary>
    private float[] Brought(int frame, int other)
    {
        FloatImage there = pictures.Small(other).Even;
        int w = there.Width,
            h = there.Height;
        Func<int, int, (double X, double Y)> gone = place?.Between(frame, other, w, h) is { } known
            ? (x, y) => known.At(x, y) is var (u, v) ? (x + u, y + v) : default
            : ByFlows(frame, other, w, h);
        var result = new float[3 * w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                var (px, py) = gone(x, y);
                Span<float> to = result.AsSpan(3 * (y * w + x), 3);
                if (px < 0 || py < 0 || px > w - 1 || py > h - 1)
                {
                    to.Fill(float.NaN);
                    continue;
                }
                there.SampleBilinear(px + 0.5, py + 0.5, to);
            }
        });
        return result;
    }

    /// <summary>From frame to frame by their flows: where the places of their grid have gone, and between them straight.</summary>
    private Func<int, int, (double X, double Y)> ByFlows(int frame, int other, int w, int h)
    {
        int way = Math.Sign(other - frame),
            columns = w / Step + 2,
            rows = h / Step + 2;
        LayerFlow[] chain = [.. Enumerable.Range(0, Math.Abs(other - frame)).Select(k => Flow(frame + k * way, frame + (k + 1) * way))];
        var gone = new (double X, double Y)[columns * rows];
        for (int k = 0; k < gone.Length; k++)
        {
            double px = k % columns * Step,
                py = k / columns * Step;
            foreach (LayerFlow f in chain)
            {
                var (u, v) = f.At(px, py);
                (px, py) = (px + u, py + v);
            }
            gone[k] = (px, py);
        }
        return (x, y) =>
        {
            int k = y / Step * columns + x / Step;
            double s = (double)(x % Step) / Step,
                t = (double)(y % Step) / Step;
            var (a, b, c, d) = (gone[k], gone[k + 1], gone[k + columns], gone[k + columns + 1]);
            return (
                (1 - t) * ((1 - s) * a.X + s * b.X) + t * ((1 - s) * c.X + s * d.X),
                (1 - t) * ((1 - s) * a.Y + s * b.Y) + t * ((1 - s) * c.Y + s * d.Y)
            );
        };
    }

    private LayerFlow Flow(int from, int to)
    {
        if (!_flows.TryGetValue((from, to), out LayerFlow? flow))
        {
            var (a, b) = (pictures.Small(from), pictures.Small(to));
            var whole = new float[a.Even.Width * a.Even.Height];
            Array.Fill(whole, 1f);
            _flows[(from, to)] = flow = LayerFlow.Of(a.Levels, b.Levels, whole, PixelBox.Whole(a.Even), (0, 0), false, 24, Step);
        }
        return flow;
    }
}
