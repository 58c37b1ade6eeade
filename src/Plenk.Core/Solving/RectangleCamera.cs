using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>A real rectangle as it is seen in a picture.</summary>
/// <param name="Corners">Four, around it in either sense, pixels.</param>
/// <param name="AcrossMetres">Length of the edge from the first to the second.</param>
public sealed record RectangleScene(int Width, int Height, IReadOnlyList<(double X, double Y)> Corners, double AcrossMetres)
{
    /// <summary>Length of the edge from the second to the third; null: found.</summary>
    public double? UpMetres { get; init; }

    /// <summary>Pixels; null: found.</summary>
    public double? FocalPx { get; init; }

    /// <summary>It stands upright, its second edge up or down; else it lies level.</summary>
    public bool Wall { get; init; }
    public Lens Lens { get; init; } = Lens.None;
}

/// <summary>The camera that sees a rectangle so, or why none does. Doubts are standard deviations.</summary>
/// <param name="AcrossMetres">The first edge along X, with its sign; the first corner is the origin.</param>
/// <param name="UpMetres">The second edge along Y of a wall, along Z of a floor, with its sign.</param>
public sealed record RectangleResult(
    string? Reason,
    Pinhole? Pinhole = null,
    Pose CameraToWorld = default,
    double AcrossMetres = 0,
    double UpMetres = 0,
    double RmsPx = 0,
    double FocalDoubtPx = 0
)
{
    public bool Solved => Reason is null;

    /// <summary>The corners in the world, in their order, metres.</summary>
    public static Vec3[] Corners(double across, double up, bool wall)
    {
        var a = new Vec3(across, 0, 0);
        Vec3 b = wall ? new(0, up, 0) : new(0, 0, up);
        return [Vec3.Zero, a, a + b, b];
    }
}

/// <summary>
/// Camera and plane from the four corners of a rectangle: the homography of its plane gives focal length and pose (Zhang 2000, sections 2.2
/// and 3.1; the shape of an unknown rectangle as Zhang and He 2007 have it), then all together by least squares on the corners.
/// </summary>
public static class RectangleCamera
{
    /// <summary>No corner is laid surer than this by hand, pixels.</summary>
    private const double Sigma = 0.5;
    private const double LeastEdge = 4; // pixels

    public static RectangleResult Solve(RectangleScene scene)
    {
        if (Fault(scene) is { } fault)
        {
            return new(fault);
        }
        double? focal = scene.FocalPx ?? Focal(scene);
        if (focal is not { } begun)
        {
            return new(
                "These corners do not tell the focal length: two edges of the rectangle run level with the picture. "
                    + "Hold the focal length, or take a rectangle that is seen from a corner."
            );
        }
        if (Begin(scene, begun) is not { } start)
        {
            return new("No camera sees a rectangle so. Are the corners given around it, one after the other?");
        }
        bool freeFocal = scene.FocalPx is null,
            freeUp = scene.UpMetres is null;
        double across = start.Across,
            upSign = Math.Sign(start.Up);
        // log f, log of the second edge, then the turn from where it begins and the place, in lengths of the first edge.
        double unit = scene.AcrossMetres;
        Pinhole Of(double f) => new(scene.Width, scene.Height, f, f, scene.Width / 2.0, scene.Height / 2.0, scene.Lens);
        (double F, double Up, Pose Pose) At(double[] x)
        {
            int k = 0;
            double f = freeFocal ? begun * Elementary.Exp(x[k++]) : begun,
                up = freeUp ? start.Up * Elementary.Exp(x[k++]) : upSign * scene.UpMetres!.Value;
            var turn = new Vec3(x[k], x[k + 1], x[k + 2]);
            Matrix3 by = turn.Length > 1e-15 ? Rotations.FromAxisAngle(turn.Normalized(), turn.Length) : Matrix3.Identity;
            return (f, up, new(by * start.Pose.Rotation, start.Pose.Position + unit * new Vec3(x[k + 3], x[k + 4], x[k + 5])));
        }
        double[] Residuals(double[] x)
        {
            var (f, up, pose) = At(x);
            Pinhole pinhole = Of(f);
            var r = new double[8];
            Vec3[] corners = RectangleResult.Corners(across, up, scene.Wall);
            for (int i = 0; i < 4; i++)
            {
                bool seen = pinhole.TryProject(pose, corners[i], out double px, out double py);
                (r[2 * i], r[2 * i + 1]) = seen
                    ? (px - scene.Corners[i].X, py - scene.Corners[i].Y)
                    : (double.PositiveInfinity, double.PositiveInfinity);
            }
            return r;
        }
        int n = 6 + (freeFocal ? 1 : 0) + (freeUp ? 1 : 0);
        double[] step = [.. Enumerable.Repeat(1e-6, n)];
        var (at, squares, inverse) = LeastSquares.Solve(new double[n], Residuals, step);
        double rms = Math.Sqrt(squares / 4);
        var (found, second, camera) = At(at);
        if (!double.IsFinite(squares) || rms > 0.02 * scene.Width)
        {
            return new(
                FormattableString.Invariant($"No camera sees a rectangle of these sides so: its corners would lie {rms:0} px off. ")
                    + "Look at its two lengths, and at the corners’ order."
            );
        }
        if (inverse is null)
        {
            return new("The rectangle is seen so flat or so small that its corners tell no camera. Take a larger one.");
        }
        double doubt = freeFocal ? found * Sigma * Math.Sqrt(inverse[0, 0]) : 0;
        if (doubt > 0.4 * found)
        {
            return new(
                FormattableString.Invariant(
                    $"The focal length is hardly told by this rectangle: {found:0} px, but it could be {doubt:0} px off. "
                ) + "Hold the focal length, or take a larger rectangle that is seen from a corner."
            );
        }
        return new(null, Of(found), camera, across, second, rms, doubt);
    }

    private static string? Fault(RectangleScene scene)
    {
        if (scene.Corners.Count != 4 || scene.Corners.Any(c => !double.IsFinite(c.X + c.Y)))
        {
            return "A rectangle has four corners, each at a spot of the picture.";
        }
        if (
            !(scene.AcrossMetres > 0)
            || !double.IsFinite(scene.AcrossMetres)
            || scene.UpMetres is { } up && !(up > 0 && double.IsFinite(up))
        )
        {
            return "The lengths of its edges must be more than 0 m.";
        }
        int turns = 0;
        for (int i = 0; i < 4; i++)
        {
            var (a, b, c) = (scene.Corners[i], scene.Corners[(i + 1) % 4], scene.Corners[(i + 2) % 4]);
            double ux = b.X - a.X,
                uy = b.Y - a.Y,
                vx = c.X - b.X,
                vy = c.Y - b.Y,
                length = Math.Sqrt(ux * ux + uy * uy);
            if (length < LeastEdge)
            {
                return $"Corners {i + 1} and {(i + 1) % 4 + 1} are {length:0.0} px apart. Take a rectangle that is seen larger.";
            }
            // How far the next corner lies off the edge's line.
            double off = (ux * vy - uy * vx) / length;
            if (Math.Abs(off) < 1)
            {
                return $"Corners {i + 1}, {(i + 1) % 4 + 1} and {(i + 2) % 4 + 1} lie in one line. Lay them on three different edges.";
            }
            turns += Math.Sign(off);
        }
        return Math.Abs(turns) == 4 ? null : "The corners cross over or turn inwards. Lay them around the rectangle, one after the other.";
    }

    /// <summary>Of the unit square to the picture as it is without its lens, about the middle, pixels, y up; columns.</summary>
    private static (Vec3 A, Vec3 B, Vec3 C)? Plane(RectangleScene scene, double focal)
    {
        var pinhole = new Pinhole(scene.Width, scene.Height, focal, focal, scene.Width / 2.0, scene.Height / 2.0, scene.Lens);
        var seen = new (double X, double Y)[4];
        for (int i = 0; i < 4; i++)
        {
            if (!pinhole.TryDirection(scene.Corners[i].X, scene.Corners[i].Y, out Vec3 d))
            {
                return null;
            }
            seen[i] = (focal * d.X, focal * d.Y);
        }
        return Homography.Of([(0, 0), (1, 0), (1, 1), (0, 1)], seen, [0, 1, 2, 3]) is { } h
            ? (new(h[0], h[3], h[6]), new(h[1], h[4], h[7]), new(h[2], h[5], h[8]))
            : null;
    }

    /// <summary>By what makes its edges stand at right angles, or, where its shape is known, have their lengths; null: neither tells.</summary>
    private static double? Focal(RectangleScene scene)
    {
        double f = scene.Width;
        for (int round = 0; round < (scene.Lens == Lens.None ? 1 : 5); round++)
        {
            if (Plane(scene, f) is not var (a, b, _))
            {
                return null;
            }
            // In units of the picture's width, so that all three members of a column are of one size.
            double w = scene.Width,
                square = -(a.X * b.X + a.Y * b.Y) / (a.Z * b.Z) / (w * w);
            if (scene.UpMetres is { } up && !(square is > 0.01 and < 1000))
            {
                double s = scene.AcrossMetres / up;
                square = (a.X * a.X + a.Y * a.Y - s * s * (b.X * b.X + b.Y * b.Y)) / (s * s * b.Z * b.Z - a.Z * a.Z) / (w * w);
            }
            if (!(square is > 0.01 and < 1000))
            {
                return null;
            }
            f = w * Math.Sqrt(square);
        }
        return f;
    }

    private static (Pose Pose, double Across, double Up)? Begin(RectangleScene scene, double focal)
    {
        if (Plane(scene, focal) is not var (a, b, c))
        {
            return null;
        }
        // Onto rays of the camera, which looks along −Z.
        Vec3 Ray(Vec3 h) => new(h.X / focal, h.Y / focal, -h.Z);
        (Vec3 u, Vec3 v, Vec3 o) = (Ray(a), Ray(b), Ray(c));
        double scale = scene.AcrossMetres / u.Length * (o.Z < 0 ? 1 : -1);
        (u, v, o) = (scale * u, scale * v, scale * o);
        double up = v.Length;
        Vec3 x = u.Normalized(),
            second = (v - x * Vec3.Dot(x, v)).Normalized();
        if (!x.IsFinite || !second.IsFinite || !o.IsFinite)
        {
            return null;
        }
        Vec3 facing = Vec3.Cross(x, second);
        facing = Vec3.Dot(facing, o) < 0 ? facing : -facing;
        Matrix3 toCamera;
        double across = scene.AcrossMetres;
        if (scene.Wall)
        {
            // +Y is up in the picture, and +Z comes out of the wall.
            up *= second.Y < 0 ? -1 : 1;
            Vec3 y = second.Y < 0 ? -second : second,
                along = Vec3.Cross(y, facing);
            across *= Math.Sign(Vec3.Dot(along, x));
            toCamera = Matrix3.FromColumns(along, y, facing);
        }
        else
        {
            Vec3 z = Vec3.Cross(x, facing);
            up *= Math.Sign(Vec3.Dot(z, second));
            toCamera = Matrix3.FromColumns(x, facing, z);
        }
        Matrix3 toWorld = toCamera.Transpose();
        return (new(toWorld, -(toWorld * o)), across, scene.UpMetres is { } known ? Math.Sign(up) * known : up);
    }
}
