using System.Diagnostics;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>The demo production's shots solved from their compressed footage alone, against the generator's truth.</summary>
public static class DemoAccuracy
{
    public static int Run(string demo)
    {
        foreach (
            var (code, moves, masks) in new[]
            {
                ("BTH_0040", CameraMoves.Travels, false),
                ("BTH_0050", CameraMoves.Turns, false),
                ("BTH_0070", CameraMoves.Travels, true),
            }
        )
        {
            string folder = Path.Combine(demo, code);
            var watch = Stopwatch.StartNew();
            SolveWork.Outcome done = SolveWork.Solve(
                Path.Combine(folder, "plate"),
                masks ? Path.Combine(folder, "matte") : null,
                moves,
                (w, h) => new() { Width = w, Height = h }
            );
            double seconds = watch.Elapsed.TotalSeconds;
            SolveResult r = done.Result;
            if (!r.Solved)
            {
                Console.WriteLine($"{code}: FAILED in {seconds:0} s: {r.Reason}");
                continue;
            }
            JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(folder, "truth.json"))).RootElement;
            Dictionary<int, Pose> poses = Poses(truth, "camera_to_world");
            double focalMm = r.Pinhole!.Fx * 36 / done.Width;
            Pose[] mine = [.. r.Frames.Select(f => f.CameraToWorld)],
                theirs = [.. r.Frames.Select(f => poses[f.Frame])];
            // A path that is nearly straight says little about the turn around itself; the cameras' own axes do.
            Matrix3 turned = Alignment.Rotation(
                [
                    .. mine.Zip(theirs)
                        .SelectMany(p =>
                            new[]
                            {
                                (p.First.Rotation * Vec3.UnitX, p.Second.Rotation * Vec3.UnitX),
                                (p.First.Rotation * Vec3.UnitZ, p.Second.Rotation * Vec3.UnitZ),
                            }
                        ),
                ],
                0.1
            );
            Similarity to =
                moves == CameraMoves.Travels
                    ? Alignment.Similarity([.. mine.Select(p => p.Position)], [.. theirs.Select(p => p.Position)], out _)!.Value.Map
                    : new(1, turned, Vec3.Zero);
            double turn = mine.Zip(theirs).Max(p => Rotations.DegreesBetween(turned * p.First.Rotation, p.Second.Rotation));
            double length = theirs.Zip(theirs.Skip(1)).Sum(p => (p.First.Position - p.Second.Position).Length);
            double off = Math.Sqrt(mine.Zip(theirs).Average(p => (to.Apply(p.First.Position) - p.Second.Position).LengthSquared));
            Console.WriteLine(
                $"{code}: {seconds:0} s; RMS {r.RmsPx:0.000} px; focal {focalMm:0.000} ± {r.FocalDoubtPx * 36 / done.Width:0.000} mm (truth {truth.GetProperty("focal_mm").GetDouble()}); rotation worst {turn:0.000}°{(moves == CameraMoves.Travels ? $"; path {100 * off / length:0.000} %" : "")}; tracks {r.TracksUsed} used, {r.LeftOut.Count} left out; held out {r.HeldOut?.MedianPx:0.00} px"
            );
            if (!masks)
            {
                continue;
            }
            FollowTrolley(folder, truth, done);
            // The trolley against the camera just solved.
            string work = Path.Combine(Path.GetTempPath(), $"plenk-bench-{Environment.ProcessId}.json");
            File.WriteAllBytes(
                work,
                SolveFiles.Of(r, [], done.Width, done.Height, 36, 20.25, new(24, 1)).First(f => f.Name == "solve.json").Bytes
            );
            ObjectResult thing = ObjectWork.Solve(Path.Combine(folder, "plate"), Path.Combine(folder, "matte"), work, null);
            File.Delete(work);
            if (!thing.Solved)
            {
                Console.WriteLine($"{code}, trolley: FAILED: {thing.Reason}");
                continue;
            }
            Dictionary<int, Pose> trolley = Poses(truth, "trolley_to_world");
            Pose[] found = [.. thing.Frames.Select(f => f.ObjectToWorld.Moved(to))],
                real = [.. thing.Frames.Select(f => trolley[f.Frame])];
            Vec3 middle = real[0].ToLocal(found[0].Position);
            Console.WriteLine(
                $"{code}, trolley: RMS {thing.RmsPx:0.000} px; turn since the first frame, worst {found.Zip(real).Max(p => Rotations.DegreesBetween(p.First.Rotation * found[0].Rotation.Transpose(), p.Second.Rotation * real[0].Rotation.Transpose())):0.00}°; place, worst {found.Zip(real).Max(p => (p.First.Position - p.Second.ToWorld(middle)).Length):0.000} m; size by {thing.SizeBy} ± {100 * thing.SizeDoubt:0} %; {thing.Points.Count} tracks"
            );
        }
        LineScene scene = LineFiles.Read(File.ReadAllBytes(Path.Combine(demo, "BTH_0060", "lines.json")), "lines.json");
        LineCameraResult still = LineCamera.Solve(scene);
        JsonElement hall = JsonDocument.Parse(File.ReadAllText(Path.Combine(demo, "BTH_0060", "truth.json"))).RootElement;
        Pose camera = Poses(hall, "camera_to_world").Values.Single();
        Console.WriteLine(
            $"BTH_0060: focal {still.Pinhole!.Fx * 36 / scene.Width:0.000} ± {still.FocalDoubtPx * 36 / scene.Width:0.000} mm (truth {hall.GetProperty("focal_mm").GetDouble()}); rotation {Rotations.DegreesBetween(still.CameraToWorld.Rotation, camera.Rotation):0.000}°; height {still.CameraToWorld.Position.Y:0.000} m (truth {camera.Position.Y})"
        );
        return 0;
    }

    /// <summary>
    /// The trolley's own mesh, held in a few frames exactly where the truth has it, followed between: what following adds, without what a
    /// hand leaves.
    /// </summary>
    private static void FollowTrolley(string folder, JsonElement truth, SolveWork.Outcome done)
    {
        TriangleMesh mesh = ImportedMesh.Read(File.ReadAllBytes(Path.Combine(folder, "trolley.obj")), "trolley.obj").Merged();
        Dictionary<int, Pose> trolley = Poses(truth, "trolley_to_world"),
            cameras = Poses(truth, "camera_to_world");
        int first = trolley.Keys.Min(),
            last = trolley.Keys.Max();
        Pinhole pinhole = Pinhole.FromFilm(
            done.Width,
            done.Height,
            truth.GetProperty("focal_mm").GetDouble(),
            36,
            new Lens(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble())
        );
        PlateCheckResult check = SolveWork.Frames(Path.Combine(folder, "plate"));
        var pictures = new Dictionary<int, GrayPyramid>();
        GrayPyramid Picture(int f)
        {
            if (pictures.TryGetValue(f, out GrayPyramid? p))
            {
                return p;
            }
            string file = check.Frames[f - first].File;
            CodeImage codes = RasterFile.Read(File.ReadAllBytes(Path.Combine(folder, "plate", file)), file);
            return pictures[f] = GrayPyramid.Of(codes.Width, codes.Height, codes.Channels, codes.Bits, codes.Codes);
        }
        foreach (
            int[] frames in (int[][])
                [
                    [first, last],
                    [first, (first + last) / 2, last],
                    [(first + last) / 2],
                ]
        )
        {
            var watch = Stopwatch.StartNew();
            FollowResult r = MeshFollower.Follow(
                mesh,
                [.. frames.Select(f => new MeshHold(f, trolley[f]))],
                first,
                last,
                f => (cameras[f], pinhole),
                Picture
            );
            FollowedFrame worst = r.Frames.MaxBy(f => (f.ObjectToWorld.Position - trolley[f.Frame].Position).Length)!;
            double off = (worst.ObjectToWorld.Position - trolley[worst.Frame].Position).Length,
                turn = r.Frames.Max(f => Rotations.DegreesBetween(f.ObjectToWorld.Rotation, trolley[f.Frame].Rotation));
            double[] pixels =
            [
                .. r.Frames.Select(f =>
                    MeshPose.Rms(
                        new(
                            cameras[f.Frame].Rotation.Transpose() * f.ObjectToWorld.Rotation,
                            cameras[f.Frame].ToLocal(f.ObjectToWorld.Position)
                        ),
                        pinhole,
                        [
                            .. mesh
                                .Positions.Take(400)
                                .Select(p =>
                                    pinhole.TryProject(cameras[f.Frame], trolley[f.Frame].ToWorld(Vec3.From(p)), out double x, out double y)
                                        ? new MeshSight(Vec3.From(p), x, y)
                                        : default
                                )
                                .Where(s => s.X > 0),
                        ]
                    )
                ),
            ];
            Console.WriteLine(
                $"BTH_0070, its mesh held at {string.Join(", ", frames)}: {r.Frames.Count} of {last - first + 1} frames in {watch.Elapsed.TotalSeconds:0.0} s; place worst {off:0.000} m at {worst.Frame}, turn worst {turn:0.00}°, on the picture worst {pixels.Max():0.00} px, mean {pixels.Average():0.00} px{(r.Warnings.Count > 0 ? $"; {r.Warnings[0]}" : "")}"
            );
        }
    }

    private static Dictionary<int, Pose> Poses(JsonElement truth, string key) =>
        truth
            .GetProperty("frames")
            .EnumerateArray()
            .ToDictionary(
                f => f.GetProperty("frame").GetInt32(),
                f => Pose.FromRowMajor16([.. f.GetProperty(key).EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
            );
}
