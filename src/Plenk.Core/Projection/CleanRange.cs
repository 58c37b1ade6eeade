using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Projection;

/// <summary>A frame as it was filmed.</summary>
/// <param name="Linear">RGB.</param>
/// <param name="Out">By pixel: it is taken out, and shows nothing that another frame may take.</param>
public sealed record FilmedView(int Frame, FloatImage Linear, bool[] Out, Pinhole Pinhole, Pose Pose)
{
    /// <summary>The same, grown by what a pixel between pixels is drawn from.</summary>
    public bool[] Grown { get; } = Morphology.Dilated(Out, Linear.Width, Linear.Height, 2);
}

/// <summary>A frame in which it is said what stands there, by hand: it is carried to all that see the same place.</summary>
/// <param name="Where">By pixel: it is said.</param>
/// <param name="HasGrain">Its picture has grain of its own.</param>
public sealed record PaintedView(FilmedView View, FloatImage Linear, bool[] Where, bool HasGrain);

/// <summary>
/// Where the place is that a pixel of a frame shows without what is taken out, and which way it faces; null: nothing is known there.
/// </summary>
public interface IPlaceBehind
{
    /// <param name="normal">Unit, towards the camera; (0, 0, 0) where it is not known.</param>
    /// <returns>False: the sky, or unknown: the place lies at no end of the ray.</returns>
    bool TryPlace(FilmedView view, RayGrid grid, int x, int y, out Vector3 place, out Vector3 normal);

    /// <summary>Whether something of the place itself stands between a spot and a camera.</summary>
    bool IsHidden(Vector3 place, Vector3 normal, Vector3 eye);
}

/// <summary>A frame of a range without what was taken out of it.</summary>
/// <param name="Linear">Without grain where it was taken or filled; the frame's own pixels elsewhere.</param>
/// <param name="How">By pixel: 0 the frame's own, 1 taken from other frames, 0.5 filled.</param>
/// <param name="Grain">By pixel, how much of the plate's grain it lacks, 0..1.</param>
/// <param name="Given">By pixel, the frame that gave the most to it; 0: none did.</param>
/// <param name="Filled">Painted, or seen in no frame.</param>
/// <param name="Patched">Of these, seen in no frame.</param>
/// <param name="From">Frames that pixels were taken from, the most used first, with how many pixels each gave to.</param>
public sealed record CleanedFrame(
    int Frame,
    FloatImage Linear,
    float[] How,
    float[] Grain,
    int[] Given,
    int Masked,
    int Taken,
    int Filled,
    int Patched,
    IReadOnlyList<(int Frame, int Pixels)> From
);

/// <summary>
/// A range of frames without what passes before the place: each pixel that is taken out goes back to the place behind it and takes the mean
/// of what other frames saw there, without those that differ (a median and the deviation about it decide, Huber 1981). What no frame saw is
/// filled by patches in one frame and carried from it to the others along the place, so that it stays where it is.
/// </summary>
/// <param name="painted">These go before all that was filmed, the first of them before the others.</param>
/// <param name="preferred">Frames that are taken alone where they see a place, the first before the others.</param>
public sealed class CleanRange(
    IReadOnlyList<FilmedView> sources,
    IPlaceBehind place,
    IReadOnlyList<PaintedView>? painted = null,
    IReadOnlyList<int>? preferred = null
)
{
    /// <summary>Sky lies so far away, metres.</summary>
    private const float Far = 1e5f;

    /// <summary>How wide about what is taken out light is compared, pixels.</summary>
    private const int Ring = 12;
    private readonly List<(FilmedView View, FloatImage Quiet, bool[] Filled)> _fills = [];
    private readonly Dictionary<int, Asking> _asked = [];
    private readonly RayGrid _rays = new(sources[0].Pinhole, Pose.Identity);

    /// <summary>One frame. Frames are asked for one after another: what is filled in one is carried to those after it.</summary>
    /// <param name="pictures">Fills what no frame saw: the picture, the hole, and what it is filled with.</param>
    public CleanedFrame Clean(FilmedView view, Func<FloatImage, bool[], FloatImage> pictures, CancellationToken stop = default)
    {
        int w = view.Linear.Width,
            h = view.Linear.Height;
        Asking ask = Ask(view);
        FilmedView[] others = ask.Others;
        FloatImage result = view.Linear.Copy();
        var how = new float[w * h];
        var grain = new float[w * h];
        var given = new int[w * h];
        var left = new bool[w * h];
        var used = new int[others.Length];
        int masked = 0,
            taken = 0,
            said = 0;
        Parallel.For(
            0,
            h,
            Cores.Until(stop),
            () =>
                (
                    Used: new int[others.Length],
                    Masked: 0,
                    Taken: 0,
                    Said: 0,
                    Seen: new Vector3[others.Length],
                    Weight: new float[others.Length]
                ),
            (y, _, own) =>
            {
                for (int x = 0; x < w; x++)
                {
                    int i = y * w + x;
                    if (!view.Out[i])
                    {
                        continue;
                    }
                    own.Masked++;
                    if (Said(ask, x, y, result.Data.AsSpan(3 * i, 3)) is { } by)
                    {
                        (how[i], grain[i]) = (0.5f, by.HasGrain ? 0 : 1);
                        own.Said++;
                        continue;
                    }
                    left[i] = true;
                    int seen = Gather(ask, x, y, own.Seen, own.Weight);
                    if (seen == 0)
                    {
                        continue;
                    }
                    Vector3 mean = Robust(own.Seen, own.Weight, seen, own.Used, out float counted, out int most);
                    given[i] = most < 0 ? 0 : others[most].Frame;
                    (result.Data[3 * i], result.Data[3 * i + 1], result.Data[3 * i + 2]) = (mean.X, mean.Y, mean.Z);
                    (how[i], left[i]) = (1, false);
                    // A mean of n frames has the nth part of their grain's power left.
                    grain[i] = MathF.Sqrt(MathF.Max(0, 1 - 1 / MathF.Max(1, counted)));
                    own.Taken++;
                }
                return own;
            },
            own =>
            {
                lock (used)
                {
                    (masked, taken, said) = (masked + own.Masked, taken + own.Taken, said + own.Said);
                    for (int k = 0; k < used.Length; k++)
                    {
                        used[k] += own.Used[k];
                    }
                }
            }
        );
        int filled = Fill(view, ask.Grid, result, how, grain, left, pictures, stop);
        return new(
            view.Frame,
            result,
            how,
            grain,
            given,
            masked,
            taken,
            filled + said,
            filled,
            [.. others.Select((o, k) => (o.Frame, used[k])).Where(u => u.Item2 > 0).OrderByDescending(u => u.Item2)]
        );
    }

    /// <summary>
    /// About what is taken out of a frame: what other frames show there, and by how much the frame differs from it; that is grain, of about
    /// the frame's power.
    /// </summary>
    public IReadOnlyList<(Vector3 Level, Vector3 Residual)> Residuals(FilmedView view, CancellationToken stop = default)
    {
        int w = view.Linear.Width,
            h = view.Linear.Height;
        Asking ask = Ask(view);
        int others = ask.Others.Length;
        bool[] near = Morphology.Dilated(view.Out, w, h, 2 * Ring);
        var result = new List<(Vector3, Vector3)>();
        var seen = new Vector3[others];
        var weight = new float[others];
        var used = new int[others];
        for (int y = 2; y < h - 2; y++)
        {
            stop.ThrowIfCancellationRequested();
            for (int x = 2; x < w - 2; x++)
            {
                int i = y * w + x;
                if (
                    near[i]
                    && !view.Grown[i]
                    && Gather(ask, x, y, seen, weight) is > 4 and int count
                    && Robust(seen, weight, count, used, out float counted, out _) is var mean
                )
                {
                    Vector3 own = new(view.Linear.Data[3 * i], view.Linear.Data[3 * i + 1], view.Linear.Data[3 * i + 2]);
                    // The mean has grain of its own left.
                    result.Add((mean, (own - mean) / MathF.Sqrt(1 + 1 / MathF.Max(1, counted))));
                }
            }
        }
        return result;
    }

    /// <summary>A frame, the others that may give to it, and what their light is multiplied by to be its own.</summary>
    private sealed record Asking(FilmedView View, RayGrid Grid, FilmedView[] Others, Vector3[] Gains);

    private Asking Ask(FilmedView view)
    {
        if (_asked.TryGetValue(view.Frame, out Asking? had))
        {
            return had;
        }
        RayGrid grid = view.Pinhole == sources[0].Pinhole ? _rays.From(view.Pose) : new(view.Pinhole, view.Pose);
        FilmedView[] others = [.. sources.Where(s => s.Frame != view.Frame)];
        return _asked[view.Frame] = new(view, grid, others, [.. others.Select(o => Gain(view, grid, o))]);
    }

    /// <summary>What the other frames show of the place behind a pixel; how many of them see it.</summary>
    private int Gather(Asking ask, int x, int y, Vector3[] seen, float[] weight)
    {
        var (view, grid, others, gains) = ask;
        if (!Place(view, grid, x, y, out Vector3 p, out Vector3 n))
        {
            return 0;
        }
        int count = 0;
        for (int k = 0; k < others.Length; k++)
        {
            weight[k] = 0;
            if (Sees(others[k], p, n, out double px, out double py))
            {
                seen[k] = gains[k] * Sample(others[k].Linear, px, py);
                weight[k] = MathF.Max(Least, Likeness(view, others[k], p, n) * Whole(px, py));
                count++;
            }
        }
        return Preferred(others, weight) ? 1 : count;
    }

    /// <summary>Where a preferred frame gives, it gives alone.</summary>
    private bool Preferred(FilmedView[] others, float[] weight)
    {
        foreach (int frame in preferred ?? [])
        {
            int one = Array.FindIndex(others, o => o.Frame == frame);
            if (one >= 0 && weight[one] > 0)
            {
                float kept = weight[one];
                Array.Clear(weight);
                weight[one] = kept;
                return true;
            }
        }
        return false;
    }

    /// <summary>What is said of the place behind a pixel; null: nothing is.</summary>
    private PaintedView? Said(Asking ask, int x, int y, Span<float> to)
    {
        if (painted is null or [] || !Place(ask.View, ask.Grid, x, y, out Vector3 p, out Vector3 n))
        {
            return null;
        }
        foreach (PaintedView by in painted)
        {
            FilmedView view = by.View;
            if (
                view.Pinhole.TryProject(view.Pose, Vec3.From(p), out double px, out double py)
                && px >= 0
                && py >= 0
                && px < by.Linear.Width
                && py < by.Linear.Height
                && by.Where[(int)py * by.Linear.Width + (int)px]
                && (view.Frame == ask.View.Frame || !place.IsHidden(p, n, view.Pose.Position.ToSingle()))
            )
            {
                by.Linear.SampleBilinear(px, py, to);
                return by;
            }
        }
        return null;
    }

    /// <summary>The place behind a pixel; the sky is far away.</summary>
    private bool Place(FilmedView view, RayGrid grid, int x, int y, out Vector3 p, out Vector3 n)
    {
        if (place.TryPlace(view, grid, x, y, out p, out n))
        {
            return true;
        }
        if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
        {
            return false;
        }
        (p, n) = (grid.Origin + Far * d, default);
        return true;
    }

    private bool Sees(FilmedView other, Vector3 p, Vector3 n, out double px, out double py)
    {
        if (!other.Pinhole.TryProject(other.Pose, Vec3.From(p), out px, out py))
        {
            return false;
        }
        int w = other.Linear.Width,
            h = other.Linear.Height;
        if (px < 2 || py < 2 || px > w - 2 || py > h - 2 || other.Grown[(int)py * w + (int)px])
        {
            return false;
        }
        return !place.IsHidden(p, n, other.Pose.Position.ToSingle());
    }

    private static Vector3 Sample(FloatImage picture, double px, double py)
    {
        Span<float> c = stackalloc float[3];
        CatmullRom.Sample(picture, px, py, c);
        return new(c[0], c[1], c[2]);
    }

    /// <summary>
    /// How near a place lies to a pixel's middle: there it is that pixel, between them it is drawn from several and softer (of cubic
    /// interpolation half a pixel off, two thirds are left at half the finest frequency).
    /// </summary>
    private static float Whole(double px, double py)
    {
        double u = px - Math.Floor(px) - 0.5,
            v = py - Math.Floor(py) - 0.5;
        return 0.003f + (float)Elementary.Exp(-(u * u + v * v) / (2 * Near * Near));
    }

    private const double Near = 0.14;

    /// <summary>A frame that sees a place counts at all.</summary>
    private const float Least = 1e-20f;

    /// <summary>How alike two frames see a spot: as finely, and from the same side.</summary>
    private static float Likeness(FilmedView view, FilmedView other, Vector3 p, Vector3 n)
    {
        Vector3 a = view.Pose.Position.ToSingle() - p,
            b = other.Pose.Position.ToSingle() - p;
        float la = a.Length(),
            lb = b.Length(),
            cosA = n == default ? 1 : MathF.Max(0.02f, Vector3.Dot(a, n) / la),
            cosB = n == default ? 1 : MathF.Max(0.02f, Vector3.Dot(b, n) / lb),
            finer = (float)(other.Pinhole.Fx / view.Pinhole.Fx) * cosB * la / (cosA * lb);
        // A coarser one is blurred there; a finer one is drawn too sharp.
        float alike = MathF.Min(finer, 1 / finer);
        return alike * alike * alike * alike;
    }

    /// <summary>The weighted mean of what lies near the median.</summary>
    private static Vector3 Robust(Vector3[] seen, float[] weight, int count, int[] used, out float counted, out int most)
    {
        most = -1;
        Span<float> values = stackalloc float[count];
        Vector3 middle = default,
            spread = default;
        for (int c = 0; c < 3; c++)
        {
            int n = 0;
            for (int k = 0; k < seen.Length; k++)
            {
                if (weight[k] > 0)
                {
                    values[n++] = seen[k][c];
                }
            }
            values.Sort();
            float m = count % 2 == 1 ? values[count / 2] : 0.5f * (values[count / 2] + values[count / 2 - 1]);
            for (int k = 0; k < count; k++)
            {
                values[k] = MathF.Abs(values[k] - m);
            }
            values.Sort();
            middle[c] = m;
            // 1.4826 makes the median deviation that of a normal spread; codes and interpolation differ by a little anyway.
            spread[c] = 2.5f * 1.4826f * values[count / 2] + 0.004f + 0.02f * m;
        }
        Vector3 sum = default;
        float all = 0,
            squares = 0;
        for (int k = 0; k < seen.Length; k++)
        {
            Vector3 off = Vector3.Abs(seen[k] - middle);
            if (weight[k] > 0 && off.X <= spread.X && off.Y <= spread.Y && off.Z <= spread.Z)
            {
                sum += weight[k] * seen[k];
                all += weight[k];
                squares += weight[k] * weight[k];
                used[k]++;
                most = most < 0 || weight[k] > weight[most] ? k : most;
            }
        }
        counted = all > 0 ? all * all / squares : count;
        return all > 0 ? sum / all : middle;
    }

    /// <summary>
    /// How much brighter a frame is than another about what is taken out: the middle of ratios there, by channel; 1 where too little is
    /// shared.
    /// </summary>
    private Vector3 Gain(FilmedView view, RayGrid grid, FilmedView other)
    {
        int w = view.Linear.Width,
            h = view.Linear.Height;
        bool[] near = Morphology.Dilated(view.Out, w, h, Ring);
        var ratios = new List<Vector3>();
        for (int y = 2; y < h - 2; y += 2)
        {
            for (int x = 2; x < w - 2; x += 2)
            {
                int i = y * w + x;
                if (!near[i] || view.Grown[i] || !Place(view, grid, x, y, out Vector3 p, out Vector3 n))
                {
                    continue;
                }
                if (!Sees(other, p, n, out double px, out double py))
                {
                    continue;
                }
                Vector3 here = new(view.Linear.Data[3 * i], view.Linear.Data[3 * i + 1], view.Linear.Data[3 * i + 2]),
                    there = Sample(other.Linear, px, py);
                if (MathF.Min(there.X, MathF.Min(there.Y, there.Z)) > 0.01f && MathF.Max(here.X, MathF.Max(here.Y, here.Z)) < 0.95f)
                {
                    ratios.Add(here / there);
                }
            }
        }
        if (ratios.Count < LeastRatios)
        {
            return Vector3.One;
        }
        var gain = new Vector3();
        for (int c = 0; c < 3; c++)
        {
            float[] sorted = [.. ratios.Select(r => r[c]).Order()];
            gain[c] = sorted[sorted.Length / 2];
        }
        // Within what noise makes of it, they are alike.
        Vector3 off = Vector3.Abs(gain - Vector3.One);
        return MathF.Max(off.X, MathF.Max(off.Y, off.Z)) < AlikeLight ? Vector3.One : gain;
    }

    private const int LeastRatios = 60;
    private const float AlikeLight = 0.01f;

    /// <summary>What no frame saw: carried from a frame in which it was filled, else filled here and kept for the others.</summary>
    private int Fill(
        FilmedView view,
        RayGrid grid,
        FloatImage result,
        float[] how,
        float[] grain,
        bool[] left,
        Func<FloatImage, bool[], FloatImage> pictures,
        CancellationToken stop
    )
    {
        int w = result.Width,
            h = result.Height,
            filled = 0;
        if (!left.Contains(true))
        {
            return 0;
        }
        bool[] open = [.. left];
        var taken = result.Copy();
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (!left[i] || _fills.Count == 0 || !Place(view, grid, x, y, out Vector3 p, out Vector3 n))
                {
                    continue;
                }
                foreach (var (from, quiet, where) in _fills)
                {
                    if (
                        from.Pinhole.TryProject(from.Pose, Vec3.From(p), out double px, out double py)
                        && px >= 1
                        && py >= 1
                        && px < w - 1
                        && py < h - 1
                        && where[(int)py * w + (int)px]
                    )
                    {
                        Span<float> c = taken.Data.AsSpan(3 * i, 3);
                        quiet.SampleBilinear(px, py, c);
                        open[i] = false;
                        break;
                    }
                }
            }
        });
        for (int i = 0; i < left.Length; i++)
        {
            if (left[i] && !open[i])
            {
                taken.Data.AsSpan(3 * i, 3).CopyTo(result.Data.AsSpan(3 * i));
                // Patches bring their own grain, here and where they are carried to.
                (how[i], grain[i]) = (0.5f, 0);
                filled++;
            }
        }
        if (open.Contains(true))
        {
            FloatImage made = pictures(result, open);
            for (int i = 0; i < open.Length; i++)
            {
                if (open[i])
                {
                    made.Data.AsSpan(3 * i, 3).CopyTo(result.Data.AsSpan(3 * i));
                    (how[i], grain[i]) = (0.5f, 0);
                    filled++;
                }
            }
            _fills.Add((view, result.Copy(), Morphology.Dilated(open, w, h, 1)));
        }
        return filled;
    }
}
