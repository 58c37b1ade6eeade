namespace Plenk.Core.Tracking.Outlines;

/// <summary>Keys of one shape with different numbers of points, brought to one another by their length and their shape.</summary>
public static class OutlinePairing
{
    private const int Samples = 240;

    /// <summary>
    /// The same curves with as many knots each, which correspond: every knot of any of them is one of all. Keys that have as many as each other and
    /// lie alike correspond knot by knot as they were drawn.
    /// </summary>
    public static IReadOnlyList<Curve> Common(IReadOnlyList<Curve> keys)
    {
        if (keys.Count < 2)
        {
            return keys;
        }
        Curve reference = keys.MaxBy(k => k.Knots.Count)!;
        // Who was drawn the other way round is turned.
        keys = [.. keys.Select(k => k.Closed && k.Area() * reference.Area() < 0 ? k.Turned() : k)];
        // For each of the others a rising line of pairs: a place on the reference, and one on it.
        var maps = keys.Select(k => k == reference ? [] : Map(reference, k)).ToArray();
        var places = new SortedSet<double>();
        for (int i = 0; i < reference.Knots.Count; i++)
        {
            places.Add(i);
        }
        for (int k = 0; k < keys.Count; k++)
        {
            if (keys[k] == reference)
            {
                continue;
            }
            for (int i = 0; i < keys[k].Knots.Count; i++)
            {
                double at = Back(maps[k], i, keys[k], reference);
                // A knot beside one that is there already is that one.
                if (!places.Any(p => Near(p, at, reference)))
                {
                    places.Add(at);
                }
            }
        }
        double[] all = [.. places];
        return
        [
            .. keys.Select(
                (key, k) =>
                    key == reference ? reference.Of(all) : key.Of(Rising(key, [.. all.Select(p => Forth(maps[k], p, key, reference))]))
            ),
        ];
    }

    private static bool Near(double a, double b, Curve on)
    {
        var (ax, ay) = on.At(a);
        var (bx, by) = on.At(b);
        double apart = Math.Abs(a - b);
        if (on.Closed)
        {
            apart = Math.Min(apart, on.Spans - apart);
        }
        return apart < 0.75 && (ax - bx) * (ax - bx) + (ay - by) * (ay - by) < 9;
    }

    /// <summary>Places that lie on a knot within a hair are on it; they rise, and none is the other.</summary>
    private static double[] Rising(Curve key, double[] places)
    {
        double[] own = [.. places];
        for (int i = 1; i < own.Length; i++)
        {
            own[i] = Math.Max(own[i], own[i - 1] + 1e-4);
        }
        if (key.Closed && own[^1] >= own[0] + key.Spans)
        {
            double most = own[0] + key.Spans - 1e-4;
            for (int i = own.Length - 1; i > 0 && own[i] > most; i--, most -= 1e-4)
            {
                own[i] = most;
            }
        }
        return own;
    }

    private static double Forth((double Of, double On)[] map, double at, Curve key, Curve reference)
    {
        // A knot of the key that this place was made of is met exactly.
        double raw = Through([.. map.Select(m => (m.Of, m.On))], at, reference.Closed ? reference.Spans : 0, key.Closed ? key.Spans : 0);
        double knot = Math.Round(raw);
        var (x, y) = key.At(raw);
        var (kx, ky) = key.At(knot);
        return Math.Abs(raw - knot) < 0.5 && (x - kx) * (x - kx) + (y - ky) * (y - ky) < 9 ? knot : raw;
    }

    private static double Back((double Of, double On)[] map, double at, Curve key, Curve reference)
    {
        double raw = Through([.. map.Select(m => (m.On, m.Of))], at, key.Closed ? key.Spans : 0, reference.Closed ? reference.Spans : 0);
        return reference.Closed ? ((raw % reference.Spans) + reference.Spans) % reference.Spans : Math.Clamp(raw, 0, reference.Spans);
    }

    /// <summary>Straight between pairs; of closed curves it goes on round.</summary>
    private static double Through((double A, double B)[] pairs, double at, double roundA, double roundB)
    {
        if (roundA > 0)
        {
            at = pairs[0].A + ((((at - pairs[0].A) % roundA) + roundA) % roundA);
        }
        int i = Array.FindLastIndex(pairs, p => p.A <= at);
        if (i < 0)
        {
            return pairs[0].B;
        }
        var (a0, b0) = pairs[i];
        var (a1, b1) =
            i + 1 < pairs.Length ? pairs[i + 1]
            : roundA > 0 ? (pairs[0].A + roundA, pairs[0].B + roundB)
            : pairs[i];
        return a1 > a0 ? b0 + (b1 - b0) * (at - a0) / (a1 - a0) : b0;
    }

    private sealed record Shape(double[] Places, (double X, double Y)[] At, (double X, double Y)[] Along);

    private static Shape Sampled(Curve curve)
    {
        double[] places = [.. curve.Even(Samples)];
        var at = places.Select(curve.At).ToArray();
        double mx = at.Average(p => p.X),
            my = at.Average(p => p.Y),
            size = Math.Max(1e-9, Math.Sqrt(at.Average(p => (p.X - mx) * (p.X - mx) + (p.Y - my) * (p.Y - my))));
        (double X, double Y)[] unit = [.. at.Select(p => ((p.X - mx) / size, (p.Y - my) / size))];
        int n = unit.Length;
        return new(
            places,
            unit,
            [
                .. Enumerable
                    .Range(0, n)
                    .Select(i =>
                    {
                        var (a, b) = curve.Closed
                            ? (unit[(i + n - 2) % n], unit[(i + 2) % n])
                            : (unit[Math.Max(0, i - 2)], unit[Math.Min(n - 1, i + 2)]);
                        double dx = b.X - a.X,
                            dy = b.Y - a.Y,
                            l = Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy));
                        return (dx / l, dy / l);
                    }),
            ]
        );
    }

    private static double Cost(Shape a, int i, Shape b, int j)
    {
        double x = a.At[i].X - b.At[j].X,
            y = a.At[i].Y - b.At[j].Y;
        return x * x + y * y + 0.5 * (1 - (a.Along[i].X * b.Along[j].X + a.Along[i].Y * b.Along[j].Y));
    }

    /// <summary>Pairs of places, rising on both: dynamic time warping (Sakoe and Chiba 1978) from the best of its beginnings.</summary>
    private static (double Of, double On)[] Map(Curve reference, Curve key)
    {
        Shape a = Sampled(reference),
            b = Sampled(key);
        if (reference.Knots.Count == key.Knots.Count)
        {
            // As it was drawn, where that is about as good as any.
            double AsDrawn(int shift) =>
                Enumerable
                    .Range(0, Samples)
                    .Sum(i =>
                    {
                        double at = a.Places[i] + shift;
                        var (x, y) = key.At(reference.Closed ? at % key.Spans : at);
                        var (rx, ry) = reference.At(a.Places[i]);
                        return Math.Sqrt((x - rx) * (x - rx) + (y - ry) * (y - ry));
                    });
            double own = AsDrawn(0);
            if (!reference.Closed || Enumerable.Range(1, key.Spans - 1).All(s => own <= 1.3 * AsDrawn(s)))
            {
                return [.. Enumerable.Range(0, reference.Knots.Count).Select(i => ((double)i, (double)i))];
            }
        }
        int[] begins = reference.Closed ? [.. Enumerable.Range(0, Samples / 4).Select(i => 4 * i)] : [0];
        int begin = begins.MinBy(s => Enumerable.Range(0, Samples).Sum(i => Cost(a, i, b, (i + s) % Samples)));
        var pairs = Warped(a, b, begin, reference.Closed);
        var result = new List<(double Of, double On)>();
        double round = key.Spans;
        foreach (var (i, j) in pairs)
        {
            double on = b.Places[j % Samples] + j / Samples * round;
            while (result.Count > 0 && on < result[^1].On - round / 2)
            {
                on += round;
            }
            if (result.Count == 0 || a.Places[i] > result[^1].Of + 1e-6)
            {
                result.Add((a.Places[i], on));
            }
        }
        return [.. result];
    }

    private static List<(int I, int J)> Warped(Shape a, Shape b, int begin, bool closed)
    {
        int n = Samples,
            m = closed ? n + 1 : n,
            band = n / 8;
        var cost = new double[n, m];
        var from = new byte[n, m];
        for (int i = 0; i < n; i++)
        {
            for (int j = 0; j < m; j++)
            {
                if (Math.Abs(i - j) > band)
                {
                    cost[i, j] = double.PositiveInfinity;
                    continue;
                }
                double own = Cost(a, i, b, (begin + j) % n),
                    both = i > 0 && j > 0 ? cost[i - 1, j - 1] : double.PositiveInfinity,
                    up = i > 0 ? cost[i - 1, j] + 0.02 : double.PositiveInfinity,
                    left = j > 0 ? cost[i, j - 1] + 0.02 : double.PositiveInfinity,
                    best = Math.Min(both, Math.Min(up, left));
                cost[i, j] = own + (i == 0 && j == 0 ? 0 : best);
                from[i, j] = (byte)(
                    best == both ? 0
                    : best == up ? 1
                    : 2
                );
            }
        }
        var way = new List<(int, int)>();
        for (int i = n - 1, j = m - 1; ; )
        {
            way.Add((i, begin + j));
            if (i == 0 && j == 0)
            {
                break;
            }
            (i, j) = (
                i == 0 ? 2
                : j == 0 ? 1
                : from[i, j]
            ) switch
            {
                0 => (i - 1, j - 1),
                1 => (i - 1, j),
                _ => (i, j - 1),
            };
        }
        way.Reverse();
        return way;
    }
}
