namespace Plenk.Core.Geometry;

/// <summary>A rotation, a uniform scale and a translation: p' = Scale · Rotation p + Translation.</summary>
public readonly record struct Similarity(double Scale, Matrix3 Rotation, Vec3 Translation)
{
    public static readonly Similarity Identity = new(1, Matrix3.Identity, Vec3.Zero);

    public Vec3 Apply(Vec3 p) => Scale * (Rotation * p) + Translation;

    /// <summary>First <paramref name="inner"/>, then this.</summary>
    public Similarity After(Similarity inner) => new(Scale * inner.Scale, Rotation * inner.Rotation, Apply(inner.Translation));

    public Similarity Inverse()
    {
        Matrix3 r = Rotation.Transpose();
        return new(1 / Scale, r, -(r * Translation) / Scale);
    }
}

/// <summary>A rigid placement: CameraToWorld or ObjectToWorld as its holder's name says. Metres.</summary>
public readonly record struct Pose(Matrix3 Rotation, Vec3 Position)
{
    public static readonly Pose Identity = new(Matrix3.Identity, Vec3.Zero);

    public Vec3 ToWorld(Vec3 local) => Rotation * local + Position;

    public Vec3 ToLocal(Vec3 world) => Rotation.Transpose() * (world - Position);

    /// <summary>The same placement seen after a similarity of the world; the rotation stays a rotation.</summary>
    public Pose Moved(Similarity s) => new(s.Rotation * Rotation, s.Apply(Position));

    public static Pose Interpolate(Pose a, Pose b, double t) =>
        new(Rotations.Interpolate(a.Rotation, b.Rotation, t), a.Position + (b.Position - a.Position) * t);

    /// <summary>16 numbers, row-major, column vectors.</summary>
    public double[] ToRowMajor16() =>
        [
            Rotation.M11,
            Rotation.M12,
            Rotation.M13,
            Position.X,
            Rotation.M21,
            Rotation.M22,
            Rotation.M23,
            Position.Y,
            Rotation.M31,
            Rotation.M32,
            Rotation.M33,
            Position.Z,
            0,
            0,
            0,
            1,
        ];

    /// <summary>
    /// Reads 16 row-major numbers. Returns null and a reason in the artist's terms when they are not a rigid placement.
    /// A deviation of the axes from unit length or from right angles up to 1e-3 is taken as rounding and mended.
    /// </summary>
    public static Pose? FromRowMajor16(IReadOnlyList<double> m, out string? reason)
    {
        if (m.Count != 16)
        {
            reason = $"the matrix has {m.Count} numbers; 16 are needed, row by row";
            return null;
        }
        for (int i = 0; i < 16; i++)
        {
            if (!double.IsFinite(m[i]))
            {
                reason = $"number {i + 1} of the matrix is not a number";
                return null;
            }
        }
        if (Math.Abs(m[12]) > 1e-6 || Math.Abs(m[13]) > 1e-6 || Math.Abs(m[14]) > 1e-6 || Math.Abs(m[15] - 1) > 1e-6)
        {
            reason = "the last row of the matrix is not 0 0 0 1; the matrix may be stored by columns";
            return null;
        }
        var x = new Vec3(m[0], m[4], m[8]);
        var y = new Vec3(m[1], m[5], m[9]);
        var z = new Vec3(m[2], m[6], m[10]);
        double worst = new[]
        {
            Math.Abs(x.Length - 1),
            Math.Abs(y.Length - 1),
            Math.Abs(z.Length - 1),
            Math.Abs(Vec3.Dot(x, y)),
            Math.Abs(Vec3.Dot(y, z)),
            Math.Abs(Vec3.Dot(z, x)),
        }.Max();
        if (!(worst <= 1e-3))
        {
            reason = $"the axes of the matrix are not at right angles and of length 1 (off by {worst:0.###}); it holds a scale or a shear";
            return null;
        }
        if (Vec3.Dot(Vec3.Cross(x, y), z) < 0)
        {
            reason = "the matrix is left-handed (mirrored)";
            return null;
        }
        z = z.Normalized();
        x = (x - z * Vec3.Dot(x, z)).Normalized();
        y = Vec3.Cross(z, x);
        reason = null;
        return new Pose(Matrix3.FromColumns(x, y, z), new Vec3(m[3], m[7], m[11]));
    }

    /// <summary>A camera at <paramref name="eye"/> that looks along its −Z at <paramref name="target"/>.</summary>
    public static Pose LookAt(Vec3 eye, Vec3 target, Vec3 up)
    {
        Vec3 z = (eye - target).Normalized();
        Vec3 x = Vec3.Cross(up, z).Normalized();
        return new Pose(Matrix3.FromColumns(x, Vec3.Cross(z, x), z), eye);
    }
}
