using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;

namespace Plenk.Work;

/// <summary>Where a survey point was found to be, in the camera's own space; null and why, while its clicks do not say.</summary>
public sealed record LocatedPoint(Vec3? Position, double? RmsPixels, double? ParallaxDegrees, string? Reason);

/// <summary>What is made from survey points of a shot: places from clicks, pieces through places.</summary>
public static class SurveyWork
{
    public static LocatedPoint Locate(ShotDocument shot, string name)
    {
        SurveyPoint point = shot.SurveyPoints.FirstOrDefault(p => p.Name == name) ?? throw new ShotFault($"There is no survey point called {name}.");
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2; then clicks can say where a point is.");
        var sights = new List<Sight>();
        foreach (PointClick click in point.Clicks)
        {
            if (camera.TryAt(click.Frame, out Pose pose, out Pinhole pinhole)) { sights.Add(new(pose, pinhole, click.X, click.Y)); }
        }
        return Triangulation.Locate(sights, out string? reason) is { } found
            ? new(camera.SourceToWorld.Inverse().Apply(found.Point), found.RmsPixels, found.ParallaxDegrees, null)
            : new(null, null, null, $"{name} has no place yet: {reason}.");
    }

    public static FittedPiece Fit(ShotDocument shot, PieceKind kind, IReadOnlyList<string> names, int frame)
    {
        Similarity toWorld = Orienting.Of(shot).SourceToWorld;
        var places = new List<Vec3>();
        foreach (string name in names)
        {
            SurveyPoint point = shot.SurveyPoints.FirstOrDefault(p => p.Name == name) ?? throw new ShotFault($"There is no survey point called {name}.");
            places.Add(toWorld.Apply(point.Position ?? throw new ShotFault($"{name} has no place yet: click it in a second frame.")));
        }
        Vec3? eye = ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out Pose pose, out _) ? pose.Position : null;
        string? reason;
        FittedPiece? fitted = kind switch
        {
            PieceKind.Plane => PieceFit.Plane(places, eye, out reason),
            PieceKind.Box => PieceFit.Box(places, out reason),
            _ => throw new ShotFault("Only planes and boxes are laid through points."),
        };
        return fitted ?? throw new ShotFault($"No {kind.ToString().ToLowerInvariant()} goes through these points: {reason}.");
    }
}
