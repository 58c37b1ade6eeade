using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>What strokes found.</summary>
/// <param name="Confidence">How well both sides are told apart along the outline, 0..1.</param>
/// <param name="Told">What the outline does not hold though it was meant, in the artist's terms; null: nothing.</param>
public sealed record StrokeFound(Curve Curve, double Confidence, string? Told);

/// <summary>
/// An outline from strokes over what it holds and what it does not: what both look like, how near a pixel is to either's strokes over the picture's own
/// edges (Bai and Sapiro 2007), and the cheapest border over its contrast (Boykov and Jolly 2001; both sides learned again from what was cut, Rother,
/// Kolmogorov and Blake 2004); settled to a part of a pixel, as few cubics.
/// </summary>
public static class StrokeCut
{
    /// <summary>Both sides are told apart in a picture so wide.</summary>
    private const int Wide = 640;

    private const int Rounds = 3;

    /// <summary>What a fixed pixel costs on the other side.</summary>
    private const float Fixed = 3 * LayerCosts.Most;

    /// <summary>Strokes that contradict one another over more than this share of the lesser are refused.</summary>
    private const double MostContradicting = 0.1;

    /// <summary>The furthest that the curve lies off the border, pixels.</summary>
    private const double Tolerance = 1;

    /// <param name="linear">Scene-linear RGB.</param>
    /// <param name="strokes">In its pixels.</param>
    /// <param name="near">The outline that they correct; null: there is none yet.</param>
    /// <param name="distance">Metres by pixel of that picture, NaN where nothing is; null: it is not known.</param>
    /// <exception cref="ArgumentException">No stroke says what is inside, strokes contradict one another, or nothing is left of it.</exception>
    public static StrokeFound Of(FloatImage linear, IReadOnlyList<MatteStroke> strokes, Curve? near = null, float[]? distance = null)
    {
        int by = Math.Max(1, (linear.Width + Wide - 1) / Wide),
            w = linear.Width / by,
            h = linear.Height / by;
        FloatImage small = Even(by == 1 ? linear : linear.ReducedTo(w, h));
        bool[] inside = Seeds(strokes, true, w, h, 1.0 / by),
            outside = Seeds(strokes, false, w, h, 1.0 / by);
        Check(inside, outside, near is not null, w, by);
        float[] deepness = near is null ? [] : Inside(near.Sized(1.0 / by), w, h);
        var (features, count) = LayerColours.FeaturesOf(small, distance is null ? null : Sampled(distance, linear.Width, by, w, h));
        float noise = LayerCosts.NoiseOf(small);
        float[] fromIn = Geodesic(small, inside, noise),
            fromOut = Geodesic(small, outside.Any(v => v) ? outside : Beyond(w, h, inside), noise);
        bool[] held = [];
        float[] costs = [];
        var whole = new PixelBox(0, 0, w, h);
        for (int round = 0; round < (near is null ? Rounds : 1); round++)
        {
            var own = new List<int>();
            var other = new List<int>();
            bool[] beyond = Beyond(w, h, inside);
            for (int i = 0; i < w * h; i++)
            {
                bool isIn = inside[i] || (!outside[i] && (deepness.Length > 0 ? deepness[i] > 4 : held.Length > 0 && held[i])),
                    isOut =
                        outside[i]
                        || (
                            !inside[i]
                            && (
                                deepness.Length > 0 ? deepness[i] < -4
                                : held.Length > 0 ? !held[i]
                                : beyond[i] && fromIn[i] > fromOut[i]
                            )
                        );
                if (isIn)
                {
                    own.Add(i);
                }
                else if (isOut)
                {
                    other.Add(i);
                }
            }
            costs = Costs(features, count, own, other, inside, outside, fromIn, fromOut, deepness);
            held = Connected(BorderCut.Cut(small, whole, costs, noise), inside, deepness, w, h);
            if (!held.Any(v => v))
            {
                throw new ArgumentException("Nothing is left of it: “not this” lies over all that looks like “this”. Take a stroke away.");
            }
        }
        if (by > 1)
        {
            (held, costs) = Finer(linear, held, costs, w, h, by);
        }
        return Drawn(linear, held, costs, [.. strokes.Where(s => s.Inside)], [.. strokes.Where(s => !s.Inside)]);
    }

    private static FloatImage Even(FloatImage linear) =>
        new(linear.Width, linear.Height, 3, [.. linear.Data.Select(v => MathF.Sqrt(Math.Clamp(v, 0, 4)))]);

    private static float[] Sampled(float[] distance, int width, int by, int w, int h) =>
        [.. Enumerable.Range(0, w * h).Select(i => distance[(i / w * by + by / 2) * width + i % w * by + by / 2])];

    /// <summary>Pixels under the strokes of a side.</summary>
    private static bool[] Seeds(IReadOnlyList<MatteStroke> strokes, bool side, int w, int h, double by)
    {
        var seeds = new bool[w * h];
        foreach (MatteStroke stroke in strokes.Where(s => s.Inside == side))
        {
            double[] p = stroke.Points;
            double radius = Math.Max(0.7, stroke.WidthPixels * by / 2);
            for (int k = 0; k < p.Length / 2; k++)
            {
                int next = Math.Min(k + 1, p.Length / 2 - 1);
                double ax = p[2 * k] * by,
                    ay = p[2 * k + 1] * by,
                    dx = p[2 * next] * by - ax,
                    dy = p[2 * next + 1] * by - ay,
                    square = dx * dx + dy * dy;
                int left = (int)Math.Clamp(Math.Min(ax, ax + dx) - radius, 0, w),
                    right = (int)Math.Clamp(Math.Max(ax, ax + dx) + radius + 1, 0, w),
                    top = (int)Math.Clamp(Math.Min(ay, ay + dy) - radius, 0, h),
                    bottom = (int)Math.Clamp(Math.Max(ay, ay + dy) + radius + 1, 0, h);
                for (int y = top; y < bottom; y++)
                {
                    for (int x = left; x < right; x++)
                    {
                        double t = square > 0 ? Math.Clamp(((x + 0.5 - ax) * dx + (y + 0.5 - ay) * dy) / square, 0, 1) : 0,
                            ox = x + 0.5 - ax - t * dx,
                            oy = y + 0.5 - ay - t * dy;
                        seeds[y * w + x] |= ox * ox + oy * oy <= radius * radius;
                    }
                }
            }
        }
        return seeds;
    }

    private static void Check(bool[] inside, bool[] outside, bool corrects, int w, int by)
    {
        int ins = inside.Count(v => v),
            outs = outside.Count(v => v),
            both = 0,
            at = 0;
        for (int i = 0; i < inside.Length; i++)
        {
            if (inside[i] && outside[i])
            {
                (both, at) = (both + 1, i);
                // What little they share tells nothing.
                inside[i] = outside[i] = false;
            }
        }
        if (ins == 0 && !corrects)
        {
            throw new ArgumentException("Stroke over what the matte is to hold first: no stroke of “this” lies within the picture.");
        }
        if (both > MostContradicting * Math.Max(1, Math.Min(ins, outs)))
        {
            throw new ArgumentException(
                $"“This” and “not this” lie over one another near {at % w * by}, {at / w * by}: {100.0 * both / Math.Min(ins, outs):0} % of the shorter. Take one of these strokes away."
            );
        }
    }

    /// <summary>How far inside an outline pixels lie; outside: negative.</summary>
    private static float[] Inside(Curve curve, int w, int h)
    {
        var hard = new Curve([.. curve.Knots.Select(k => k with { Feather = 0, FeatherIn = 0 })], curve.Closed);
        float[] wide = MatteField.Grown(OutlineCoverage.Of(hard, w, h), w, h, 0, 200);
        return [.. wide.Select(v => (v - 0.5f) * 200)];
    }

    /// <summary>What lies so far from the strokes of what is meant that it is likely not: it teaches what the rest looks like, and is fixed nowhere.</summary>
    private static bool[] Beyond(int w, int h, bool[] inside)
    {
        int left = w,
            right = 0,
            top = h,
            bottom = 0;
        for (int i = 0; i < inside.Length; i++)
        {
            if (inside[i])
            {
                (left, right) = (Math.Min(left, i % w), Math.Max(right, i % w));
                (top, bottom) = (Math.Min(top, i / w), Math.Max(bottom, i / w));
            }
        }
        int margin = Math.Max(w / 24, Math.Max(right - left, bottom - top) / 2);
        return
        [
            .. Enumerable
                .Range(0, w * h)
                .Select(i => i % w < left - margin || i % w > right + margin || i / w < top - margin || i / w > bottom + margin),
        ];
    }

    /// <summary>How far pixels are from seeds, in pixels and in what the picture changes by on the way (two raster scans, Toivanen 1996).</summary>
    private static float[] Geodesic(FloatImage even, bool[] seeds, float noise)
    {
        int w = even.Width,
            h = even.Height;
        float[] far = [.. seeds.Select(s => s ? 0 : 1e9f)];
        float each = 1 / (4 * noise);
        float Step(int a, int b)
        {
            float d = 0;
            for (int c = 0; c < 3; c++)
            {
                d = Math.Max(d, MathF.Abs(even.Data[3 * a + c] - even.Data[3 * b + c]));
            }
            return 0.05f + each * d;
        }
        for (int round = 0; round < 3; round++)
        {
            for (int pass = 0; pass < 2; pass++)
            {
                int way = pass == 0 ? 1 : -1;
                for (int n = 0; n < w * h; n++)
                {
                    int i = pass == 0 ? n : w * h - 1 - n,
                        x = i % w,
                        y = i / w;
                    void From(int dx, int dy)
                    {
                        int ox = x + dx,
                            oy = y + dy;
                        if (ox >= 0 && oy >= 0 && ox < w && oy < h)
                        {
                            int j = oy * w + ox;
                            far[i] = Math.Min(far[i], far[j] + Step(i, j) * (dx != 0 && dy != 0 ? 1.41f : 1));
                        }
                    }
                    From(-way, 0);
                    From(0, -way);
                    From(-way, -way);
                    From(way, -way);
                }
            }
        }
        return far;
    }

    private static float[] Costs(
        float[] features,
        int count,
        List<int> own,
        List<int> other,
        bool[] inside,
        bool[] outside,
        float[] fromIn,
        float[] fromOut,
        float[] deepness
    )
    {
        LayerColours? of = own.Count > 0 ? new(features, count, own) : null,
            not = other.Count > 0 ? new(features, count, other) : null;
        bool hasIn = inside.Any(v => v),
            hasOut = outside.Any(v => v);
        var costs = new float[inside.Length];
        Parallel.For(0, costs.Length, Cores.All, i =>
        {
            if (inside[i] || outside[i])
            {
                costs[i] = inside[i] ? Fixed : -Fixed;
                return;
            }
            float look =
                of is null || not is null ? 0 : Math.Clamp(0.7f * (float)(of.Likely(features, i) - not.Likely(features, i)), -4, 4);
            if (deepness.Length == 0)
            {
                costs[i] = look + 3 * (fromOut[i] - fromIn[i]) / (fromOut[i] + fromIn[i] + 1e-3f);
                return;
            }
            // Strokes change what is near them; further off the outline stands.
            float nearest = Math.Min(hasIn ? fromIn[i] : float.MaxValue, hasOut ? fromOut[i] : float.MaxValue),
                hold = 1 - MathF.Exp(-nearest * nearest / (2 * 12 * 12)),
                by = hasIn && (!hasOut || fromIn[i] < fromOut[i]) ? 1 : -1;
            costs[i] = look + Math.Clamp(deepness[i] / 3, -1, 1) * (1 + 9 * hold) + 3 * (1 - hold) * by;
        });
        return costs;
    }

    /// <summary>What hangs together with what is meant, without holes.</summary>
    private static bool[] Connected(bool[] held, bool[] inside, float[] deepness, int w, int h)
    {
        int[] part = Parts(held, w, h);
        var weight = new Dictionary<int, int>();
        for (int i = 0; i < held.Length; i++)
        {
            if (held[i] && (inside[i] || (deepness.Length > 0 && deepness[i] > 0)))
            {
                weight[part[i]] = weight.GetValueOrDefault(part[i]) + 1;
            }
        }
        if (weight.Count == 0)
        {
            return new bool[held.Length];
        }
        int most = weight.MaxBy(p => p.Value).Key;
        bool[] own = [.. part.Select(p => p == most)];
        // All that does not hang together with the picture's border is a hole.
        int[] rest = Parts([.. own.Select(v => !v)], w, h);
        var open = new HashSet<int>();
        for (int i = 0; i < own.Length; i++)
        {
            if (!own[i] && (i % w == 0 || i % w == w - 1 || i / w == 0 || i / w == h - 1))
            {
                open.Add(rest[i]);
            }
        }
        return [.. own.Select((v, i) => v || !open.Contains(rest[i]))];
    }

    /// <summary>Numbers of the parts that hang together by their sides; 0: none.</summary>
    private static int[] Parts(bool[] where, int w, int h)
    {
        var part = new int[w * h];
        var open = new Stack<int>();
        int number = 0;
        for (int i = 0; i < part.Length; i++)
        {
            if (!where[i] || part[i] > 0)
            {
                continue;
            }
            part[i] = ++number;
            open.Push(i);
            while (open.TryPop(out int j))
            {
                int x = j % w;
                void To(int k)
                {
                    if (where[k] && part[k] == 0)
                    {
                        part[k] = number;
                        open.Push(k);
                    }
                }
                if (x > 0)
                {
                    To(j - 1);
                }
                if (x < w - 1)
                {
                    To(j + 1);
                }
                if (j >= w)
                {
                    To(j - w);
                }
                if (j < part.Length - w)
                {
                    To(j + w);
                }
            }
        }
        return part;
    }

    /// <summary>Cut again in the picture as it is, beside the border that was found.</summary>
    private static (bool[] Held, float[] Costs) Finer(FloatImage linear, bool[] held, float[] costs, int w, int h, int by)
    {
        int width = linear.Width,
            height = linear.Height;
        bool[] deep = Morphology.Eroded(held, w, h, 2),
            wide = Morphology.Dilated(held, w, h, 2);
        var fine = new float[width * height];
        for (int i = 0; i < fine.Length; i++)
        {
            int k = Math.Min(h - 1, i / width / by) * w + Math.Min(w - 1, i % width / by);
            fine[i] =
                deep[k] ? Fixed
                : !wide[k] ? -Fixed
                : Math.Clamp(costs[k], -2 * LayerCosts.Most, 2 * LayerCosts.Most) / by;
        }
        FloatImage even = Even(linear);
        return (BorderCut.Cut(even, new PixelBox(0, 0, width, height), fine, LayerCosts.NoiseOf(even)), fine);
    }

    private static StrokeFound Drawn(FloatImage linear, bool[] held, float[] costs, MatteStroke[] inner, MatteStroke[] outer)
    {
        int w = linear.Width,
            h = linear.Height;
        // A rim around the picture, so that what reaches its border is closed beyond it.
        const int rim = 4;
        int wide = w + 2 * rim,
            high = h + 2 * rim;
        var mask = new float[wide * high];
        for (int y = 0; y < high; y++)
        {
            for (int x = 0; x < wide; x++)
            {
                int px = Math.Clamp(x - rim, 0, w - 1),
                    py = Math.Clamp(y - rim, 0, h - 1);
                mask[y * wide + x] = x > 0 && y > 0 && x < wide - 1 && y < high - 1 && held[py * w + px] ? 1 : 0;
            }
        }
        double[] line = Contours.Largest(Blur.Gaussian(new FloatImage(wide, high, 1, mask), 0.7).Data, wide, high);
        if (line.Length < 16)
        {
            throw new ArgumentException("What was found is smaller than a few pixels. Stroke over more of it, or draw it by hand.");
        }
        line = [.. Contours.Resampled(line, 0.75).Select(v => v - rim)];
        float noise = LayerCosts.NoiseOf(Even(linear));
        line = BorderSettling.Settled(linear, line, noise, out _);
        line = BorderSettling.Settled(linear, line, noise, out double contrast);
        // Ten pixels on either side of a corner tell it from what the picture's grain does to a border.
        Curve curve = CurveThrough.Of(line, true, Tolerance * Math.Max(1, w / 1280.0), 13);
        double decided = 0,
            count = 0;
        for (int i = w + 1; i < held.Length - w - 1; i++)
        {
            if (held[i] != held[i - 1] || held[i] != held[i + 1] || held[i] != held[i - w] || held[i] != held[i + w])
            {
                decided += Math.Clamp((held[i] ? costs[i] : -costs[i]) / 4, 0, 1);
                count++;
            }
        }
        return new(curve, Math.Clamp(0.55 * decided / Math.Max(1, count) + 0.45 * contrast, 0, 1), Missed(held, w, h, inner, outer));
    }

    /// <summary>What one closed outline cannot do.</summary>
    private static string? Missed(bool[] held, int w, int h, MatteStroke[] inner, MatteStroke[] outer)
    {
        bool IsHeld(MatteStroke s) =>
            s.Points.Length >= 2 && held[Math.Clamp((int)s.Points[1], 0, h - 1) * w + Math.Clamp((int)s.Points[0], 0, w - 1)];
        return inner.Count(s => !IsHeld(s)) is > 0 and var parts
                ? $"{parts} of the strokes of “this” lie on a part of its own: find that as another matte and join both."
            : outer.Any(IsHeld) ? "What is open in its middle is held as well: find that as another matte and take it away from this one."
            : null;
    }
}
