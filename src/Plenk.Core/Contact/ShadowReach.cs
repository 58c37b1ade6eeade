using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>
/// Margin in metres around an element's cast shadow that still lies on receivers; place is where it is least. Missed: the share that falls
/// on none.
/// </summary>
public sealed record ShadowReachReport(double MarginMetres, Vec3 Place, double Missed, int Rays);

/// <summary>Whether an element's sun shadow stays on pieces that receive it.</summary>
public static class ShadowReach
{
    private static readonly float[] Steps = [0, 0.02f, 0.05f, 0.1f, 0.2f, 0.4f, 0.8f, 1.6f];

    /// <summary>
    /// Follows light past points of the element onto the set, then shifts the ray sideways until it no longer lands on a
    /// receiver. Null when the light comes from below the horizon of all of them or nothing is hit at all.
    /// </summary>
    public static ShadowReachReport? Measure(SetScene set, PlacedElement element, Vec3 towardsLight)
    {
        if (towardsLight.Y <= 0)
        {
            return null;
        }
        TriangleMesh mesh = element.Model.Tree.Mesh;
        Vector3 down = -towardsLight.Normalized().ToSingle();
        var (side, up) = Sampling.Frame(down);
        int step = Math.Max(1, mesh.TriangleCount / 600);
        double margin = double.PositiveInfinity;
        Vec3 place = default;
        int rays = 0,
            missed = 0;
        for (int i = 0; i < mesh.TriangleCount; i += step)
        {
            var (a, b, c) = mesh.Triangle(i);
            Vector3 p = element.ObjectToWorld.Apply(Vec3.From((a + b + c) / 3)).ToSingle();
            // Only points that the light reaches throw a shadow of their own.
            if (set.Scene.Occluded(new Ray(p, -down, 1e-3f, float.PositiveInfinity), RayKinds.LightSet))
            {
                continue;
            }
            rays++;
            bool lands = false;
            Vector3 landing = p;
            float own = 0;
            for (int s = 0; s < Steps.Length; s++)
            {
                bool all = true;
                for (int k = 0; k < (s == 0 ? 1 : 8) && all; k++)
                {
                    var (sin, cos) = ElementaryF.SinCos(MathF.PI / 4 * k);
                    // Back towards the light, so that a shifted start never lies under the floor it stands on.
                    Vector3 from = p + (side * cos + up * sin) * Steps[s] - down * (1.5f * Steps[s] / MathF.Max(-down.Y, 0.1f));
                    var ray = new Ray(from, down, 1e-3f, float.PositiveInfinity);
                    Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet | RayKinds.LightSet);
                    all = hit.IsHit && Receives(set, hit);
                    if (s == 0 && hit.IsHit)
                    {
                        landing = ray.At(hit.T);
                    }
                }
                if (!all)
                {
                    break;
                }
                lands = true;
                own = Steps[s];
            }
            if (!lands)
            {
                missed++;
            }
            if (own < margin)
            {
                (margin, place) = (own, Vec3.From(landing));
            }
        }
        return rays == 0 ? null : new(margin, place, (double)missed / rays, rays);
    }

    private static bool Receives(SetScene set, in Hit hit)
    {
        int piece = set.PieceOf(hit);
        return piece >= 0 && set.Pieces[piece].Duties is { Receives: true, OnlyBlocksLight: false };
    }
}
