using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Things of a shot that are taken into another: what comes along, under which names, and what stays behind.</summary>
public sealed class ShotPartTests
{
    private static ShotDocument Shot(int first = 1001) =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(first, first + 20),
        };

    private static Element Crate(string id, Vec3 at) =>
        new()
        {
            Id = id,
            Name = id,
            Media = new('a', 64),
            Position = at,
        };

    [Fact]
    public void A_rig_comes_along_whole_under_names_that_are_free()
    {
        ShotDocument from = Shot() with
        {
            Elements = [Crate("lamp", new(2, 1, -5)) with { FromFrame = 1004 }],
            Lights =
            [
                new()
                {
                    Id = "bulb",
                    Kind = LightKind.Spot,
                    Position = new(0, 0.2, 0),
                    HangsOn = new() { On = "elements/lamp", During = [new(1003, 1010)] },
                },
            ],
            Curves =
            [
                new() { Id = "elements/lamp/position", Keys = [new(1001, Triple: new(2, 1, -5)), new(1011, Triple: new(3, 1, -5))] },
                new() { Id = "lights/bulb/strength", Keys = [new(1001, 1), new(1005, 4)] },
                new() { Id = "elements/other/scale", Keys = [new(1001, 1)] },
            ],
        };
        var told = new List<string>();
        ShotPart part = ShotPart
            .Of(from, ["elements/lamp", "lights/bulb"], 1001, told)
            .From(7, 3, "hand lamp", new("R. Holm", "CC0", "here"));
        Assert.Empty(told);
        Assert.Equal(2, part.Curves.Count);
        Assert.Equal(new Vec3(2, 1, -5), part.Foot);

        // Into a shot that begins 100 frames later and has a lamp already.
        ShotDocument into = Shot(1101) with { Elements = [Crate("lamp", default)] };
        var (made, places) = part.In(into, new(10, 0, 0), told);
        Assert.Equal(["elements/lamp_1", "lights/bulb"], places);
        Element lamp = made.Elements[1];
        Assert.Equal((new Vec3(10, 0, 0), 1104), (lamp.Position, lamp.FromFrame));
        Assert.Equal(new ShelfOrigin(7, 3, "hand lamp", "lamp"), lamp.FromShelf);
        Assert.Equal("R. Holm", lamp.Credit!.Author);
        Light bulb = Assert.Single(made.Lights);
        Assert.Equal(("elements/lamp_1", new CarrierSpan(1103, 1110)), (bulb.HangsOn!.On, bulb.HangsOn.During[0]));
        // Its place is told in the lamp's frame: that stays.
        Assert.Equal(new Vec3(0, 0.2, 0), bulb.Position);
        ValueCurve way = made.Curves.First(c => c.Id == "elements/lamp_1/position");
        Assert.Equal([(1101, new Vec3(10, 0, 0)), (1111, new Vec3(11, 0, 0))], way.Keys.Select(k => (k.Frame, k.Triple!.Value)));
        Assert.Equal([1101, 1105], made.Curves.First(c => c.Id == "lights/bulb/strength").Keys.Select(k => k.Frame));
        Assert.Empty(ShotChecks.Faults(made).Except(ShotChecks.Faults(into)));
    }

    [Fact]
    public void Names_that_the_part_itself_brings_are_not_given_twice_and_spots_go_with_their_element()
    {
        ShotDocument from = Shot() with
        {
            Elements =
            [
                Crate("a", default),
                Crate("a_1", default) with
                {
                    Spots =
                    [
                        new()
                        {
                            Id = "s",
                            Corners = [0, 1, 2],
                            Shares = [1, 0, 0],
                        },
                    ],
                },
                Crate("cap", default) with
                {
                    HangsOn = new() { On = "elements/a_1/spots/s" },
                },
            ],
        };
        ShotPart part = ShotPart.Of(from, ["elements/a", "elements/a_1", "elements/cap"], 1001, []);
        var (made, _) = part.In(Shot() with { Elements = [Crate("a", default)] }, null, []);
        Assert.Equal(made.Elements.Count, made.Elements.Select(e => e.Id).Distinct().Count());
        Element spotted = made.Elements.Single(e => e.Spots.Count > 0);
        Assert.Equal($"elements/{spotted.Id}/spots/s", made.Elements.Single(e => e.Id == "cap").HangsOn!.On);
    }

    [Fact]
    public void What_hangs_on_the_shot_alone_is_taken_off_and_told()
    {
        ShotDocument from = Shot() with
        {
            Elements =
            [
                Crate("cart", new(1, 0, -4)),
                Crate("box", new(0, 1, 0)) with
                {
                    HangsOn = new() { On = "elements/cart" },
                    AimsAt = new() { On = "elements/cart" },
                    Scatter = new() { On = "floor", Matte = "m" },
                },
                Crate("sea", default) with
                {
                    Kind = ElementKind.Rendered,
                },
            ],
        };
        var told = new List<string>();
        ShotPart part = ShotPart.Of(from, ["elements/box"], 1001, told);
        Element box = Assert.Single(part.Elements);
        Assert.Equal((null, null, null), (box.HangsOn, box.AimsAt, box.Scatter!.Matte));
        // It stands where the cart carried it.
        Assert.Equal(new Vec3(1, 1, -4), box.Position);
        Assert.Equal(3, told.Count);
        Assert.Contains(
            "cannot stand in another shot",
            Assert.Throws<ArgumentException>(() => ShotPart.Of(from, ["elements/sea"], 1001, told)).Message
        );
        Assert.Throws<ArgumentException>(() => ShotPart.Of(from, ["elements/nobody"], 1001, told));
    }

    [Fact]
    public void What_is_borrowed_says_whose_it_is()
    {
        ShotDocument shot = Shot() with { Elements = [Crate("own", default)] };
        Assert.Null(HandOverReadings.Credits(shot).Value);
        AssetCredit whole = new("R. Holm", "CC0", "here");
        shot = shot with
        {
            Elements =
            [
                Crate("own", default),
                Crate("crate", default) with
                {
                    FromShelf = new(1, 1, "crate", "crate"),
                    Credit = whole,
                },
                Crate("barrel", default) with
                {
                    Credit = whole with { Licence = "" },
                },
            ],
        };
        Reading told = HandOverReadings.Credits(shot);
        Assert.Equal((1.0, Verdict.Outside, "barrel"), (told.Value, told.Verdict, told.Thing));
        Assert.Contains("barrel", told.Note, StringComparison.Ordinal);
        shot = shot with { Elements = [.. shot.Elements.Select(e => e with { Off = e.Id == "barrel" })] };
        Assert.Equal((0.0, Verdict.Within), (HandOverReadings.Credits(shot).Value, HandOverReadings.Credits(shot).Verdict));
    }
}
