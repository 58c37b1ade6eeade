using System.Numerics;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// What readings say of measures that are given: values by hand, verdicts by their tolerances, words in the artist's terms.
/// </summary>
public sealed class ReadingTests
{
    private static FinishReadings.Measured Of(
        Vector3? black,
        Vector3? white = null,
        double? edge = null,
        double? holdout = null,
        double? plateEdge = 1.5,
        Grain? grain = null,
        IReadOnlyList<(double, double)>? ratio = null
    ) =>
        new(
            1036,
            0.5,
            new(new(0.02f, 0.021f, 0.024f), new(0.8f), plateEdge, 7, grain),
            new(0.9f),
            new(black, white, edge, holdout, 10, 20),
            ratio
        );

    [Fact]
    public void Black_is_outside_only_where_the_element_is_darker()
    {
        Reading black = FinishReadings.Black(Of(new Vector3(0.004f, 0.015f, 0.03f)));
        Assert.Equal(0.016, black.Value!.Value, 1e-6);
        Assert.Equal(Verdict.Outside, black.Verdict);
        // The darkest pixel, in pixels of the plate: the picture is half its size.
        Assert.Equal((1036, 21.0, 41.0), (black.Worst!.Frame, black.Worst.X, black.Worst.Y));
        Assert.Equal(
            (0.0, Verdict.Within),
            (FinishReadings.Black(Of(new Vector3(0.1f))).Value, FinishReadings.Black(Of(new Vector3(0.1f))).Verdict)
        );
        Assert.Equal("no element is seen at 1036", FinishReadings.Black(Of(null)).Note);
    }

    [Fact]
    public void White_is_told_in_per_cent_of_the_plates()
    {
        Assert.Equal(50, FinishReadings.White(Of(new Vector3(0.1f), new Vector3(1.35f))).Value!.Value, 1e-3);
        Assert.Equal(Verdict.Outside, FinishReadings.White(Of(new Vector3(0.1f), new Vector3(1.35f))).Verdict);
        Assert.Equal(0, FinishReadings.White(Of(new Vector3(0.1f), new Vector3(0.5f))).Value);
        Assert.Null(FinishReadings.White(Of(new Vector3(0.1f))).Value);
    }

    [Fact]
    public void Tint_is_a_difference_of_hue_not_of_level()
    {
        // The plate's black less its mean: −0.001667, −0.000667, 0.002333; twice as bright a neutral black lacks the blue.
        Assert.Equal(0.0023333, FinishReadings.Tint(Of(new Vector3(0.03f))).Value!.Value, 1e-6);
        Assert.Equal(0, FinishReadings.Tint(Of(new Vector3(0.03f, 0.031f, 0.034f))).Value!.Value, 1e-6);
        Assert.Contains("nothing as dark as the plate's black", FinishReadings.Tint(Of(new Vector3(0.2f))).Note);
    }

    [Fact]
    public void Edges_are_told_in_pixels_of_the_plate()
    {
        Reading edge = FinishReadings.Edge(Of(Vector3.Zero, edge: 1.0));
        Assert.Equal((-1.0, Verdict.Outside), (edge.Value!.Value, edge.Verdict)); // sharper by half a pixel of a picture at half the size
        Assert.Equal("2.00 px against 3.00 px of 7 edges at 1036", edge.Note);
        Assert.Equal(0.2, FinishReadings.Holdout(Of(Vector3.Zero, holdout: 1.6)).Value!.Value, 1e-9);
        Assert.Contains("nothing hides the element along a straight edge", FinishReadings.Holdout(Of(Vector3.Zero)).Note);
        Assert.Contains("choose another region", FinishReadings.Edge(Of(Vector3.Zero, edge: 1, plateEdge: null)).Note);
    }

    [Fact]
    public void Grain_is_told_at_the_level_that_is_worst()
    {
        Grain? grain = Grain.Of(new FloatImage(96, 96, 3, [.. Noise(96 * 96 * 3)]));
        Assert.NotNull(grain);
        Reading worst = FinishReadings.Grain(Of(Vector3.Zero, grain: grain, ratio: [(0.1, 1.02), (0.3, 0.8), (0.6, 1.1)]));
        Assert.Equal(-20, worst.Value!.Value, 1e-9);
        Assert.Equal((Verdict.Outside, "worst at level 0.300 of 3, at 1036"), (worst.Verdict, worst.Note));
        Assert.Equal(
            (-100.0, Verdict.Outside),
            (
                FinishReadings.Grain(Of(Vector3.Zero, grain: grain)).Value!.Value,
                FinishReadings.Grain(Of(Vector3.Zero, grain: grain)).Verdict
            )
        );
        Assert.Contains("too little at any level", FinishReadings.Grain(Of(Vector3.Zero, grain: grain, ratio: [])).Note);
        Assert.Contains("flat enough", FinishReadings.Grain(Of(Vector3.Zero)).Note);
    }

    private static IEnumerable<float> Noise(int n)
    {
        var random = new Random(5);
        for (int i = 0; i < n; i++)
        {
            yield return 0.3f
                + 0.01f * (float)(Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble()));
        }
    }

    [Fact]
    public void The_sun_is_held_against_every_way_it_was_found()
    {
        static Vec3 At(double degrees) => new(Math.Cos(Rotations.Radians(degrees)), Math.Sin(Rotations.Radians(degrees)), 0);
        var shot = new ShotDocument
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Lights =
            [
                new Light
                {
                    Id = "sun",
                    Kind = LightKind.Sun,
                    Direction = 3 * At(40),
                },
            ],
        };
        Assert.Equal("it was not found from a shadow, a date or by fit yet", LightReadings.Sun(shot).Note);
        Reading sun = LightReadings.Sun(
            shot with
            {
                Sun = new()
                {
                    FromShadow = At(41),
                    FromDate = 0.5 * At(36),
                    FromFit = At(40),
                },
            }
        );
        Assert.Equal(4, sun.Value!.Value, 1e-6);
        Assert.Equal((Verdict.Outside, "shadow 1.0°, date 4.0°, fit 0.0°"), (sun.Verdict, sun.Note));
        Assert.Equal("no sun is set", LightReadings.Sun(shot with { Lights = [] }).Note);
    }

    [Fact]
    public void Live_tracks_are_counted_frame_by_frame()
    {
        static Track Of(int id, int from, int to)
        {
            var t = new Track(id);
            for (int f = from; f <= to; f++)
            {
                t.Points.Add(new(f, 10, 10));
            }
            return t;
        }
        Reading live = SolveReadings.Live([Of(1, 1001, 1010), Of(2, 1001, 1005), Of(3, 1007, 1020)], 1001, 1010);
        Assert.Equal((1.0, 1006), (live.Value!.Value, live.Worst!.Frame));
        Assert.Equal([2, 2, 2, 2, 2, 1, 2, 2, 2, 2], live.PerFrame!.Select(f => f.Value));
        Assert.Equal((Verdict.Outside, "3 tracks; fewest at 1006"), (live.Verdict, live.Note));
        Assert.Equal("nothing is tracked yet", SolveReadings.Live([], 1001, 1010).Note);
        Assert.Equal(0.3, SolveReadings.Rms(0.3, [(1001, 0.2), (1002, 0.6)], 120, "track 7").Value);
        Assert.Equal(1002, SolveReadings.Rms(0.3, [(1001, 0.2), (1002, 0.6)], 120, "track 7").Worst!.Frame);
        Assert.Null(SolveReadings.HeldOut(null).Value);
        Assert.Equal(
            (0.4, "12 tracks, 95 % of their places within 1 px"),
            (SolveReadings.HeldOut(new(12, 0.4, 0.95)).Value!.Value, SolveReadings.HeldOut(new(12, 0.4, 0.95)).Note)
        );
    }

    // The eigenvalues of [4 0; 0 1] turned by 45° are still 4 and 1.
    [Theory]
    [InlineData(4, 0, 1, 2)]
    [InlineData(2.5, 1.5, 2.5, 2)]
    [InlineData(1, -0.6, 0.36, 1.16619038)]
    [InlineData(0, 0, 0, 0)]
    public void An_ellipses_larger_half_axis(double xx, double xy, double yy, double axis) =>
        Assert.Equal(axis, SolveReadings.HalfAxis((xx, xy, yy)), 1e-8);

    // Points 8 mm above a floor; some that hang far away count for nothing.
    [Fact]
    public void A_cloud_is_held_against_the_pieces()
    {
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "f",
                    Name = "floor",
                    Kind = PieceKind.Plane,
                    Size = new(10, 1, 10),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        Vec3[] cloud =
        [
            .. Enumerable.Range(0, 100).Select(i => new Vec3(-4 + 0.8 * (i % 10), 0.008, -4 + 0.8 * (i / 10))),
            .. Enumerable.Range(0, 50).Select(i => new Vec3(0, 2, i)),
        ];
        Reading reading = SetReadings.Cloud(set, cloud);
        Assert.Equal(8, reading.Value!.Value, 0.01);
        Assert.Equal(Verdict.Within, reading.Verdict);
        Assert.StartsWith("100 points, 8.0 mm RMS", reading.Note);
        Assert.Equal("f", reading.Worst!.Piece);
        Assert.Equal("the cloud lies nowhere near a piece", SetReadings.Cloud(set, [new(0, 5, 0)]).Note);
        Assert.Equal("nothing is built yet", SetReadings.Cloud(new([], (_, _) => throw new InvalidOperationException()), cloud).Note);
    }

    [Fact]
    public void Of_edges_the_piece_and_frame_that_slip_most_are_told()
    {
        Reading edges = SetReadings.Edges(
            [(1001, [new(0, 0.4, 30, 5, 6), new(1, 1.1, 20, 7, 8)]), (1009, [new(0, 3.2, 30, 100, 50)]), (1010, [])],
            i => i == 0 ? "coping" : "door"
        );
        Assert.Equal((3.2, Verdict.Outside), (edges.Value!.Value, edges.Verdict));
        Assert.Equal("coping at 1009; 2 pieces, middle of all 1.10 px", edges.Note);
        Assert.Equal((1009, 100.0, 50.0, "coping off by 3.2 px"), (edges.Worst!.Frame, edges.Worst.X, edges.Worst.Y, edges.Worst.Words));
        Assert.Equal([(1001, 1.1), (1009, 3.2)], edges.PerFrame!.Select(f => (f.Frame, f.Value)));
        Assert.Equal("no piece has edges that the picture shows", SetReadings.Edges([], _ => "").Note);
    }

    [Fact]
    public void Shared_faces_are_told_with_who_is_seen()
    {
        var floor = new Piece
        {
            Id = "f",
            Name = "floor",
            Kind = PieceKind.Plane,
            Size = new(4, 1, 4),
        };
        static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());
        Reading shared = SetReadings.Shared(Set(floor, floor with { Id = "r", Name = "rug", Size = new(2, 1, 1) }), 1001);
        Assert.Equal((1.0, Verdict.Outside), (shared.Value!.Value, shared.Verdict));
        Assert.Matches(@"^floor and rug share (1\.9|2)\d? m²|^floor and rug share 2 m²", shared.Note);
        Assert.Equal("rug lies in floor", shared.Worst!.Words);
        Assert.Equal((0.0, "none"), (SetReadings.Shared(Set(floor), 1001).Value!.Value, SetReadings.Shared(Set(floor), 1001).Note));
    }
}
