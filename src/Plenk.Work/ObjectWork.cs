using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Sequences;

namespace Plenk.Work;

/// <summary>A moving thing inside its mattes, against a solved camera.</summary>
public static class ObjectWork
{
    /// <summary>Small things need features close together; their windows must not hang over the edge far.</summary>
    internal static readonly TrackerSettings Close = new()
    {
        Count = 400,
        Distance = 5,
        Radius = 7,
    };

    public static ObjectResult Solve(
        string plate,
        string masks,
        string cameraFile,
        double? distance,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        PlateCheckResult check = SolveWork.Frames(plate, stop);
        var (width, height, first, last) = (check.Frames[0].Width, check.Frames[0].Height, check.Frames[0].Frame, check.Frames[^1].Frame);
        CameraSource camera = CameraFiles.Read(
            File.ReadAllBytes(cameraFile),
            Path.GetFileName(cameraFile),
            new CameraImport(width, height, 36, first, new(24, 1))
        );
        var poses = camera
            .Samples.Where(s => s.Frame == Math.Floor(s.Frame))
            .ToDictionary(s => (int)s.Frame, s => Pose.FromRowMajor16(s.CameraToWorld, out _)!.Value);
        CameraSample sample = camera.Samples[0];
        if (camera.Samples.Any(s => Math.Abs(s.FocalPx / sample.FocalPx - 1) > 1e-3))
        {
            throw new ShotFault(
                "The camera zooms, and a thing is found from its tracks only through one focal length. Take a part of the range in "
                    + "which it does not, or hold the thing's mesh to the picture on the page."
            );
        }
        double scale = (double)width / camera.Width;
        if (Math.Abs((double)height / camera.Height - scale) > 0.01)
        {
            throw new ShotFault(
                $"The camera was solved on a picture of {camera.Width} × {camera.Height}, the plate is {width} × {height}: another "
                    + "shape. Bring the plate it was solved on."
            );
        }
        var pinhole = new Pinhole(
            width,
            height,
            sample.FocalPx * scale,
            sample.FocalPx * scale,
            sample.Cx * scale,
            sample.Cy * scale,
            camera.Lens.ToLens()
        );
        IReadOnlyList<Track> tracks = SolveWork.Follow(
            plate,
            masks,
            check,
            Close,
            inside: true,
            stop: stop,
            progress: progress is null ? null : (what, part) => progress(what, 0.4 * part)
        );
        List<FloorUnder> floor = [];
        if (distance is null)
        {
            IReadOnlyList<Track> around = SolveWork.Follow(
                plate,
                masks,
                check,
                stop: stop,
                progress: progress is null ? null : (what, part) => progress($"Around it: {what}", 0.4 + 0.3 * part)
            );
            Vec3[] still =
            [
                .. around.Where(t => t.Points.Count >= 6).AsParallel().AsOrdered().Select(t => Place(t, poses, pinhole)).OfType<Vec3>(),
            ];
            for (int i = 0; i < 9; i++)
            {
                int f = first + (last - first) * i / 8;
                if (
                    poses.TryGetValue(f, out Pose pose)
                    && SolveWork.MatteBox(masks, f) is { } box
                    && ObjectSolver.FloorDepth(still, pose, pinhole, box) is { } depth
                )
                {
                    floor.Add(new(f, depth));
                }
            }
        }
        return ObjectSolver.Solve(
            tracks,
            first,
            last,
            f => poses.TryGetValue(f, out Pose p) ? p : null,
            new()
            {
                Width = width,
                Height = height,
                FocalPx = pinhole.Fx,
                Cx = pinhole.Cx,
                Cy = pinhole.Cy,
                Lens = pinhole.Lens,
            },
            distance,
            floor,
            stop,
            progress is null ? null : (what, part) => progress(what, 0.7 + 0.3 * part)
        );
    }

    /// <summary>A still track's place from the solved camera, where it agrees with it.</summary>
    private static Vec3? Place(Track t, Dictionary<int, Pose> poses, Pinhole pinhole)
    {
        Sight[] sights =
        [
            .. Enumerable
                .Range(0, 8)
                .Select(i => t.Points[i * (t.Points.Count - 1) / 7])
                .Distinct()
                .Where(p => poses.ContainsKey(p.Frame))
                .Select(p => new Sight(poses[p.Frame], pinhole, p.X, p.Y)),
        ];
        return Triangulation.Locate(sights, out _) is { RmsPixels: < 1.5, ParallaxDegrees: > 0.4 } found ? found.Point : null;
    }
}
