using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Work;

/// <summary>How far along and how high above a foot something is seen, metres.</summary>
public sealed record AboveFoot(double Along, double Height);

/// <summary>A place that is looked at, how far along the camera's axis it is, and how wide a pixel of the plate is there, metres.</summary>
public sealed record LookedAt(Vec3 Place, double Metres, double PixelMetres);

/// <summary>Pieces made and measured from the picture.</summary>
public static class SetWork
{
    /// <summary>
    /// Height of what is seen at a spot of the picture straight above a foot (the place of its vertical nearest to the ray); or, with a
    /// direction on the ground, how far along it and how high, in the upright plane through both.
    /// </summary>
    public static AboveFoot Above(ShotEngine engine, ShotDocument shot, int frame, Vec3 foot, Vec3? along, double x, double y)
    {
        var (pose, pinhole) = engine.Camera(shot, frame);
        if (!pinhole.TryDirection(x, y, out Vec3 inCamera))
        {
            throw new ShotFault("That spot lies outside the lens.");
        }
        Vec3 d = (pose.Rotation * inCamera).Normalized(),
            from = pose.Position - foot;
        if (along is { } a)
        {
            a = new Vec3(a.X, 0, a.Z).Normalized();
            Vec3 n = Vec3.Cross(a, Vec3.UnitY);
            double t = -Vec3.Dot(from, n) / Vec3.Dot(d, n);
            if (!a.IsFinite || !(t > 0) || !double.IsFinite(t))
            {
                throw new ShotFault(
                    "That spot does not lie above the line: seen from here the ray runs beside it. Click where the last edge ends."
                );
            }
            Vec3 at = from + t * d;
            return new(Vec3.Dot(at, a), at.Y);
        }
        // Nearest points of the ray and the vertical.
        double dy = d.Y,
            across = 1 - dy * dy;
        if (across < 1e-9)
        {
            throw new ShotFault("The camera looks straight along that edge; choose a frame that sees it from the side.");
        }
        double s = (dy * from.Y - Vec3.Dot(d, from)) / across;
        Vec3 nearest = from + s * d;
        double off = Math.Sqrt(nearest.X * nearest.X + nearest.Z * nearest.Z);
        return s > 0 && off < 0.15 * Math.Max(1, s * 0.2)
            ? new(0, nearest.Y)
            : throw new ShotFault($"That spot lies {off:0.##} m beside the corner it should stand above. Click straight above it.");
    }

    /// <summary>A piece with its pins heard: over all frames in which one was set.</summary>
    public static PulledPiece Pull(ShotEngine engine, ShotDocument shot, Piece piece)
    {
        if (piece.Locked)
        {
            throw new ShotFault($"{piece.Name} is locked. Unlock it first.");
        }
        var things = new Carriers(shot);
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
        PulledPiece? pulled = PiecePull.Solve(
            piece,
            f => camera.TryAt(f, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null,
            f => piece.HangsOn is { } on ? things.Carried(on, f) : null,
            out string? reason
        );
        return pulled ?? throw new ShotFault($"{piece.Name} cannot follow: {reason}. Take the last pin away, or pull it less far.");
    }

    /// <summary>
    /// Where one looks in a frame, and how far along the camera's axis that is: what of the set or of found depth is in the picture's
    /// middle, else the floor there. To stand on it the highest spot from the middle down that faces up is taken before. Null without a
    /// camera, and where nothing is seen there.
    /// </summary>
    public static LookedAt? Looked(ShotEngine engine, ShotDocument shot, int frame, bool toStandOn)
    {
        const int spots = 9;
        if (ShotCamera.Of(shot) is not { } camera || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole))
        {
            return null;
        }
        LookedAt At(Vec3 place) => new(place, -pose.ToLocal(place).Z, -pose.ToLocal(place).Z / pinhole.Fx);
        LookedAt? first = null;
        for (int i = 0; i < (toStandOn ? spots : 1); i++)
        {
            PickResult hit = engine.Pick(shot, frame, pinhole.Width / 2.0, pinhole.Height * (0.5 + 0.5 * i / spots));
            if (hit.OnSet is [var x, var y, var z])
            {
                var place = new Vec3(x, y, z);
                first ??= At(place);
                if (hit.OnSetNormal is [_, > 0.7, _])
                {
                    return At(place);
                }
            }
        }
        if (first is null && FloorView.Of(pose, pinhole) is { } floor)
        {
            first = At(floor.Middle);
        }
        return first;
    }

    /// <summary>
    /// An upright card that fills the picture of a frame at a distance, facing its camera; without a distance it stands where one looks.
    /// </summary>
    public static Piece Card(ShotEngine engine, ShotDocument shot, int frame, double? distance)
    {
        const double usual = 10;
        var (pose, pinhole) = engine.Camera(shot, frame);
        double metres = distance ?? Looked(engine, shot, frame, toStandOn: false)?.Metres ?? usual;
        if (!(metres > 0.01) || !double.IsFinite(metres))
        {
            throw new ShotFault("A card stands at more than 1 cm.");
        }
        double width = metres * pinhole.Width / pinhole.Fx * 1.05,
            height = metres * pinhole.Height / pinhole.Fy * 1.05;
        // A plane's front is its +Y, its foot edge its +Z: its up is the camera's.
        Vec3 x = pose.Rotation.Column(0),
            up = pose.Rotation.Column(1),
            front = pose.Rotation.Column(2);
        return new Piece
        {
            Id = "",
            Kind = PieceKind.Plane,
            Position = pose.Position - metres * front,
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(Matrix3.FromColumns(x, front, -up)),
            Size = new(width, 0, height),
        };
    }

    /// <summary>Copies of a piece, each shifted and turned about the vertical by as much again.</summary>
    public static IReadOnlyList<Piece> Array(Piece piece, int copies, Vec3 shift, double turnDegrees) =>
        [
            .. Enumerable
                .Range(1, copies)
                .Select(k =>
                    piece with
                    {
                        Position = piece.Position + k * shift,
                        RotationYxzDegrees = piece.RotationYxzDegrees + new Vec3(0, k * turnDegrees, 0),
                    }
                ),
        ];
}
