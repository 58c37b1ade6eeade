using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// A lamp's light that air scatters once towards the camera: ∫ σ p(θ) I(ω) e^(−σ (t + r)) ÷ r² dt along each ray up to what is seen, drawn
/// equally by angle from the lamp (Kulla and Fajardo 2012, "Importance sampling techniques for path tracing in participating media",
/// section 4), with the phase function of Henyey and Greenstein (1941). What stands between lamp and air throws no shadow into it.
/// </summary>
public static class LightBeam
{
    private const int Steps = 24;

    /// <summary>Metres beyond which air counts no more where nothing is seen.</summary>
    private const double Furthest = 10_000;

    /// <summary>Radiance by pixel, linear RGB.</summary>
    /// <param name="lamp">A point or a spot, in the world.</param>
    /// <param name="depth">Along the camera's axis, of what is seen.</param>
    public static FloatImage Of(Light lamp, BeamSettings beam, Cameras.Pinhole camera, Pose pose, FloatImage depth)
    {
        int w = depth.Width,
            h = depth.Height;
        var result = new FloatImage(w, h, 3);
        Vector3 intensity = SampledLight.ColourOf(lamp);
        Vec3 at = pose.ToLocal(lamp.Position),
            axis = pose.Rotation.Transpose() * -lamp.Direction.Normalized();
        float inner = (float)Elementary.Cos(Rotations.Radians(lamp.InnerDegrees)),
            outer = (float)Elementary.Cos(Rotations.Radians(lamp.OuterDegrees));
        double g = beam.Forwards,
            sigma = beam.PerMetre;
        bool spot = lamp.Kind == LightKind.Spot;
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                if (!camera.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
                {
                    continue;
                }
                Vec3 d = way.Normalized();
                double seen = depth.Data[y * w + x] is var z && z > 0 && float.IsFinite(z) ? z / Math.Max(1e-9, -d.Z) : Furthest,
                    along = Vec3.Dot(at, d),
                    aside = Math.Sqrt(Math.Max(1e-8, at.LengthSquared - along * along)),
                    first = Elementary.Atan(-along / aside),
                    last = Elementary.Atan((seen - along) / aside),
                    sum = 0;
                for (int k = 0; k < Steps; k++)
                {
                    double angle = first + (last - first) * (k + 0.5) / Steps,
                        t = along + aside * Elementary.Tan(angle);
                    Vec3 from = t * d - at; // from the lamp to the air
                    double r = from.Length,
                        cone = 1;
                    if (spot)
                    {
                        cone = PointLight.Cone((float)(Vec3.Dot(from, axis) / r), inner, outer);
                    }
                    // Light goes on along from, and leaves along −d.
                    double cos = -Vec3.Dot(from, d) / r,
                        bend = 1 + g * g - 2 * g * cos,
                        phase = (1 - g * g) / (4 * Math.PI * bend * Math.Sqrt(bend));
                    sum += cone * phase * Elementary.Exp(-sigma * (t + r));
                }
                // dt ÷ r² = dθ ÷ distance aside.
                Vector3 light = intensity * (float)(sigma * sum * (last - first) / (Steps * aside));
                (result[x, y, 0], result[x, y, 1], result[x, y, 2]) = (light.X, light.Y, light.Z);
            }
        });
        return result;
    }
}
