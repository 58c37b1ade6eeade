using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>The samples of a camera that is set by hand.</summary>
public static class HandPath
{
    /// <summary>Where a camera's values stand in a document.</summary>
    public const string At = "camera/hand";

    /// <summary>
    /// The shot with a sample for each of its frames, as the camera's values, their keys, what it looks at and its trembling have it there.
    /// The same document where it has no such camera, or no plate to count the focal length by.
    /// </summary>
    public static ShotDocument Laid(ShotDocument shot)
    {
        if (shot is not { Camera: { Hand: not null } camera, Plate: { SensorWidthMm: > 0, Width: > 0 } plate })
        {
            return shot;
        }
        bool keyed = shot.Curves.Any(c => c.Id.StartsWith($"{At}/", StringComparison.Ordinal));
        var things = new Carriers(shot);
        CameraSample Sample(int frame)
        {
            HandCamera hand = (keyed ? ShotCurves.At(shot, frame) : shot).Camera!.Hand!;
            return new(
                frame,
                PoseOf(hand, things, frame, shot.Rate).ToRowMajor16(),
                hand.FocalMm / plate.SensorWidthMm * plate.Width,
                plate.Width / 2.0,
                plate.Height / 2.0
            );
        }
        return shot with
        {
            Camera = camera with
            {
                Rate = shot.Rate,
                Mapping = new(shot.Range.First, shot.Range.First),
                Width = plate.Width,
                Height = plate.Height,
                Samples = [.. Enumerable.Range(shot.Range.First, shot.Range.Count).Select(Sample)],
            },
        };
    }

    private static Pose PoseOf(HandCamera hand, Carriers things, int frame, FrameRate rate)
    {
        Vec3 place = hand.Position,
            turn = hand.RotationYxzDegrees;
        var (metres, degrees) = hand.Shake?.At((double)frame * rate.Den / rate.Num) ?? default;
        place += metres;
        if (things.Target(hand.AimsAt, frame) is { } at && at - place is { Length: > 1e-9 } way)
        {
            Vec3 d = way.Normalized();
            turn = new(
                Rotations.Degrees(Elementary.Atan2(d.Y, Math.Sqrt(d.X * d.X + d.Z * d.Z))),
                Rotations.Degrees(Elementary.Atan2(-d.X, -d.Z)),
                turn.Z
            );
        }
        turn += degrees;
        return new(Rotations.FromEulerYxzDegrees(turn.X, turn.Y, turn.Z), place);
    }

    /// <summary>The camera set by hand that stands where a camera of the shot's stands at a frame.</summary>
    /// <param name="focalPx">On a picture as wide as the plate.</param>
    public static HandCamera From(PlateSource plate, Pose pose, double focalPx) =>
        new()
        {
            Position = pose.Position,
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(pose.Rotation),
            FocalMm = focalPx / plate.Width * plate.SensorWidthMm,
        };

    /// <summary>Why its values are no camera, in the artist's terms; null: they are.</summary>
    public static string? Fault(HandCamera hand) =>
        !hand.Position.IsFinite || hand.Position.Length > 1e6 ? "Camera: it stands at three numbers, metres, within 1,000 km of its origin."
        : !hand.RotationYxzDegrees.IsFinite || hand.RotationYxzDegrees.Length > 36_000 ? "Camera: tilt, heading and roll are degrees."
        : !(hand.FocalMm is >= 0.1 and <= 100_000) ? "Camera: its focal length is 0.1 to 100,000 mm."
        : hand.Rectangle is { } r
        && !(
            double.IsFinite(r.AcrossMetres * r.UpMetres)
            && r is { AcrossMetres: not 0, UpMetres: not 0 }
            && r.Laid.All(l => l.Corners.Length == 8 && l.Corners.All(double.IsFinite))
        )
            ? "Camera: a rectangle has two edges with a length, and four corners of two numbers each."
        : null;
}
