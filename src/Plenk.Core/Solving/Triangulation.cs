using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>
/// A place from its clicks: world metres, root mean square error in pixels, and the widest angle between two of its rays.
/// </summary>
public sealed record TriangulationResult(Vec3 Point, double RmsPixels, double ParallaxDegrees);

/// <summary>One sight of a point: the camera that saw it and where, in pixels.</summary>
public readonly record struct Sight(Pose CameraToWorld, Pinhole Pinhole, double X, double Y);

/// <summary>
/// A point from two or more sights. Start: the place nearest to all rays (least squares of the distances to the lines);
/// then Gauss–Newton on the reprojection error, which is the maximum-likelihood place under equal pixel noise (Hartley and
/// Zisserman, Multiple View Geometry, 12.3).
/// </summary>
public static class Triangulation
{
    /// <summary>Rays closer together than this say nothing reliable about distance.</summary>
    public const double LeastParallaxDegrees = 0.3;

    public static TriangulationResult? Locate(IReadOnlyList<Sight> sights, out string? reason)
    {
        if (sights.Count < 2)
        {
            reason = "it is clicked in one frame only; click it in a second one, seen from another place";
            return null;
        }
        var rays = new List<(Vec3 Origin, Vec3 Direction)>();
        foreach (Sight s in sights)
        {
            if (!s.Pinhole.TryDirection(s.X, s.Y, out Vec3 d))
            {
                reason = "one of its clicks lies outside the lens";
                return null;
            }
            rays.Add((s.CameraToWorld.Position, (s.CameraToWorld.Rotation * d).Normalized()));
        }
        double widest = 0;
        for (int i = 0; i < rays.Count; i++)
        {
            for (int j = 0; j < i; j++)
            {
                widest = Math.Max(
                    widest,
                    Elementary.Atan2(
                        Vec3.Cross(rays[i].Direction, rays[j].Direction).Length,
                        Vec3.Dot(rays[i].Direction, rays[j].Direction)
                    )
                );
            }
        }
        widest = Rotations.Degrees(widest);
        if (widest < LeastParallaxDegrees)
        {
            reason = $"its clicks look along nearly the same line ({widest:0.00}° apart); click it in a frame seen from further away";
            return null;
        }
        // Σ (I − d dᵀ) (x − o) = 0
        var normal = new SymmetricSystem();
        foreach (var (o, d) in rays)
        {
            normal.AddProjected(d, o);
        }
        Vec3 x = normal.Solve();
        double cost = Cost(sights, x);
        for (int step = 0; step < 20 && double.IsFinite(cost); step++)
        {
            var system = new SymmetricSystem();
            foreach (Sight s in sights)
            {
                if (!s.Pinhole.TryProject(s.CameraToWorld, x, out double px, out double py))
                {
                    continue;
                }
                double h = 1e-5 * (1 + (x - s.CameraToWorld.Position).Length);
                Vec3 gx = default,
                    gy = default;
                foreach (Vec3 axis in (Vec3[])[Vec3.UnitX, Vec3.UnitY, Vec3.UnitZ])
                {
                    if (
                        !s.Pinhole.TryProject(s.CameraToWorld, x + h * axis, out double ax, out double ay)
                        || !s.Pinhole.TryProject(s.CameraToWorld, x - h * axis, out double bx, out double by)
                    )
                    {
                        continue;
                    }
                    gx += (ax - bx) / (2 * h) * axis;
                    gy += (ay - by) / (2 * h) * axis;
                }
                system.AddGradient(gx, s.X - px);
                system.AddGradient(gy, s.Y - py);
            }
            Vec3 move = system.Solve(),
                next = x + move;
            double better = Cost(sights, next);
            if (!(better < cost))
            {
                break;
            }
            (x, cost) = (next, better);
            if (move.Length < 1e-10)
            {
                break;
            }
        }
        if (!double.IsFinite(cost))
        {
            reason = "its clicks meet behind the camera; one of them is on another place";
            return null;
        }
        reason = null;
        return new(x, Math.Sqrt(cost / sights.Count), widest);
    }

    private static double Cost(IReadOnlyList<Sight> sights, Vec3 x)
    {
        double sum = 0;
        foreach (Sight s in sights)
        {
            if (!s.Pinhole.TryProject(s.CameraToWorld, x, out double px, out double py))
            {
                return double.PositiveInfinity;
            }
            sum += (px - s.X) * (px - s.X) + (py - s.Y) * (py - s.Y);
        }
        return sum;
    }

    /// <summary>Three unknowns' normal equations, gathered and solved by Cramer's rule.</summary>
    private sealed class SymmetricSystem
    {
        private double _xx,
            _xy,
            _xz,
            _yy,
            _yz,
            _zz;
        private Vec3 _right;

        public void AddProjected(Vec3 d, Vec3 origin)
        {
            double xx = 1 - d.X * d.X,
                xy = -d.X * d.Y,
                xz = -d.X * d.Z,
                yy = 1 - d.Y * d.Y,
                yz = -d.Y * d.Z,
                zz = 1 - d.Z * d.Z;
            (_xx, _xy, _xz, _yy, _yz, _zz) = (_xx + xx, _xy + xy, _xz + xz, _yy + yy, _yz + yz, _zz + zz);
            _right += new Vec3(
                xx * origin.X + xy * origin.Y + xz * origin.Z,
                xy * origin.X + yy * origin.Y + yz * origin.Z,
                xz * origin.X + yz * origin.Y + zz * origin.Z
            );
        }

        public void AddGradient(Vec3 g, double residual)
        {
            (_xx, _xy, _xz, _yy, _yz, _zz) = (
                _xx + g.X * g.X,
                _xy + g.X * g.Y,
                _xz + g.X * g.Z,
                _yy + g.Y * g.Y,
                _yz + g.Y * g.Z,
                _zz + g.Z * g.Z
            );
            _right += residual * g;
        }

        public Vec3 Solve()
        {
            Vec3 a = new(_xx, _xy, _xz),
                b = new(_xy, _yy, _yz),
                c = new(_xz, _yz, _zz);
            double det = Vec3.Dot(a, Vec3.Cross(b, c));
            return new Vec3(
                Vec3.Dot(_right, Vec3.Cross(b, c)) / det,
                Vec3.Dot(a, Vec3.Cross(_right, c)) / det,
                Vec3.Dot(a, Vec3.Cross(b, _right)) / det
            );
        }
    }
}
