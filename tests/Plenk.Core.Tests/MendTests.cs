using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What is offered for a reading that is outside: amounts by hand.</summary>
public sealed class MendTests
{
    private static readonly ShotDocument Shot = new()
    {
        Production = "P",
        Sequence = "S",
        Code = "C",
        Elements =
        [
            new()
            {
                Id = "bell",
                Name = "Bell",
                Media = new string('a', 64),
                Position = new(1, 2, 3),
            },
        ],
        Curves = [new() { Id = "elements/bell/position", Keys = [new(1001, Triple: new(1, 2.5, 3))] }],
        Lights =
        [
            new()
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0, 1, 0),
            },
        ],
    };

    private static Reading Of(Reading blank, double value, string? thing = null) => (blank with { Value = value, Thing = thing }).Judged();

    [Theory]
    [InlineData(-14.2, "Raise Bell by 14 mm", 2.0142, 2.5142)]
    [InlineData(20, "Lower Bell by 20 mm", 1.98, 2.48)]
    public void What_floats_or_sinks_is_moved_by_as_much_with_all_its_keys(double value, string words, double height, double keyed)
    {
        Mend mend = Mend.Of(Shot, Of(ContactReadings.GapBlank, value, "bell"))!;
        Assert.Equal(words, mend.Words);
        ShotDocument moved = Edits.Edits.Apply(Shot, mend.Edits!).Document;
        Assert.Equal(height, moved.Elements[0].Position.Y, 1e-9);
        Assert.Equal(keyed, moved.Curves[0].Keys[0].Triple!.Value.Y, 1e-9);
    }

    [Fact]
    public void The_sun_is_turned_to_where_a_shadow_found_it_before_a_fit()
    {
        ShotDocument found = Shot with
        {
            Sun = new() { FromFit = new(0, 1, 1), FromShadow = new(Math.Sqrt(3), 1, 0) },
        };
        Mend mend = Mend.Of(found, Of(LightReadings.SunBlank, 60))!;
        Assert.Equal("Turn the sun by 60.0°, as found by its shadow", mend.Words);
        Vec3 now = Edits.Edits.Apply(found, mend.Edits!).Document.Lights[0].Direction;
        Assert.Equal(0.5, now.Y, 1e-9);
        Assert.StartsWith(
            "Turn the sun by 45.0°",
            Mend.Of(found with { Sun = new() { FromFit = new(0, 1, 1) } }, Of(LightReadings.SunBlank, 45))!.Words
        );
    }

    [Fact]
    public void Nothing_is_offered_within_or_without_knowing_what_it_is_of()
    {
        Assert.Null(Mend.Of(Shot, Of(ContactReadings.GapBlank, 1, "bell")));
        Assert.Null(Mend.Of(Shot, Of(ContactReadings.GapBlank, 30)));
        Assert.Null(Mend.Of(Shot, ContactReadings.GapBlank));
        Assert.Null(Mend.Of(Shot, Of(LightReadings.SunBlank, 60)));
        // Harder than the plate cannot be mended by a blur the other way.
        Assert.Null(Mend.Of(Shot, Of(FinishReadings.EdgeBlank, 2)));
        Assert.Equal(FinishKind.EdgeWidth, Mend.Of(Shot, Of(FinishReadings.EdgeBlank, -2))!.Brings);
        Assert.Equal("Lift its black by 0.0123", Mend.Of(Shot, Of(FinishReadings.BlackBlank, 0.0123))!.Words);
        ShotDocument hung = Shot with { Elements = [Shot.Elements[0] with { HangsOn = new() { On = "movingObjects/cart" } }] };
        Assert.Null(Mend.Of(hung, Of(ContactReadings.GapBlank, 30, "bell")));
    }

    // A surface in the sun's 3 and the sky's 1 is 0.25 in its shadow; where the real one is 0.4, the sky is to be 2: a stop more.
    [Fact]
    public void A_shadow_that_is_too_dark_asks_for_more_light_from_around()
    {
        Reading level = ContactReadings.Level(new(0.4f), new(0.25f), new(1001, 0, 0, 1, 1));
        Assert.Equal(2, level.Factor!.Value, 1e-6);
        ShotDocument lit = Shot with
        {
            Lights =
            [
                new Light
                {
                    Id = "sky",
                    Name = "sky",
                    Kind = LightKind.Sky,
                    Strength = 0.8,
                },
                new Light
                {
                    Id = "lamp",
                    Kind = LightKind.Fill,
                    InPlate = false,
                },
            ],
            Curves =
            [
                new()
                {
                    Id = "lights/sky/strength",
                    Keys = [new(1001, 0.8), new(1010, 1, Handle: KeyHandle.Free) { Before = new(-3, 0.1) }],
                },
            ],
        };
        Mend mend = Mend.Of(lit, level with { Verdict = Verdict.Outside })!;
        Assert.Equal("Raise sky by 1.00 stops", mend.Words);
        ShotDocument then = Edits.Edits.Apply(lit, mend.Edits!).Document;
        Assert.Equal(1.6, then.Lights[0].Strength, 1e-6);
        CurveKey last = then.Curves[0].Keys[1];
        Assert.Equal(2, last.Value!.Value, 1e-6);
        Assert.Equal(0.2, last.Before!.Value, 1e-6);
        Assert.Equal(1, then.Lights[1].Strength);
        Assert.Null(Mend.Of(Shot, level with { Verdict = Verdict.Outside }));
    }
}
