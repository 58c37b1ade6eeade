using System.Globalization;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What the light's sheet offers and says.</summary>
public static class LightSheet
{
    /// <summary>Azimuth from north (−Z) over east, and elevation, degrees.</summary>
    public static (double Azimuth, double Elevation) Angles(Vec3 d) =>
        ((Rotations.Degrees(Math.Atan2(d.X, -d.Z)) + 360) % 360, Rotations.Degrees(Math.Atan2(d.Y, Math.Sqrt(d.X * d.X + d.Z * d.Z))));

    public static double Apart(Vec3 a, Vec3 b) => Rotations.Degrees(Math.Acos(Math.Clamp(Vec3.Dot(a.Normalized(), b.Normalized()), -1, 1)));

    public static string Aside(Light l, int frame) =>
        l.Off ? "off"
        : l.Alone ? "alone"
        : $"{Quantity.Show(l.At(frame).Strength)}{(l.InPlate ? "" : ", new")}";

    /// <summary>A value of a light as it is at a frame: where it has keys, the place of this frame's key.</summary>
    public static Keyed Of(Light l, int frame, string property, Func<LightKey, bool> has) =>
        Keyed.Of($"lights/{l.Id}", property, l.Keys.Any(has), frame, new { frame });

    public static Light Fresh(ShotDocument shot, LightForm form)
    {
        string id = FreeId.Of(shot.Lights.Select(l => l.Id), form.Name);
        return form.Default with { Id = id, Name = id.Replace('_', ' ') };
    }

    /// <summary>Edits that key a light at a frame as it is there.</summary>
    public static Edit[] KeyAt(Light l, int frame)
    {
        Light now = l.At(frame);
        return
        [
            Edit.Set(
                $"lights/{l.Id}/keys",
                (LightKey[])
                    [
                        .. l
                            .Keys.Where(k => k.Frame != frame)
                            .Append(new(frame, now.Strength, now.Color, now.Direction, now.Position))
                            .OrderBy(k => k.Frame),
                    ]
            ),
        ];
    }

    public static IEnumerable<(string Name, Vec3 Direction)> FoundSuns(SunFinds sun)
    {
        if (sun.FromShadow is { } shadow)
        {
            yield return ("a shadow", shadow);
        }
        if (sun.FromDate is { } date)
        {
            yield return ("date and place", date);
        }
        if (sun.FromFit is { } fit)
        {
            yield return ("fit", fit);
        }
    }

    /// <summary>Edits that turn the sun; keys of its direction let go.</summary>
    public static Edit[] TurnSun(Light sun, Vec3 direction) =>
        [
            Edit.Set($"lights/{sun.Id}/direction", direction),
            .. sun.Keys.Where(k => k.Direction is not null).Select(k => Edit.Set($"lights/{sun.Id}/keys/{k.Frame}/direction", null)),
        ];

    /// <summary>Edits that turn a panorama until the lamp that was lifted out of it stands where the sun does.</summary>
    public static Edit[] PanoramaOntoSun(Light panorama, Light lamp, Light sun)
    {
        var (azimuth, elevation) = Angles(lamp.Direction);
        double by = Angles(sun.Direction).Azimuth - azimuth;
        return
        [
            Edit.Set($"lights/{panorama.Id}/headingDegrees", (panorama.HeadingDegrees + by + 540) % 360 - 180),
            Edit.Set($"lights/{lamp.Id}/direction", Aim(azimuth + by, elevation)),
        ];
    }

    public static Vec3 Aim(double azimuth, double elevation)
    {
        double a = Rotations.Radians(azimuth),
            e = Rotations.Radians(elevation);
        return new(Math.Cos(e) * Math.Sin(a), Math.Sin(e), -Math.Cos(e) * Math.Cos(a));
    }

    public static string Degrees(double v) => v.ToString("F1", CultureInfo.InvariantCulture);
}
