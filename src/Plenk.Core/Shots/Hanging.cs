using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// Pieces and elements that hang on a moving thing have their place in its frame; at a shot frame they stand where it has
/// taken them.
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
        shot = ShotCurves.At(shot, frame);
        if (shot.Pieces.Any(p => p.GoneFrom is not null))
        {
            shot = shot with
            {
                StoodAt = frame,
                Pieces = [.. shot.Pieces.Select(p => p.GoneFrom is { } gone && frame >= gone ? p with { IsGone = true } : p)],
            };
        }
        if (!shot.Pieces.Any(p => p is { HangsOn: not null } or { Hinge.Degrees: not 0 }) && !shot.Elements.Any(e => e.HangsOn is not null))
        {
            return shot;
        }
        Pose? Of(string? id) =>
            id is not null && shot.MovingObjects.FirstOrDefault(o => o.Id == id) is { } thing ? PoseOf(thing, frame) : null;
        return shot with
        {
            StoodAt = frame,
            Pieces = [.. shot.Pieces.Select(PieceHinge.Swung).Select(p => Of(p.HangsOn) is { } pose ? Placed(p, pose) : p)],
            Elements = [.. shot.Elements.Select(e => Of(e.HangsOn) is { } pose ? Placed(e, pose) : e)],
        };
    }

    /// <summary>A piece stands elsewhere from frame to frame.</summary>
    public static bool Moves(ShotDocument shot, Piece piece) => piece.HangsOn is not null || IsKeyed(shot, "pieces", piece.Id);

    /// <summary>An element does.</summary>
    public static bool Moves(ShotDocument shot, Element e) =>
        e is { HangsOn: not null } or { Motion: not null } || IsKeyed(shot, "elements", e.Id);

    private static bool IsKeyed(ShotDocument shot, string list, string id)
    {
        if (shot.Curves.Count == 0)
        {
            return false;
        }
        string own = $"{list}/{id.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}/";
        return shot.Curves.Any(c => c.Id.StartsWith(own, StringComparison.Ordinal));
    }

    public static Piece Placed(Piece piece, Pose frame) =>
        piece with
        {
            Position = frame.ToWorld(piece.Position),
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(
                frame.Rotation
                    * Rotations.FromEulerYxzDegrees(piece.RotationYxzDegrees.X, piece.RotationYxzDegrees.Y, piece.RotationYxzDegrees.Z)
            ),
        };

    public static Element Placed(Element element, Pose frame) =>
        element with
        {
            Position = frame.ToWorld(element.Position),
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(frame.Rotation * element.Rotation),
        };

    /// <summary>The way back: what stands in the world, as it hangs in a frame.</summary>
    public static Pose Inverse(Pose frame) => new(frame.Rotation.Transpose(), frame.ToLocal(Vec3.Zero));
}
