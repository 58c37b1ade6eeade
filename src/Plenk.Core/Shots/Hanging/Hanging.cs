using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// What hangs on another thing has its place in that one's frame; at a shot frame it stands where it has been taken.
/// </summary>
public static class Hanging
{
    /// <summary>
    /// Where a thing is at a shot frame, or between two; before its first frame and after its last it stays. Null while it has none.
    /// </summary>
    public static Pose? PoseOf(MovingObject thing, double frame)
    {
        if (thing.Frames.Count == 0)
        {
            return null;
        }
        ObjectPose nearest = thing.Frames[0];
        foreach (ObjectPose f in thing.Frames)
        {
            if (Math.Abs(f.Frame - frame) < Math.Abs(nearest.Frame - frame))
            {
                nearest = f;
            }
        }
        Pose? own = Pose.FromRowMajor16(nearest.ObjectToWorld, out _);
        int side = Math.Sign(frame - nearest.Frame);
        return
            side == 0
            || own is not { } a
            || thing.Frames.FirstOrDefault(f => f.Frame == nearest.Frame + side) is not { } other
            || Pose.FromRowMajor16(other.ObjectToWorld, out _) is not { } b
            ? own
            : Pose.Interpolate(a, b, Math.Abs(frame - nearest.Frame));
    }

    /// <summary>
    /// The shot with what is keyed as it is at a frame, and all that hangs stood where it is. The same document where nothing changes, or
    /// where it has been stood there already.
    /// </summary>
    /// <exception cref="InvalidOperationException">It has been stood at another frame: what hangs would be moved twice.</exception>
    public static ShotDocument At(ShotDocument shot, double frame)
    {
        if (shot.StoodAt is { } stood)
        {
            return stood == frame
                ? shot
                : throw new InvalidOperationException($"The shot stands at {stood} already; {frame} is asked for.");
        }
        var things = new Carriers(shot);
        shot = things.Keyed(frame);
        if (shot.Pieces.Any(p => p.GoneFrom is not null))
        {
            shot = shot with
            {
                StoodAt = frame,
                Pieces = [.. shot.Pieces.Select(p => p.GoneFrom is { } gone && frame >= gone ? p with { IsGone = true } : p)],
            };
        }
        if (
            !shot.Pieces.Any(p => p is { HangsOn: not null } or { Shake: not null } or { Hinge.Degrees: not 0 })
            && !shot.Elements.Any(e => e is { HangsOn: not null } or { AimsAt: not null } or { Shake: not null })
            && !shot.Lights.Any(l => l is { HangsOn: not null } or { AimsAt: not null } or { Shake: not null })
        )
        {
            return shot;
        }
        return shot with
        {
            StoodAt = frame,
            Pieces = [.. shot.Pieces.Select(p => things.Stood(p, frame))],
            Elements = [.. shot.Elements.Select(e => things.Stood(e, frame))],
            Lights = [.. shot.Lights.Select(l => things.Stood(l, frame))],
        };
    }

    /// <summary>A piece stands elsewhere from frame to frame.</summary>
    public static bool Moves(ShotDocument shot, Piece piece) =>
        piece is { HangsOn: not null } or { Shake: not null } || IsKeyed(shot, "pieces", piece.Id);

    /// <summary>An element does.</summary>
    public static bool Moves(ShotDocument shot, Element e) =>
        e
            is { HangsOn: not null }
                or { Motion: not null }
                or { Kind: ElementKind.Mesh, Frames: not null }
                or { Shake: not null }
                or { AimsAt.On: not null }
        || IsKeyed(shot, "elements", e.Id);

    /// <summary>A light moves, or changes in any other way.</summary>
    public static bool Moves(ShotDocument shot, Light l) =>
        l is { HangsOn: not null } or { Shake: not null } or { AimsAt.On: not null } || IsKeyed(shot, "lights", l.Id);

    private static bool IsKeyed(ShotDocument shot, string list, string id)
    {
        if (shot.Curves.Count == 0)
        {
            return false;
        }
        string own = $"{ShotCurves.PlaceOf(list, id)}/";
        return shot.Curves.Any(c => c.Id.StartsWith(own, StringComparison.Ordinal));
    }

    /// <summary>A thing that moves by itself as a piece of the set: its mesh, that hides and receives wherever the thing goes.</summary>
    /// <param name="thing">With a mesh.</param>
    public static Piece StoodIn(ShotDocument shot, MovingObject thing) =>
        new()
        {
            Id = FreeId.Of(shot.Pieces.Select(p => p.Id), thing.Id),
            Name = thing.Name,
            Kind = PieceKind.Mesh,
            Media = thing.Media,
            HangsOn = new() { On = ShotCurves.PlaceOf("movingObjects", thing.Id) },
        };

    public static Matrix3 RotationOf(Piece p) =>
        Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z);

    /// <summary>A piece told in a frame, as it stands in the world. Its size stays its own.</summary>
    public static Piece Placed(Piece piece, Similarity frame, bool turns = true) =>
        piece with
        {
            Position = frame.Apply(piece.Position),
            RotationYxzDegrees = turns ? Rotations.ToEulerYxzDegrees(frame.Rotation * RotationOf(piece)) : piece.RotationYxzDegrees,
        };

    /// <summary>The same of an element.</summary>
    public static Element Placed(Element element, Similarity frame, bool turns = true) =>
        element with
        {
            Position = frame.Apply(element.Position),
            RotationYxzDegrees = turns ? Rotations.ToEulerYxzDegrees(frame.Rotation * element.Rotation) : element.RotationYxzDegrees,
        };

    /// <summary>The same of a light.</summary>
    public static Light Placed(Light light, Similarity frame, bool turns = true) =>
        (turns ? Turned(light, frame.Rotation) : light) with
        {
            Position = frame.Apply(light.Position),
        };

    internal static Light Turned(Light l, Matrix3 by) =>
        l with
        {
            Direction = by * l.Direction,
            HalfU = l.HalfU is { } u ? by * u : null,
            HalfV = l.HalfV is { } v ? by * v : null,
        };
}
