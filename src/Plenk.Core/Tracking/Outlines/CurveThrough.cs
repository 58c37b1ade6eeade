namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// Few cubics through many places (Schneider, “An algorithm for automatically fitting digitized curves”, Graphics Gems 1990): between corners least
/// squares with the tangents held, parted where it is furthest off.
/// </summary>
public static class CurveThrough
{
    /// <summary>A corner turns by more than this, degrees.</summary>
    private const double Corner = 50;

    /// <summary>How often places are put anew along a cubic before it is parted.</summary>
    private const int Rounds = 5;

    /// <param name="line">x0 y0 x1 y1 …, pixels, evenly spaced.</param>
    /// <param name="tolerance">No place is further off, pixels.</param>
    /// <param name="arm">Corners are looked for over so many places on either side.</param>
    /// <exception cref="ArgumentException">There are fewer than two places, three of a closed line.</exception>
    public static Curve Of(double[] line, bool closed, double tolerance, int arm = 6)
    {
        int n = line.Length / 2;
        if (n < (closed ? 3 : 2))
        {
            throw new ArgumentException($"{n} places are no line", nameof(line));
        }
        Place[] all = [.. Enumerable.Range(0, n).Select(i => new Place(line[2 * i], line[2 * i + 1]))];
        List<int> corners = CornersOf(all, closed, arm);
        bool isSmooth = closed && corners.Count == 0;
        if (closed)
        {
            int from = corners.Count > 0 ? corners[0] : 0;
            all = [.. all[from..], .. all[..(from + 1)]];
            corners = [.. corners.Select(c => c - from), n];
            if (isSmooth)
            {
                corners.Insert(0, 0);
            }
        }
        else
        {
            corners = [0, .. corners, n - 1];
        }
        var cubics = new List<Place[]>();
        for (int k = 0; k + 1 < corners.Count; k++)
        {
            Place[] part = all[corners[k]..(corners[k + 1] + 1)];
            Place begins = Tangent(part, true),
                ends = Tangent(part, false);
            if (isSmooth)
            {
                begins = (begins - ends).Normal();
                ends = -1 * begins;
            }
            cubics.AddRange(Fewest(part, begins, ends, tolerance * tolerance));
        }
        int count = closed ? cubics.Count : cubics.Count + 1;
        return new(
            [
                .. Enumerable
                    .Range(0, count)
                    .Select(i =>
                    {
                        Place[]? before = i > 0 ? cubics[i - 1] : (closed ? cubics[^1] : null),
                            after = i < cubics.Count ? cubics[i] : null;
                        Place at = after?[0] ?? before![3],
                            goesIn = before is null ? default : before[2] - at,
                            goesOut = after is null ? default : after[1] - at;
                        return new Knot(at.X, at.Y, goesIn.X, goesIn.Y, goesOut.X, goesOut.Y);
                    }),
            ],
            closed
        );
    }

    private readonly record struct Place(double X, double Y)
    {
        public static Place operator +(Place a, Place b) => new(a.X + b.X, a.Y + b.Y);

        public static Place operator -(Place a, Place b) => new(a.X - b.X, a.Y - b.Y);

        public static Place operator *(double s, Place a) => new(s * a.X, s * a.Y);

        public double Dot(Place b) => X * b.X + Y * b.Y;

        public double Length => Math.Sqrt(X * X + Y * Y);

        public Place Normal() => Length is > 0 and var l ? 1 / l * this : new(1, 0);
    }

    /// <summary>Where a line turns most, and by more than a curve would.</summary>
    private static List<int> CornersOf(Place[] all, bool closed, int arm)
    {
        int n = all.Length;
        var turn = new double[n];
        for (int i = 0; i < n; i++)
        {
            if (!closed && (i < arm || i >= n - arm))
            {
                continue;
            }
            Place a = all[i] - all[(i + n - arm) % n],
                b = all[(i + arm) % n] - all[i];
            turn[i] = Math.Acos(Math.Clamp(a.Normal().Dot(b.Normal()), -1, 1)) * 180 / Math.PI;
        }
        var corners = new List<int>();
        for (int i = 0; i < n; i++)
        {
            bool isMost = turn[i] > Corner;
            for (int k = 1; k <= arm && isMost; k++)
            {
                isMost = turn[i] >= turn[(i + n - k) % n] && turn[i] > turn[(i + k) % n];
            }
            if (isMost)
            {
                corners.Add(i);
            }
        }
        return corners;
    }

    /// <summary>Which way a line begins, or ends backwards, over some places.</summary>
    private static Place Tangent(Place[] part, bool begins)
    {
        int k = Math.Min(4, part.Length - 1);
        return (begins ? part[k] - part[0] : part[^(k + 1)] - part[^1]).Normal();
    }

    /// <summary>A cubic, of which places, and which way it begins and, backwards, ends.</summary>
    private sealed record Piece(Place[] Cubic, int From, int To, Place Begins, Place Ends);

    /// <summary>Parted where it must be; then neighbours that one cubic can do are made one.</summary>
    private static IEnumerable<Place[]> Fewest(Place[] part, Place begins, Place ends, double square)
    {
        var pieces = new List<Piece>();
        Fit(part, 0, part.Length - 1, begins, ends, square, pieces);
        for (bool again = true; again; )
        {
            again = false;
            for (int i = 0; i + 1 < pieces.Count; i++)
            {
                Piece a = pieces[i],
                    b = pieces[i + 1];
                var (cubic, off, _) = Nearest(part.AsSpan(a.From..(b.To + 1)), a.Begins, b.Ends, square);
                if (off <= square)
                {
                    pieces[i] = new(cubic, a.From, b.To, a.Begins, b.Ends);
                    pieces.RemoveAt(i + 1);
                    again = true;
                }
            }
        }
        return pieces.Select(p => p.Cubic);
    }

    private static void Fit(Place[] all, int from, int to, Place begins, Place ends, double square, List<Piece> pieces)
    {
        ReadOnlySpan<Place> part = all.AsSpan(from..(to + 1));
        if (part.Length <= 2)
        {
            double third = (part[^1] - part[0]).Length / 3;
            pieces.Add(new([part[0], part[0] + third * begins, part[^1] + third * ends, part[^1]], from, to, begins, ends));
            return;
        }
        var (cubic, off, at) = Nearest(part, begins, ends, square);
        if (off <= square)
        {
            pieces.Add(new(cubic, from, to, begins, ends));
            return;
        }
        int reach = Math.Min(4, Math.Min(at, part.Length - 1 - at));
        Place through = (part[at - reach] - part[at + reach]).Normal();
        Fit(all, from, from + at, begins, through, square, pieces);
        Fit(all, from + at, to, -1 * through, ends, square, pieces);
    }

    /// <summary>The cubic that lies nearest; the square of how far it is off at most, and where.</summary>
    private static (Place[] Cubic, double Square, int At) Nearest(ReadOnlySpan<Place> part, Place begins, Place ends, double square)
    {
        double[] along = Along(part);
        Place[] cubic = Least(part, along, begins, ends);
        var (off, at) = Furthest(part, cubic, along);
        for (int i = 0; i < Rounds && off > square && off < 16 * square; i++)
        {
            for (int k = 0; k < along.Length; k++)
            {
                along[k] = Nearer(cubic, part[k], along[k]);
            }
            cubic = Least(part, along, begins, ends);
            (off, at) = Furthest(part, cubic, along);
        }
        return (cubic, off, at);
    }

    private static double[] Along(ReadOnlySpan<Place> part)
    {
        var along = new double[part.Length];
        for (int i = 1; i < part.Length; i++)
        {
            along[i] = along[i - 1] + (part[i] - part[i - 1]).Length;
        }
        double whole = Math.Max(1e-12, along[^1]);
        for (int i = 1; i < part.Length; i++)
        {
            along[i] /= whole;
        }
        return along;
    }

    private static Place[] Least(ReadOnlySpan<Place> part, double[] along, Place begins, Place ends)
    {
        Place first = part[0],
            last = part[^1];
        double aa = 0,
            ab = 0,
            bb = 0,
            ra = 0,
            rb = 0;
        for (int i = 0; i < part.Length; i++)
        {
            double t = along[i],
                s = 1 - t,
                b1 = 3 * t * s * s,
                b2 = 3 * t * t * s,
                b0 = s * s * s + b1,
                b3 = t * t * t + b2;
            Place a = b1 * begins,
                b = b2 * ends,
                rest = part[i] - (b0 * first + b3 * last);
            (aa, ab, bb) = (aa + a.Dot(a), ab + a.Dot(b), bb + b.Dot(b));
            (ra, rb) = (ra + a.Dot(rest), rb + b.Dot(rest));
        }
        double determinant = aa * bb - ab * ab,
            length = (last - first).Length,
            one = determinant > 1e-12 ? (ra * bb - rb * ab) / determinant : 0,
            other = determinant > 1e-12 ? (aa * rb - ab * ra) / determinant : 0;
        // Handles that turn back, or are next to none, are Wu and Barsky's third of the chord instead.
        if (one < 1e-6 * length || other < 1e-6 * length)
        {
            one = other = length / 3;
        }
        return [first, first + one * begins, last + other * ends, last];
    }

    private static (double Square, int At) Furthest(ReadOnlySpan<Place> part, Place[] cubic, double[] along)
    {
        double most = 0;
        int at = part.Length / 2;
        for (int i = 1; i < part.Length - 1; i++)
        {
            Place off = On(cubic, along[i]) - part[i];
            if (off.Dot(off) > most)
            {
                (most, at) = (off.Dot(off), i);
            }
        }
        return (most, at);
    }

    private static Place On(Place[] c, double t)
    {
        double s = 1 - t;
        return s * s * s * c[0] + 3 * s * s * t * c[1] + 3 * s * t * t * c[2] + t * t * t * c[3];
    }

    /// <summary>A step of Newton's to where a cubic is nearest.</summary>
    private static double Nearer(Place[] c, Place p, double t)
    {
        double s = 1 - t;
        Place off = On(c, t) - p,
            d1 = 3 * s * s * (c[1] - c[0]) + 6 * s * t * (c[2] - c[1]) + 3 * t * t * (c[3] - c[2]),
            d2 = 6 * s * (c[2] - 2 * c[1] + c[0]) + 6 * t * (c[3] - 2 * c[2] + c[1]);
        double below = d1.Dot(d1) + off.Dot(d2);
        return Math.Abs(below) < 1e-12 ? t : Math.Clamp(t - off.Dot(d1) / below, 0, 1);
    }
}
