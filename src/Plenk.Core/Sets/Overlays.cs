using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>A bent line on the plate: pixels x0 y0 x1 y1 …, hidden when something of the set stands in front of it.</summary>
public sealed record OverlayLine(float[] Points, bool Hidden, int Piece);

/// <summary>Lines of the set and of the floor drawn over a frame: bent by the lens, parted where they pass behind something.</summary>
public static class Overlays
{
    private const double StepPixels = 14;

    public static IReadOnlyList<OverlayLine> Wireframe(Pinhole pinhole, Pose cameraToWorld, SetScene set)
    {
        var lines = new List<OverlayLine>();
        for (int i = 0; i < set.Pieces.Count; i++)
        {
            if (set.Pieces[i].Duties.OnlyBlocksLight)
            {
                continue;
            }
            IReadOnlyList<(Vector3, Vector3)> edges = PieceMeshes.FeatureEdges(set.Meshes[i]);
            // A dense mesh would cover the picture with ink: its longest edges tell its shape.
            if (edges.Count > 400)
            {
                edges = [.. edges.OrderByDescending(e => Vector3.DistanceSquared(e.Item1, e.Item2)).Take(400)];
            }
            foreach (var (a, b) in edges)
            {
                Draw(lines, pinhole, cameraToWorld, set, Vec3.From(a), Vec3.From(b), i);
            }
        }
        return lines;
    }

    /// <summary>Lines a metre apart on y = 0 around the origin of the floor; hidden by whatever stands in front.</summary>
    public static IReadOnlyList<OverlayLine> FloorGrid(Pinhole pinhole, Pose cameraToWorld, SetScene set, int halfExtent = 12)
    {
        var lines = new List<OverlayLine>();
        for (int k = -halfExtent; k <= halfExtent; k++)
        {
            for (int j = -halfExtent; j < halfExtent; j += 2)
            {
                Draw(lines, pinhole, cameraToWorld, set, new Vec3(k, 0, j), new Vec3(k, 0, j + 2), -1);
                Draw(lines, pinhole, cameraToWorld, set, new Vec3(j, 0, k), new Vec3(j + 2, 0, k), -1);
            }
        }
        return lines;
    }

    /// <summary>Stand-ins on the floor; hidden by whatever stands in front.</summary>
    public static IReadOnlyList<OverlayLine> StandIns(
        Pinhole pinhole,
        Pose cameraToWorld,
        SetScene set,
        IReadOnlyList<Shots.StandIn> standIns
    )
    {
        var lines = new List<OverlayLine>();
        for (int i = 0; i < standIns.Count; i++)
        {
            foreach (var (a, b) in StandInLines.Of(standIns[i], cameraToWorld.Position))
            {
                Draw(lines, pinhole, cameraToWorld, set, a, b, i);
            }
        }
        return lines;
    }

    /// <summary>Two half metres along a placement's X and Z and one along its Y, in nobody's shadow.</summary>
    public static IReadOnlyList<OverlayLine> Axes(Pinhole pinhole, Pose cameraToWorld, Pose placement)
    {
        var lines = new List<OverlayLine>();
        var empty = new SetScene([], (_, _) => throw new InvalidOperationException());
        foreach (Vec3 tip in (Vec3[])[new(0.5, 0, 0), new(0, 1, 0), new(0, 0, 0.5)])
        {
            Draw(lines, pinhole, cameraToWorld, empty, placement.Position, placement.ToWorld(tip), -1);
        }
        return lines;
    }

    private static void Draw(List<OverlayLine> lines, Pinhole pinhole, Pose pose, SetScene set, Vec3 a, Vec3 b, int piece)
    {
        // Cut at a plane 5 cm before the camera.
        const double near = -0.05;
        Vec3 ca = pose.ToLocal(a),
            cb = pose.ToLocal(b);
        if (ca.Z > near && cb.Z > near)
        {
            return;
        }
        if (ca.Z > near)
        {
            ca = ca + (cb - ca) * ((near - ca.Z) / (cb.Z - ca.Z));
        }
        if (cb.Z > near)
        {
            cb = cb + (ca - cb) * ((near - cb.Z) / (ca.Z - cb.Z));
        }
        double length = Math.Sqrt(Elementary.Pow(ca.X / ca.Z - cb.X / cb.Z, 2) + Elementary.Pow(ca.Y / ca.Z - cb.Y / cb.Z, 2)) * pinhole.Fx;
        int steps = Math.Clamp((int)Math.Ceiling(length / StepPixels), 1, 200);
        var run = new List<float>();
        bool runHidden = false;
        Vector3 eye = pose.Position.ToSingle();
        void Flush()
        {
            if (run.Count >= 4)
            {
                lines.Add(new([.. run], runHidden, piece));
            }
            run.Clear();
        }
        Vec3 At(double t)
        {
            // Even steps on the picture, so straight in 1/z.
            double w = t / cb.Z / ((1 - t) / ca.Z + t / cb.Z);
            return ca + (cb - ca) * w;
        }
        bool previousInside = pinhole.TryProject(ca, out double px, out double py) && Near(px, py);
        for (int i = 1; i <= steps; i++)
        {
            bool inside = pinhole.TryProject(At((double)i / steps), out double qx, out double qy) && Near(qx, qy);
            if (inside && previousInside)
            {
                Vec3 middle = pose.ToWorld(At((i - 0.5) / steps));
                Vector3 to = middle.ToSingle() - eye;
                float distance = to.Length();
                bool hidden = set.Scene.Occluded(new Ray(eye, to / distance, 0, distance * 0.998f - 0.002f), RayKinds.CameraSet);
                if (run.Count > 0 && hidden != runHidden)
                {
                    Flush();
                }
                if (run.Count == 0)
                {
                    runHidden = hidden;
                    run.Add((float)px);
                    run.Add((float)py);
                }
                run.Add((float)qx);
                run.Add((float)qy);
            }
            else
            {
                Flush();
            }
            (px, py, previousInside) = (qx, qy, inside);
        }
        Flush();

        bool Near(double x, double y) =>
            x > -0.25 * pinhole.Width && x < 1.25 * pinhole.Width && y > -0.25 * pinhole.Height && y < 1.25 * pinhole.Height;
    }
}
