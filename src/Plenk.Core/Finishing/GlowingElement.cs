using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Finishing;

/// <summary>Elements that give light of their own, as the lens sees them.</summary>
public static class GlowingElement
{
    /// <summary>
    /// Its irradiance at the lens (mean own radiance times the solid angle of what faces it), where its middle is, and the share of it that
    /// nothing hides. Null: it gives none, or is behind the camera. Of a thing that is hollowed out the solid angle is too large; one that
    /// turns its back, like a card from behind, shines through.
    /// </summary>
    /// <param name="number">Of the element in the scene.</param>
    /// <param name="set">What may stand before it.</param>
    public static SeenLamp? Seen(ElementScene scene, int number, TraceScene set, Pose pose, Pinhole pinhole, int samples)
    {
        PlacedElement own = scene.Elements[number];
        if (!pinhole.TryProject(pose, own.Middle, out double x, out double y))
        {
            return null;
        }
        TriangleMesh mesh = own.Model.Tree.Mesh;
        Vector3 eye = pose.Position.ToSingle(),
            light = default;
        Vector3 World(Vector3 p) => own.ObjectToWorld.Apply(Vec3.From(p)).ToSingle();
        double[] sums = Facing(mesh, World, eye, 1);
        if (!(sums[^1] > 0))
        {
            sums = Facing(mesh, World, eye, -1);
        }
        if (!(sums[^1] > 0))
        {
            return null;
        }
        int open = 0;
        for (uint k = 0; k < samples; k++)
        {
            Vector2 u = Sampling.Point(k, 19, 0),
                v = Sampling.Point(k, 19, 1);
            int i = Array.FindIndex(sums, s => s >= u.X * sums[^1]);
            var (a, b, c) = mesh.Triangle(i);
            // Evenly over the triangle (Turk 1990).
            float r = MathF.Sqrt(u.Y);
            Vector3 d = Vector3.Normalize(World((1 - r) * a + r * (1 - v.X) * b + r * v.X * c) - eye);
            light += own.Model.At(new Hit(0, r * (1 - v.X), r * v.X, i, number)).Emission;
            Hit hit = scene.Nearest(new Ray(eye, d));
            if (hit.IsHit && hit.Instance == number && !set.Occluded(new Ray(eye, d, 0, hit.T), RayKinds.CameraSet))
            {
                open++;
            }
        }
        light /= samples;
        return light == default ? null : new(x, y, light * (float)sums[^1], (float)open / samples, -pose.ToLocal(own.Middle).Z);
    }

    /// <summary>
    /// The solid angles of the triangles that face a place, by a sign, one after another summed (Van Oosterom and Strackee 1983, equation 8).
    /// </summary>
    private static double[] Facing(TriangleMesh mesh, Func<Vector3, Vector3> world, Vector3 eye, double sign)
    {
        var sums = new double[mesh.TriangleCount];
        double sum = 0;
        for (int i = 0; i < sums.Length; i++)
        {
            var (p, q, r) = mesh.Triangle(i);
            Vec3 a = Vec3.From(world(p) - eye),
                b = Vec3.From(world(q) - eye),
                c = Vec3.From(world(r) - eye);
            double volume = -sign * Vec3.Dot(a, Vec3.Cross(b, c)),
                beside = a.Length * b.Length * c.Length + Vec3.Dot(a, b) * c.Length + Vec3.Dot(b, c) * a.Length + Vec3.Dot(c, a) * b.Length;
            sum += volume > 0 ? 2 * Elementary.Atan2(volume, beside) : 0;
            sums[i] = sum;
        }
        return sums;
    }
}
