using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Outlines;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Bézier outlines against closed forms, keys that are brought to one another, cuts, and outlines that are followed.</summary>
public sealed class OutlineTests
{
    private static Curve Polygon(params double[] corners) => new([.. corners.Chunk(2).Select(c => new Knot(c[0], c[1]))], true);

    /// <summary>The usual four cubics for a circle: handles of 4/3 (√2 − 1) radii.</summary>
    private static Curve Circle(double x, double y, double r)
    {
        double h = 4.0 / 3 * (Math.Sqrt(2) - 1) * r;
        return new([new(x + r, y, 0, -h, 0, h), new(x, y + r, h, 0, -h, 0), new(x - r, y, 0, h, 0, -h), new(x, y - r, -h, 0, h, 0)], true);
    }

    // Closed form: the area that a cubic of control points (0,0), (0,1), (1,1), (1,0) has above its chord is 3/5 (Green's theorem by hand:
    // x = 3t² − 2t³, y = 3t − 3t²; ∫ y x′ dt = ∫ (3t − 3t²)(6t − 6t²) dt = 18 ∫ t²(1 − t)² dt = 18/30).
    [Fact]
    public void The_area_of_a_cubic_is_its_closed_form()
    {
        var hump = new Curve([new(0, 0, 0, 0, 0, 1), new(1, 0, 0, 1, 0, 0)], true);
        Assert.Equal(0.6, Math.Abs(hump.Area()), 1e-12);
        Assert.Equal(12, Math.Abs(Polygon(0, 0, 4, 0, 4, 3, 0, 3).Area()), 1e-12);
        Assert.Equal(-Circle(0, 0, 5).Area(), Circle(0, 0, 5).Turned().Area(), 1e-9);
    }

    // Closed form: the parabola y = x² from 0 to 1, raised to a cubic, is √5/2 + asinh(2)/4 long.
    [Fact]
    public void The_length_of_a_parabola_is_its_closed_form()
    {
        var parabola = new Curve([new(0, 0, 0, 0, 1 / 3.0, 0), new(1, 1, -1 / 3.0, -2 / 3.0, 0, 0)], false);
        Assert.Equal(Math.Sqrt(5) / 2 + Math.Asinh(2) / 4, parabola.Length(), 1e-6);
        Assert.Equal(14, Polygon(0, 0, 4, 0, 4, 3, 0, 3).Length(), 1e-9);
        // A circle of four cubics is off by 2.7 parts in 10,000 at most (radius), so its length by no more.
        Assert.Equal(1, Circle(3, 4, 10).Length() / (20 * Math.PI), 3e-4);
    }

    // A quarter of a circle as a cubic: handles of 0.5522847498 r, off by 2.7253e-4 r at most (Riškus 2006; the usual figures).
    [Fact]
    public void A_quarter_circle_is_off_by_what_is_published()
    {
        Curve circle = Circle(0, 0, 1);
        Assert.Equal(0.5522847498, circle.Knots[0].OutY, 1e-10);
        double most = Enumerable.Range(0, 1001).Select(i => circle.At(i / 1000.0)).Max(p => Math.Sqrt(p.X * p.X + p.Y * p.Y) - 1);
        Assert.Equal(2.7253e-4, most, 1e-8);
    }

    [Fact]
    public void A_point_that_is_put_in_or_a_cut_leaves_the_curve_what_it_is()
    {
        Curve own = Circle(50, 40, 30),
            more = own.With(0.3).With(2.71);
        Assert.Equal(6, more.Knots.Count);
        Assert.Equal(own.Area(), more.Area(), 1e-9);
        Assert.Equal(own.Length(), more.Length(), 1e-4);
        foreach (double t in (double[])[0, 0.15, 0.3, 0.9])
        {
            // De Casteljau: at 0.3 of the first span a new one begins.
            var (x, y) = own.At(t);
            var (mx, my) = more.At(t < 0.3 ? t / 0.3 : 1 + (t - 0.3) / 0.7);
            Assert.Equal(0, Math.Abs(x - mx) + Math.Abs(y - my), 1e-9);
        }
        Assert.Equal(own.Area(), own.Of([0, 0.5, 1, 1.2, 2, 3, 3.9]).Area(), 1e-9);
        // Flattened it encloses as much, to the tolerance over its length.
        Assert.Equal(Math.Abs(own.Area()), Math.Abs(Contours.Area(own.Flat(0.02))), 0.02 * own.Length());
    }

    [Fact]
    public void Coverage_is_a_half_on_the_curve_and_its_sum_the_area()
    {
        float[] own = OutlineCoverage.Of(Circle(32, 32, 20), 64, 64);
        Assert.Equal(Math.PI * 400, own.Sum(), 5.0);
        // Ten pixels of feather outwards alone: at 5 px off a quarter, inside at once whole.
        Knot[] soft = [.. Circle(32, 32, 20).Knots.Select(k => k with { Feather = 10 })];
        float[] wide = OutlineCoverage.Of(new(soft, true), 64, 64);
        Assert.Equal(0.25, wide[32 * 64 + 56], 0.03);
        Assert.Equal(1, wide[32 * 64 + 50], 1e-6);
        // An open line of a width covers its length times that.
        float[] rope = OutlineCoverage.Of(new([new(10, 32.3), new(50, 32.3)], false), 64, 64, strokeWidth: 6);
        Assert.Equal(40 * 6 + Math.PI * 9, rope.Sum(), 4.0);
    }

    // A square and the same with its sides cut: by hand, the corners of the one lie on the other.
    [Fact]
    public void Keys_with_different_numbers_of_points_are_brought_to_one_another()
    {
        Curve square = Polygon(0, 0, 40, 0, 40, 40, 0, 40),
            // Begins elsewhere, runs the other way round, has two points more, and stands 100 px aside.
            other = Polygon(100, 40, 120, 40, 140, 40, 140, 0, 120, 0, 100, 0);
        IReadOnlyList<Curve> common = OutlinePairing.Common([square, other]);
        Assert.Equal(common[0].Knots.Count, common[1].Knots.Count);
        Assert.InRange(common[0].Knots.Count, 6, 8);
        Assert.Equal(1600, Math.Abs(common[0].Area()), 1.0);
        Assert.Equal(1600, Math.Abs(common[1].Area()), 1.0);
        Assert.All(common[0].Knots.Zip(common[1].Knots), k =>
            Assert.InRange(Math.Abs(k.First.X + 100 - k.Second.X) + Math.Abs(k.First.Y - k.Second.Y), 0, 1.5)
        );
        // As many that lie alike correspond as they were drawn.
        Assert.Equal(other.Knots, OutlinePairing.Common([other, Polygon(101, 40, 121, 40, 141, 40, 141, 0, 121, 0, 101, 0)])[0].Knots);
    }

    // The minimum cut of a small graph, found by trying all 2⁶ cuts.
    [Fact]
    public void A_cut_is_the_cheapest_of_all()
    {
        var random = new Random(7);
        for (int round = 0; round < 200; round++)
        {
            const int n = 6;
            float[] inside = [.. Enumerable.Range(0, n).Select(_ => random.Next(10))],
                outside = [.. Enumerable.Range(0, n).Select(_ => random.Next(10))];
            var pairs = new List<(int A, int B, float Cost)>();
            for (int a = 0; a < n; a++)
            {
                for (int b = a + 1; b < n; b++)
                {
                    if (random.Next(3) > 0)
                    {
                        pairs.Add((a, b, random.Next(8)));
                    }
                }
            }
            float Cost(Func<int, bool> isIn) =>
                Enumerable.Range(0, n).Sum(i => isIn(i) ? inside[i] : outside[i]) + pairs.Sum(p => isIn(p.A) != isIn(p.B) ? p.Cost : 0);
            var cut = new MinimumCut(n);
            for (int i = 0; i < n; i++)
            {
                cut.Unary(i, inside[i], outside[i]);
            }
            pairs.ForEach(p => cut.Pair(p.A, p.B, p.Cost));
            bool[] found = cut.Solve();
            Assert.Equal(Enumerable.Range(0, 1 << n).Min(k => Cost(i => (k >> i & 1) == 1)), Cost(i => found[i]), 1e-4);
        }
    }

    [Fact]
    public void A_contour_goes_round_what_is_covered()
    {
        float[] own = OutlineCoverage.Of(Circle(32, 30, 20), 64, 64);
        double[] line = Contours.Largest(own, 64, 64);
        for (int i = 0; i < line.Length; i += 2)
        {
            Assert.Equal(20, Math.Sqrt(Math.Pow(line[i] - 32, 2) + Math.Pow(line[i + 1] - 30, 2)), 0.1);
        }
        // A curve laid on it from 3 px off lies on it, with the knots that it had.
        Curve laid = CurveFit.Laid(Circle(34, 31, 21), Contours.Resampled(line, 0.75), 20);
        Assert.Equal(4, laid.Knots.Count);
        Assert.Equal(Math.PI * 400, Math.Abs(laid.Area()), 12.0);
    }

    /// <summary>Two planes of made-up texture, the nearer one a disc: each goes its own way, by a part of a pixel a frame.</summary>
    private static FloatImage Picture(int frame)
    {
        const int w = 160,
            h = 120;
        var image = new FloatImage(w, h, 3);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                double away = Math.Sqrt(Math.Pow(x + 0.5 - 60 - 2.3 * frame, 2) + Math.Pow(y + 0.5 - 60 + 0.7 * frame, 2)),
                    a = Math.Clamp(25.5 - away, 0, 1);
                for (int c = 0; c < 3; c++)
                {
                    double near = 0.35 + 0.2 * Wave(x - 2.3 * frame, y + 0.7 * frame, c),
                        far = 0.3 + 0.2 * Wave(x + 0.6 * frame + 300, y + 77, c + 5);
                    image[x, y, c] = (float)(a * near + (1 - a) * far);
                }
            }
        }
        return image;
    }

    /// <summary>Smooth noise of three sizes, −1..1.</summary>
    private static double Wave(double x, double y, int k)
    {
        double sum = 0;
        foreach (var (size, weight) in new[] { (5.0, 0.5), (11.0, 0.8), (26.0, 1.0) })
        {
            double gx = x / size,
                gy = y / size;
            int i = (int)Math.Floor(gx),
                j = (int)Math.Floor(gy);
            double Of(int a, int b) =>
                Core.Tracing.Sampling.Hash((uint)(a * 7919 + b * 104729 + k * 31 + (int)size)) / (double)uint.MaxValue * 2 - 1;
            static double Soft(double t) => t * t * (3 - 2 * t);
            double s = Soft(gx - i),
                t = Soft(gy - j);
            sum += weight * ((1 - t) * ((1 - s) * Of(i, j) + s * Of(i + 1, j)) + t * ((1 - s) * Of(i, j + 1) + s * Of(i + 1, j + 1)));
        }
        return sum / 1.5;
    }

    /// <summary>A disc that passes before a place at rest, over its own shadow, which goes with it: what is left there is sky light.</summary>
    private static FloatImage Shadowed(int frame)
    {
        const int w = 320,
            h = 180;
        var image = new FloatImage(w, h, 3);
        ReadOnlySpan<double> sky = [0.16, 0.2, 0.28];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                double Covered(double cx, double cy, double r) =>
                    Math.Clamp(r + 0.5 - Math.Sqrt(Math.Pow(x + 0.5 - cx, 2) + Math.Pow(y + 0.5 - cy, 2)), 0, 1);
                double a = Covered(90 + 9.0 * frame, 80, 25),
                    shade = Covered(90 + 9.0 * frame, 112, 22);
                for (int c = 0; c < 3; c++)
                {
                    double near = 0.3 + 0.15 * Wave(x - 9 * frame + 500, y + 40, c),
                        far = (0.4 + 0.2 * Wave(x + 300, y + 77, c + 5)) * (1 - shade * (1 - sky[c]));
                    image[x, y, c] = (float)(a * near + (1 - a) * far);
                }
            }
        }
        return image;
    }

    [Fact]
    public void A_shadow_that_goes_with_a_thing_is_none_of_it()
    {
        IReadOnlyList<FollowedOutline> found = OutlineFollower.Follow(Shadowed, [(6, Circle(144, 80, 25))], 0, 14, 9);
        double[] overlaps =
        [
            .. found.Select(f =>
            {
                float[] own = OutlineCoverage.Of(f.Curve, 320, 180),
                    real = OutlineCoverage.Of(Circle(90 + 9.0 * f.Frame, 80, 25), 320, 180);
                return own.Zip(real, Math.Min).Sum() / own.Zip(real, Math.Max).Sum();
            }),
        ];
        // With its shadow it would be 0.7.
        Assert.InRange(overlaps.Average(), 0.94, 1);
        Assert.InRange(overlaps.Min(), 0.8, 1);
    }

    [Fact]
    public void A_key_beyond_the_picture_is_no_fault()
    {
        // It is gone from the picture at frame 34, where its second key lies.
        IReadOnlyList<FollowedOutline> found = OutlineFollower.Follow(
            Shadowed,
            [(20, Circle(270, 80, 25)), (34, Circle(396, 80, 25))],
            20,
            34
        );
        Assert.Equal(15, found.Count);
        Assert.InRange(OutlineCoverage.Of(found[1].Curve, 320, 180).Sum(), 1500, 2400);
    }

    [Fact]
    public void Points_go_to_corners()
    {
        // A circle's sixteen points, laid on a square about as large.
        double[] line = Square(40, 20);
        Curve laid = CurveFit.Laid(
            new([.. Circle(40, 40, 22).Of([.. Enumerable.Range(0, 16).Select(i => i / 4.0)]).Knots.Select(k => new Knot(k.X, k.Y))], true),
            line,
            20
        );
        Assert.Equal(16, laid.Knots.Count);
        float[] own = OutlineCoverage.Of(laid, 80, 80);
        Assert.Equal(1600, own.Sum(), 16.0);
        foreach (var (x, y) in new[] { (20, 20), (60, 20), (60, 60), (20, 60) })
        {
            Assert.InRange(laid.Knots.Min(k => Math.Sqrt(Math.Pow(k.X - x, 2) + Math.Pow(k.Y - y, 2))), 0, 1);
        }
    }

    /// <summary>Places along a square's sides, 0.8 apart.</summary>
    private static double[] Square(double middle, double half) =>
        [
            .. Enumerable
                .Range(0, 200)
                .SelectMany(i =>
                {
                    double t = i % 50 / 50.0 * 2 * half - half;
                    var (x, y) = (i / 50) switch
                    {
                        0 => (t, -half),
                        1 => (half, t),
                        2 => (-t, half),
                        _ => (-half, -t),
                    };
                    return new[] { middle + x, middle + y };
                }),
        ];

    [Fact]
    public void An_outline_goes_on_with_what_it_encloses()
    {
        IReadOnlyList<FollowedOutline> found = OutlineFollower.Follow(Picture, [(0, Circle(60, 60, 25))], 0, 8);
        Assert.Equal(Enumerable.Range(0, 9), found.Select(f => f.Frame));
        foreach (FollowedOutline f in found)
        {
            Assert.Equal(4, f.Curve.Knots.Count);
            double[] off =
            [
                .. f
                    .Curve.Even(60)
                    .Select(f.Curve.At)
                    .Select(p => Math.Abs(Math.Sqrt(Math.Pow(p.X - 60 - 2.3 * f.Frame, 2) + Math.Pow(p.Y - 60 + 0.7 * f.Frame, 2)) - 25)),
            ];
            Assert.InRange(off.Average(), 0, 0.75);
            Assert.InRange(off.Max(), 0, 2.5);
        }
        // From both ends and between; what was drawn stays to the bit.
        Curve last = Circle(60 + 2.3 * 8, 60 - 0.7 * 8, 25);
        found = OutlineFollower.Follow(Picture, [(8, last), (0, Circle(60, 60, 25))], 0, 8);
        Assert.Equal(last.Knots, found[8].Curve.Knots);
        Assert.Equal(Math.PI * 625, Math.Abs(found[4].Curve.Area()), 60.0);
        // Of these keys are needed at few, as it goes straight.
        IReadOnlyList<int> needed = OutlinePoints.Needed(found, [0, 8], 1);
        Assert.Contains(0, needed);
        Assert.Contains(8, needed);
        Assert.True(needed.Count <= 2 + 9 / 4);
    }

    [Fact]
    public void A_line_goes_where_what_lies_under_it_goes()
    {
        var rope = new Curve([new(45, 60), new(60, 58), new(75, 61)], false);
        IReadOnlyList<FollowedOutline> found = OutlineFollower.Follow(Picture, [(0, rope)], 0, 5, strokeWidth: 6);
        Assert.All(found[5].Curve.Knots.Zip(rope.Knots), k =>
            Assert.InRange(Math.Abs(k.First.X - k.Second.X - 11.5) + Math.Abs(k.First.Y - k.Second.Y + 3.5), 0, 0.4)
        );
    }

    private static Matte Drawn(params MatteKey[] keys) =>
        new()
        {
            Id = "m",
            Name = "m",
            Keys = keys,
        };

    [Fact]
    public void Points_are_put_in_taken_away_and_turned_in_all_keys_at_once()
    {
        Matte own = Drawn(new(1001, [0, 0, 40, 0, 40, 40, 0, 40]), new(1011, [10, 0, 50, 0, 50, 40, 10, 40]));
        Matte more = OutlinePoints.With(own, 1006, 25, -3);
        Assert.All(more.Keys, k => Assert.Equal(10, k.Corners.Length));
        Assert.Equal([20, 0], more.Keys[0].Corners[2..4].Select(v => Math.Round(v, 6)));
        Assert.Equal(MatteShape.Coverage(own, 1006, 64, 64, 1), MatteShape.Coverage(more, 1006, 64, 64, 1));
        Assert.Equal(own.Keys.Select(k => k.Corners), OutlinePoints.Without(more, 1).Keys.Select(k => k.Corners));
        Matte round = OutlinePoints.Rounded(own);
        Assert.All(MatteShape.CurveAt(round, 1001)!.Knots, k => Assert.True(k.IsSmooth));
        Assert.Equal(own.Keys[0].Corners, round.Keys[0].Corners);
        Assert.All(OutlinePoints.Turned(round, 2).Keys, k => Assert.Equal([0, 0, 0, 0], k.Handles![8..12]));
        Assert.Throws<ArgumentException>(() => OutlinePoints.Without(Drawn(new MatteKey(1, [0, 0, 1, 0, 1, 1])), 0));
    }

    // The convolution of an edge with the box that the shutter is: over the way that it goes, coverage rises straight.
    [Fact]
    public void A_moving_edge_is_blurred_by_its_convolution()
    {
        Matte own = Drawn(new(1001, [8, -50, 100, -50, 100, 150, 8, 150]), new(1003, [48, -50, 140, -50, 140, 150, 48, 150])) with
        {
            BlursByShutter = true,
        };
        var sources = new Shutter(0.5);
        float[] blurred = new Core.Tracking.Mattes.DrawnMatte().Coverage(own, 1002, 64, 8, 1, sources);
        // At 1002 the edge is at 28 and goes 20 px a frame: over half a frame from 23 to 33.
        for (int x = 0; x < 64; x++)
        {
            Assert.Equal(Math.Clamp((x + 0.5 - 23) / 10, 0, 1), blurred[4 * 64 + x], 0.06);
        }
    }

    private sealed class Shutter(double open) : Core.Tracking.Mattes.IMatteSources
    {
        double Core.Tracking.Mattes.IMatteSources.Shutter => open;

        public FloatImage Plate() => throw new NotSupportedException();

        public float[] Pictures(FrameSource source, IdChoice? ids) => throw new NotSupportedException();

        public float[] Element(string id) => throw new NotSupportedException();

        public float[] Filmed(FilmedFootage footage) => throw new NotSupportedException();

        public float[] Range(MatteRange range) => throw new NotSupportedException();
    }
}
