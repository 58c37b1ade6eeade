using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;

namespace Plenk.Core.Sets;

/// <summary>A piece laid through points, and how far they lie from it.</summary>
/// <param name="Assumed">What the points do not say and was taken for it, in the artist's terms; null: they say all.</param>
public sealed record FittedPiece(Piece Piece, double RmsMetres, double LargestMetres, string? Assumed = null);

/// <summary>Planes and boxes through survey points, in the world.</summary>
public static class PieceFit
{
    /// <summary>A plane within this of level or upright is meant to be level or upright.</summary>
    public const double SnapDegrees = 2;

    /// <summary>Points that reach less far back than this share of how wide they reach are of a front.</summary>
    private const double FrontShare = 0.02;

    /// <summary>
    /// The plane of least squares through three or more points, as large as they reach; set level or upright when it lies
    /// within <see cref="SnapDegrees"/> of that. Its front looks up, or to <paramref name="eye"/> where it stands upright.
    /// </summary>
    public static FittedPiece? Plane(IReadOnlyList<Vec3> points, Vec3? eye, out string? reason)
    {
        if (PlaneFit.Fit(points, out reason) is not { } fit)
        {
            return null;
        }
        Vec3 n = fit.Normal;
        double tilt = Rotations.Degrees(Elementary.Acos(Math.Clamp(n.Y, -1, 1)));
        if (tilt < SnapDegrees)
        {
            n = Vec3.UnitY;
        }
        else if (Math.Abs(tilt - 90) < SnapDegrees)
        {
            n = new Vec3(n.X, 0, n.Z).Normalized();
        }
        bool steep = n.Y < Elementary.Cos(Rotations.Radians(60));
        if (steep && eye is { } e && Vec3.Dot(e - fit.Centroid, n) < 0)
        {
            n = -n;
        }
        // The piece's own X runs level in a steep plane; in a flat one along the smallest rectangle around the points.
        Vec3 x = steep ? Vec3.Cross(Vec3.UnitY, n).Normalized() : SmallestRectangle(points, n);
        Vec3 z = Vec3.Cross(x, n);
        (double minX, double maxX) = Reach(points, x);
        (double minZ, double maxZ) = Reach(points, z);
        double offset = points.Average(p => Vec3.Dot(p, n));
        Vec3 centre = x * ((minX + maxX) / 2) + n * offset + z * ((minZ + maxZ) / 2);
        double[] off = [.. points.Select(p => Math.Abs(Vec3.Dot(p, n) - offset))];
        return new(
            new Piece
            {
                Id = "",
                Kind = PieceKind.Plane,
                Position = centre,
                RotationYxzDegrees = Rotations.ToEulerYxzDegrees(Matrix3.FromColumns(x, n, z)),
                Size = new(maxX - minX, 0, maxZ - minZ),
            },
            Math.Sqrt(off.Average(d => d * d)),
            off.Max()
        );
    }

    /// <summary>
    /// The smallest upright box around four or more points: its foot is their smallest rectangle seen from above. The distance of a point
    /// is that to the nearest side. Points of an upright front alone do not say how deep it is: it is then taken as deep as wide, away from
    /// <paramref name="eye"/>, and said so.
    /// </summary>
    /// <param name="eye">From where they are seen; null: a front alone is refused.</param>
    public static FittedPiece? Box(IReadOnlyList<Vec3> points, out string? reason, Vec3? eye = null)
    {
        reason = null;
        if (points.Any(p => !p.IsFinite))
        {
            reason = "one of the points has a position that is not a number";
        }
        else if (points.Count < 4)
        {
            reason = $"a box needs four points or more; {points.Count} {(points.Count == 1 ? "is" : "are")} chosen";
        }
        if (reason is not null)
        {
            return null;
        }
        Vec3 x = SmallestRectangle(points, Vec3.UnitY),
            z = Vec3.Cross(x, Vec3.UnitY);
        var (minX, maxX) = Reach(points, x);
        var (minY, maxY) = Reach(points, Vec3.UnitY);
        var (minZ, maxZ) = Reach(points, z);
        var size = new Vec3(maxX - minX, maxY - minY, maxZ - minZ);
        double largest = Math.Max(size.X, Math.Max(size.Y, size.Z)),
            wide = Math.Max(size.X, size.Z);
        string? assumed = null;
        if (eye is { } from && Math.Min(size.X, size.Z) < FrontShare * wide && wide >= 1e-3 * largest)
        {
            assumed =
                $"These points are of its front alone: it is taken as deep as it is wide, {wide:0.##} m. Type its depth, or circle points of a side too.";
            if (size.X < size.Z)
            {
                (minX, maxX) = Vec3.Dot(from, x) > (minX + maxX) / 2 ? (maxX - wide, maxX) : (minX, minX + wide);
            }
            else
            {
                (minZ, maxZ) = Vec3.Dot(from, z) > (minZ + maxZ) / 2 ? (maxZ - wide, maxZ) : (minZ, minZ + wide);
            }
            size = new(maxX - minX, size.Y, maxZ - minZ);
        }
        if (Math.Min(size.X, size.Z) < 1e-3 * largest)
        {
            reason = "seen from above the points lie in a line, so they do not say how deep the box is; choose one to the side of it";
            return null;
        }
        if (size.Y < 1e-3 * largest)
        {
            reason = "the points lie at one height, so they do not say how tall the box is; choose one above them";
            return null;
        }
        Vec3 foot = x * ((minX + maxX) / 2) + Vec3.UnitY * minY + z * ((minZ + maxZ) / 2);
        double[] off =
        [
            .. points.Select(p =>
            {
                double a = Vec3.Dot(p, x),
                    b = p.Y,
                    c = Vec3.Dot(p, z);
                return new[] { a - minX, maxX - a, b - minY, maxY - b, c - minZ, maxZ - c }.Min();
            }),
        ];
        return new(
            new Piece
            {
                Id = "",
                Kind = PieceKind.Box,
                Position = foot,
                RotationYxzDegrees = Rotations.ToEulerYxzDegrees(Matrix3.FromColumns(x, Vec3.UnitY, z)),
                Size = size,
            },
            Math.Sqrt(off.Average(d => d * d)),
            off.Max(),
            assumed
        );
    }

    /// <summary>
    /// An upright cylinder through five or more points: the circle of least squares seen from above (Taubin 1991, by Gauss–Newton on the
    /// distances), as high as they reach.
    /// </summary>
    public static FittedPiece? Cylinder(IReadOnlyList<Vec3> points, out string? reason)
    {
        reason = null;
        if (points.Any(p => !p.IsFinite))
        {
            reason = "one of the points has a position that is not a number";
        }
        else if (points.Count < 5)
        {
            reason = $"a cylinder needs five points or more; {points.Count} {(points.Count == 1 ? "is" : "are")} chosen";
        }
        if (reason is not null)
        {
            return null;
        }
        // Kåsa's linear circle first: x² + z² = 2 a x + 2 b z + c, about the points' middle.
        double mx = points.Average(p => p.X),
            mz = points.Average(p => p.Z);
        var normal = new double[9];
        var right = new double[3];
        foreach (Vec3 p in points)
        {
            double x = p.X - mx,
                z = p.Z - mz,
                s = x * x + z * z;
            double[] row = [2 * x, 2 * z, 1];
            for (int i = 0; i < 3; i++)
            {
                right[i] += row[i] * s;
                for (int j = 0; j <= i; j++)
                {
                    normal[3 * i + j] += row[i] * row[j];
                }
            }
        }
        double spread = points.Average(p => (p.X - mx) * (p.X - mx) + (p.Z - mz) * (p.Z - mz));
        if (!(spread > 1e-12) || Cholesky.Solve(normal, right, 3) is not { } k || !(k[2] + k[0] * k[0] + k[1] * k[1] > 0))
        {
            reason = "seen from above the points lie in a line or on one spot, which tells no roundness";
            return null;
        }
        double cx = k[0],
            cz = k[1],
            radius = Math.Sqrt(k[2] + cx * cx + cz * cz);
        for (int step = 0; step < 30; step++)
        {
            var m = new double[9];
            var r = new double[3];
            foreach (Vec3 p in points)
            {
                double dx = p.X - mx - cx,
                    dz = p.Z - mz - cz,
                    d = Math.Sqrt(dx * dx + dz * dz),
                    off = d - radius;
                if (d < 1e-9)
                {
                    continue;
                }
                double[] row = [-dx / d, -dz / d, -1];
                for (int i = 0; i < 3; i++)
                {
                    r[i] -= row[i] * off;
                    for (int j = 0; j <= i; j++)
                    {
                        m[3 * i + j] += row[i] * row[j];
                    }
                }
            }
            for (int i = 0; i < 3; i++)
            {
                m[4 * i] = m[4 * i] * (1 + 1e-9) + 1e-12;
            }
            if (Cholesky.Solve(m, r, 3) is not { } by)
            {
                break;
            }
            (cx, cz, radius) = (cx + by[0], cz + by[1], radius + by[2]);
            if (by.Max(Math.Abs) < 1e-10)
            {
                break;
            }
        }
        var (low, high) = Reach(points, Vec3.UnitY);
        if (!(radius > 0) || radius > 1e3 * Math.Sqrt(spread))
        {
            reason = "the points lie too nearly in a plane to tell how round they are";
            return null;
        }
        if (high - low < 1e-3 * radius)
        {
            reason = "the points lie at one height, so they do not say how tall the cylinder is";
            return null;
        }
        double[] offs =
        [
            .. points.Select(p => Math.Abs(Math.Sqrt((p.X - mx - cx) * (p.X - mx - cx) + (p.Z - mz - cz) * (p.Z - mz - cz)) - radius)),
        ];
        return new(
            new Piece
            {
                Id = "",
                Kind = PieceKind.Cylinder,
                Position = new(mx + cx, low, mz + cz),
                Size = new(2 * radius, high - low, 2 * radius),
            },
            Math.Sqrt(offs.Average(o => o * o)),
            offs.Max()
        );
    }

    /// <summary>
    /// Turned by up to <see cref="SnapDegrees"/> so that it stands square to the neighbour whose heading is nearest, about its own middle.
    /// </summary>
    public static Piece Square(Piece piece, IEnumerable<Piece> neighbours)
    {
        if (piece.Kind == PieceKind.Cylinder)
        {
            return piece;
        }
        double own = piece.RotationYxzDegrees.Y;
        double? nearest = neighbours
            .Where(n => n.Kind is PieceKind.Box or PieceKind.Plane or PieceKind.Stairs)
            .Select(n => Math.IEEERemainder(n.RotationYxzDegrees.Y - own, 90))
            .OrderBy(Math.Abs)
            .Select(d => (double?)d)
            .FirstOrDefault();
        return nearest is { } by && Math.Abs(by) is > 1e-9 and < SnapDegrees
            ? piece with
            {
                RotationYxzDegrees = new(piece.RotationYxzDegrees.X, own + by, piece.RotationYxzDegrees.Z),
            }
            : piece;
    }

    private static (double Min, double Max) Reach(IReadOnlyList<Vec3> points, Vec3 axis) =>
        (points.Min(p => Vec3.Dot(p, axis)), points.Max(p => Vec3.Dot(p, axis)));

    /// <summary>
    /// The direction, square to n, of the longer side of the smallest rectangle around the points. One side of it lies along an
    /// edge of their convex hull (Freeman and Shapira 1975), so trying the lines between all pairs finds it.
    /// </summary>
    private static Vec3 SmallestRectangle(IReadOnlyList<Vec3> points, Vec3 n)
    {
        Vec3 best = default;
        double smallest = double.PositiveInfinity;
        for (int i = 0; i < points.Count; i++)
        {
            for (int j = 0; j < i; j++)
            {
                Vec3 d = points[i] - points[j];
                d -= n * Vec3.Dot(d, n);
                if (d.Length < 1e-9)
                {
                    continue;
                }
                d = d.Normalized();
                Vec3 side = Vec3.Cross(d, n);
                var (a, b) = Reach(points, d);
                var (c, e) = Reach(points, side);
                double area = (b - a) * (e - c);
                // Among rectangles of one size the first found stands; rounding must not choose.
                if (area < smallest * (1 - 1e-9))
                {
                    (smallest, best) = (area, b - a >= e - c ? d : side);
                }
            }
        }
        return best.X < -1e-12 || (Math.Abs(best.X) <= 1e-12 && best.Z < 0) ? -best : best;
    }
}
