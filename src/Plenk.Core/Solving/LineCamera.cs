using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>A straight edge drawn on a picture, pixels.</summary>
public readonly record struct DrawnLine(double X1, double Y1, double X2, double Y2)
{
    public double Length => Math.Sqrt((X2 - X1) * (X2 - X1) + (Y2 - Y1) * (Y2 - Y1));
}

/// <summary>Edges that run along one axis of the world: 'x', 'y' or 'z'.</summary>
public sealed record LineFamily(char Axis, IReadOnlyList<DrawnLine> Lines);

/// <summary>
/// A known length between two spots of the picture. <see cref="Along"/> says how it lies: along 'x', 'y' or 'z' from a foot on
/// the floor, or 'f', both ends on the floor; null: found from the picture.
/// </summary>
public sealed record StillLength(double FromX, double FromY, double ToX, double ToY, double Metres, char? Along = null);

/// <summary>What an artist draws on a still, and what is known of it.</summary>
public sealed record LineScene(int Width, int Height, IReadOnlyList<LineFamily> Families)
{
    public (double X, double Y)? Origin { get; init; }
    public StillLength? Length { get; init; }

    /// <summary>Pixels; null: found from the lines.</summary>
    public double? FocalPx { get; init; }
}

/// <summary>The camera of a still, or why there is none. Doubts are standard deviations.</summary>
public sealed record LineCameraResult
{
    public required bool Solved { get; init; }
    public string Reason { get; init; } = "";
    public Pinhole? Pinhole { get; init; }

    /// <summary>World: the origin that was picked, +Y up; metres where a length is known, else the camera is 1 from the origin.</summary>
    public Pose CameraToWorld { get; init; }
    public double RmsPx { get; init; }
    public double FocalDoubtPx { get; init; }
    public double TurnDoubtDegrees { get; init; }

    /// <summary>Where three families put the principal point, and its doubt; null with two.</summary>
    public (double X, double Y, double DoubtPx)? PrincipalPoint { get; init; }
    public bool PrincipalPointMoved { get; init; }
    public char? MeasuredAlong { get; init; }

    /// <summary>Root mean square distance of a family's line ends, by axis.</summary>
    public IReadOnlyDictionary<char, double> FamilyRmsPx { get; init; } = new Dictionary<char, double>();
}

/// <summary>
/// Camera from families of parallel edges: vanishing points (Caprile and Torre 1990), then rotation, focal length and principal
/// point together by least squares on the distances of line ends from the line through their middle and the vanishing point
/// (Hartley and Zisserman 8.6 and 8.8); position from an origin and a known length on the floor (Criminisi, Reid and Zisserman 2000).
/// </summary>
public sealed class LineCamera
{
    private const double LeastSigma = 0.3; // no line is drawn surer than this, pixels
    private readonly LineScene _scene;
    private readonly (int Axis, DrawnLine Line)[] _lines;

    private LineCamera(LineScene scene)
    {
        _scene = scene;
        _lines = [.. scene.Families.SelectMany(f => f.Lines.Select(l => (f.Axis - 'x', l)))];
    }

    private static LineCameraResult Failed(string reason) => new() { Solved = false, Reason = reason };

    public static LineCameraResult Solve(LineScene scene)
    {
        if (scene.Width < 2 || scene.Height < 2)
        {
            return Failed("The picture's size must be given with the lines.");
        }
        if (scene.Families.Any(f => f.Axis is not ('x' or 'y' or 'z')))
        {
            return Failed("A family of lines runs along x, y or z.");
        }
        if (scene.Families.GroupBy(f => f.Axis).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            return Failed($"There are two families along {twice.Key}; put their lines into one.");
        }
        foreach (LineFamily f in scene.Families)
        {
            for (int i = 0; i < f.Lines.Count; i++)
            {
                DrawnLine l = f.Lines[i];
                if (!double.IsFinite(l.X1 + l.Y1 + l.X2 + l.Y2))
                {
                    return Failed($"Line {i + 1} along {f.Axis} has an end that is not a number.");
                }
                if (l.Length < 4)
                {
                    return Failed($"Line {i + 1} along {f.Axis} is {l.Length:0.0} px long; draw it along more of its edge.");
                }
            }
        }
        LineFamily[] families = [.. scene.Families.Where(f => f.Lines.Count > 0)];
        if (families.Length < 2)
        {
            return Failed(
                "Draw lines along two or three directions that stand at right angles; there are lines along "
                    + (families.Length == 0 ? "none." : $"{families[0].Axis} only.")
            );
        }
        if (families.FirstOrDefault(f => f.Lines.Count < 2) is { } single)
        {
            return Failed($"There is one line along {single.Axis}; where its direction vanishes needs two or more.");
        }
        return new LineCamera(scene with { Families = families }).Run();
    }

    private sealed record State(Matrix3 WorldToCamera, double Focal, double Cx, double Cy);

    /// <summary>Homogeneous vanishing point of an axis; y down, looking along +Z.</summary>
    private static Vec3 Vanishing(State s, int axis)
    {
        Vec3 d = s.WorldToCamera.Column(axis);
        return new(s.Focal * d.X + s.Cx * d.Z, s.Focal * d.Y + s.Cy * d.Z, d.Z);
    }

    /// <summary>
    /// Where lines meet, by the smallest singular direction of their normals, in pixels about the picture's centre ÷ its width.
    /// </summary>
    private Vec3 Meeting(IReadOnlyList<DrawnLine> lines)
    {
        double cx = _scene.Width / 2.0,
            cy = _scene.Height / 2.0,
            w = _scene.Width;
        var m = Matrix<double>.Build.Dense(3, 3);
        foreach (DrawnLine l in lines)
        {
            Vec3 n = Vec3.Cross(new((l.X1 - cx) / w, (l.Y1 - cy) / w, 1), new((l.X2 - cx) / w, (l.Y2 - cy) / w, 1));
            n /= Math.Sqrt(n.X * n.X + n.Y * n.Y) / l.Length;
            ReadOnlySpan<double> v = [n.X, n.Y, n.Z];
            for (int r = 0; r < 3; r++)
            {
                for (int c = 0; c < 3; c++)
                {
                    m[r, c] += v[r] * v[c];
                }
            }
        }
        Vector<double> e = m.Evd(Symmetricity.Symmetric).EigenVectors.Column(0);
        return new(e[0], e[1], e[2]);
    }

    private double[] Residuals(State s)
    {
        Span<Vec3> v = [Vanishing(s, 0), Vanishing(s, 1), Vanishing(s, 2)];
        var result = new double[_lines.Length];
        for (int i = 0; i < result.Length; i++)
        {
            var (axis, l) = _lines[i];
            Vec3 line = Vec3.Cross(new((l.X1 + l.X2) / 2, (l.Y1 + l.Y2) / 2, 1), v[axis]);
            // Either end lies as far off as the other; together they count as one measured turn of the line.
            result[i] = (line.X * l.X1 + line.Y * l.Y1 + line.Z) / Math.Sqrt(line.X * line.X + line.Y * line.Y);
        }
        return result;
    }

    private static State Step(State s, ReadOnlySpan<double> d, bool focal, bool centre)
    {
        var w = new Vec3(d[0], d[1], d[2]);
        Matrix3 r = w.Length > 0 ? Rotations.FromAxisAngle(w / w.Length, w.Length) * s.WorldToCamera : s.WorldToCamera;
        return new(r, focal ? s.Focal * Elementary.Exp(d[3]) : s.Focal, centre ? s.Cx + d[^2] : s.Cx, centre ? s.Cy + d[^1] : s.Cy);
    }

    /// <summary>Levenberg–Marquardt with central differences; gives the inverse normal matrix, null where it is singular.</summary>
    private (State State, double Squares, Matrix<double>? Inverse) Refine(State s, bool focal, bool centre)
    {
        int n = 3 + (focal ? 1 : 0) + (centre ? 2 : 0);
        double Squares(State at) => Residuals(at).Sum(r => r * r);
        double cost = Squares(s),
            lambda = 1e-3;
        Matrix<double> normal = Matrix<double>.Build.Dense(n, n);
        for (int step = 0; step < 100; step++)
        {
            double[] residuals = Residuals(s);
            var jacobian = Matrix<double>.Build.Dense(residuals.Length, n);
            for (int k = 0; k < n; k++)
            {
                double h = k >= n - 2 && centre ? 1e-2 : 1e-6;
                var d = new double[n];
                d[k] = h;
                double[] up = Residuals(Step(s, d, focal, centre));
                d[k] = -h;
                double[] down = Residuals(Step(s, d, focal, centre));
                for (int i = 0; i < residuals.Length; i++)
                {
                    jacobian[i, k] = (up[i] - down[i]) / (2 * h);
                }
            }
            normal = jacobian.TransposeThisAndMultiply(jacobian);
            Vector<double> right = -jacobian.TransposeThisAndMultiply(Vector<double>.Build.Dense(residuals));
            bool better = false;
            double fall = 0;
            while (lambda < 1e10)
            {
                Matrix<double> damped = normal.Clone();
                for (int k = 0; k < n; k++)
                {
                    damped[k, k] += lambda * (normal[k, k] + 1e-12);
                }
                Vector<double> d = damped.Solve(right);
                State next = Step(s, d.ToArray(), focal, centre);
                double c = d.All(double.IsFinite) && next.Focal < 1e7 ? Squares(next) : double.PositiveInfinity;
                if (c < cost)
                {
                    (fall, better) = ((cost - c) / cost, true);
                    (s, cost, lambda) = (next, c, Math.Max(1e-12, lambda / 8));
                    break;
                }
                lambda *= 6;
            }
            if (!better || fall < 1e-14)
            {
                break;
            }
        }
        double[] size = [.. normal.Evd(Symmetricity.Symmetric).EigenValues.Select(v => v.Real)];
        return (s, cost, size[0] > 1e-13 * size[^1] ? normal.Inverse() : null);
    }

    /// <summary>
    /// The rotation whose axes vanish at the given directions; the rest is chosen by what a hand expects (see <see cref="Facing"/>).
    /// </summary>
    private State? Begin(IReadOnlyDictionary<int, Vec3> meetings, double focal)
    {
        double w = _scene.Width;
        Vec3 Direction(int axis) => new Vec3(meetings[axis].X * w / focal, meetings[axis].Y * w / focal, meetings[axis].Z).Normalized();
        int[] axes = [.. meetings.Keys.Take(2)];
        Vec3 a = Direction(axes[0]),
            b = Direction(axes[1]);
        b = (b - a * Vec3.Dot(a, b)).Normalized();
        if (!b.IsFinite)
        {
            return null;
        }
        Vec3 c = Vec3.Cross(a, b);
        var columns = new Vec3[3];
        (columns[axes[0]], columns[axes[1]], columns[3 - axes[0] - axes[1]]) = (a, b, c);
        return new(Facing(columns), focal, _scene.Width / 2.0, _scene.Height / 2.0);
    }

    /// <summary>
    /// Lines tell axes but not their senses: +Y goes up in the picture, +X to the right (+Z to the viewer where X runs into the depth).
    /// </summary>
    private static Matrix3 Facing(ReadOnlySpan<Vec3> columns)
    {
        Vec3 x = columns[0],
            y = columns[1],
            z = columns[2];
        if (y.Y > 0)
        {
            y = -y;
        }
        if (Math.Abs(x.X) > 0.02 ? x.X < 0 : z.Z > 0)
        {
            x = -x;
        }
        return Matrix3.FromColumns(x, y, Vec3.Cross(x, y));
    }

    private LineCameraResult Run()
    {
        var meetings = _scene.Families.ToDictionary(f => f.Axis - 'x', f => Meeting(f.Lines));
        bool three = meetings.Count == 3,
            free = _scene.FocalPx is null;
        // Lines that are parallel in the picture as well meet nowhere, as far as their ends' sureness can tell.
        char[] endless = [.. _scene.Families.Where(f => Spread(f) < 2.5 * LeastSigma).Select(f => f.Axis)];
        if (free && meetings.Count - endless.Length < 2)
        {
            return Failed(
                $"The lines along {string.Join(" and ", endless)} are parallel in the picture, so they do not tell the focal length. "
                    + "Draw a third direction, choose edges that run into the depth, or give the focal length."
            );
        }
        double[] focals = free ? [0.5, 0.8, 1.2, 1.8, 3, 6] : [_scene.FocalPx!.Value / _scene.Width];
        (State State, double Squares, Matrix<double>? Inverse)? best = null;
        foreach (double f in focals)
        {
            if (Begin(meetings, f * _scene.Width) is not { } begun)
            {
                continue;
            }
            var tried = Refine(begun, free, false);
            if (tried.State.Focal < 30 * _scene.Width && (best is null || tried.Squares < best.Value.Squares))
            {
                best = tried;
            }
        }
        if (best is not { } found)
        {
            return Failed(
                "No camera has these directions at right angles. One of the families may hold an edge of another, or the picture may "
                    + "be cropped far off its centre."
            );
        }
        double rms = Math.Sqrt(found.Squares / _lines.Length);
        // With two families the vanishing points must lie on opposite sides of the centre, (v1 − p)·(v2 − p) < 0, or no focal length is real.
        if (rms > 0.01 * _scene.Width || (free && !(found.State.Focal > 0.05 * _scene.Width)))
        {
            return Failed(
                $"No camera has these directions at right angles: the lines miss their vanishing points by {rms:0} px. One of the "
                    + "families may hold an edge of another, or the directions do not stand at right angles."
            );
        }
        double Sigma(double squares, int unknowns) => Math.Max(LeastSigma, Math.Sqrt(squares / Math.Max(1, _lines.Length - unknowns)));
        (double X, double Y, double Doubt)? centre = null;
        bool moved = false;
        if (three && free && endless.Length == 0 && _lines.Length > 6)
        {
            var freed = Refine(found.State, true, true);
            if (freed.Inverse is { } inverse)
            {
                double sigma = Sigma(freed.Squares, 6),
                    doubt = sigma * Math.Sqrt(Math.Max(inverse[4, 4], inverse[5, 5]));
                centre = (freed.State.Cx, freed.State.Cy, doubt);
                double off = Math.Sqrt(
                    Elementary.Pow(freed.State.Cx - _scene.Width / 2.0, 2) + Elementary.Pow(freed.State.Cy - _scene.Height / 2.0, 2)
                );
                // It stays at the centre unless the lines say clearly that it is not there.
                if (off > 2.5 * doubt && doubt < 0.05 * _scene.Width && off < 0.5 * _scene.Width)
                {
                    (found, moved) = (freed, true);
                }
            }
        }
        if (found.Inverse is not { } spread)
        {
            return Failed(
                "These lines do not tell everything: their vanishing points leave the focal length or a turn open. Draw a third direction."
            );
        }
        State s = found.State with
        {
            WorldToCamera = Facing([
                found.State.WorldToCamera.Column(0),
                found.State.WorldToCamera.Column(1),
                found.State.WorldToCamera.Column(2),
            ]),
        };
        double unsure = Sigma(
                found.Squares,
                moved ? 6
                    : free ? 4
                    : 3
            ),
            focalDoubt = free ? s.Focal * unsure * Math.Sqrt(spread[3, 3]) : 0;
        if (focalDoubt > 0.4 * s.Focal)
        {
            return Failed(
                $"The focal length is hardly told by these lines: {s.Focal:0} px, but it could be {focalDoubt:0} px off. Draw longer "
                    + "edges, edges that run into the depth, or give the focal length."
            );
        }
        Matrix3 w = s.WorldToCamera;
        // Ours looks along −Z with y up.
        Matrix3 toWorld = Matrix3
            .FromColumns(new(w.M11, -w.M21, -w.M31), new(w.M12, -w.M22, -w.M32), new(w.M13, -w.M23, -w.M33))
            .Transpose();
        var pinhole = new Pinhole(_scene.Width, _scene.Height, s.Focal, s.Focal, s.Cx, s.Cy, Lens.None);
        if (!Place(pinhole, toWorld, s, out Vec3 position, out char? along, out string? reason))
        {
            return Failed(reason!);
        }
        double[] residuals = Residuals(s);
        return new()
        {
            Solved = true,
            Pinhole = pinhole,
            CameraToWorld = new(toWorld, position),
            RmsPx = Math.Sqrt(found.Squares / _lines.Length),
            FocalDoubtPx = focalDoubt,
            TurnDoubtDegrees = Rotations.Degrees(unsure * Math.Sqrt(spread[0, 0] + spread[1, 1] + spread[2, 2])),
            PrincipalPoint = centre,
            PrincipalPointMoved = moved,
            MeasuredAlong = along,
            FamilyRmsPx = _scene.Families.ToDictionary(
                f => f.Axis,
                f =>
                    Math.Sqrt(
                        Enumerable
                            .Range(0, _lines.Length)
                            .Where(i => _lines[i].Axis == f.Axis - 'x')
                            .Average(i => residuals[i] * residuals[i])
                    )
            ),
        };
    }

    /// <summary>
    /// How far line ends move, in pixels, when the family is taken as parallel in the picture: under the hand's sureness it may be.
    /// </summary>
    private static double Spread(LineFamily family)
    {
        // The mean direction by doubled angles, as a line has no sense.
        double c = 0,
            s = 0;
        foreach (DrawnLine l in family.Lines)
        {
            double a = 2 * Elementary.Atan2(l.Y2 - l.Y1, l.X2 - l.X1);
            (c, s) = (c + l.Length * Elementary.Cos(a), s + l.Length * Elementary.Sin(a));
        }
        double mean = Elementary.Atan2(s, c) / 2;
        return family.Lines.Max(l => Math.Abs(l.Length / 2 * Elementary.Sin(Elementary.Atan2(l.Y2 - l.Y1, l.X2 - l.X1) - mean)));
    }

    /// <summary>The camera's place: the origin on its ray, as far away as the known length says.</summary>
    private bool Place(Pinhole pinhole, Matrix3 toWorld, State s, out Vec3 position, out char? along, out string? reason)
    {
        (position, along, reason) = (Vec3.Zero, null, null);
        Vec3 Ray(double x, double y) => (pinhole.TryDirection(x, y, out Vec3 d) ? toWorld * d : Vec3.Zero).Normalized();
        if (_scene.Origin is not { } origin)
        {
            if (_scene.Length is not null)
            {
                reason = "A known length needs the origin on the floor: pick it first.";
            }
            return reason is null;
        }
        Vec3 o = Ray(origin.X, origin.Y);
        position = -o; // one unit away
        if (_scene.Length is not { } known)
        {
            return true;
        }
        if (!(known.Metres > 0) || !double.IsFinite(known.Metres))
        {
            reason = "The known length must be more than 0 m.";
            return false;
        }
        var segment = new DrawnLine(known.FromX, known.FromY, known.ToX, known.ToY);
        if (!(segment.Length > 2))
        {
            reason = "The ends of the known length are in the same place of the picture.";
            return false;
        }
        if (Math.Abs(o.Y) < 1e-6)
        {
            reason = "The origin lies on the horizon, so the floor is seen edge-on. Pick an origin nearer to the camera.";
            return false;
        }
        Vec3 from = Ray(known.FromX, known.FromY),
            to = Ray(known.ToX, known.ToY);
        // The floor passes through the origin, o.Y below the camera in units of its distance.
        Vec3? OnFloor(Vec3 ray) => ray.Y * o.Y > 1e-9 ? ray * (o.Y / ray.Y) : null;
        if (OnFloor(from) is not { } foot)
        {
            reason = "The known length begins above the horizon, so not on the floor. Begin it at a foot that stands on the floor.";
            return false;
        }
        along = known.Along ?? Lying(segment, s, OnFloor(to) is not null);
        double measured;
        if (along == 'f')
        {
            if (OnFloor(to) is not { } end)
            {
                reason = "The known length ends above the horizon, so not on the floor. Say along which axis it runs.";
                return false;
            }
            measured = (end - foot).Length;
        }
        else
        {
            // From the foot along its axis to where it comes nearest to the other ray.
            Vec3 axis = along switch
            {
                'x' => Vec3.UnitX,
                'y' => Vec3.UnitY,
                _ => Vec3.UnitZ,
            };
            double b = Vec3.Dot(axis, to),
                det = 1 - b * b;
            if (det < 1e-9)
            {
                reason = $"The known length runs along {along} straight into the depth. Take one that runs across the picture.";
                return false;
            }
            measured = Math.Abs((b * Vec3.Dot(foot, to) - Vec3.Dot(foot, axis)) / det);
        }
        if (!(measured > 1e-9))
        {
            reason = "The known length has no length on the floor.";
            return false;
        }
        position = -o * (known.Metres / measured);
        return true;
    }

    /// <summary>The axis whose vanishing point a segment points at, within 1.5°; else it lies on the floor at a slant.</summary>
    private static char Lying(DrawnLine segment, State s, bool endsOnFloor)
    {
        var best = ('f', endsOnFloor ? 1.5 : 90.0);
        if (!endsOnFloor)
        {
            best.Item1 = 'y';
        }
        for (int axis = 0; axis < 3; axis++)
        {
            Vec3 v = Vanishing(s, axis);
            double mx = (segment.X1 + segment.X2) / 2,
                my = (segment.Y1 + segment.Y2) / 2,
                dx = v.X - mx * v.Z,
                dy = v.Y - my * v.Z;
            double off = Rotations.Degrees(
                Math.Abs(
                    Elementary.Asin(
                        (dx * (segment.Y2 - segment.Y1) - dy * (segment.X2 - segment.X1)) / (Math.Sqrt(dx * dx + dy * dy) * segment.Length)
                    )
                )
            );
            if (off < best.Item2)
            {
                best = ("xyz"[axis], off);
            }
        }
        return best.Item1;
    }
}
