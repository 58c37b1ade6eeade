using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;

namespace Plenk.Core.Readings;

/// <summary>How far a click lies from where the camera sees the point, in pixels of the plate.</summary>
public sealed record PointResidual(string Point, int Frame, double X, double Y, double Dx, double Dy)
{
    public double Length => Math.Sqrt(Dx * Dx + Dy * Dy);
}

/// <summary>Step 2.</summary>
public static class CameraReadings
{
    /// <summary>
    /// One residual for every click the camera has a frame for; points behind the camera or outside the lens are left out.
    /// </summary>
    public static IReadOnlyList<PointResidual> Residuals(ShotDocument shot)
    {
        if (ShotCamera.Of(shot) is not { } camera)
        {
            return [];
        }
        var result = new List<PointResidual>();
        foreach (SurveyPoint point in shot.SurveyPoints)
        {
            if (point.Position is not { } position)
            {
                continue;
            }
            Vec3 world = camera.SourceToWorld.Apply(position);
            foreach (PointClick click in point.Clicks)
            {
                if (
                    camera.TryAt(click.Frame, out Pose pose, out Pinhole pinhole)
                    && pinhole.TryProject(pose, world, out double px, out double py)
                )
                {
                    result.Add(new(point.Name, click.Frame, click.X, click.Y, px - click.X, py - click.Y));
                }
            }
        }
        return result;
    }

    public static readonly Reading ReprojectionBlank = new()
    {
        Id = "camera.reprojection",
        Step = 2,
        Name = "Survey points",
        Unit = "px",
        Tolerance = 1,
        How = "Root mean square of the distance between each click and where the camera sees its point, over all clicks.",
    };

    public static Reading Reprojection(ShotDocument shot)
    {
        Reading reading = ReprojectionBlank;
        IReadOnlyList<PointResidual> residuals = Residuals(shot);
        if (residuals.Count == 0)
        {
            return reading with { Note = shot.Camera is null ? "no camera yet" : "no survey point is clicked yet" };
        }
        PointResidual worst = residuals.MaxBy(r => r.Length)!;
        return (
            reading with
            {
                Value = Math.Sqrt(residuals.Average(r => r.Length * r.Length)),
                Note =
                    $"{residuals.Select(r => r.Point).Distinct().Count()} points, {residuals.Count} clicks; worst {worst.Point} at "
                    + $"{worst.Frame}, {worst.Length:0.00} px",
                Worst = new(worst.Frame, worst.X, worst.Y, Words: $"{worst.Point} off by {worst.Length:0.00} px"),
                PerFrame =
                [
                    .. residuals
                        .GroupBy(r => r.Frame)
                        .OrderBy(g => g.Key)
                        .Select(g => new FrameValue(g.Key, Math.Sqrt(g.Average(r => r.Length * r.Length)))),
                ],
            }
        ).Judged();
    }

    public static readonly Reading FloorBlank = new()
    {
        Id = "camera.floor",
        Step = 2,
        Name = "Floor flatness",
        Unit = "mm",
        Tolerance = 10,
        How = "Largest distance of a point named as floor from the plane fitted through all of them.",
    };

    public static Reading FloorFlatness(ShotDocument shot)
    {
        Reading reading = FloorBlank;
        if (shot.Orientation.Floor.Count == 0)
        {
            return reading with { Note = "no floor named yet" };
        }
        OrientingResult result = Orienting.Of(shot);
        if (result.Floor is not { } floor)
        {
            return reading with { Note = string.Join(" ", result.Problems) };
        }
        SurveyPoint[] points =
        [
            .. shot
                .Orientation.Floor.Select(n => shot.SurveyPoints.FirstOrDefault(p => p.Name == n))
                .OfType<SurveyPoint>()
                .Where(p => p.Position is not null),
        ];
        SurveyPoint worst = points[floor.LargestIndex];
        PointClick? click = worst.Clicks.Count > 0 ? worst.Clicks[0] : null;
        return (
            reading with
            {
                Value = floor.Largest * result.SourceToWorld.Scale * 1000,
                Note = points.Length == 3 ? "three points always fit; a fourth checks them" : $"worst {worst.Name}, {points.Length} points",
                Worst = new(
                    click?.Frame ?? shot.Range.First,
                    click?.X,
                    click?.Y,
                    Words: $"{worst.Name} off the floor by {floor.Largest * result.SourceToWorld.Scale * 1000:0.0} mm"
                ),
            }
        ).Judged();
    }

    public static readonly Reading LengthsBlank = new()
    {
        Id = "camera.lengths",
        Step = 2,
        Name = "Known lengths",
        Unit = "%",
        Tolerance = 1,
        How = "Largest deviation of a known length that took no part in setting the scale, between two survey points, as a share of it.",
    };

    public static Reading Lengths(ShotDocument shot)
    {
        if (shot.KnownLengths.Count == 0)
        {
            return LengthsBlank with { Note = "no length is named to check by" };
        }
        Similarity toWorld = Orienting.Of(shot).SourceToWorld;
        (double Off, KnownDistance Length, double Metres)? worst = null;
        foreach (KnownDistance k in shot.KnownLengths)
        {
            Vec3? Place(string name) => shot.SurveyPoints.FirstOrDefault(p => p.Name == name)?.Position;
            if (Place(k.From) is not { } a || Place(k.To) is not { } b)
            {
                return LengthsBlank with { Note = $"{(Place(k.From) is null ? k.From : k.To)} has no place yet" };
            }
            double metres = (b - a).Length * toWorld.Scale,
                off = 100 * (metres / k.Metres - 1);
            if (worst is null || Math.Abs(off) > Math.Abs(worst.Value.Off))
            {
                worst = (off, k, metres);
            }
        }
        var (value, length, found) = worst!.Value;
        PointClick? click = shot.SurveyPoints.First(p => p.Name == length.To).Clicks.FirstOrDefault();
        return (
            LengthsBlank with
            {
                Value = value,
                Note =
                    $"{length.From} to {length.To}: {found:0.000} m instead of {length.Metres:0.000} "
                    + $"m{(shot.Orientation.Scale is null ? "; no scale is named yet" : "")}",
                Worst = new(click?.Frame ?? shot.Range.First, click?.X, click?.Y, Words: $"{length.From}–{length.To} {value:+0.0;−0.0} %"),
            }
        ).Judged();
    }
}
