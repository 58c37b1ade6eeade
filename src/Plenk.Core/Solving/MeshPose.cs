using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>A place on a mesh, in the object's own space, and where the picture shows it; pixels.</summary>
public readonly record struct MeshSight(Vec3 Place, double X, double Y);

/// <summary>A place on a mesh's edge that should lie on the picture's edge through (X, Y) with the unit normal (Nx, Ny).</summary>
public readonly record struct EdgeSight(Vec3 Place, double X, double Y, double Nx, double Ny);

/// <summary>
/// Where a rigid mesh stands before a camera, from places on it and places on its edges, by Gauss–Newton on the pixel
/// errors with Cauchy weights. Poses here are object to camera: the camera looks along −Z, +Y up.
/// </summary>
public static class MeshPose
{
    /// <summary>What of a pose may change, in the camera's axes: turns about the object's origin, then shifts.</summary>
    [Flags]
    public enum Freedom
    {
        ShiftX = 1,
        ShiftY = 2,
        ShiftZ = 4,
        Roll = 8,
        Turn = 16,

        /// <summary>One place held: it slides along with it.</summary>
        Slide = ShiftX | ShiftY,

        /// <summary>Two: it grows and rolls as well.</summary>
        SlideGrowRoll = Slide | ShiftZ | Roll,
        All = SlideGrowRoll | Turn,
    }

    /// <summary>What as many held places can decide.</summary>
    public static Freedom For(int places) =>
        places switch
        {
            0 => 0,
            1 => Freedom.Slide,
            2 => Freedom.SlideGrowRoll,
            _ => Freedom.All,
        };

    /// <summary>Why held places do not decide a pose; null where they do.</summary>
    public static string? Fault(IReadOnlyList<Vec3> places)
    {
        if (places.Count < 3)
        {
            return null;
        }
        Vec3 from = places[0],
            far = places.MaxBy(p => (p - from).LengthSquared);
        double length = (far - from).Length;
        if (length < 1e-6)
        {
            return "these pins sit on one spot of the mesh; put them further apart";
        }
        double aside = places.Max(p => Vec3.Cross(p - from, (far - from) / length).Length);
        return aside < 0.03 * length
            ? "these pins lie in one line on the mesh, which leaves its turn about that line open; add one to the side of it"
            : null;
    }

    /// <summary>The pose after at most <paramref name="steps"/> steps; where it cannot be improved, the one that was given.</summary>
    /// <param name="width">Of the Cauchy weight, pixels; infinite: plain least squares.</param>
    /// <param name="turnSigma">
    /// How far the turn may be expected to lie from the given one, radians; infinite: anywhere. It decides where a flat face seen from the
    /// front could be tilted either way.
    /// </param>
    public static Pose Refine(
        Pose objectToCamera,
        Pinhole pinhole,
        IReadOnlyList<MeshSight> points,
        IReadOnlyList<EdgeSight> edges,
        double width,
        Freedom freedom = Freedom.All,
        int steps = 20,
        double turnSigma = double.PositiveInfinity
    )
    {
        Matrix3 expected = objectToCamera.Rotation;
        double stiff = 1 / (turnSigma * turnSigma);
        int[] free =
        [
            .. Enumerable
                .Range(0, 6)
                .Where(i =>
                    freedom.HasFlag(
                        i switch
                        {
                            0 or 1 => Freedom.Turn,
                            2 => Freedom.Roll,
                            3 => Freedom.ShiftX,
                            4 => Freedom.ShiftY,
                            _ => Freedom.ShiftZ,
                        }
                    )
                ),
        ];
        double lambda = 1e-4,
            cost = Cost(objectToCamera, pinhole, points, edges, width) + stiff * Turned(objectToCamera.Rotation, expected).LengthSquared;
        Span<double> row = stackalloc double[6];
        for (int step = 0; step < steps && free.Length > 0; step++)
        {
            var normal = new double[free.Length * free.Length];
            var right = new double[free.Length];
            void Add(ReadOnlySpan<double> j, double residual, double weight)
            {
                for (int a = 0; a < free.Length; a++)
                {
                    right[a] -= weight * j[free[a]] * residual;
                    for (int b = 0; b <= a; b++)
                    {
                        normal[a * free.Length + b] += weight * j[free[a]] * j[free[b]];
                    }
                }
            }
            foreach (MeshSight s in points)
            {
                if (!Derivative(objectToCamera, pinhole, s.Place, out double x, out double y, out Vec3 gx, out Vec3 gy, out Vec3 arm))
                {
                    continue;
                }
                double rx = x - s.X,
                    ry = y - s.Y,
                    weight = Weight(rx * rx + ry * ry, width);
                Row(gx, arm, row);
                Add(row, rx, weight);
                Row(gy, arm, row);
                Add(row, ry, weight);
            }
            foreach (EdgeSight s in edges)
            {
                if (!Derivative(objectToCamera, pinhole, s.Place, out double x, out double y, out Vec3 gx, out Vec3 gy, out Vec3 arm))
                {
                    continue;
                }
                double r = (x - s.X) * s.Nx + (y - s.Y) * s.Ny;
                Row(s.Nx * gx + s.Ny * gy, arm, row);
                Add(row, r, 0.5 * Weight(r * r, width));
            }
            Vec3 away = Turned(objectToCamera.Rotation, expected);
            for (int a = 0; a < free.Length && free[a] < 3; a++)
            {
                normal[a * free.Length + a] += stiff;
                right[a] -=
                    stiff
                    * (
                        free[a] switch
                        {
                            0 => away.X,
                            1 => away.Y,
                            _ => away.Z,
                        }
                    );
            }
            bool better = false;
            for (int attempt = 0; attempt < 8 && !better; attempt++)
            {
                var damped = (double[])normal.Clone();
                for (int a = 0; a < free.Length; a++)
                {
                    damped[a * free.Length + a] = damped[a * free.Length + a] * (1 + lambda) + 1e-12;
                }
                if (Cholesky.Solve(damped, right, free.Length) is { } d)
                {
                    var by = new double[6];
                    for (int a = 0; a < free.Length; a++)
                    {
                        by[free[a]] = d[a];
                    }
                    var turn = new Vec3(by[0], by[1], by[2]);
                    Pose next = new(
                        turn.Length > 0
                            ? Rotations.FromAxisAngle(turn / turn.Length, turn.Length) * objectToCamera.Rotation
                            : objectToCamera.Rotation,
                        objectToCamera.Position + new Vec3(by[3], by[4], by[5])
                    );
                    double nextCost = Cost(next, pinhole, points, edges, width) + stiff * Turned(next.Rotation, expected).LengthSquared;
                    if (nextCost < cost)
                    {
                        better = (cost - nextCost) > 1e-9 * cost;
                        (objectToCamera, cost, lambda) = (next, nextCost, Math.Max(1e-9, lambda / 5));
                        if (!better)
                        {
                            return objectToCamera;
                        }
                        continue;
                    }
                }
                lambda *= 6;
            }
            if (!better)
            {
                break;
            }
        }
        return objectToCamera;
    }

    /// <summary>The small turn that takes one rotation to another, radians.</summary>
    private static Vec3 Turned(Matrix3 now, Matrix3 expected)
    {
        Matrix3 d = now * expected.Transpose();
        return 0.5 * new Vec3(d.M32 - d.M23, d.M13 - d.M31, d.M21 - d.M12);
    }

    /// <summary>Root mean square of the points' errors, pixels; points behind the camera count as 1000.</summary>
    public static double Rms(Pose objectToCamera, Pinhole pinhole, IReadOnlyList<MeshSight> points) =>
        points.Count == 0
            ? 0
            : Math.Sqrt(
                points.Average(s =>
                {
                    double r = Error(objectToCamera, pinhole, s);
                    return r * r;
                })
            );

    public static double Error(Pose objectToCamera, Pinhole pinhole, MeshSight s) =>
        pinhole.TryProject(objectToCamera.ToWorld(s.Place), out double x, out double y)
            ? Math.Sqrt((x - s.X) * (x - s.X) + (y - s.Y) * (y - s.Y))
            : 1000;

    private static double Weight(double square, double width) => double.IsInfinity(width) ? 1 : 1 / (1 + square / (width * width));

    private static double Loss(double square, double width) =>
        double.IsInfinity(width) ? square : width * width * Elementary.Log(1 + square / (width * width));

    private static double Cost(Pose pose, Pinhole pinhole, IReadOnlyList<MeshSight> points, IReadOnlyList<EdgeSight> edges, double width)
    {
        double cost = 0;
        foreach (MeshSight s in points)
        {
            double r = Error(pose, pinhole, s);
            cost += Loss(r * r, width);
        }
        foreach (EdgeSight s in edges)
        {
            double r = pinhole.TryProject(pose.ToWorld(s.Place), out double x, out double y) ? (x - s.X) * s.Nx + (y - s.Y) * s.Ny : 1000;
            cost += 0.5 * Loss(r * r, width);
        }
        return cost;
    }

    /// <summary>Of a pixel coordinate by (turn, shift), from its gradient by the place in the camera: d(ω × arm + δ).</summary>
    private static void Row(Vec3 gradient, Vec3 arm, Span<double> row)
    {
        Vec3 turn = Vec3.Cross(arm, gradient);
        (row[0], row[1], row[2], row[3], row[4], row[5]) = (turn.X, turn.Y, turn.Z, gradient.X, gradient.Y, gradient.Z);
    }

    private static bool Derivative(
        Pose pose,
        Pinhole pinhole,
        Vec3 place,
        out double x,
        out double y,
        out Vec3 gx,
        out Vec3 gy,
        out Vec3 arm
    )
    {
        arm = pose.Rotation * place;
        Vec3 p = arm + pose.Position;
        gx = gy = default;
        if (!pinhole.TryProject(p, out x, out y))
        {
            return false;
        }
        double h = 1e-5 * p.Length;
        if (
            !pinhole.TryProject(p + h * Vec3.UnitX, out double ax, out double ay)
            || !pinhole.TryProject(p + h * Vec3.UnitY, out double bx, out double by)
            || !pinhole.TryProject(p + h * Vec3.UnitZ, out double cx, out double cy)
        )
        {
            return false;
        }
        gx = new Vec3(ax - x, bx - x, cx - x) / h;
        gy = new Vec3(ay - y, by - y, cy - y) / h;
        return true;
    }
}
