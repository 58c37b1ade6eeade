using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What leaves the shot for other programs.</summary>
public static class HandOver
{
    /// <summary>
    /// The camera in the world with points and set, and maps of its lens, into a folder; gives the files' names. Of a proxy it is the full
    /// footage's camera.
    /// </summary>
    public static IReadOnlyList<string> Camera(ShotEngine engine, ShotDocument shot, string folder)
    {
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in or solve one at step 2.");
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        var frames = new List<(int, Pose, Pinhole)>();
        for (int f = shot.Range.First; f <= shot.Range.Last; f++)
        {
            if (camera.TryAt(f, out Pose pose, out Pinhole pinhole))
            {
                frames.Add((f, pose, plate is { FullWidth: { } w, FullHeight: { } h } ? pinhole.Resized(w, h) : pinhole));
            }
        }
        if (frames.Count == 0)
        {
            throw new ShotFault("The camera has no sample within the shot's range. Check its first frame and rate at step 2.");
        }
        SetScene set = engine.Place.Set(Hanging.At(shot, shot.Range.First));
        List<(string, Vec3)> points =
        [
            .. shot.SurveyPoints.Where(p => p.Position is not null).Select(p => (p.Name, camera.SourceToWorld.Apply(p.Position!.Value))),
        ];
        if (engine.TrackWork.Solve(shot) is { Turning: false } solve)
        {
            points.AddRange(
                solve.Points.Select(p => ($"track_{p.Track}", camera.SourceToWorld.Apply(new(p.Position[0], p.Position[1], p.Position[2]))))
            );
        }
        var files = CameraExport.Files(
            new(
                frames,
                plate.SensorWidthMm,
                plate.SensorHeightMm,
                shot.Rate,
                points,
                [.. set.Pieces.Select((p, i) => (p.Name.Length > 0 ? p.Name : p.Id, set.Meshes[i]))]
            )
        );
        foreach (var (name, bytes) in files)
        {
            MediaStore.WriteWhole(Path.Combine(folder, name), bytes);
        }
        CameraExport.LensMaps(frames[0].Item3, folder);
        return [.. files.Select(f => f.Name), "undistort.exr", "distort.exr"];
    }
}
