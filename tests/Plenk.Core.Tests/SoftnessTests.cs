using Plenk.Core.Edits;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Edges of shadows, and what is offered for them: widths by hand.</summary>
public sealed class SoftnessTests
{
    private static readonly ShadowPair Pair = new(1001, 0, 0, 60, 0);

    // The share of a round sun that an edge leaves open where it stands x radii from its middle: (arccos x − x √(1 − x²)) ÷ π; a tenth is
    // open at x = 0.687, so its edge is 0.687 of the whole penumbra from 90 to 10 %.
    [Fact]
    public void An_edge_of_a_round_sun_is_two_thirds_of_its_penumbra()
    {
        const double penumbra = 20;
        double[] profile =
        [
            .. Enumerable
                .Range(0, 61)
                .Select(i => Math.Clamp((i - 30) / (penumbra / 2), -1, 1))
                .Select(x => 0.2 + 0.7 * (Math.Acos(x) - x * Math.Sqrt(1 - x * x)) / Math.PI),
        ];
        Assert.Equal(0.687 * penumbra, SoftnessReadings.Width(profile)!.Value, 0.05);
        // A straight ramp: 0.8 of it.
        double[] ramp = [.. Enumerable.Range(0, 61).Select(i => 1 - Math.Clamp((i - 25) / 10.0, 0, 1))];
        Assert.Equal(8, SoftnessReadings.Width(ramp)!.Value, 1e-9);
        Assert.Null(SoftnessReadings.Width([.. Enumerable.Repeat(0.5, 61)]));
        Assert.Null(SoftnessReadings.Width([.. ramp.Reverse()]));
        // It is lit again behind: two edges.
        double[] bar = [.. ramp.Select((v, i) => i is > 42 and < 50 ? 1 : v)];
        Assert.Null(SoftnessReadings.Width(bar));
    }

    // The lens's width is taken off in squares: 5² − 3² = 4².
    [Fact]
    public void Ours_is_held_against_the_real_edge_without_its_lens()
    {
        Reading reading = SoftnessReadings.Of(5, 6, 3, Pair);
        Assert.Equal((50.0, Verdict.Outside), (Math.Round(reading.Value!.Value, 9), reading.Verdict));
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Lights =
            [
                new()
                {
                    Id = "sun",
                    Kind = LightKind.Sun,
                    AngularDiameterDegrees = 1.2,
                },
            ],
        };
        Mend mend = Mend.Of(shot, reading)!;
        Assert.Equal("Make the sun 0.80° wide instead of 1.20°", mend.Words);
        Assert.Equal(0.8, Edits.Edits.Apply(shot, mend.Edits!).Document.Lights[0].AngularDiameterDegrees, 1e-9);
        Assert.Null(SoftnessReadings.Of(3, 6, 3, Pair).Value);
        Assert.Contains("no softer than the lens", SoftnessReadings.Of(3, 6, 3, Pair).Note);
    }

    [Fact]
    public void A_holdout_edge_is_brought_to_the_plates()
    {
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Mattes =
            [
                new()
                {
                    Id = "m",
                    Name = "pillar",
                    FeatherPixels = 6,
                    HidesBeyondMetres = 2,
                },
            ],
        };
        Reading At(double value) => (FinishReadings.HoldoutBlank with { Value = value }).Judged();
        Mend less = Mend.Of(shot, At(1.6))!;
        Assert.Equal("Feather pillar by 2.0 px less", less.Words);
        Assert.Equal(4, Edits.Edits.Apply(shot, less.Edits!).Document.Mattes[0].FeatherPixels, 1e-9);
        Assert.Equal(FinishKind.EdgeWidth, Mend.Of(shot, At(-1.2))!.Brings);
        Assert.Null(Mend.Of(shot with { Mattes = [] }, At(1.6)));
    }
}
