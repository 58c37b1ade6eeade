using System.Diagnostics;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Sequences;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>The camera of a foreign sequence from its frames alone, sensor known and focal length not, against its truth.</summary>
public static class SolveAccuracy
{
    /// <returns>The solve, what takes it to the truth's world, and its tracks; null where it failed.</returns>
    public static (SolveResult Result, Similarity ToWorld, IReadOnlyList<Track> Tracks)? Run(
        string directory,
        JsonElement truth,
        Action<string, double, double, string> report
    )
    {
        var watch = Stopwatch.StartNew();
        PlateCheckResult check = SolveWork.Frames(directory);
        var (width, height, first, last) = (check.Frames[0].Width, check.Frames[0].Height, check.Frames[0].Frame, check.Frames[^1].Frame);
        IReadOnlyList<Track> tracks = SolveWork.Follow(directory, null, check);
        double tracked = watch.Elapsed.TotalSeconds;
        SolveResult result = CameraSolver.Travelling(tracks, first, last, new() { Width = width, Height = height });
        double solved = watch.Elapsed.TotalSeconds - tracked;
        Console.WriteLine(
            $"{tracks.Count} tracks in {tracked:0.0} s, solve in {solved:0.0} s; {result.TracksUsed} used, {result.LeftOut.Count} left out{(result.Solved ? "" : $"; FAILED: {result.Reason}")}"
        );
        if (!result.Solved)
        {
            report("solve", 1, 0, "");
            return null;
        }
        var poses = truth
            .GetProperty("frames")
            .EnumerateArray()
            .ToDictionary(
                f => f.GetProperty("frame").GetInt32(),
                f => Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
            );
        Similarity to = Alignment
            .Similarity(
                [.. result.Frames.Select(f => f.CameraToWorld.Position)],
                [.. result.Frames.Select(f => poses[f.Frame].Position)],
                out _
            )!
            .Value.Map;
        double length = 0,
            square = 0,
            turn = 0;
        for (int i = 0; i < result.Frames.Count; i++)
        {
            Pose mine = result.Frames[i].CameraToWorld.Moved(to),
                theirs = poses[result.Frames[i].Frame];
            square += (mine.Position - theirs.Position).LengthSquared;
            if (i > 0)
            {
                length += (theirs.Position - poses[result.Frames[i - 1].Frame].Position).Length;
            }
            Matrix3 d = mine.Rotation.Transpose() * theirs.Rotation;
            turn = Math.Max(turn, Rotations.Degrees(Math.Acos(Math.Clamp((d.M11 + d.M22 + d.M33 - 1) / 2, -1, 1))));
        }
        double focal = truth.GetProperty("frames")[0].GetProperty("focal_px").GetDouble();
        var real = new Pinhole(
            width,
            height,
            focal,
            focal,
            width / 2.0,
            height / 2.0,
            new Lens(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble())
        );
        double lens = 0;
        for (int y = 0; y <= height; y += 10)
        {
            for (int x = 0; x <= width; x += 10)
            {
                if (real.TryDirection(x, y, out Vec3 ray) && result.Pinhole!.TryProject(ray, out double px, out double py))
                {
                    lens = Math.Max(lens, Math.Sqrt((px - x) * (px - x) + (py - y) * (py - y)));
                }
            }
        }
        report("solve: frames that were solved, of all", check.Frames.Count - result.Frames.Count, 0, "");
        report("solve: reprojection RMS", result.RmsPx, 0.3, "px");
        report("solve: path, RMS by its length", 100 * Math.Sqrt(square / result.Frames.Count) / length, 0.15, "%");
        report("solve: rotation, worst frame", turn, 0.03, "deg");
        report("solve: focal length", 100 * Math.Abs(result.Pinhole!.Fx / focal - 1), 0.3, "%");
        report("solve: lens, worst place in the frame", lens, 0.3, "px");
        return (result, to, tracks);
    }
}
