using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>Where a body's middle is, and how it is turned, frame by frame; evenly between them.</summary>
public sealed class CarriedPath
{
    private readonly int _first;
    private readonly (Vec3 Place, Matrix3 Turn)[] _at;

    /// <summary>After this frame it stands.</summary>
    public int LastMove { get; }

    /// <param name="first">The frame of the first of them.</param>
    public CarriedPath(int first, IReadOnlyList<(Vec3 Place, Matrix3 Turn)> at)
    {
        (_first, _at) = (first, [.. at]);
        LastMove = first;
        for (int i = 1; i < _at.Length; i++)
        {
            if ((_at[i].Place - _at[i - 1].Place).Length > 1e-9 || Rotations.DegreesBetween(_at[i].Turn, _at[i - 1].Turn) > 1e-7)
            {
                LastMove = first + i;
            }
        }
    }

    /// <summary>At a frame or between two; before the first and after the last it stands.</summary>
    public (Vec3 Place, Matrix3 Turn) At(double frame)
    {
        double t = Math.Clamp(frame - _first, 0, _at.Length - 1);
        int i = Math.Min((int)t, _at.Length - 2);
        if (i < 0)
        {
            return _at[0];
        }
        var (a, b) = (_at[i], _at[i + 1]);
        double share = t - i;
        return (a.Place + share * (b.Place - a.Place), Rotations.Interpolate(a.Turn, b.Turn, share));
    }

    /// <summary>The body as it goes from one moment to another, at the first of them.</summary>
    /// <param name="seconds">Between the two.</param>
    public BodyState Going(double from, double to, double seconds)
    {
        var (place, turn) = At(from);
        var (then, turned) = At(to);
        System.Numerics.Quaternion q = Rotations.ToQuaternion(turn);
        Matrix3 by = turned * turn.Transpose();
        // The turn's axis times its sine and its cosine, from the matrix's parts (Rodrigues).
        var sine = 0.5 * new Vec3(by.M32 - by.M23, by.M13 - by.M31, by.M21 - by.M12);
        double cosine = (by.M11 + by.M22 + by.M33 - 1) / 2,
            angle = Elementary.Atan2(sine.Length, cosine);
        return new(
            place,
            q.W,
            q.X,
            q.Y,
            q.Z,
            seconds > 0 ? (then - place) / seconds : Vec3.Zero,
            seconds > 0 && sine.Length > 1e-12 ? angle / seconds / sine.Length * sine : Vec3.Zero
        );
    }
}
