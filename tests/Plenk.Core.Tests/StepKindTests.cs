using System.Numerics;
using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Finishing;
using Plenk.Core.Finishing.Steps;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

public sealed class StepKindTests
{
    public static TheoryData<FinishKind> Kinds => [.. Enum.GetValues<FinishKind>()];

    [Fact]
    public void Every_kind_has_its_place_in_the_order_and_the_merge_is_passed_once()
    {
        Assert.Equal(Enum.GetValues<FinishKind>(), StepKinds.All.Select(k => k.Kind));
        Assert.Equal(StepKinds.All.Select(k => k.AfterMerge).Order(), StepKinds.All.Select(k => k.AfterMerge));
        Assert.Equal(StepKinds.All.Count, StepKinds.All.Select(k => k.Title).Distinct().Count());
    }

    // What a page draws must be there to be set: each path is a member of the step as the kind begins, or one that may be left out.
    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_kind_begins_well_and_its_fields_are_its_own(FinishKind kind)
    {
        StepKind own = StepKinds.Of(kind);
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Lights = [new Light { Id = "lamp", Kind = LightKind.Spot }],
        };
        FinishStep begun = own.Default with { Id = "one" };
        if (begun.Flare is { } flare)
        {
            begun = begun with { Flare = flare with { Light = "lamp" } };
        }
        if (begun.Beam is { } beam)
        {
            begun = begun with { Beam = beam with { Light = "lamp" } };
        }
        Assert.Null(StepKinds.Fault(shot, begun));
        JsonNode json = JsonNode.Parse(System.Text.Json.JsonSerializer.Serialize(begun, ShotJson.Options))!;
        foreach (KindField f in own.Fields)
        {
            string[] path = f.Path.Split('.');
            JsonNode? part = path[..^1].Aggregate((JsonNode?)json, (n, k) => n?[k]);
            Assert.True(part is JsonObject, $"{f.Path} lies in nothing");
            Assert.True(part[path[^1]] is not null || f.Shape is FieldShape.NumberOrNone or FieldShape.Matte, $"{f.Path} is no member");
            if (f.Shape == FieldShape.Triple)
            {
                Assert.Equal(3, ((JsonArray)part[path[^1]]!).Count);
            }
        }
    }

    // Luminance: ITU-R BT.709-6, item 3.2.
    [Fact]
    public void Saturation_by_luminance_keeps_luminance_and_each_band_its_own()
    {
        var bands = new SaturationBands(Dark: 0.5, Middle: 1, Light: 0, DarkBelow: 0.05, LightAbove: 0.8);
        Vector3 hue = new Vector3(1.2f, 0.9f, 0.4f) / (0.2126f * 1.2f + 0.7152f * 0.9f + 0.0722f * 0.4f);
        double Left(float y)
        {
            Vector3 c = y * hue,
                to = SaturationKind.Apply(bands, c);
            Assert.Equal(y, 0.2126 * to.X + 0.7152 * to.Y + 0.0722 * to.Z, 1e-6 * Math.Max(1, y));
            return (to.X - y) / (c.X - y);
        }
        Assert.Equal(0.5, Left(0.01f), 1e-5);
        Assert.Equal(1, Left(0.2f), 1e-5);
        Assert.Equal(0, Left(3), 1e-5);
        // On a border both bands have a half.
        Assert.Equal(0.75, Left(0.05f), 1e-4);
        Assert.Equal(0.5, Left(0.8f), 1e-4);
        var grey = new Vector3(0.3f);
        Assert.Equal(grey, SaturationKind.Apply(bands, grey));
        Assert.Equal(new Vector3(-0.1f, 0, 0), SaturationKind.Apply(bands, new(-0.1f, 0, 0)));
    }

    [Fact]
    public void Bands_that_cross_are_told()
    {
        FinishStep crossed = StepKinds.Of(FinishKind.Saturation).Default with
        {
            Id = "s",
            Saturation = new(DarkBelow: 0.6, LightAbove: 0.5),
        };
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Finish = new() { Steps = [crossed] },
        };
        Assert.Contains(ShotChecks.Faults(shot), f => f.Contains("saturation by luminance: darks end", StringComparison.Ordinal));
    }
}
