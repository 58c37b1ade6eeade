using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Readings of contact, shadow and projection on cases whose values follow from how they are built.</summary>
public sealed class ContactReadingTests
{
    private static readonly Piece Floor = new()
    {
        Id = "floor",
        Kind = PieceKind.Plane,
        Size = new(4, 1, 4),
    };

    private static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());

    /// <summary>A box of 20 cm whose foot stands at a height.</summary>
    private static PlacedElement Box(double x, double y, double z = 0, double scale = 1) =>
        new(
            "box",
            new(
                new MeshTree(
                    PieceMeshes.World(
                        new Piece
                        {
                            Id = "b",
                            Kind = PieceKind.Box,
                            Size = new(0.2, 0.2, 0.2),
                        },
                        (_, _) => throw new InvalidOperationException()
                    )
                ),
                [Material.Grey]
            ),
            new Similarity(scale, Matrix3.Identity, new(x, y - FootOf(scale), z))
        );

    private static double FootOf(double scale) =>
        scale
        * PieceMeshes
            .World(
                new Piece
                {
                    Id = "b",
                    Kind = PieceKind.Box,
                    Size = new(0.2, 0.2, 0.2),
                },
                (_, _) => throw new InvalidOperationException()
            )
            .Bounds()
            .Min.Y;

    private static readonly ShotDocument Shot = new()
    {
        Production = "P",
        Sequence = "S",
        Code = "C",
        Range = new(1001, 1010),
        Elements = [new Element { Id = "box", Name = "crate" }],
        Lights =
        [
            new Light
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0, 1, 0),
            },
        ],
    };

    [Theory]
    [InlineData(0.002, 2, Verdict.Within, "floats 2.0 mm")]
    [InlineData(0.0045, 4.5, Verdict.Near, "floats 4.5 mm")]
    [InlineData(-0.008, -8, Verdict.Outside, "sinks 8.0 mm")]
    public void A_foot_floats_or_sinks_by_millimetres(double height, double millimetres, Verdict verdict, string words)
    {
        Reading gap = ContactReadings.Gap(Shot, Set(Floor), [Box(0.3, height)]);
        Assert.Equal(millimetres, gap.Value!.Value, 0.01);
        Assert.Equal((verdict, words, "crate"), (gap.Verdict, gap.Worst!.Words, gap.Worst.Piece));
    }

    [Fact]
    public void Of_several_the_worst_is_told_and_of_none_nothing()
    {
        Assert.Equal(
            ("nothing stands here yet", null),
            (ContactReadings.Gap(Shot, Set(Floor), []).Note, ContactReadings.Gap(Shot, Set(Floor), []).Value)
        );
        Assert.Equal(-6, ContactReadings.Gap(Shot, Set(Floor), [Box(0, 0.001), Box(1, -0.006), Box(-1, 0.003)]).Value!.Value, 0.01);
        Reading nowhere = ContactReadings.Gap(Shot, Set(Floor), [Box(9, 0)]);
        // A title in the sky: nothing to measure, and no fault. Beside one that stands it is told, and does not judge it.
        Assert.Equal((Verdict.Nothing, null, "crate has no piece of the set below it"), (nowhere.Verdict, nowhere.Value, nowhere.Note));
        Reading beside = ContactReadings.Gap(Shot, Set(Floor), [Box(9, 0), Box(0, 0.003)]);
        Assert.Equal(3, beside.Value!.Value, 0.01);
        Assert.EndsWith("crate has no piece of the set below it", beside.Note);
        // Made in millimetres and brought in as metres.
        Assert.Contains(
            "it is 346.4102 m across, so its scale is probably wrong",
            ContactReadings.Gap(Shot, Set(Floor with { Size = new(4000, 1, 4000) }), [Box(0, 0, scale: 1000)]).Note
        );
    }

    [Fact]
    public void Over_frames_the_worst_stands_with_its_frame()
    {
        Reading At(double y) => ContactReadings.Gap(Shot, Set(Floor), [Box(0, y)]);
        Reading worst = ContactReadings.Gap([(1001, At(0.001)), (1002, At(-0.004)), (1003, At(0.002))]);
        Assert.Equal(-4, worst.Value!.Value, 0.01);
        Assert.StartsWith("at 1002: ", worst.Note);
        Assert.Equal([1, 4, 2], worst.PerFrame!.Select(f => Math.Round(f.Value, 2)));
    }

    // Under a sun overhead a shadow lies below its box: so far from the floor's edge as the box's middle is, found by shifts of 0, 2, 5, 10, 20, 40, 80, 160 cm.
    [Theory]
    [InlineData(0, 0.8, Verdict.Within)]
    [InlineData(1.6, 0.2, Verdict.Within)]
    [InlineData(1.82, 0.05, Verdict.Outside)]
    public void A_shadow_keeps_so_far_from_its_receivers_edge(double x, double margin, Verdict verdict)
    {
        Reading shadow = ContactReadings.Shadow(Shot, Set(Floor), [Box(x, 0.5)]);
        Assert.InRange(shadow.Value!.Value, margin - 1e-6, 2 * margin + 1e-6);
        Assert.Equal(verdict, shadow.Verdict);
    }

    [Fact]
    public void A_shadow_that_falls_on_nothing_is_told()
    {
        Reading gone = ContactReadings.Shadow(Shot, Set(Floor), [Box(3, 0.5)]);
        Assert.Equal((0, Verdict.Outside), (gone.Value!.Value, gone.Verdict));
        Assert.Contains("100 % of the shadow falls on nothing that receives it", gone.Note);
        // What only hides receives nothing.
        Assert.Contains("100 %", ContactReadings.Shadow(Shot, Set(Floor with { Duties = new() { Receives = false } }), [Box(0, 0.5)]).Note);
        Assert.Equal(
            "the set keeps the sun off every element",
            ContactReadings.Shadow(Shot, Set(Floor, Floor with { Id = "roof", Position = new(0, 3, 0) }), [Box(0, 0.5)]).Note
        );
        Assert.Equal("no sun yet", ContactReadings.Shadow(Shot with { Lights = [] }, Set(Floor), [Box(0, 0.5)]).Note);
        Assert.Equal(
            "the sun is below the floor",
            ContactReadings
                .Shadow(Shot with { Lights = [Shot.Lights[0] with { Direction = new(0.2, -1, 0) }] }, Set(Floor), [Box(0, 0.5)])
                .Note
        );
    }

    [Fact]
    public void A_shadows_level_is_told_in_stops()
    {
        var pair = new ShadowPair(1005, 10, 20, 30, 40);
        Reading dark = ContactReadings.Level(new(0.5f, 0.5f, 0.4f), new(0.25f, 0.45f, 0.4f), pair);
        Assert.Equal((1, Verdict.Outside), (Math.Round(dark.Value!.Value, 6), dark.Verdict));
        Assert.Contains("ours is too dark, more sky and fill", dark.Note);
        Assert.Equal("too dark by 1.00 stops", dark.Worst!.Words);
        Assert.Equal(Verdict.Within, ContactReadings.Level(new(0.5f), new(0.52f), pair).Verdict);
    }

    [Theory]
    [InlineData(1.1f, 10)]
    [InlineData(0.95f, 5)]
    [InlineData(1f, 0)]
    public void A_projection_differs_by_so_much_of_the_plate(float by, double percent)
    {
        var (view, plate) = (new FloatImage(100, 60, 4), new FloatImage(100, 60, 3));
        for (int i = 0; i < 6000; i++)
        {
            // The right half is not covered: what stands there counts for nothing.
            bool covered = i % 100 < 50;
            for (int c = 0; c < 3; c++)
            {
                plate.Data[3 * i + c] = 0.2f;
                view.Data[4 * i + c] = covered ? 0.2f * by : 9;
            }
            view.Data[4 * i + 3] = covered ? 1 : 0;
        }
        Reading match = ProjectionReadings.Match(Shot, view, plate, 1003, 200);
        Assert.Equal(percent, match.Value!.Value, 0.01);
        Assert.Equal("at 1003, 50 % of the picture covered", match.Note);
        for (int i = 0; i < 6000; i++)
        {
            view.Data[4 * i + 3] = 0;
        }
        Assert.Equal(
            (null, "hardly anything is covered at 1003"),
            (ProjectionReadings.Match(Shot, view, plate, 1003, 200).Value, ProjectionReadings.Match(Shot, view, plate, 1003, 200).Note)
        );
    }

    [Fact]
    public void Doubts_of_own_colour_are_shares_of_the_set()
    {
        ColourDoubt[] doubt =
        [
            .. Enumerable.Repeat(ColourDoubt.NoSet, 100),
            .. Enumerable.Repeat(ColourDoubt.ShadowEdge, 10),
            .. Enumerable.Repeat(ColourDoubt.Dark, 5),
            .. Enumerable.Repeat(ColourDoubt.TooBright, 1),
            .. Enumerable.Repeat(default(ColourDoubt), 84),
        ];
        int set = doubt.Count(d => d != ColourDoubt.NoSet);
        Reading reading = ProjectionReadings.Colour([(1001, [.. Enumerable.Repeat(default(ColourDoubt), 50)]), (1007, doubt)]);
        Assert.Equal(100.0 * 16 / set, reading.Value!.Value, 1e-9);
        Assert.StartsWith("at 1007: shadow edges 10 %, hardly lit 5 %, brighter than white 1 %", reading.Note);
        Assert.Equal("no own colour is used", ProjectionReadings.Colour([]).Note);
    }
}
