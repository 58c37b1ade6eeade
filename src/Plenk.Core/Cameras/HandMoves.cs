using System.Text.Json.Serialization;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Cameras;

/// <summary>How a drag in the picture moves a camera.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<HandMove>))]
public enum HandMove
{
    /// <summary>Tilt and heading: what was under the pointer stays there.</summary>
    Turn,

    /// <summary>Along the grid's plane: its spot under the pointer stays there.</summary>
    Move,

    /// <summary>Up and down: the spot of the grid goes up and down with the pointer.</summary>
    Height,

    /// <summary>Nearer to the spot and away from it; down is nearer.</summary>
    Away,

    /// <summary>About the picture's middle.</summary>
    Roll,

    /// <summary>Focal length: what was under the pointer goes out from the middle as the pointer does.</summary>
    Focal,
}

/// <summary>The plane through the world's origin that a grid lies in.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<HandGrid>))]
public enum HandGrid
{
    Floor,

    /// <summary>Upright along X.</summary>
    WallX,

    /// <summary>Upright along Z.</summary>
    WallZ,
}

/// <summary>A camera set by hand, moved by drags in its picture.</summary>
public static class HandMoves
{
    /// <summary>A drag over the picture's height comes so many times nearer.</summary>
    private const double Nearer = 4;

    private const string OffGrid = "The grid is not seen there: it ends at the horizon. Take hold of a spot of it.",
        OffLens = "The lens reaches no such spot. Take hold within the picture.";

    /// <param name="hand">As it was where the drag began.</param>
    /// <param name="pinhole">Of it then.</param>
    /// <param name="from">Pixels of the plate.</param>
    /// <param name="why">In the artist's terms, where it cannot be moved so, and null is given.</param>
    public static HandCamera? Moved(
        HandCamera hand,
        Pinhole pinhole,
        HandMove how,
        HandGrid grid,
        (double X, double Y) from,
        (double X, double Y) to,
        out string? why
    )
    {
        Vec3 turn = hand.RotationYxzDegrees;
        Matrix3 own = Rotations.FromEulerYxzDegrees(turn.X, turn.Y, turn.Z);
        why = OffLens;
        if (!pinhole.TryDirection(from.X, from.Y, out Vec3 ray) || !pinhole.TryDirection(to.X, to.Y, out Vec3 then))
        {
            return null;
        }
        why = null;
        switch (how)
        {
            case HandMove.Turn:
                return hand with { RotationYxzDegrees = Turned(turn, own * ray, then) };
            case HandMove.Roll:
                double by = Rotations.Degrees(
                    Elementary.Atan2(to.Y - pinhole.Cy, to.X - pinhole.Cx) - Elementary.Atan2(from.Y - pinhole.Cy, from.X - pinhole.Cx)
                );
                return hand with { RotationYxzDegrees = turn + new Vec3(0, 0, Rotations.NearDegrees(by, 0)) };
            case HandMove.Focal:
                double was = FromMiddle(from, pinhole);
                // Near the middle a pixel would be a multiple.
                if (was < 0.02 * pinhole.Width)
                {
                    why = "Take hold farther from the picture’s middle: the focal length follows how far from it one pulls.";
                    return null;
                }
                return hand with { FocalMm = Math.Clamp(hand.FocalMm * FromMiddle(to, pinhole) / was, 0.1, 100_000) };
        }
        Vec3 normal = grid switch
        {
            HandGrid.WallX => Vec3.UnitZ,
            HandGrid.WallZ => Vec3.UnitX,
            _ => Vec3.UnitY,
        };
        if (OnPlane(hand.Position, own * ray, normal) is not { } held)
        {
            why = OffGrid;
            return null;
        }
        switch (how)
        {
            case HandMove.Away:
                double nearer = Elementary.Exp(-Elementary.Log(Nearer) * (to.Y - from.Y) / pinhole.Height);
                return hand with { Position = held + nearer * (hand.Position - held) };
            case HandMove.Height:
                if (Raised(held - hand.Position, own, then) is { } up)
                {
                    return hand with { Position = hand.Position + up * Vec3.UnitY };
                }
                why = "Seen so, the height is not told by that spot. Take hold of one that is nearer.";
                return null;
            default:
                if (OnPlane(hand.Position, own * then, normal) is { } now)
                {
                    return hand with { Position = hand.Position + held - now };
                }
                why = OffGrid;
                return null;
        }
    }

    private static double FromMiddle((double X, double Y) at, Pinhole p) =>
        Math.Sqrt((at.X - p.Cx) * (at.X - p.Cx) + (at.Y - p.Cy) * (at.Y - p.Cy));

    private static Vec3? OnPlane(Vec3 from, Vec3 way, Vec3 normal) =>
        -Vec3.Dot(from, normal) / Vec3.Dot(way, normal) is > 0 and < 1e5 and var t ? from + t * way : null;

    /// <summary>The tilt and heading, of those that bring a ray of the camera onto a way of the world, nearest to what they were.</summary>
    private static Vec3 Turned(Vec3 turn, Vec3 world, Vec3 ray)
    {
        Vec3 e = Rotations.AboutZ(Rotations.Radians(turn.Z)) * ray.Normalized(),
            w = world.Normalized();
        // Tilted by t, its height is e.Y cos t − e.Z sin t.
        double reach = Math.Sqrt(e.Y * e.Y + e.Z * e.Z),
            phase = Elementary.Atan2(-e.Z, e.Y),
            open = Elementary.Acos(Math.Clamp(w.Y / Math.Max(reach, 1e-12), -1, 1));
        Vec3 best = turn;
        double least = double.PositiveInfinity;
        foreach (double tilt in (ReadOnlySpan<double>)[phase + open, phase - open])
        {
            Vec3 tilted = Rotations.AboutX(tilt) * e;
            double heading = Elementary.Atan2(w.X, w.Z) - Elementary.Atan2(tilted.X, tilted.Z);
            Vec3 one = new(
                Rotations.NearDegrees(Rotations.Degrees(tilt), turn.X),
                Rotations.NearDegrees(Rotations.Degrees(heading), turn.Y),
                turn.Z
            );
            if ((one - turn).Length < least)
            {
                (best, least) = (one, (one - turn).Length);
            }
        }
        return best;
    }

    /// <summary>
    /// How much higher the camera stands for what it sees in a direction to be as high in the picture as a ray; null where that tells
    /// nothing.
    /// </summary>
    private static double? Raised(Vec3 way, Matrix3 own, Vec3 ray)
    {
        Vec3 seen = own.Transpose() * way,
            up = own.Transpose() * Vec3.UnitY;
        // (seen − Δ up) has the ray's Y over −Z.
        double slope = ray.Y / -ray.Z,
            det = up.Y + slope * up.Z,
            by = (seen.Y + slope * seen.Z) / det;
        return Math.Abs(det) > 1e-9 && Math.Abs(by) < 1e5 ? by : null;
    }
}
