using System.Numerics;
using Plenk.Core.Geometry;

namespace Plenk.Core.Images;

/// <summary>Colours of light by temperature.</summary>
public static class ColorTemperature
{
    public const double Coldest = 1667,
        Hottest = 25_000;

    /// <summary>Chromaticity of a black body, kelvin: the cubic fits of Kim et al. 2002 (within 0.0012 of the spectral sum).</summary>
    public static (double X, double Y) Planckian(double kelvin)
    {
        double t = Math.Clamp(kelvin, Coldest, Hottest),
            a = 1e9 / (t * t * t),
            b = 1e6 / (t * t),
            c = 1e3 / t;
        double x =
            t <= 4000
                ? -0.2661239 * a - 0.2343589 * b + 0.8776956 * c + 0.179910
                : -3.0258469 * a + 2.1070379 * b + 0.2226347 * c + 0.240390;
        double y =
            t <= 2222 ? -1.1063814 * x * x * x - 1.34811020 * x * x + 2.18555832 * x - 0.20219683
            : t <= 4000 ? -0.9549476 * x * x * x - 1.37418593 * x * x + 2.09137015 * x - 0.16748867
            : 3.0817580 * x * x * x - 5.87338670 * x * x + 3.75112997 * x - 0.37001483;
        return (x, y);
    }

    /// <summary>Chromaticity of daylight of a correlated temperature, 4,000 to 25,000 K (CIE 15).</summary>
    public static (double X, double Y) Daylight(double kelvin)
    {
        double t = Math.Clamp(kelvin, 4000, Hottest),
            a = 1e9 / (t * t * t),
            b = 1e6 / (t * t),
            c = 1e3 / t;
        double x = t <= 7000 ? -4.6070 * a + 2.9678 * b + 0.09911 * c + 0.244063 : -2.0064 * a + 1.9018 * b + 0.24748 * c + 0.237040;
        return (x, -3.000 * x * x + 2.870 * x - 0.275);
    }

    /// <summary>Correlated temperature of a chromaticity (McCamy 1992).</summary>
    public static double Correlated(double x, double y)
    {
        double n = (x - 0.3320) / (y - 0.1858);
        return -449 * n * n * n + 3525 * n * n - 6823.3 * n + 5520.33;
    }

    private static readonly Matrix3 FromXyz = Primaries.Bt709.ToXyz().Inverse();

    /// <summary>Linear BT.709 of a chromaticity with luminance 1.</summary>
    public static Vector3 ToRgb((double X, double Y) c) => (FromXyz * new Vec3(c.X / c.Y, 1, (1 - c.X - c.Y) / c.Y)).ToSingle();

    /// <summary>A light's colour, its largest channel 1, none below 0: a black body's up to 4,000 K, daylight's above.</summary>
    public static Vector3 Of(double kelvin)
    {
        Vector3 rgb = Vector3.Max(Vector3.Zero, ToRgb(kelvin < 4000 ? Planckian(kelvin) : Daylight(kelvin)));
        return rgb / MathF.Max(rgb.X, MathF.Max(rgb.Y, rgb.Z));
    }
}
