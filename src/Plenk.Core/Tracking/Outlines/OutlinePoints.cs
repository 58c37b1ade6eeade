using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>Points of a drawn matte put in, taken away, rounded: in all its keys at once.</summary>
public static class OutlinePoints
{
    /// <summary>The place on a curve that is nearest to a spot: the knot before it and how far on.</summary>
    public static double Nearest(Curve curve, double x, double y)
    {
        const int fine = 64;
        double Off(double at)
        {
            var (px, py) = curve.At(at);
            return (px - x) * (px - x) + (py - y) * (py - y);
        }
        double best = Enumerable.Range(0, curve.Spans * fine + 1).Select(i => (double)i / fine).MinBy(Off);
        for (double step = 0.5 / fine; step > 1e-7; step /= 2)
        {
            foreach (double d in (double[])[-step, step])
            {
                double at = curve.Closed ? best + d : Math.Clamp(best + d, 0, curve.Spans);
                best = Off(at) < Off(best) ? at : best;
            }
        }
        return curve.Closed ? ((best % curve.Spans) + curve.Spans) % curve.Spans : best;
    }

    private static Matte Each(Matte matte, Func<Curve, Curve> change) =>
        matte with
        {
            Keys = [.. matte.Keys.Select(k => MatteShape.KeyOf(k.Frame, change(MatteShape.CurveOf(matte, k)), k) with { Found = k.Found })],
        };

    /// <summary>A point more, on the curve where it is nearest to a spot; the shape stays what it is in every key.</summary>
    public static Matte With(Matte matte, int frame, double x, double y)
    {
        double at = MatteShape.CurveAt(matte, frame) is { } curve ? Nearest(curve, x, y) : 0;
        return Each(matte, c => c.With(at));
    }

    /// <summary>With the outline of a frame as it was found there: all keys are brought to as many points.</summary>
    public static Matte WithKey(Matte matte, int frame, Curve curve)
    {
        MatteKey[] others = [.. matte.Keys.Where(k => k.Frame != frame).OrderBy(k => k.Frame)];
        MatteKey like = matte.Keys.Count > 0 ? matte.Keys[0] : new(frame, []);
        double half = matte.FeatherPixels / 2;
        var soft = new Curve([.. curve.Knots.Select(k => k with { Feather = half, FeatherIn = half })], curve.Closed);
        IReadOnlyList<Curve> common = OutlinePairing.Common([soft, .. others.Select(k => MatteShape.CurveOf(matte, k))]);
        // Handles in all of them, or in none.
        bool bends = common.Any(c => c.Knots.Any(k => Math.Abs(k.InX) + Math.Abs(k.InY) + Math.Abs(k.OutX) + Math.Abs(k.OutY) > 1e-6));
        like = bends ? like with { Handles = [] } : like;
        return matte with
        {
            Keys =
            [
                .. others
                    .Select((k, i) => MatteShape.KeyOf(k.Frame, common[i + 1], like) with { Found = k.Found, Strokes = k.Strokes })
                    .Append(MatteShape.KeyOf(frame, common[0], like))
                    .OrderBy(k => k.Frame),
            ],
        };
    }

    /// <summary>
    /// A point less. What was two curves is one, as near to them as one can be at its ends: their handles, longer by what each was of both.
    /// </summary>
    /// <exception cref="ArgumentException">Too few would be left.</exception>
    public static Matte Without(Matte matte, int point)
    {
        int count = matte.Keys.Count > 0 ? matte.Keys[0].Corners.Length / 2 : 0;
        if (count <= (matte.Open ? 2 : 3))
        {
            throw new ArgumentException(matte.Open ? "a line has two points at least" : "a shape has three points at least", nameof(point));
        }
        return Each(matte, c =>
        {
            List<Knot> own = [.. c.Knots];
            bool end = !c.Closed && (point == 0 || point == count - 1);
            if (!end)
            {
                int a = (point + count - 1) % count,
                    b = (point + 1) % count;
                double first = new Curve([own[a], own[point]], false).Length(),
                    second = new Curve([own[point], own[b]], false).Length(),
                    share = first / Math.Max(1e-9, first + second);
                // De Casteljau backwards: a part of t has t of the whole's handle.
                double before = 1 / Math.Clamp(share, 0.05, 0.95),
                    after = 1 / Math.Clamp(1 - share, 0.05, 0.95);
                own[a] = own[a] with { OutX = own[a].OutX * before, OutY = own[a].OutY * before };
                own[b] = own[b] with { InX = own[b].InX * after, InY = own[b].InY * after };
            }
            own.RemoveAt(point);
            return new(own, c.Closed);
        });
    }

    /// <summary>
    /// A corner made round, or a round point a corner. Rounded, its handles go along the way from the point before to the one after, a third as far as
    /// each is off (Catmull and Rom's tangent).
    /// </summary>
    public static Matte Turned(Matte matte, int point) => Each(matte, c =>
        {
            Knot[] own = [.. c.Knots];
            own[point] = own[point].IsSmooth || Bends(own[point]) ? Cornered(own[point]) : Rounded(c, point);
            return new(own, c.Closed);
        });

    /// <summary>All of its points round.</summary>
    public static Matte Rounded(Matte matte) => Each(matte, c => new([.. c.Knots.Select((_, i) => Rounded(c, i))], c.Closed));

    private static bool Bends(Knot k) => Math.Abs(k.InX) + Math.Abs(k.InY) + Math.Abs(k.OutX) + Math.Abs(k.OutY) > 1e-6;

    private static Knot Cornered(Knot k) => k with { InX = 0, InY = 0, OutX = 0, OutY = 0 };

    private static Knot Rounded(Curve c, int i)
    {
        int n = c.Knots.Count;
        Knot k = c.Knots[i];
        if (!c.Closed && (i == 0 || i == n - 1))
        {
            return k;
        }
        Knot a = c.Knots[(i + n - 1) % n],
            b = c.Knots[(i + 1) % n];
        double dx = b.X - a.X,
            dy = b.Y - a.Y,
            length = Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy)),
            before = Math.Sqrt((k.X - a.X) * (k.X - a.X) + (k.Y - a.Y) * (k.Y - a.Y)) / 3,
            after = Math.Sqrt((k.X - b.X) * (k.X - b.X) + (k.Y - b.Y) * (k.Y - b.Y)) / 3;
        return k with { InX = -dx / length * before, InY = -dy / length * before, OutX = dx / length * after, OutY = dy / length * after };
    }

    /// <summary>
    /// Of frames that were followed those that keys are needed at, so that straight between them no point is further off than so many pixels; one in
    /// four at most.
    /// </summary>
    /// <param name="drawn">Frames that keep their keys.</param>
    public static IReadOnlyList<int> Needed(IReadOnlyList<FollowedOutline> frames, IReadOnlyCollection<int> drawn, double tolerance)
    {
        var kept = new SortedSet<int>(drawn.Where(d => frames.Any(f => f.Frame == d))) { frames[0].Frame, frames[^1].Frame };
        int most = kept.Count + frames.Count / 4;
        var at = frames.ToDictionary(f => f.Frame, f => f.Curve);
        while (kept.Count < most)
        {
            (int Frame, double Off) worst = (0, tolerance);
            int[] own = [.. kept];
            for (int i = 0; i + 1 < own.Length; i++)
            {
                for (int f = own[i] + 1; f < own[i + 1]; f++)
                {
                    if (!at.TryGetValue(f, out Curve? real))
                    {
                        continue;
                    }
                    Curve straight = MatteShape.Mixed(at[own[i]], at[own[i + 1]], (double)(f - own[i]) / (own[i + 1] - own[i]));
                    double off = Math.Sqrt(
                        straight.Knots.Zip(real.Knots, (a, b) => (a.X - b.X) * (a.X - b.X) + (a.Y - b.Y) * (a.Y - b.Y)).Max()
                    );
                    worst = off > worst.Off ? (f, off) : worst;
                }
            }
            if (worst.Frame == 0)
            {
                break;
            }
            kept.Add(worst.Frame);
        }
        return [.. kept];
    }
}
