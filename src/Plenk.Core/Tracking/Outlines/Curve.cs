namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// A chain of cubic Bézier curves, closed or open (Bernstein form: knots and their handles; de Casteljau's rule to cut them). A place on it is a
/// number: the knot before it, and how far on to the next, 0..1.
/// </summary>
public sealed class Curve(IReadOnlyList<Knot> knots, bool closed)
{
    /// <summary>Gauss and Legendre's abscissae and weights of 3 points, exact up to degree 5, on 0..1.</summary>
    private static readonly (double At, double Weight)[] Three =
    [
        (0.5 - Math.Sqrt(0.15), 5 / 18.0),
        (0.5, 8 / 18.0),
        (0.5 + Math.Sqrt(0.15), 5 / 18.0),
    ];

    public IReadOnlyList<Knot> Knots { get; } = knots;
    public bool Closed { get; } = closed;

    /// <summary>Of curves between knots.</summary>
    public int Spans => Knots.Count < 2 ? 0 : Knots.Count - (Closed ? 0 : 1);

    private (double X, double Y)[] Controls(int span)
    {
        Knot a = Knots[span],
            b = Knots[(span + 1) % Knots.Count];
        return [(a.X, a.Y), (a.X + a.OutX, a.Y + a.OutY), (b.X + b.InX, b.Y + b.InY), (b.X, b.Y)];
    }

    private (int Span, double T) Split(double at)
    {
        int span = (int)Math.Floor(at);
        return Closed ? (((span % Spans) + Spans) % Spans, at - span)
            : span >= Spans ? (Spans - 1, 1)
            : (Math.Max(0, span), span < 0 ? 0 : at - span);
    }

    public (double X, double Y) At(double at)
    {
        var (span, t) = Split(at);
        var c = Controls(span);
        double s = 1 - t,
            a = s * s * s,
            b = 3 * s * s * t,
            d = 3 * s * t * t,
            e = t * t * t;
        return (a * c[0].X + b * c[1].X + d * c[2].X + e * c[3].X, a * c[0].Y + b * c[1].Y + d * c[2].Y + e * c[3].Y);
    }

    private static (double X, double Y) Slope((double X, double Y)[] c, double t)
    {
        double s = 1 - t,
            a = 3 * s * s,
            b = 6 * s * t,
            d = 3 * t * t;
        return (
            a * (c[1].X - c[0].X) + b * (c[2].X - c[1].X) + d * (c[3].X - c[2].X),
            a * (c[1].Y - c[0].Y) + b * (c[2].Y - c[1].Y) + d * (c[3].Y - c[2].Y)
        );
    }

    /// <summary>What it encloses, pixels², by ½∮(x dy − y dx), exact for cubics; positive: clockwise as y points down.</summary>
    public double Area()
    {
        double sum = 0;
        for (int i = 0; i < Spans; i++)
        {
            var c = Controls(i);
            foreach (var (t, w) in Three)
            {
                var (x, y) = At(i + t);
                var (dx, dy) = Slope(c, t);
                sum += w * (x * dy - y * dx) / 2;
            }
        }
        return sum;
    }

    /// <summary>Its length, pixels, to about a millionth: each curve is halved until two chords and their controls agree (Gravesen 1997).</summary>
    public double Length() => Enumerable.Range(0, Spans).Sum(i => LengthOf(Controls(i), 0));

    private static double LengthOf((double X, double Y)[] c, int depth)
    {
        static double Apart((double X, double Y) a, (double X, double Y) b) =>
            Math.Sqrt((a.X - b.X) * (a.X - b.X) + (a.Y - b.Y) * (a.Y - b.Y));
        double chord = Apart(c[0], c[3]),
            way = Apart(c[0], c[1]) + Apart(c[1], c[2]) + Apart(c[2], c[3]);
        if (way - chord < 1e-7 * way || depth > 18)
        {
            return (chord + way) / 2;
        }
        var (a, b) = Cut(c, 0.5);
        return LengthOf(a, depth + 1) + LengthOf(b, depth + 1);
    }

    private static ((double X, double Y)[] Before, (double X, double Y)[] After) Cut((double X, double Y)[] c, double t)
    {
        (double X, double Y) Between((double X, double Y) a, (double X, double Y) b) => (a.X + (b.X - a.X) * t, a.Y + (b.Y - a.Y) * t);
        var (ab, bc, cd) = (Between(c[0], c[1]), Between(c[1], c[2]), Between(c[2], c[3]));
        var (abc, bcd) = (Between(ab, bc), Between(bc, cd));
        var middle = Between(abc, bcd);
        return ([c[0], ab, abc, middle], [middle, bcd, cd, c[3]]);
    }

    /// <summary>The same in a picture that is so many times as large.</summary>
    public Curve Sized(double by) =>
        by == 1
            ? this
            : new(
                [
                    .. Knots.Select(k => new Knot(
                        k.X * by,
                        k.Y * by,
                        k.InX * by,
                        k.InY * by,
                        k.OutX * by,
                        k.OutY * by,
                        k.Feather * by,
                        k.FeatherIn * by
                    )),
                ],
                Closed
            );

    /// <summary>The same, run through the other way.</summary>
    public Curve Turned() =>
        new([.. Knots.Reverse().Select(k => k with { InX = k.OutX, InY = k.OutY, OutX = k.InX, OutY = k.InY })], Closed);

    /// <summary>With a further knot at a place; the curve stays what it is.</summary>
    public Curve With(double at)
    {
        var (span, t) = Split(at);
        if (t is <= 1e-9 or >= 1 - 1e-9)
        {
            return this;
        }
        var (before, after) = Cut(Controls(span), t);
        Knot a = Knots[span],
            b = Knots[(span + 1) % Knots.Count];
        List<Knot> own = [.. Knots];
        own[span] = a with { OutX = before[1].X - a.X, OutY = before[1].Y - a.Y };
        int next = (span + 1) % own.Count;
        own[next] = own[next] with { InX = after[2].X - b.X, InY = after[2].Y - b.Y };
        var (x, y) = before[3];
        own.Insert(
            span + 1,
            new(
                x,
                y,
                before[2].X - x,
                before[2].Y - y,
                after[1].X - x,
                after[1].Y - y,
                a.Feather + (b.Feather - a.Feather) * t,
                a.FeatherIn + (b.FeatherIn - a.FeatherIn) * t
            )
        );
        return new(own, Closed);
    }

    /// <summary>With knots at these places, rising, and at no others: what lies between is the curve itself where it is one span.</summary>
    public Curve Of(IReadOnlyList<double> places)
    {
        if (places.Count == Knots.Count && places.Select((p, i) => p == i).All(same => same))
        {
            return this;
        }
        var result = new Knot[places.Count];
        for (int i = 0; i < places.Count; i++)
        {
            var (span, t) = Split(places[i]);
            var (x, y) = At(places[i]);
            Knot a = Knots[span],
                b = Knots[(span + 1) % Knots.Count];
            result[i] = new(
                x,
                y,
                Feather: a.Feather + (b.Feather - a.Feather) * t,
                FeatherIn: a.FeatherIn + (b.FeatherIn - a.FeatherIn) * t
            );
        }
        for (int i = 0; i < (Closed ? places.Count : places.Count - 1); i++)
        {
            int next = (i + 1) % places.Count;
            double from = places[i],
                to = places[next] + (next <= i ? Spans : 0);
            // From the middle, so that a place on a knot is told to the side that is meant.
            int span = (int)Math.Floor((from + to) / 2);
            double t0 = Math.Clamp(from - span, 0, 1),
                t1 = Math.Clamp(to - span, 0, 1);
            var c = Controls(((span % Spans) + Spans) % Spans);
            var (dx0, dy0) = Slope(c, t0);
            var (dx1, dy1) = Slope(c, t1);
            double third = (t1 - t0) / 3;
            result[i] = result[i] with { OutX = dx0 * third, OutY = dy0 * third };
            result[next] = result[next] with { InX = -dx1 * third, InY = -dy1 * third };
        }
        return new(result, Closed);
    }

    /// <summary>
    /// As straight pieces x0 y0 x1 y1 …, none further off the curve than the tolerance: as many a span as its second differences ask for (the bound of
    /// Wang 1984 for degree 3).
    /// </summary>
    public double[] Flat(double tolerance = 0.02)
    {
        if (Spans == 0)
        {
            return [.. Knots.SelectMany(k => new[] { k.X, k.Y })];
        }
        var result = new List<double>();
        for (int i = 0; i < Spans; i++)
        {
            var c = Controls(i);
            int n = Pieces(c, tolerance);
            for (int k = 0; k < n; k++)
            {
                var (x, y) = At(i + (double)k / n);
                result.Add(x);
                result.Add(y);
            }
        }
        if (!Closed)
        {
            result.Add(Knots[^1].X);
            result.Add(Knots[^1].Y);
        }
        return [.. result];
    }

    /// <summary>n ≥ √(3 · 2 ÷ 8 · most second difference ÷ tolerance).</summary>
    private static int Pieces((double X, double Y)[] c, double tolerance)
    {
        double most = 0;
        for (int k = 0; k < 2; k++)
        {
            double x = c[k].X - 2 * c[k + 1].X + c[k + 2].X,
                y = c[k].Y - 2 * c[k + 1].Y + c[k + 2].Y;
            most = Math.Max(most, x * x + y * y);
        }
        return Math.Clamp((int)Math.Ceiling(Math.Sqrt(0.75 * Math.Sqrt(most) / tolerance)), 1, 200);
    }

    /// <summary>Places spread evenly over its length, about so far apart.</summary>
    public IReadOnlyList<double> Even(int count)
    {
        var places = new List<double>();
        var lengths = new List<double> { 0 };
        const int fine = 16;
        for (int i = 0; i < Spans * fine; i++)
        {
            var (x0, y0) = At((double)i / fine);
            var (x1, y1) = At((i + 1.0) / fine - (i + 1 == Spans * fine ? 1e-12 : 0));
            lengths.Add(lengths[^1] + Math.Sqrt((x1 - x0) * (x1 - x0) + (y1 - y0) * (y1 - y0)));
        }
        double step = lengths[^1] / (Closed ? count : Math.Max(1, count - 1));
        for (int k = 0, i = 0; k < count; k++)
        {
            while (i < lengths.Count - 2 && lengths[i + 1] < k * step)
            {
                i++;
            }
            double span = lengths[i + 1] - lengths[i];
            places.Add((i + (span > 0 ? Math.Clamp((k * step - lengths[i]) / span, 0, 1) : 0)) / fine);
        }
        return places;
    }
}
