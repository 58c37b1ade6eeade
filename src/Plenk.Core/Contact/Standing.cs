using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>Heights of an element's foot over the set, metres; negative sinks. Places are world points on the foot.</summary>
public sealed record FootReport(double LargestGap, Vec3 GapPlace, double DeepestSink, Vec3 SinkPlace, int Points);

/// <summary>How things stand on the set.</summary>
public static class Standing
{
    /// <summary>How far above a foot point the set may reach and still count as what it stands on (a sunk foot), metres.</summary>
    private const float Climb = 0.35f;

    /// <summary>The foot of a mesh, in its own space: its vertices within 2 mm (in the world) of its lowest one, at most 2000.</summary>
    public static IReadOnlyList<Vector3> Foot(TriangleMesh mesh, double scale)
    {
        var (min, _) = mesh.Bounds();
        float band = 0.002f / (float)scale;
        Vector3[] foot = [.. mesh.Positions.Where(p => p.Y <= min.Y + band).Distinct()];
        int step = Math.Max(1, foot.Length / 2000);
        return [.. foot.Where((_, i) => i % step == 0)];
    }

    /// <summary>Gap and sink of the foot along gravity; null when nothing of the set lies below it.</summary>
    public static FootReport? Measure(SetScene set, TriangleMesh mesh, Similarity objectToWorld)
    {
        double gap = double.NegativeInfinity,
            sink = double.PositiveInfinity;
        Vec3 gapPlace = default,
            sinkPlace = default;
        int points = 0;
        foreach (Vector3 p in Foot(mesh, objectToWorld.Scale))
        {
            Vec3 w = objectToWorld.Apply(Vec3.From(p));
            if (HeightOver(set, w) is not { } h)
            {
                continue;
            }
            points++;
            if (h > gap)
            {
                (gap, gapPlace) = (h, w);
            }
            if (h < sink)
            {
                (sink, sinkPlace) = (h, w);
            }
        }
        return points == 0 ? null : new(gap, gapPlace, sink, sinkPlace, points);
    }

    /// <summary>
    /// How far an element must go down (negative: up) until it first touches: the least height of its corners over the set,
    /// and of the set's corners under it. Null when nothing lies below.
    /// </summary>
    public static double? DropToTouch(SetScene set, ElementModel model, Similarity objectToWorld)
    {
        TriangleMesh mesh = model.Tree.Mesh;
        double least = double.PositiveInfinity;
        int step = Math.Max(1, mesh.Positions.Length / 60_000);
        var (low, high) = mesh.Bounds();
        // Corners of the lower half decide; the foot's are always among them.
        float middle = low.Y + 0.5f * (high.Y - low.Y);
        for (int i = 0; i < mesh.Positions.Length; i += step)
        {
            if (mesh.Positions[i].Y > middle)
            {
                continue;
            }
            if (HeightOver(set, objectToWorld.Apply(Vec3.From(mesh.Positions[i]))) is { } h)
            {
                least = Math.Min(least, h);
            }
        }
        foreach (Vector3 p in Foot(mesh, objectToWorld.Scale))
        {
            if (HeightOver(set, objectToWorld.Apply(Vec3.From(p))) is { } h)
            {
                least = Math.Min(least, h);
            }
        }
        var instance = new TraceInstance(model.Tree, objectToWorld, RayKinds.Element);
        var scene = new TraceScene([instance]);
        foreach (TriangleMesh piece in set.Meshes)
        {
            foreach (Vector3 p in piece.Positions)
            {
                if (p.X < instance.Min.X || p.X > instance.Max.X || p.Z < instance.Min.Z || p.Z > instance.Max.Z || p.Y > instance.Max.Y)
                {
                    continue;
                }
                Hit hit = scene.Intersect(new Ray(p - Vector3.UnitY * Climb, Vector3.UnitY), RayKinds.Element);
                if (hit.IsHit && hit.T - Climb < instance.Max.Y - p.Y)
                {
                    least = Math.Min(least, hit.T - Climb);
                }
            }
        }
        return double.IsFinite(least) ? least : null;
    }

    /// <summary>Set surface straight under a point, and its normal turned upwards; null when there is none.</summary>
    public static (Vec3 Point, Vec3 Normal)? Below(SetScene set, Vec3 from)
    {
        var ray = new Ray(from.ToSingle(), -Vector3.UnitY);
        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
        if (!hit.IsHit)
        {
            return null;
        }
        Vector3 n = set.Instances[hit.Instance].FaceNormal(hit);
        return (Vec3.From(ray.At(hit.T)), Vec3.From(n.Y < 0 ? -n : n));
    }

    private static double? HeightOver(SetScene set, Vec3 point)
    {
        (Vec3 Point, Vec3 Normal)? below = Below(set, point + Vec3.UnitY * Climb);
        return below is { } b ? point.Y - b.Point.Y : null;
    }
}
