using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>Spheres of air as the camera sees them.</summary>
public static class AirSpheres
{
    /// <summary>Of a shell, its share of the radius.</summary>
    private const double Thick = 0.15;

    /// <summary>Radius in metres and strength 0..1 at a frame; none where it is not there.</summary>
    public static (double Radius, double Strength) At(AirSphere sphere, int frame, double framesPerSecond)
    {
        if (sphere.From is not { } from)
        {
            return (sphere.RadiusMetres, 1);
        }
        double seconds = (frame - from) / framesPerSecond,
            left = sphere.FadesOverSeconds > 0 ? 1 - seconds / sphere.FadesOverSeconds : 1;
        return seconds < 0 || left <= 0 ? (0, 0) : (Math.Max(0, sphere.RadiusMetres + seconds * sphere.MetresPerSecond), left);
    }

    /// <summary>
    /// By pixel, the way of its ray through the sphere against the longest there is (its diameter, or the longest way through its shell), as
    /// far as it lies before what is seen.
    /// </summary>
    /// <param name="middle">In the camera's space, metres; it looks along −z.</param>
    /// <param name="depth">Along the camera's axis, of what is seen; infinite where nothing is.</param>
    /// <param name="lies">
    /// Instead by how near what is seen is to the middle: 1 inside, half at the radius, straight over an edge of so many metres; of a shell by how
    /// near it is to that. Null: by the way through it.
    /// </param>
    public static float[] Coverage(Vec3 middle, double radius, bool shell, Cameras.Pinhole camera, FloatImage depth, double? lies = null)
    {
        int w = depth.Width,
            h = depth.Height;
        var result = new float[w * h];
        if (!(radius > 0))
        {
            return result;
        }
        double inner = (1 - Thick) * radius,
            longest = shell ? 2 * Math.Sqrt(radius * radius - inner * inner) : 2 * radius;
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                if (!camera.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
                {
                    continue;
                }
                Vec3 d = way.Normalized();
                double along = Vec3.Dot(middle, d),
                    aside = Math.Max(0, middle.LengthSquared - along * along),
                    seen = depth.Data[y * w + x] is var z && z > 0 && float.IsFinite(z)
                        ? z / Math.Max(1e-9, -d.Z)
                        : double.PositiveInfinity;
                if (lies is { } soft)
                {
                    double away = double.IsFinite(seen) ? (seen * d - middle).Length : double.PositiveInfinity,
                        inside = shell ? Thick * radius / 2 - Math.Abs(away - (1 - Thick / 2) * radius) : radius - away;
                    result[y * w + x] = (float)FinishBands.Edge(inside, soft);
                    continue;
                }
                double Within(double r)
                {
                    double half = Math.Sqrt(Math.Max(0, r * r - aside));
                    return Math.Max(0, Math.Min(along + half, seen) - Math.Max(along - half, 0));
                }
                if (aside >= radius * radius || along < -radius)
                {
                    continue;
                }
                result[y * w + x] = (float)((Within(radius) - (shell ? Within(inner) : 0)) / longest);
            }
        });
        return result;
    }
}
