using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting;

/// <summary>
/// Radiance of a sky by direction, so scaled that an open floor receives π: strength then means what it means for a uniform one.
/// </summary>
public static class SkyModel
{
    /// <param name="towardsSun">For a clear sky.</param>
    public static Func<Vector3, Vector3> Of(Light sky, Vec3? towardsSun)
    {
        Vector3 colour = sky.Color.ToSingle();
        switch (sky.Sky)
        {
            case SkyKind.Gradient:
            {
                Vector3 horizon = sky.HorizonColor.ToSingle();
                // ∫ (h + (z − h) s) s over the upper half: π (h + 2 (z − h)/3); by luminance.
                return Scaled(
                    d => Vector3.Lerp(horizon, colour, MathF.Max(0, d.Y)),
                    Luminance.Of(horizon + (colour - horizon) * (2f / 3)) / MathF.Max(1e-6f, Luminance.Of(colour))
                );
            }
            case SkyKind.Overcast:
                // Moon and Spencer 1942; its floor receives 7π/9 of the zenith's radiance.
                return d => d.Y > 0 ? colour * ((1 + 2 * d.Y) / 3 * (9f / 7)) : Vector3.Zero;
            case SkyKind.Clear:
            {
                Vec3 sun = (towardsSun ?? new(0.5, 0.7, 0.5)).Normalized();
                var clear = new ClearSky(sky.Turbidity, Elementary.Acos(Math.Clamp(sun.Y, 0.02, 1)));
                Vector3 s = sun.ToSingle();
                Vector3 At(Vector3 d) =>
                    d.Y > 0
                        ? clear.Rgb(Elementary.Acos(Math.Min(d.Y, 1)), Elementary.Acos(Math.Clamp(Vector3.Dot(d, s), -1, 1)))
                        : Vector3.Zero;
                // The floor's irradiance by a grid over the upper half.
                double e = 0;
                for (int i = 0; i < 32; i++)
                {
                    for (int j = 0; j < 64; j++)
                    {
                        double polar = Math.PI / 2 * (i + 0.5) / 32,
                            azimuth = 2 * Math.PI * (j + 0.5) / 64,
                            sin = Elementary.Sin(polar);
                        e +=
                            Luminance.Of(
                                At(
                                    new(
                                        (float)(sin * Elementary.Sin(azimuth)),
                                        (float)Elementary.Cos(polar),
                                        (float)(-sin * Elementary.Cos(azimuth))
                                    )
                                )
                            )
                            * Elementary.Cos(polar)
                            * sin
                            * (Math.PI / 2 / 32)
                            * (2 * Math.PI / 64);
                    }
                }
                float scale = (float)(Math.PI / Math.Max(e, 1e-9));
                return d => At(d) * colour * scale;
            }
            default:
                return _ => colour;
        }
    }

    private static Func<Vector3, Vector3> Scaled(Func<Vector3, Vector3> radiance, float by) => by > 0 ? d => radiance(d) / by : radiance;
}

/// <summary>The clear sky of Preetham, Shirley and Smits (SIGGRAPH 1999, appendix A.2), after Perez, Seals and Michalsky 1993.</summary>
/// <param name="turbidity">2 is clear, 6 hazy.</param>
/// <param name="sunZenith">Radians.</param>
public sealed class ClearSky(double turbidity, double sunZenith)
{
    private readonly double _t = turbidity;

    private static double[] Coefficients(double t, params (double A, double B)[] c) => [.. c.Select(k => k.A * t + k.B)];

    private readonly double[] _luminance = Coefficients(
        turbidity,
        (.1787, -1.4630),
        (-.3554, .4275),
        (-.0227, 5.3251),
        (.1206, -2.5771),
        (-.0670, .3703)
    );
    private readonly double[] _x = Coefficients(
        turbidity,
        (-.0193, -.2592),
        (-.0665, .0008),
        (-.0004, .2125),
        (-.0641, -.8989),
        (-.0033, .0452)
    );
    private readonly double[] _y = Coefficients(
        turbidity,
        (-.0167, -.2608),
        (-.0950, .0092),
        (-.0079, .2102),
        (-.0441, -1.6537),
        (-.0109, .0529)
    );

    /// <summary>At the zenith: luminance in kcd/m², and chromaticity.</summary>
    public (double Luminance, double X, double Y) Zenith
    {
        get
        {
            double s = sunZenith,
                s2 = s * s,
                s3 = s2 * s,
                t = _t,
                t2 = t * t;
            double chi = (4.0 / 9 - t / 120) * (Math.PI - 2 * s);
            return (
                (4.0453 * t - 4.9710) * Elementary.Tan(chi) - .2155 * t + 2.4192,
                t2 * (.00166 * s3 - .00375 * s2 + .00209 * s)
                    + t * (-.02903 * s3 + .06377 * s2 - .03202 * s + .00394)
                    + (.11693 * s3 - .21196 * s2 + .06052 * s + .25886),
                t2 * (.00275 * s3 - .00610 * s2 + .00317 * s)
                    + t * (-.04214 * s3 + .08970 * s2 - .04153 * s + .00516)
                    + (.15346 * s3 - .26756 * s2 + .06670 * s + .26688)
            );
        }
    }

    private static double Perez(double[] c, double zenith, double fromSun) =>
        (1 + c[0] * Elementary.Exp(c[1] / Math.Max(0.01, Elementary.Cos(zenith))))
        * (1 + c[2] * Elementary.Exp(c[3] * fromSun) + c[4] * Elementary.Cos(fromSun) * Elementary.Cos(fromSun));

    /// <summary>Luminance in kcd/m² and chromaticity of a direction.</summary>
    /// <param name="zenith">Its angle from the zenith, <paramref name="fromSun"/> from the sun; radians.</param>
    public (double Luminance, double X, double Y) At(double zenith, double fromSun)
    {
        var z = Zenith;
        double Of(double own, double[] c) => own * Perez(c, zenith, fromSun) / Perez(c, 0, sunZenith);
        return (Of(z.Luminance, _luminance), Of(z.X, _x), Of(z.Y, _y));
    }

    /// <summary>Linear BT.709, luminance in kcd/m²; none below 0.</summary>
    public Vector3 Rgb(double zenith, double fromSun)
    {
        var (luminance, x, y) = At(zenith, fromSun);
        return Vector3.Max(Vector3.Zero, ColorTemperature.ToRgb((x, y)) * (float)Math.Max(0, luminance));
    }
}
