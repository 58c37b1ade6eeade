using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Shots;

/// <summary>
/// A place on an element that moves in itself, for other things to hang on: “elements/walker/spots/hand”. Where it goes was read off the mesh
/// frame by frame, in the element's own space, so that it goes along wherever the element is put.
/// </summary>
public sealed record ElementSpot : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>The corners of its triangle in the mesh, and their shares of it.</summary>
    public required IReadOnlyList<int> Corners { get; init; }
    public required IReadOnlyList<double> Shares { get; init; }

    /// <summary>The shot frame of the first of its poses.</summary>
    public int FirstFrame { get; init; }

    /// <summary>A frame each: place and turn (x y z, quaternion x y z w) in the element's own space, as it is stretched, metres.</summary>
    public IReadOnlyList<double[]> Poses { get; init; } = [];

    /// <summary>What of the element they were read off, to be told when that has changed.</summary>
    public string MadeOf { get; init; } = "";

    /// <summary>Before its first frame and after its last it stays; null while it has none.</summary>
    public Pose? At(double frame)
    {
        if (Poses.Count == 0)
        {
            return null;
        }
        double at = Math.Clamp(frame - FirstFrame, 0, Poses.Count - 1);
        int i = Math.Min((int)at, Poses.Count - 1);
        Pose own = Of(Poses[i]);
        return at > i ? Pose.Interpolate(own, Of(Poses[i + 1]), at - i) : own;
    }

    private static Pose Of(double[] p) => new(Rotations.FromQuaternion(p[3], p[4], p[5], p[6]), new(p[0], p[1], p[2]));

    /// <summary>
    /// Where a spot of a mesh is, and how it lies: its first side is X, its face's normal Y. Null: the triangle is a line there.
    /// </summary>
    public static double[]? PoseOn(TriangleMesh mesh, IReadOnlyList<int> corners, IReadOnlyList<double> shares)
    {
        Vec3 a = Vec3.From(mesh.Positions[corners[0]]),
            b = Vec3.From(mesh.Positions[corners[1]]),
            c = Vec3.From(mesh.Positions[corners[2]]),
            at = shares[0] * a + shares[1] * b + shares[2] * c,
            normal = Vec3.Cross(b - a, c - a);
        if (!(normal.Length > 1e-14))
        {
            return null;
        }
        Vec3 x = (b - a).Normalized(),
            y = normal.Normalized();
        Quaternion turn = Rotations.ToQuaternion(Matrix3.FromColumns(x, y, Vec3.Cross(x, y)));
        return [at.X, at.Y, at.Z, turn.X, turn.Y, turn.Z, turn.W];
    }
}
