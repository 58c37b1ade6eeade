using System.Globalization;
using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;

namespace Plenk.Work;

/// <summary>
/// What is built in a shot keeps its place on the filmed place when its camera is found anew: another solve, another program's file.
/// </summary>
public static class KeptPlace
{
    /// <summary>A camera that differs by more, of the picture's width, films something else, or is no camera of this plate.</summary>
    private const double Otherwise = 0.03;

    /// <summary>Places of the set are asked for in so many frames, on a grid of so many rays.</summary>
    private const int Frames = 5,
        Across = 14,
        Down = 8,
        MostSolved = 400;

    /// <summary>Something stands in the world that a new camera would leave behind.</summary>
    public static bool IsWanted(ShotDocument shot) =>
        shot is { Camera: not null, Plate: not null }
        && (
            shot.Pieces.Count > 0
            || shot.Elements.Count > 0
            || shot.Lights.Any(l => l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle)
            || shot.MovingObjects.Count > 0
        );

    /// <summary>How a new camera is laid over the place; null: nothing is to be kept, or the cameras share no frames.</summary>
    /// <param name="newer">As it came, in its own space.</param>
    public static PlaceFit? Fit(ShotEngine engine, ShotDocument shot, CameraSource newer)
    {
        if (!IsWanted(shot))
        {
            return null;
        }
        ShotCamera old = ShotCamera.InSource(shot)!,
            other = ShotCamera.InSource(shot with { Camera = newer })!;
        int[] frames = [.. Enumerable.Range(shot.Range.First, shot.Range.Count)];
        return PlaceKept.Fit(f => At(old, f), f => At(other, f), frames, Places(engine, shot));
    }

    private static (Pose, Pinhole)? At(ShotCamera camera, int frame) =>
        camera.TryAt(frame, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null;

    /// <summary>Places of the set, survey points and the old solve's, in the camera's own space.</summary>
    private static List<Vec3> Places(ShotEngine engine, ShotDocument shot)
    {
        ShotCamera camera = ShotCamera.Of(shot)!;
        Similarity toSource = camera.SourceToWorld.Inverse();
        var places = new List<Vec3>();
        places.AddRange(shot.SurveyPoints.Select(p => p.Position).OfType<Vec3>());
        if (engine.TrackWork.Solve(shot) is { Turning: false } solve)
        {
            int step = Math.Max(1, solve.Points.Length / MostSolved);
            places.AddRange(solve.Points.Where((_, i) => i % step == 0).Select(p => new Vec3(p.Position[0], p.Position[1], p.Position[2])));
        }
        if (shot.Pieces.Any(p => !p.Off && p.HangsOn is null))
        {
            var set = engine.Place.Set(shot with { Pieces = [.. shot.Pieces.Where(p => p.HangsOn is null)] });
            for (int k = 0; k < Frames; k++)
            {
                if (At(camera, shot.Range.First + (shot.Range.Count - 1) * k / Math.Max(1, Frames - 1)) is not var (pose, pinhole))
                {
                    continue;
                }
                var grid = new RayGrid(pinhole.Resized(Across, Down), pose);
                for (int i = 0; i < Across * Down; i++)
                {
                    if (
                        grid.TryDirection(i % Across, i / Across, new(0.5f, 0.5f), out Vector3 d)
                        && set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet) is { IsHit: true } hit
                    )
                    {
                        places.Add(toSource.Apply(Vec3.From(grid.Origin + hit.T * d)));
                    }
                }
            }
        }
        return places;
    }

    /// <summary>Whether a new camera is laid over the place by a fit, and what is said of it.</summary>
    public static (bool IsLaid, string Told) Judge(ShotDocument shot, PlaceFit fit)
    {
        string Px(double v) => v.ToString(v < 0.1 ? "0.000" : "0.0", CultureInfo.InvariantCulture);
        if (double.IsNaN(fit.MiddlePixels))
        {
            return (true, "It is laid over the old camera by its directions and path: nothing is built that tells how well.");
        }
        return fit.MiddlePixels > Otherwise * shot.Plate!.Width
            ? (
                false,
                $"It does not see the place as the old camera did: laid over it as well as can be, the set moves by {Px(fit.MiddlePixels)} px. "
                    + $"It stands as it came. Is it this plate’s camera, with the right first frame and rate?"
            )
            : (
                true,
                $"It is laid over the place as it stood{(fit.Points > 0 ? "" : ", by the cameras’ directions alone")}: "
                    + $"the set moves by {Px(fit.MiddlePixels)} px in the middle of {(fit.Points > 0 ? $"{fit.Points} places" : "what is seen")}, "
                    + $"{Px(fit.MostPixels)} px at most."
            );
    }

    /// <summary>The same camera in another space.</summary>
    public static CameraSource Moved(CameraSource camera, Similarity map) =>
        camera with
        {
            Samples =
            [
                .. camera.Samples.Select(s =>
                    s with
                    {
                        CameraToWorld = Pose.FromRowMajor16(s.CameraToWorld, out _)!.Value.Moved(map).ToRowMajor16(),
                    }
                ),
            ],
        };
}
