using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Whether the world's level agrees with horizons that are drawn on the footage.</summary>
public static class HorizonReadings
{
    public static readonly Reading Blank = new()
    {
        Id = "camera.horizon",
        Step = 2,
        Name = "Horizon against the level",
        Unit = "°",
        Tolerance = 0.5,
        How =
            "Largest angle between the world's up and the normal of the plane through the camera and a drawn horizon (Hartley and "
            + "Zisserman 8.6.3). Where no floor is named the drawn lines make the level themselves, and what is left is how far they "
            + "disagree.",
    };

    public static Reading Of(ShotDocument shot)
    {
        LevelLine[] drawn = [.. shot.Orientation.Level.Where(l => l.Horizon)];
        if (drawn.Length == 0)
        {
            return Blank with { Note = "no horizon is drawn; draw one at step 2 to judge the level by" };
        }
        if (ShotCamera.Of(shot) is not { } camera)
        {
            return Blank with { Note = "there is no camera yet" };
        }
        (double Off, LevelLine Line)? worst = null;
        foreach (LevelLine l in drawn)
        {
            if (
                !camera.TryAt(l.Frame, out Pose pose, out Pinhole pinhole)
                || !pinhole.TryDirection(l.X1, l.Y1, out Vec3 a)
                || !pinhole.TryDirection(l.X2, l.Y2, out Vec3 b)
                || Vec3.Cross(a.Normalized(), b.Normalized()) is not { Length: > 1e-4 } across
            )
            {
                return Blank with
                {
                    Note =
                        $"the horizon at frame {l.Frame} cannot be judged: the camera has no sample there, or it is drawn outside the lens or too short",
                };
            }
            Vec3 normal = pose.Rotation * across.Normalized();
            double off = Rotations.Degrees(Elementary.Acos(Math.Min(1, Math.Abs(normal.Y))));
            if (worst is null || off > worst.Value.Off)
            {
                worst = (off, l);
            }
        }
        var (value, line) = worst!.Value;
        return (
            Blank with
            {
                Value = value,
                Note = $"{drawn.Length} horizon{(drawn.Length == 1 ? "" : "s")} drawn, frame {line.Frame} is the worst",
                Worst = new(line.Frame, (line.X1 + line.X2) / 2, (line.Y1 + line.Y2) / 2),
            }
        ).Judged();
    }
}
