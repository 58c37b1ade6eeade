using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>
/// A corner or edge of a piece that can be taken hold of: its ends in the shape's own measure (see <see cref="PiecePull.Local"/>); one
/// place for a corner.
/// </summary>
public readonly record struct PieceHandle(Vec3 From, Vec3 To);

/// <summary>A piece after its pins were heard, and how far they then lie off: pixels.</summary>
public sealed record PulledPiece(Piece Piece, double RmsPx, double WorstPx);

/// <summary>
/// Pieces drawn onto the filmed edges: corners and edges pinned to spots of the picture in any number of frames, and the piece that
/// meets them best in the way its kind allows, changing as little as it can otherwise (least squares by Levenberg and Marquardt).
/// A box stays a box; what stands level stays level unless it may tilt.
/// </summary>
public static class PiecePull
{
    /// <summary>A pixel's pull weighs as much as this share of the piece's size: what no pin asks for stays.</summary>
    private const double Willing = 40;

    /// <summary>
    /// A place of the shape in the piece's own space: shares of its size, so that it goes along when the size changes; of an outline the
    /// number of a corner, the share of the height, and the share of the way to the next corner; of a mesh and a strip its own coordinates.
    /// </summary>
    public static Vec3 Local(Piece p, Vec3 place)
    {
        switch (p.Kind)
        {
            case PieceKind.Mesh or PieceKind.Strip:
                return place;
            case PieceKind.Outline:
                int n = p.Corners.Count / 2,
                    i = Math.Clamp((int)place.X, 0, n - 1),
                    j = (i + 1) % n;
                return new(
                    p.Corners[2 * i] + place.Z * (p.Corners[2 * j] - p.Corners[2 * i]),
                    place.Y * p.Size.Y,
                    p.Corners[2 * i + 1] + place.Z * (p.Corners[2 * j + 1] - p.Corners[2 * i + 1])
                );
            default:
                return new(place.X * p.Size.X, place.Y * p.Size.Y, place.Z * p.Size.Z);
        }
    }

    /// <summary>What of a piece can be taken hold of: feature edges and where they end.</summary>
    public static IReadOnlyList<PieceHandle> Handles(Piece p, TriangleMesh local)
    {
        var handles = new List<PieceHandle>();
        if (p.Kind == PieceKind.Outline)
        {
            int n = p.Corners.Count / 2;
            for (int i = 0; i < n; i++)
            {
                foreach (double up in p.Walls ? (double[])[0, 1] : [0])
                {
                    handles.Add(new(new(i, up, 0), new(i, up, 0)));
                    handles.Add(new(new(i, up, 0), new(i, up, 1)));
                }
                if (p.Walls)
                {
                    handles.Add(new(new(i, 0, 0), new(i, 1, 0)));
                }
            }
            return handles;
        }
        Vec3 size = p.Kind is PieceKind.Mesh or PieceKind.Strip ? new(1, 1, 1) : p.Size;
        Vec3 Share(Vector3 v) => new(v.X / size.X, size.Y > 0 ? v.Y / size.Y : 0, v.Z / size.Z);
        var corners = new HashSet<Vec3>();
        foreach (var (a, b) in PieceMeshes.FeatureEdges(local).OrderByDescending(e => Vector3.DistanceSquared(e.A, e.B)).Take(400))
        {
            handles.Add(new(Share(a), Share(b)));
            foreach (Vec3 c in (Vec3[])[Share(a), Share(b)])
            {
                if (corners.Add(c))
                {
                    handles.Add(new(c, c));
                }
            }
        }
        return handles;
    }

    /// <param name="camera">Of a frame: where it stands and what it is; null where there is none.</param>
    /// <param name="hangs">Of a frame: what the piece hangs on; null: it stands in the world.</param>
    public static PulledPiece? Solve(
        Piece piece,
        Func<int, (Pose Pose, Pinhole Pinhole)?> camera,
        Func<int, Similarity?> hangs,
        out string? reason
    )
    {
        PiecePin[] pins = [.. piece.Pins.Where(p => camera(p.Frame) is not null)];
        reason = null;
        if (pins.Length == 0)
        {
            reason = "no pin lies in a frame that has a camera";
            return null;
        }
        double[] start = Parameters(piece),
            x = [.. start],
            scale = Scales(piece);
        double span = Span(piece);
        double[]? Residuals(double[] parameters)
        {
            Piece p = With(piece, parameters);
            if (!(p.Size.X > 0 && p.Size.Z > 0 && p.Scale > 0))
            {
                return null;
            }
            var r = new List<double>();
            foreach (PiecePin pin in pins)
            {
                var (pose, pinhole) = camera(pin.Frame)!.Value;
                Piece placed = hangs(pin.Frame) is { } h ? Hanging.Placed(p, h, piece.HangsOn is not { Turns: false }) : p;
                Similarity place = PieceMeshes.PlaceOf(placed);
                if (!pinhole.TryProject(pose, place.Apply(Local(p, pin.Place)), out double u, out double v))
                {
                    return null;
                }
                if (pin.Along is not { } along)
                {
                    r.Add(u - pin.X);
                    r.Add(v - pin.Y);
                    continue;
                }
                // An edge may slide along itself: only what lies across it counts.
                if (!pinhole.TryProject(pose, place.Apply(Local(p, pin.Place + along * 0.02)), out double u2, out double v2))
                {
                    return null;
                }
                double tx = u2 - u,
                    ty = v2 - v,
                    t = Math.Sqrt(tx * tx + ty * ty);
                if (t < 1e-9)
                {
                    return null;
                }
                r.Add(((u - pin.X) * -ty + (v - pin.Y) * tx) / t);
            }
            for (int i = 0; i < parameters.Length; i++)
            {
                r.Add((parameters[i] - start[i]) / (span * scale[i]) * Willing * 0.02);
            }
            return [.. r];
        }
        double Cost(double[] r)
        {
            double s = 0;
            foreach (double v in r)
            {
                s += v * v;
            }
            return s;
        }
        double[]? now = Residuals(x);
        if (now is null)
        {
            reason = "a pinned place of it lies behind a camera, or outside the lens";
            return null;
        }
        double damping = 1e-3;
        for (int round = 0; round < 60; round++)
        {
            int n = x.Length,
                m = now.Length;
            var jacobian = new double[n][];
            for (int i = 0; i < n; i++)
            {
                double step = 1e-5 * Math.Max(span, 1e-3);
                double[] plus = [.. x],
                    minus = [.. x];
                plus[i] += step;
                minus[i] -= step;
                if (Residuals(plus) is not { } a || Residuals(minus) is not { } b)
                {
                    reason = "the piece can go no further that way";
                    return null;
                }
                jacobian[i] = [.. Enumerable.Range(0, m).Select(k => (a[k] - b[k]) / (2 * step))];
            }
            var normal = new double[n * n];
            var right = new double[n];
            for (int i = 0; i < n; i++)
            {
                for (int j = 0; j <= i; j++)
                {
                    for (int k = 0; k < m; k++)
                    {
                        normal[i * n + j] += jacobian[i][k] * jacobian[j][k];
                    }
                }
                for (int k = 0; k < m; k++)
                {
                    right[i] -= jacobian[i][k] * now[k];
                }
                normal[i * n + i] *= 1 + damping;
            }
            double[]? d = Cholesky.Solve(normal, right, n);
            double[]? tried = d is null ? null : [.. x.Zip(d, (a, b) => a + b)],
                next = tried is null ? null : Residuals(tried);
            if (next is not null && Cost(next) < Cost(now))
            {
                double gain = Cost(now) - Cost(next);
                (x, now, damping) = (tried!, next, Math.Max(1e-9, damping / 8));
                if (gain < 1e-10 * (1 + Cost(now)))
                {
                    break;
                }
            }
            else
            {
                damping *= 6;
                if (damping > 1e9)
                {
                    break;
                }
            }
        }
        double sum = 0,
            worst = 0;
        int at = 0;
        foreach (PiecePin pin in pins)
        {
            double off = pin.Along is null ? Math.Sqrt(now[at] * now[at] + now[at + 1] * now[at + 1]) : Math.Abs(now[at]);
            at += pin.Along is null ? 2 : 1;
            sum += off * off;
            worst = Math.Max(worst, off);
        }
        return new(With(piece, x), Math.Sqrt(sum / pins.Length), worst);
    }

    private static bool Sized(Piece p) => p.Kind is not (PieceKind.Mesh or PieceKind.Strip or PieceKind.Outline or PieceKind.Figure);

    private static double Span(Piece p) =>
        p.Kind switch
        {
            PieceKind.Mesh or PieceKind.Strip => Math.Max(0.1, p.Scale),
            PieceKind.Outline => Math.Max(
                0.1,
                Enumerable
                    .Range(0, p.Corners.Count / 2)
                    .Max(i => Math.Max(Math.Abs(p.Corners[2 * i] - p.Corners[0]), Math.Abs(p.Corners[2 * i + 1] - p.Corners[1])))
            ),
            _ => Math.Max(0.05, Math.Max(p.Size.X, Math.Max(p.Size.Y, p.Size.Z))),
        };

    // Sized ones by the planes of their sides, so that pulling one side leaves the others; all in metres (turns times the span).
    private static double[] Parameters(Piece p)
    {
        double span = Span(p);
        var x = new List<double> { Rotations.Radians(p.RotationYxzDegrees.Y) * span };
        if (p.MayTilt)
        {
            x.AddRange([Rotations.Radians(p.RotationYxzDegrees.X) * span, Rotations.Radians(p.RotationYxzDegrees.Z) * span]);
        }
        switch (p.Kind)
        {
            case PieceKind.Outline:
                x.Add(p.Size.Y);
                x.AddRange(p.Corners);
                x.RemoveAt(0); // its corners say how it is turned
                if (p.MayTilt)
                {
                    x.RemoveRange(0, 2);
                }
                break;
            case PieceKind.Mesh or PieceKind.Strip:
                x.AddRange([p.Position.X, p.Position.Y, p.Position.Z, p.Scale]);
                break;
            case PieceKind.Plane:
                x.AddRange([-p.Size.X / 2, p.Size.X / 2, 0, -p.Size.Z / 2, p.Size.Z / 2]);
                break;
            default:
                x.AddRange([-p.Size.X / 2, p.Size.X / 2, 0, p.Size.Y, -p.Size.Z / 2, p.Size.Z / 2]);
                break;
        }
        return [.. x];
    }

    /// <summary>How willing each is to change: turns and heights of feet less than sides.</summary>
    private static double[] Scales(Piece p)
    {
        var s = new List<double>();
        if (p.Kind != PieceKind.Outline)
        {
            s.Add(0.3);
            if (p.MayTilt)
            {
                s.AddRange([0.2, 0.2]);
            }
        }
        s.AddRange(
            p.Kind switch
            {
                PieceKind.Outline => [1, .. Enumerable.Repeat(1.0, p.Corners.Count)],
                PieceKind.Mesh or PieceKind.Strip => [1, 0.3, 1, 0.3],
                PieceKind.Plane => [1, 1, 0.3, 1, 1],
                _ => (double[])[1, 1, 0.3, 1, 1, 1],
            }
        );
        return [.. s];
    }

    private static Piece With(Piece p, double[] x)
    {
        double span = Span(p);
        if (p.Kind == PieceKind.Outline)
        {
            return p with { Size = p.Size with { Y = x[0] }, Corners = [.. x.Skip(1)] };
        }
        int at = 0;
        double yaw = Rotations.Degrees(x[at++] / span),
            tilt = p.RotationYxzDegrees.X,
            roll = p.RotationYxzDegrees.Z;
        if (p.MayTilt)
        {
            (tilt, roll) = (Rotations.Degrees(x[at] / span), Rotations.Degrees(x[at + 1] / span));
            at += 2;
        }
        var turned = new Vec3(tilt, yaw, roll);
        if (!Sized(p))
        {
            return p with { RotationYxzDegrees = turned, Position = new(x[at], x[at + 1], x[at + 2]), Scale = x[at + 3] };
        }
        Matrix3 r = Rotations.FromEulerYxzDegrees(turned.X, turned.Y, turned.Z);
        if (p.Kind == PieceKind.Plane)
        {
            var middle = new Vec3((x[at] + x[at + 1]) / 2, x[at + 2], (x[at + 3] + x[at + 4]) / 2);
            return p with
            {
                RotationYxzDegrees = turned,
                Position = p.Position + p.Scale * (r * middle),
                Size = new(x[at + 1] - x[at], p.Size.Y, x[at + 4] - x[at + 3]),
            };
        }
        var foot = new Vec3((x[at] + x[at + 1]) / 2, x[at + 2], (x[at + 4] + x[at + 5]) / 2);
        var size = new Vec3(x[at + 1] - x[at], x[at + 3] - x[at + 2], x[at + 5] - x[at + 4]);
        // A round piece stays round.
        if (p.Kind is PieceKind.Cylinder && Math.Abs(p.Size.X - p.Size.Z) < 1e-6)
        {
            double d = (size.X + size.Z) / 2;
            size = size with { X = d, Z = d };
        }
        return p with { RotationYxzDegrees = turned, Position = p.Position + p.Scale * (r * foot), Size = size };
    }
}
