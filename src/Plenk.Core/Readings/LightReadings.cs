using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Step 5.</summary>
public static class LightReadings
{
    public static readonly Reading SunBlank = new()
    {
        Id = "light.sun",
        Step = 5,
        Name = "Sun as it was found",
        Unit = "°",
        Tolerance = 3, // common practice, no source
        How =
            "The largest angle between the sun that is set and the ways in which it was found: from a shadow, from date and place, and by fit.",
    };

    public static readonly Reading ShadowsBlank = new()
    {
        Id = "light.shadows",
        Step = 5,
        Name = "Set's sun against the plate",
        Unit = "%",
        Tolerance = 15, // common practice, no source
        How =
            "Of the places whose piece tells light from shadow by half a stop or more, those that the plate shows the other way "
            + "than the set's own sun visibility says. What casts and is not built shows here.",
    };

    public static Reading Sun(ShotDocument shot)
    {
        if (shot.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false }) is not { } sun)
        {
            return SunBlank with { Note = "no sun is set" };
        }
        (string Name, Vec3? Towards)[] found = [("shadow", shot.Sun.FromShadow), ("date", shot.Sun.FromDate), ("fit", shot.Sun.FromFit)];
        static double Apart(Vec3 a, Vec3 b) =>
            Rotations.Degrees(Elementary.Acos(Math.Clamp(Vec3.Dot(a.Normalized(), b.Normalized()), -1, 1)));
        var known = found.Where(f => f.Towards is not null).Select(f => (f.Name, Degrees: Apart(f.Towards!.Value, sun.Direction))).ToList();
        if (known.Count == 0)
        {
            return SunBlank with { Note = "it was not found from a shadow, a date or by fit yet" };
        }
        return (
            SunBlank with
            {
                Value = known.Max(k => k.Degrees),
                Note = string.Join(", ", known.Select(k => $"{k.Name} {k.Degrees:0.0}°")),
            }
        ).Judged();
    }

    public static Reading Shadows(SunFit fit, Vec3 sun, int frame, int width, int height)
    {
        SunDisagreement d = fit.Disagreement(sun);
        if (d.Told < 50)
        {
            return ShadowsBlank with { Note = "no piece tells light from shadow in this frame" };
        }
        return (
            ShadowsBlank with
            {
                Value = 100 * d.Share,
                Note = $"at {frame}, {d.Told} places",
                Worst = new(frame, d.X * width, d.Y * height, Words: "the plate says otherwise"),
            }
        ).Judged();
    }
}
