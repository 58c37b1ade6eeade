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

    /// <param name="l">As it is at a frame.</param>
    public static string Aside(Light l) =>
        l.Off ? "off"
        : l.Alone ? "alone"
        : $"{Quantity.Show(l.Strength)}{(l.InPlate ? "" : ", new")}";

    public static Light Fresh(ShotDocument shot, LightForm form)
    {
        string id = FreeId.Of(shot.Lights.Select(l => l.Id), form.Name);
        return form.Default with { Id = id, Name = id.Replace('_', ' ') };
    }

    /// <summary>Places of what makes a light another one from frame to frame.</summary>
    public static IEnumerable<string> Values(Light l, LightForm form)
    {
        string at = ShotCurves.PlaceOf("lights", l.Id);
        yield return $"{at}/strength";
        if (l.Kelvin is null)
        {
            yield return $"{at}/color";
        }
        if (form.IsAimed && l.AimsAt is null)
        {
            yield return $"{at}/direction";
        }
        if (form.Hangs)
        {
            yield return $"{at}/position";
        }
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
    public static Edit[] TurnSun(ShotDocument shot, Light sun, Vec3 direction)
    {
        string at = $"{ShotCurves.PlaceOf("lights", sun.Id)}/direction";
        return [.. ShotCurves.AnyOf(shot, at) ? (Edit[])[Edit.Remove(CurveSheet.PlaceOf(at))] : [], Edit.Set(at, direction)];
    }

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
