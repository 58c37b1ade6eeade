using Plenk.Core.Algebra;

namespace Plenk.Core.Geometry;

/// <summary>Rotations of column vectors. Angles in radians unless a name says degrees.</summary>
public static class Rotations
{
    public static double Radians(double degrees) => degrees * (Math.PI / 180);

    public static double Degrees(double radians) => radians * (180 / Math.PI);

    /// <summary>The angle of the turn from one rotation to another.</summary>
    public static double DegreesBetween(Matrix3 a, Matrix3 b)
    {
        Matrix3 d = a.Transpose() * b;
        return Degrees(Elementary.Acos(Math.Clamp((d.M11 + d.M22 + d.M33 - 1) / 2, -1, 1)));
    }

    public static Matrix3 AboutX(double a) =>
        new(1, 0, 0, 0, Elementary.Cos(a), -Elementary.Sin(a), 0, Elementary.Sin(a), Elementary.Cos(a));

    public static Matrix3 AboutY(double a) =>
        new(Elementary.Cos(a), 0, Elementary.Sin(a), 0, 1, 0, -Elementary.Sin(a), 0, Elementary.Cos(a));

    public static Matrix3 AboutZ(double a) =>
        new(Elementary.Cos(a), -Elementary.Sin(a), 0, Elementary.Sin(a), Elementary.Cos(a), 0, 0, 0, 1);

    /// <summary>Turn about Y, then tilt about X, then roll about Z, each about the axis as already turned: Ry Rx Rz.</summary>
    public static Matrix3 FromEulerYxzDegrees(double x, double y, double z) => AboutY(Radians(y)) * AboutX(Radians(x)) * AboutZ(Radians(z));

    /// <summary>The angles of <see cref="FromEulerYxzDegrees"/> in degrees; where X stands at ±90° the roll is 0.</summary>
    public static Vec3 ToEulerYxzDegrees(Matrix3 m)
    {
        double x = Elementary.Asin(Math.Clamp(-m.M23, -1, 1));
        bool upright = Math.Abs(m.M23) > 1 - 1e-12;
        double y = upright ? Elementary.Atan2(-m.M31, m.M11) : Elementary.Atan2(m.M13, m.M33);
        double z = upright ? 0 : Elementary.Atan2(m.M21, m.M22);
        return new(Degrees(x), Degrees(y), Degrees(z));
    }

    /// <summary>The same angle, some whole turns on or back, nearest to another; degrees.</summary>
    public static double NearDegrees(double degrees, double to) => degrees + 360 * Math.Round((to - degrees) / 360);

    /// <summary>The same angles as a rotation, of all that come to it those nearest to others: paths of them do not jump.</summary>
    public static Vec3 NearEulerYxzDegrees(Matrix3 m, Vec3 near)
    {
        Vec3 one = ToEulerYxzDegrees(m),
            other = new(180 - one.X, one.Y + 180, one.Z + 180);
        Vec3 Near(Vec3 e) => new(NearDegrees(e.X, near.X), NearDegrees(e.Y, near.Y), NearDegrees(e.Z, near.Z));
        (one, other) = (Near(one), Near(other));
        return (one - near).LengthSquared <= (other - near).LengthSquared ? one : other;
    }

    /// <summary>Rodrigues: R = I + sin t K + (1 − cos t) K². Hartley &amp; Zisserman, Multiple View Geometry, A4.3.</summary>
    public static Matrix3 FromAxisAngle(Vec3 unitAxis, double angle)
    {
        var (x, y, z) = unitAxis;
        double s = Elementary.Sin(angle),
            c = Elementary.Cos(angle),
            t = 1 - c;
        return new(
            t * x * x + c,
            t * x * y - s * z,
            t * x * z + s * y,
            t * x * y + s * z,
            t * y * y + c,
            t * y * z - s * x,
            t * x * z - s * y,
            t * y * z + s * x,
            t * z * z + c
        );
    }

    /// <summary>The smallest rotation that takes one unit vector to another.</summary>
    public static Matrix3 Between(Vec3 from, Vec3 to)
    {
        Vec3 axis = Vec3.Cross(from, to);
        double sin = axis.Length,
            cos = Vec3.Dot(from, to);
        if (sin > 1e-12)
        {
            return FromAxisAngle(axis / sin, Elementary.Atan2(sin, cos));
        }
        if (cos > 0)
        {
            return Matrix3.Identity;
        }
        Vec3 side = Math.Abs(from.X) < 0.9 ? Vec3.UnitX : Vec3.UnitZ;
        return FromAxisAngle(Vec3.Cross(from, side).Normalized(), Math.PI);
    }

    /// <summary>
    /// Spherical interpolation of two rotations along the shorter arc (Shoemake 1985), by the axis and angle of the difference.
    /// </summary>
    public static Matrix3 Interpolate(Matrix3 from, Matrix3 to, double t)
    {
        Matrix3 d = from.Transpose() * to;
        var twist = new Vec3(d.M32 - d.M23, d.M13 - d.M31, d.M21 - d.M12);
        double sin = twist.Length / 2,
            cos = (d.M11 + d.M22 + d.M33 - 1) / 2;
        if (sin < 1e-12)
        {
            return t < 0.5 ? from : to;
        }
        return from * FromAxisAngle(twist / (2 * sin), t * Elementary.Atan2(sin, cos));
    }

    /// <summary>The unit quaternion of a rotation, w not negative.</summary>
    public static System.Numerics.Quaternion ToQuaternion(Matrix3 r)
    {
        var q = System.Numerics.Quaternion.Normalize(
            System.Numerics.Quaternion.CreateFromRotationMatrix(
                new(
                    (float)r.M11,
                    (float)r.M21,
                    (float)r.M31,
                    0,
                    (float)r.M12,
                    (float)r.M22,
                    (float)r.M32,
                    0,
                    (float)r.M13,
                    (float)r.M23,
                    (float)r.M33,
                    0,
                    0,
                    0,
                    0,
                    1
                )
            )
        );
        return q.W < 0 ? -q : q;
    }

    /// <summary>Unit quaternion (x, y, z, w) to matrix.</summary>
    public static Matrix3 FromQuaternion(double x, double y, double z, double w)
    {
        double n = 1 / Math.Sqrt(x * x + y * y + z * z + w * w);
        (x, y, z, w) = (x * n, y * n, z * n, w * n);
        return new(
            1 - 2 * (y * y + z * z),
            2 * (x * y - w * z),
            2 * (x * z + w * y),
            2 * (x * y + w * z),
            1 - 2 * (x * x + z * z),
            2 * (y * z - w * x),
            2 * (x * z - w * y),
            2 * (y * z + w * x),
            1 - 2 * (x * x + y * y)
        );
    }
}
