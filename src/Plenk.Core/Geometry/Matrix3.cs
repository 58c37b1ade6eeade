namespace Plenk.Core.Geometry;

/// <summary>A 3×3 matrix for column vectors, p' = M p.</summary>
public readonly record struct Matrix3(
    double M11,
    double M12,
    double M13,
    double M21,
    double M22,
    double M23,
    double M31,
    double M32,
    double M33
)
{
    public static readonly Matrix3 Identity = new(1, 0, 0, 0, 1, 0, 0, 0, 1);

    public static Matrix3 FromColumns(Vec3 a, Vec3 b, Vec3 c) => new(a.X, b.X, c.X, a.Y, b.Y, c.Y, a.Z, b.Z, c.Z);

    public Vec3 Column(int i) =>
        i switch
        {
            0 => new(M11, M21, M31),
            1 => new(M12, M22, M32),
            _ => new(M13, M23, M33),
        };

    public static Vec3 operator *(Matrix3 m, Vec3 v) =>
        new(m.M11 * v.X + m.M12 * v.Y + m.M13 * v.Z, m.M21 * v.X + m.M22 * v.Y + m.M23 * v.Z, m.M31 * v.X + m.M32 * v.Y + m.M33 * v.Z);

    public static Matrix3 operator *(Matrix3 a, Matrix3 b) => FromColumns(a * b.Column(0), a * b.Column(1), a * b.Column(2));

    public static Matrix3 operator *(Matrix3 m, double s) => FromColumns(m.Column(0) * s, m.Column(1) * s, m.Column(2) * s);

    public Matrix3 Transpose() => new(M11, M21, M31, M12, M22, M32, M13, M23, M33);

    public double Determinant => Vec3.Dot(Column(0), Vec3.Cross(Column(1), Column(2)));

    /// <summary>The inverse, by the adjugate. A singular matrix gives non-finite entries.</summary>
    public Matrix3 Inverse()
    {
        Vec3 a = Column(0),
            b = Column(1),
            c = Column(2);
        double d = 1 / Determinant;
        return FromColumns(Vec3.Cross(b, c) * d, Vec3.Cross(c, a) * d, Vec3.Cross(a, b) * d).Transpose();
    }
}
