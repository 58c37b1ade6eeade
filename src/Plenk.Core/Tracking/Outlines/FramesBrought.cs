using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// Other frames' pictures as they lie over one, by the rebuilt place where that is known; else by the motion of most of the picture from frame to
/// frame, and what is then left of it by itself.
/// </summary>
internal sealed class FramesBrought(PictureLine pictures, FilmedPlace? place)
{
    private const int Step = 8;

    /// <summary>Of what is left, pixels of a picture of half the size.</summary>
    private const int RestStep = 5;
    private readonly Dictionary<(int, int), LayerFlow> _flows = [];

    /// <returns>Square roots of light over a box of the small picture, three a pixel; NaN where the other does not reach, or something hides it.</returns>
    public float[] Brought(int frame, int other, PixelBox box)
    {
        FloatImage there = pictures.Small(other).Even;
        if (place?.Whole(frame, other, there.Width, there.Height) is { } known)
        {
            return Laid(there, box, (x, y) => known(x + box.X0, y + box.Y0));
        }
        int w = box.Width,
            h = box.Height;
        Func<int, int, (double X, double Y)> flows = ByFlows(frame, other, box);
        var gone = new (double X, double Y)[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                gone[y * w + x] = flows(x, y);
            }
        });
        LayerFlow rest = Rest(frame, Laid(there, box, (x, y) => gone[y * w + x]), box);
        return Laid(there, box, (x, y) =>
        {
            var (u, v) = rest.At((x - 0.5) / 2, (y - 0.5) / 2);
            double px = x + 2 * u,
                py = y + 2 * v;
            int x0 = Math.Clamp((int)Math.Floor(px), 0, w - 2),
                y0 = Math.Clamp((int)Math.Floor(py), 0, h - 2),
                k = y0 * w + x0;
            return Between(gone[k], gone[k + 1], gone[k + w], gone[k + w + 1], Math.Clamp(px - x0, 0, 1), Math.Clamp(py - y0, 0, 1));
        });
    }

    /// <summary>What is left of motion between a frame's box and another's picture brought over it, at half its size.</summary>
    private LayerFlow Rest(int frame, float[] brought, PixelBox box)
    {
        int w = box.Width,
            h = box.Height;
        GrayImage now = pictures.Small(frame).Levels.Levels[0];
        var gray = new float[w * h];
        for (int i = 0; i < gray.Length; i++)
        {
            gray[i] = float.IsNaN(brought[3 * i]) ? 0 : (brought[3 * i] + brought[3 * i + 1] + brought[3 * i + 2]) / 3;
        }
        GrayPyramid Half(float[] of) => new(new GrayPyramid(new GrayImage(w, h, of), 2).Levels[1], 2);
        GrayPyramid own = Half(FloatImage.Cut(now.Data, now.Width, 1, box)),
            other = Half(gray);
        var (width, height) = (own.Levels[0].Width, own.Levels[0].Height);
        var reached = new float[width * height];
        for (int i = 0; i < reached.Length; i++)
        {
            int at = Math.Min(h - 1, i / width * 2) * w + Math.Min(w - 1, i % width * 2);
            reached[i] = float.IsNaN(brought[3 * at]) ? 0 : 1;
        }
        return LayerFlow.Of(own, other, reached, new PixelBox(0, 0, width, height), (0, 0), true, 2, RestStep);
    }

    private static float[] Laid(FloatImage there, PixelBox box, Func<int, int, (double X, double Y)> gone)
    {
        int w = box.Width;
        var result = new float[3 * w * box.Height];
        Parallel.For(0, box.Height, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                var (px, py) = gone(x, y);
                Span<float> to = result.AsSpan(3 * (y * w + x), 3);
                if (px < 0 || py < 0 || px > there.Width - 1 || py > there.Height - 1)
                {
                    to.Fill(float.NaN);
                    continue;
                }
                there.SampleBilinear(px + 0.5, py + 0.5, to);
            }
        });
        return result;
    }

    /// <summary>From frame to frame by their flows: where the places of a grid over the box have gone, and between them straight.</summary>
    private Func<int, int, (double X, double Y)> ByFlows(int frame, int other, PixelBox box)
    {
        int way = Math.Sign(other - frame),
            columns = box.Width / Step + 2,
            rows = box.Height / Step + 2;
        LayerFlow[] chain = [.. Enumerable.Range(0, Math.Abs(other - frame)).Select(k => Flow(frame + k * way, frame + (k + 1) * way))];
        var gone = new (double X, double Y)[columns * rows];
        for (int k = 0; k < gone.Length; k++)
        {
            double px = k % columns * Step + box.X0,
                py = k / columns * Step + box.Y0;
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
            return Between(
                gone[k],
                gone[k + 1],
                gone[k + columns],
                gone[k + columns + 1],
                (double)(x % Step) / Step,
                (double)(y % Step) / Step
            );
        };
    }

    private static (double X, double Y) Between(
        (double X, double Y) a,
        (double X, double Y) b,
        (double X, double Y) c,
        (double X, double Y) d,
        double s,
        double t
    ) =>
        (
            (1 - t) * ((1 - s) * a.X + s * b.X) + t * ((1 - s) * c.X + s * d.X),
            (1 - t) * ((1 - s) * a.Y + s * b.Y) + t * ((1 - s) * c.Y + s * d.Y)
        );

    /// <summary>Of the whole small picture from a frame to the next, at half its size.</summary>
    private LayerFlow Flow(int from, int to)
    {
        if (!_flows.TryGetValue((from, to), out LayerFlow? flow))
        {
            GrayPyramid a = pictures.Small(from).Levels;
            var (w, h) = (a.Levels[0].Width, a.Levels[0].Height);
            var whole = new float[w * h];
            Array.Fill(whole, 1f);
            _flows[(from, to)] = flow = LayerFlow.Of(
                a,
                pictures.Small(to).Levels,
                whole,
                new PixelBox(0, 0, w, h),
                (0, 0),
                false,
                24,
                Step
            );
        }
        return flow;
    }
}
