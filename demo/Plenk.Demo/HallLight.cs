using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>
/// The plate's light: the sun and a uniform sky through the modelled windows, and a uniform fill that stands for
/// interreflection. Nothing else lights the hall.
/// </summary>
public static class HallLight
{
    /// <summary>On a surface that faces the sun, relative units.</summary>
    public static readonly Vector3 SunIrradiance = new(7.4f, 6.5f, 5.2f);
    public const double SunAngularDiameterDegrees = 1.2;
    public static readonly Vector3 SkyRadiance = new(2.3f, 2.7f, 3.3f);
    public static readonly Vector3 FillRadiance = new(0.21f, 0.205f, 0.19f);

    private static readonly float CosSun = (float)Math.Cos(SunAngularDiameterDegrees / 2 * Math.PI / 180);
    private const float WindowArea = 2 * BathHall.WindowHalfWidth * (BathHall.WindowHead - BathHall.WindowSill);

    /// <summary>
    /// One sample of the irradiance at a spot: the sun's disk once, and the sky once through a window chosen by chance
    /// (outside the windows the walls and the roof hide it). Also the part of it that the element leaves.
    /// </summary>
    public static (Vector3 Without, Vector3 With) Irradiance(
        TraceScene scene,
        Vector3 p,
        Vector3 n,
        Vector2 sunPoint,
        Vector2 skyPoint,
        bool element
    )
    {
        Vector3 fill = MathF.PI * FillRadiance;
        Vector3 without = fill,
            with = fill;
        Vector3 sun = Sampling.Cone(BathHall.TowardsSun, CosSun, sunPoint);
        float cos = Vector3.Dot(n, sun);
        if (cos > 0)
        {
            var ray = new Ray(p, sun, 0, float.PositiveInfinity);
            if (!scene.Occluded(ray, RayKinds.LightSet))
            {
                without += SunIrradiance * cos;
                if (!element || !scene.Occluded(ray, RayKinds.Element))
                {
                    with += SunIrradiance * cos;
                }
            }
        }
        // Near windows are chosen more often; the weight takes it back.
        Span<float> chance = stackalloc float[7];
        float total = 0;
        for (int i = 0; i < 7; i++)
        {
            var centre = new Vector3(BathHall.WestWall - 0.2f, 4, BathHall.WindowCentres[i]);
            chance[i] = 1 / (1.5f + Vector3.DistanceSquared(centre, p));
            total += chance[i];
        }
        int window = 0;
        float pick = skyPoint.X * total;
        while (window < 6 && pick >= chance[window])
        {
            pick -= chance[window++];
        }
        pick = Math.Clamp(pick / chance[window], 0, 1);
        var target = new Vector3(
            BathHall.WestWall - 0.45f,
            BathHall.WindowSill + (BathHall.WindowHead - BathHall.WindowSill) * skyPoint.Y,
            BathHall.WindowCentres[window] + BathHall.WindowHalfWidth * (2 * pick - 1)
        );
        Vector3 to = target - p;
        float d2 = to.LengthSquared();
        Vector3 direction = to / MathF.Sqrt(d2);
        cos = Vector3.Dot(n, direction);
        float cosWindow = -direction.X;
        if (cos > 0 && cosWindow > 0)
        {
            Vector3 e = SkyRadiance * (cos * cosWindow * WindowArea / d2 * (total / chance[window]));
            var ray = new Ray(p, direction, 0, float.PositiveInfinity);
            if (!scene.Occluded(ray, RayKinds.LightSet))
            {
                without += e;
                if (!element || !scene.Occluded(ray, RayKinds.Element))
                {
                    with += e;
                }
            }
        }
        return (without, with);
    }
}
