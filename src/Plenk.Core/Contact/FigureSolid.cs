using NetTopologySuite.Geometries;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>
/// What was filmed as a flat outline, stood in the place: the outline is laid back from the camera onto an upright plane through its foot,
/// and given thickness. Turned to a light it keeps the shape that the camera saw.
/// </summary>
public static class FigureSolid
{
    /// <summary>An outline's lowest spot, pixels: where it stands. Null where there is none.</summary>
    public static (double X, double Y)? Foot(IReadOnlyList<Polygon> outline)
    {
        Coordinate[] all = [.. outline.SelectMany(p => p.ExteriorRing.Coordinates)];
        if (all.Length == 0)
        {
            return null;
        }
        double lowest = all.Max(c => c.Y),
            top = all.Min(c => c.Y);
        // Both feet: the middle of what lies in the lowest fiftieth.
        Coordinate[] low = [.. all.Where(c => c.Y > lowest - 0.02 * (lowest - top) - 0.5)];
        return ((low.Min(c => c.X) + low.Max(c => c.X)) / 2, lowest);
    }

    /// <param name="outline">In pixels of the camera.</param>
    /// <param name="foot">In the world, where it stands.</param>
    /// <param name="towards">What it is turned to: towards a light; null: towards the camera.</param>
    /// <param name="shift">By which it is moved, metres, in the world.</param>
    /// <param name="scale">About its foot.</param>
    /// <returns>Null where the outline does not meet the plane: behind the camera or beyond the lens.</returns>
    public static TriangleMesh? Of(
        IReadOnlyList<Polygon> outline,
        Pinhole pinhole,
        Pose cameraToWorld,
        Vec3 foot,
        double thicknessMetres,
        Vec3? towards = null,
        Vec3 shift = default,
        double scale = 1
    )
    {
        Vec3 Level(Vec3 v) => new(v.X, 0, v.Z);
        Vec3 facing = Level(cameraToWorld.Position - foot);
        if (facing.Length < 1e-6)
        {
            return null;
        }
        facing = facing.Normalized();
        Vec3 right = Vec3.Cross(Vec3.UnitY, facing);
        Coordinate? OnPlane(Coordinate c)
        {
            if (!pinhole.TryDirection(c.X, c.Y, out Vec3 d))
            {
                return null;
            }
            d = cameraToWorld.Rotation * d;
            double along = Vec3.Dot(d, facing);
            if (along > -1e-6)
            {
                return null;
            }
            Vec3 p = cameraToWorld.Position + d * (Vec3.Dot(foot - cameraToWorld.Position, facing) / along) - foot;
            return new(scale * Vec3.Dot(p, right), scale * p.Y);
        }
        var flat = new List<Polygon>();
        foreach (Polygon p in outline)
        {
            LinearRing? Ring(LineString r)
            {
                Coordinate?[] c = [.. r.Coordinates.Select(OnPlane)];
                return c.Any(v => v is null) ? null : new LinearRing([.. c.Select(v => v!)]);
            }
            if (Ring(p.ExteriorRing) is not { } shell)
            {
                return null;
            }
            flat.Add(new Polygon(shell, [.. p.InteriorRings.Select(Ring).OfType<LinearRing>()]));
        }
        Vec3 turned = towards is { } to && Level(to).Length > 1e-3 ? Level(to).Normalized() : facing;
        var axes = Matrix3.FromColumns(Vec3.Cross(Vec3.UnitY, turned), Vec3.UnitY, turned);
        return Extrusion.Of(flat, thicknessMetres).Moved(new Similarity(1, axes, foot + shift));
    }
}
