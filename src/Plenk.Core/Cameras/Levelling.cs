using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Cameras;

/// <summary>
/// Which way is up in the camera's own space, and by how many degrees the drawn lines disagree with it (root mean square).
/// </summary>
public sealed record LevelResult(Vec3 Up, double RmsDegrees);

/// <summary>
/// Up from lines in the picture, without any point: the plane through the camera and a drawn horizon is level, and the plane
/// through the camera and an upright edge contains the vertical (Hartley and Zisserman 8.6.3: the horizon is the vanishing line
/// of level planes, the vertical their pole). Up is the direction that fits all of them by least squares.
/// </summary>
public static class Levelling
{
    /// <param name="camera">A frame's placement in the camera's own space and its inner geometry; null where it has none.</param>
    /// <param name="reason">What keeps up from being found, null where it is.</param>
    public static LevelResult? Solve(
        IReadOnlyList<LevelLine> lines,
        Func<int, (Pose CameraToSource, Pinhole Pinhole)?> camera,
        out string? reason
    )
    {
        var level = Matrix<double>.Build.Dense(3, 3);
        var planes = new List<(bool Horizon, Vec3 Normal)>();
        Vec3 cameraUp = default;
        foreach (LevelLine l in lines)
        {
            if (camera(l.Frame) is not { } c)
            {
                reason = $"the camera has no sample for frame {l.Frame}, where a level line is drawn";
                return null;
            }
            if (
                !c.Pinhole.TryDirection(l.X1, l.Y1, out Vec3 a)
                || !c.Pinhole.TryDirection(l.X2, l.Y2, out Vec3 b)
                || Vec3.Cross(a.Normalized(), b.Normalized()).Length < 1e-4
            )
            {
                reason = $"the level line at frame {l.Frame} is too short, or lies outside the lens; draw it longer";
                return null;
            }
            Vec3 n = c.CameraToSource.Rotation * Vec3.Cross(a, b).Normalized();
            cameraUp += c.CameraToSource.Rotation * Vec3.UnitY;
            planes.Add((l.Horizon, n));
            Vector<double> v = Vector<double>.Build.DenseOfArray([n.X, n.Y, n.Z]);
            // A horizon's normal is up itself: two constraints; an upright's is square to it: one.
            level += l.Horizon ? Matrix<double>.Build.DenseIdentity(3) - v.OuterProduct(v) : v.OuterProduct(v);
        }
        if (planes.Count == 0)
        {
            reason = "no level line is drawn";
            return null;
        }
        var evd = level.Evd(Symmetricity.Symmetric);
        if (evd.EigenValues[1].Real < 2e-4 * planes.Count)
        {
            reason =
                "these uprights all lie in one plane with the camera, which leaves the tilt open; draw another one to the side of it, "
                + "or the same one in a frame seen from elsewhere, or a horizon";
            return null;
        }
        Vector<double> u = evd.EigenVectors.Column(0);
        var up = new Vec3(u[0], u[1], u[2]).Normalized();
        if (Vec3.Dot(up, cameraUp) < 0)
        {
            up = -up;
        }
        reason = null;
        double squares = planes.Sum(p =>
        {
            double off = p.Horizon
                ? Elementary.Acos(Math.Min(1, Math.Abs(Vec3.Dot(p.Normal, up))))
                : Elementary.Asin(Math.Min(1, Math.Abs(Vec3.Dot(p.Normal, up))));
            return off * off;
        });
        return new(up, Rotations.Degrees(Math.Sqrt(squares / planes.Count)));
    }
}
