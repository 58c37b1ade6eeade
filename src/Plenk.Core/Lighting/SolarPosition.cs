using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Lighting;

/// <summary>Where the sun stands: degrees, azimuth clockwise from north.</summary>
public readonly record struct SunAngles(double AzimuthDegrees, double ElevationDegrees)
{
    /// <summary>Towards it, in the world: north is −Z and east +X unless the place is turned.</summary>
    /// <param name="northDegrees">The heading of north, clockwise from −Z.</param>
    public Vec3 Direction(double northDegrees = 0)
    {
        double a = Rotations.Radians(AzimuthDegrees + northDegrees),
            e = Rotations.Radians(ElevationDegrees);
        return new(Elementary.Cos(e) * Elementary.Sin(a), Elementary.Sin(e), -Elementary.Cos(e) * Elementary.Cos(a));
    }
}

/// <summary>The sun by date, time and place, to 0.01° (Meeus, Astronomical Algorithms, 2nd edition, chapters 7, 12 and 25).</summary>
public static class SolarPosition
{
    /// <summary>Julian day of a moment in universal time; Gregorian from 1582-10-15 on.</summary>
    public static double JulianDay(int year, int month, double day)
    {
        bool gregorian = (year, month, day).CompareTo((1582, 10, 15)) >= 0;
        if (month <= 2)
        {
            year--;
            month += 12;
        }
        int century = (int)Math.Floor(year / 100.0),
            shift = gregorian ? 2 - century + century / 4 : 0;
        return Math.Floor(365.25 * (year + 4716)) + Math.Floor(30.6001 * (month + 1)) + day + shift - 1524.5;
    }

    public static double JulianDay(DateTimeOffset moment)
    {
        DateTime ut = moment.UtcDateTime;
        return JulianDay(ut.Year, ut.Month, ut.Day + ut.TimeOfDay.TotalDays);
    }

    /// <summary>Greenwich mean sidereal time, degrees 0..360.</summary>
    public static double SiderealDegrees(double julianDay)
    {
        double t = (julianDay - 2451545) / 36525;
        return Turn(280.46061837 + 360.98564736629 * (julianDay - 2451545) + 0.000387933 * t * t - t * t * t / 38710000);
    }

    /// <summary>
    /// Apparent right ascension and declination and the apparent longitude, degrees; distance in astronomical units. Day in dynamical time.
    /// </summary>
    public static (double RightAscension, double Declination, double Longitude, double Distance) Coordinates(double julianEphemerisDay)
    {
        double t = (julianEphemerisDay - 2451545) / 36525;
        double l0 = 280.46646 + t * (36000.76983 + 0.0003032 * t),
            m = 357.52911 + t * (35999.05029 - 0.0001537 * t),
            e = 0.016708634 - t * (0.000042037 + 0.0000001267 * t);
        double mr = Rotations.Radians(m);
        double c =
            (1.914602 - t * (0.004817 + 0.000014 * t)) * Elementary.Sin(mr)
            + (0.019993 - 0.000101 * t) * Elementary.Sin(2 * mr)
            + 0.000289 * Elementary.Sin(3 * mr);
        double r = 1.000001018 * (1 - e * e) / (1 + e * Elementary.Cos(Rotations.Radians(m + c)));
        double omega = Rotations.Radians(125.04 - 1934.136 * t),
            longitude = l0 + c - 0.00569 - 0.00478 * Elementary.Sin(omega);
        double obliquity =
            23 + 26 / 60.0 + 21.448 / 3600 - t * (46.8150 + t * (0.00059 - 0.001813 * t)) / 3600 + 0.00256 * Elementary.Cos(omega);
        double lr = Rotations.Radians(longitude),
            o = Rotations.Radians(obliquity);
        return (
            Turn(Rotations.Degrees(Elementary.Atan2(Elementary.Cos(o) * Elementary.Sin(lr), Elementary.Cos(lr)))),
            Rotations.Degrees(Elementary.Asin(Elementary.Sin(o) * Elementary.Sin(lr))),
            Turn(longitude),
            r
        );
    }

    /// <summary>As it is seen from a place, with refraction.</summary>
    /// <param name="latitude">Degrees, north positive; longitude east positive.</param>
    public static SunAngles At(DateTimeOffset moment, double latitude, double longitude)
    {
        double day = JulianDay(moment);
        // Dynamical time is about 69 s ahead: the sun moves 0.0008° in that.
        var (ra, dec, _, _) = Coordinates(day + 69.0 / 86400);
        double hour = Rotations.Radians(SiderealDegrees(day) + longitude - ra),
            phi = Rotations.Radians(latitude),
            d = Rotations.Radians(dec);
        double elevation = Rotations.Degrees(
            Elementary.Asin(Elementary.Sin(phi) * Elementary.Sin(d) + Elementary.Cos(phi) * Elementary.Cos(d) * Elementary.Cos(hour))
        );
        double azimuth = Turn(
            180
                + Rotations.Degrees(
                    Elementary.Atan2(
                        Elementary.Sin(hour),
                        Elementary.Cos(hour) * Elementary.Sin(phi) - Elementary.Tan(d) * Elementary.Cos(phi)
                    )
                )
        );
        return new(azimuth, elevation + Refraction(elevation));
    }

    /// <summary>How much higher it is seen than it stands, degrees (Saemundsson 1986, Meeus 16.4); below −1° nothing is added.</summary>
    public static double Refraction(double trueElevation) =>
        trueElevation < -1 ? 0 : 1.02 / Elementary.Tan(Rotations.Radians(trueElevation + 10.3 / (trueElevation + 5.11))) / 60;

    private static double Turn(double degrees) => degrees - 360 * Math.Floor(degrees / 360);
}
