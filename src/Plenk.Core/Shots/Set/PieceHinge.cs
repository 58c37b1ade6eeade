using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A line of a piece about which it swings, like a lid on its edge; both in the piece's own space, metres before its scale.</summary>
public sealed record PieceHinge : Extensible
{
    public Vec3 At { get; init; }

    /// <summary>Made unit length on use.</summary>
    public Vec3 Axis { get; init; } = new(0, 1, 0);

    /// <summary>How far it stands open, anticlockwise as one looks against the axis.</summary>
    public double Degrees { get; init; }

    /// <summary>Edges that a piece of its kind and size has, by what they are called.</summary>
    public static IReadOnlyList<(string Name, PieceHinge Hinge)> Edges(Piece p)
    {
        var (x, y, z) = (p.Size.X / 2, p.Size.Y, p.Size.Z / 2);
        static PieceHinge Of(double x, double y, double z, Vec3 axis) => new() { At = new(x, y, z), Axis = axis };
        return p.Kind switch
        {
            // A plane lies in its own XZ, its front up.
            PieceKind.Plane =>
            [
                ("left edge", Of(-x, 0, 0, new(0, 0, -1))),
                ("right edge", Of(x, 0, 0, new(0, 0, 1))),
                ("far edge", Of(0, 0, -z, new(1, 0, 0))),
                ("near edge", Of(0, 0, z, new(-1, 0, 0))),
            ],
            PieceKind.Box =>
            [
                ("left edge of its front", Of(-x, 0, z, new(0, -1, 0))),
                ("right edge of its front", Of(x, 0, z, new(0, 1, 0))),
                ("far edge of its top", Of(0, y, -z, new(1, 0, 0))),
                ("near edge of its top", Of(0, y, z, new(-1, 0, 0))),
                ("near edge of its foot", Of(0, 0, z, new(1, 0, 0))),
            ],
            _ => [],
        };
    }

    /// <summary>The piece as it stands swung; what swings it is done with.</summary>
    public static Piece Swung(Piece p)
    {
        if (p.Hinge is not { } hinge || hinge.Degrees == 0 || !(hinge.Axis.Length > 1e-9))
        {
            return p;
        }
        Matrix3 own = Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z),
            turn = Rotations.FromAxisAngle(own * hinge.Axis.Normalized(), Rotations.Radians(hinge.Degrees));
        Vec3 at = p.Position + p.Scale * (own * hinge.At);
        return p with
        {
            Position = at + turn * (p.Position - at),
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(turn * own),
            Hinge = hinge with { Degrees = 0 },
        };
    }
}
