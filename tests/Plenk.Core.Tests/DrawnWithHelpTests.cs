using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracking.Outlines;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Curves through places, ways along edges, outlines from strokes; against shapes whose closed forms are known.</summary>
public sealed class DrawnWithHelpTests
{
    private const int Width = 320,
        Height = 180;

    private static double Wave(double x, double y, int seed) =>
        Math.Sin(0.9 * x + seed) * Math.Sin(0.7 * y + 2 * seed) + 0.5 * Math.Sin(0.31 * x - 0.23 * y + seed);

    private static double Covered(double x, double y, double cx, double cy, double r) =>
        Math.Clamp(r + 0.5 - Math.Sqrt(Math.Pow(x - cx, 2) + Math.Pow(y - cy, 2)), 0, 1);

    /// <summary>Two discs of one look before a wall.</summary>
    private static FloatImage Discs(double contrast = 0.25)
    {
        var image = new FloatImage(Width, Height, 3);
        for (int y = 0; y < Height; y++)
        {
            for (int x = 0; x < Width; x++)
            {
                double a = Math.Max(Covered(x + 0.5, y + 0.5, 100, 90, 40), Covered(x + 0.5, y + 0.5, 200, 90, 40));
                for (int c = 0; c < 3; c++)
                {
                    image[x, y, c] = (float)(
                        0.2 + 0.03 * Wave(x, y, c) + a * (contrast * (c == 1 ? 0.4 : 1) + 0.03 * Wave(2 * x, y, c + 5))
                    );
                }
            }
        }
        return image;
    }

    private static double[] Round(double r, int count) =>
        [
            .. Enumerable
                .Range(0, count)
                .SelectMany(i => new[] { 100 + r * Math.Cos(2 * Math.PI * i / count), 90 + r * Math.Sin(2 * Math.PI * i / count) }),
        ];

    private static double Overlap(Curve curve, Func<double, double, double> real)
    {
        float[] own = OutlineCoverage.Of(curve, Width, Height);
        double both = 0,
            either = 0;
        for (int i = 0; i < own.Length; i++)
        {
            double there = real(i % Width + 0.5, i / Width + 0.5);
            (both, either) = (both + Math.Min(own[i], there), either + Math.Max(own[i], there));
        }
        return both / either;
    }

    [Fact]
    public void A_circle_is_a_few_cubics_and_a_square_its_four_sides()
    {
        Curve circle = CurveThrough.Of(Round(50, 400), true, 0.1);
        Assert.InRange(circle.Knots.Count, 3, 12);
        Assert.Equal(Math.PI * 50 * 50, Math.Abs(circle.Area()), 0.002 * Math.PI * 50 * 50);
        Assert.All(circle.Even(200), at =>
            Assert.Equal(50, Math.Sqrt(Math.Pow(circle.At(at).X - 100, 2) + Math.Pow(circle.At(at).Y - 90, 2)), 0.15)
        );
        Assert.All(circle.Knots, k => Assert.True(k.IsSmooth));

        double[] square =
        [
            .. Enumerable
                .Range(0, 160)
                .SelectMany(i =>
                    (i / 40, i % 40) switch
                    {
                        (0, var k) => new[] { (double)k, 0 },
                        (1, var k) => [40, k],
                        (2, var k) => [40 - k, 40],
                        (_, var k) => [0, 40.0 - k],
                    }
                ),
        ];
        Curve sides = CurveThrough.Of(square, true, 0.1);
        Assert.Equal(4, sides.Knots.Count);
        Assert.Equal(1600, Math.Abs(sides.Area()), 1.0);
        Curve straight = CurveThrough.Of([0, 0, 1, 1, 2, 2, 3, 3], false, 0.1);
        Assert.Equal(2, straight.Knots.Count);
        Assert.Equal(3 * Math.Sqrt(2), straight.Length(), 1e-6);
        Assert.Throws<ArgumentException>(() => CurveThrough.Of([1, 1], false, 0.1));
    }

    [Fact]
    public void The_way_between_two_clicks_keeps_to_the_edge()
    {
        var edges = new EdgePath(Discs());
        // Clicked two pixels off the edge, a third of the way round: the chord would be 20 px off.
        var (x0, y0) = edges.Snapped(100 + 42, 90);
        var (x1, y1) = edges.Snapped(100 - 42 * 0.5, 90 + 42 * Math.Sqrt(0.75));
        double Off(double x, double y) => Math.Sqrt(Math.Pow(x - 100, 2) + Math.Pow(y - 90, 2)) - 40;
        Assert.InRange(Off(x0, y0), -0.7, 0.7);
        Assert.InRange(Off(x1, y1), -0.7, 0.7);
        Curve way = edges.Between(x0, y0, x1, y1);
        Assert.All(way.Even(60), at => Assert.InRange(Off(way.At(at).X, way.At(at).Y), -1, 1));
        Assert.InRange(way.Knots.Count, 2, 9);

        // Where there is none it goes straight, and beyond the picture too.
        Curve beyond = edges.Between(-20, 30, 30, -40);
        Assert.Equal(2, beyond.Knots.Count);
        var even = new EdgePath(new FloatImage(Width, Height, 3));
        Curve plain = even.Between(20, 20, 120, 60);
        Assert.Equal(Math.Sqrt(100 * 100 + 40 * 40), plain.Length(), 10.0);
        Assert.Equal((50.5, 60.2), even.Snapped(50.5, 60.2));
    }

    private static MatteStroke Line(bool inside, params double[] places) => new(inside, 6, places);

    [Fact]
    public void Strokes_find_what_they_lie_on_and_not_its_twin()
    {
        FloatImage picture = Discs();
        MatteStroke[] strokes = [Line(true, 80, 80, 120, 100), Line(false, 20, 20, 150, 30, 150, 150, 30, 160)];
        StrokeFound found = StrokeCut.Of(picture, strokes);
        Assert.InRange(Overlap(found.Curve, (x, y) => Covered(x, y, 100, 90, 40)), 0.97, 1);
        Assert.InRange(found.Confidence, 0.5, 1);
        Assert.InRange(found.Curve.Knots.Count, 3, 40);
        Assert.Null(found.Told);

        // One stroke alone is enough where it stands apart.
        Assert.InRange(Overlap(StrokeCut.Of(picture, [strokes[0]]).Curve, (x, y) => Covered(x, y, 100, 90, 40)), 0.85, 1);

        // A second part cannot be held by the same outline.
        StrokeFound two = StrokeCut.Of(picture, [.. strokes, Line(true, 190, 80, 210, 100)]);
        Assert.Contains("part of its own", two.Told, StringComparison.Ordinal);
    }

    [Fact]
    public void A_stroke_more_corrects_an_outline_where_it_is()
    {
        // Drawn too large on one side: it holds a part of the wall above the disc.
        FloatImage picture = Discs();
        var drawn = new Curve(
            [
                .. Enumerable
                    .Range(0, 24)
                    .Select(i => 2 * Math.PI * i / 24)
                    .Select(a => new Knot(100 + 40 * Math.Cos(a), Math.Sin(a) < -0.5 ? 30 : 90 + 40 * Math.Sin(a))),
            ],
            true
        );
        double before = Overlap(drawn, (x, y) => Covered(x, y, 100, 90, 40));
        StrokeFound found = StrokeCut.Of(picture, [Line(false, 75, 40, 125, 40)], drawn);
        double after = Overlap(found.Curve, (x, y) => Covered(x, y, 100, 90, 40));
        Assert.True(before < 0.82 && after > 0.95, $"{before:0.000} and then {after:0.000}");
    }

    [Fact]
    public void What_looks_alike_is_told_apart_by_how_far_it_is()
    {
        var picture = new FloatImage(Width, Height, 3);
        var distance = new float[Width * Height];
        for (int i = 0; i < distance.Length; i++)
        {
            distance[i] = i % Width < 130 ? 4 : 25;
            for (int c = 0; c < 3; c++)
            {
                picture.Data[3 * i + c] = (float)(0.3 + 0.02 * Wave(i % Width, i / Width, c));
            }
        }
        MatteStroke[] strokes = [Line(true, 20, 20, 20, 160), Line(false, 300, 20, 300, 160)];
        double Left(double x, double y) => Math.Clamp(130 - x + 0.5, 0, 1);
        Assert.InRange(Overlap(StrokeCut.Of(picture, strokes, null, distance).Curve, Left), 0.98, 1);
        Assert.InRange(Overlap(StrokeCut.Of(picture, strokes).Curve, Left), 0, 0.95);
    }

    [Fact]
    public void Strokes_that_contradict_or_say_nothing_are_refused_in_words()
    {
        FloatImage picture = Discs();
        string Why(params MatteStroke[] strokes) => Assert.Throws<ArgumentException>(() => StrokeCut.Of(picture, strokes)).Message;
        Assert.Contains("near 1", Why(Line(true, 80, 90, 120, 90), Line(false, 80, 91, 120, 91)), StringComparison.Ordinal);
        Assert.Contains("“this”", Why(Line(false, 80, 90, 120, 90)), StringComparison.Ordinal);
        Assert.Contains("within the picture", Why(Line(true, -80, -90, -60, -90)), StringComparison.Ordinal);
    }

    [Fact]
    public void A_key_more_brings_all_to_as_many_points()
    {
        var matte = new Matte
        {
            Id = "m",
            Keys = [new(1001, [10, 10, 50, 10, 50, 50, 10, 50]), new(1009, [20, 10, 60, 10, 60, 50, 20, 50])],
        };
        Matte made = OutlinePoints.WithKey(matte, 1005, CurveThrough.Of(Round(20, 100), true, 0.2));
        Assert.Equal([1001, 1005, 1009], made.Keys.Select(k => k.Frame));
        Assert.Single(made.Keys.Select(k => k.Corners.Length).Distinct());
        Assert.Single(made.Keys.Select(k => k.Handles?.Length).Distinct());
        // The others keep their shape.
        Assert.Equal(1600, Math.Abs(Plenk.Core.Tracking.MatteShape.CurveOf(made, made.Keys[0]).Area()), 1e-6);
    }
}
