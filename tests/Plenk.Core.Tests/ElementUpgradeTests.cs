using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Elements of schema 3 turned about their own +Y alone, and had keys of their own.</summary>
public class ElementUpgradeTests
{
    /// <summary>A shot of schema 3 with one element, as it is read now.</summary>
    private static ShotDocument Raised(JsonObject element)
    {
        element["id"] = "bell";
        var old = new JsonObject
        {
            ["production"] = "P",
            ["sequence"] = "S",
            ["code"] = "C",
            ["schemaVersion"] = 3,
            ["elements"] = new JsonArray(element),
        };
        return Upgrades.Raise(old).Deserialize<ShotDocument>(ShotJson.Options)!;
    }

    private sealed record OldKey(int Frame, KeyEase Ease, Vec3? Position, double? TurnDegrees, double? Opacity);

    // What the old keys came to is computed by KeyCurve, whose eases ContactTests and LensLightTests hold to published values.
    [Theory]
    [InlineData(KeyEase.Eased, KeyEase.Straight)]
    [InlineData(KeyEase.Straight, KeyEase.Held)]
    [InlineData(KeyEase.Held, KeyEase.Smooth)]
    [InlineData(KeyEase.Smooth, KeyEase.Eased)]
    [InlineData(KeyEase.Smooth, KeyEase.Smooth)]
    public void Their_keys_come_to_the_same_at_all_times(KeyEase first, KeyEase second)
    {
        OldKey[] keys =
        [
            new(1001, first, new(0, 1, 2), 10, 1),
            new(1008, second, new(3, 1, -2), 100, 0.2),
            new(1030, KeyEase.Eased, new(4, 0, -2), 700, 0.6),
        ];
        ShotDocument shot = Raised(
            new()
            {
                ["media"] = new string('a', 64),
                ["turnDegrees"] = 15,
                ["keys"] = JsonSerializer.SerializeToNode(keys, ShotJson.Options),
            }
        );
        Assert.Empty(shot.Elements[0].Unknown ?? []);
        Assert.DoesNotContain(ShotChecks.Faults(shot), f => f.Contains("bell", StringComparison.Ordinal));
        for (double f = 999; f < 1033; f += 0.25)
        {
            Element e = ShotCurves.At(shot, f).Elements[0];
            Assert.True((KeyCurve.At(keys, f, k => k.Frame, k => k.Position, k => k.Ease)!.Value - e.Position).Length < 1e-9, $"{f}");
            Assert.Equal(KeyCurve.At(keys, f, k => k.Frame, k => k.TurnDegrees, k => k.Ease)!.Value, e.RotationYxzDegrees.Y, 1e-7);
            Assert.Equal(KeyCurve.At(keys, f, k => k.Frame, k => k.Opacity, k => k.Ease)!.Value, e.Opacity, 1e-9);
        }
    }

    [Fact]
    public void What_lay_on_a_slope_lies_there()
    {
        Vec3 up = new Vec3(0.3, 1, -0.2).Normalized();
        Element e = Raised(new() { ["turnDegrees"] = 40, ["up"] = new JsonArray(up.X, up.Y, up.Z) }).Elements[0];
        Matrix3 was = Rotations.Between(Vec3.UnitY, up) * Rotations.AboutY(Rotations.Radians(40));
        Assert.InRange(Rotations.DegreesBetween(was, e.Rotation), 0, 1e-6);
    }

    // Turned and sized about the pivot: that stays on the place whatever else is set.
    [Fact]
    public void The_pivot_stands_on_the_place()
    {
        var e = new Element
        {
            Id = "e",
            Position = new(3, 2, 1),
            RotationYxzDegrees = new(30, -70, 200),
            Scale = 1.5,
            Stretch = new(1, 3, 0.5),
            Pivot = new(0.2, -0.1, 0.7),
        };
        Assert.True((e.ObjectToWorld.Apply(new(0.2, 3 * -0.1, 0.5 * 0.7)) - e.Position).Length < 1e-12);
    }
}
