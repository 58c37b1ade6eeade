using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>The camera's commands as a shell runs them, on parts of the demo footage whose truth is known.</summary>
public sealed class CameraCommandTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("plenk-camera-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private static (int Exit, string Out, string Error) Run(string command) => PlenkCommand.Run(command);

    private static string Demo(string code) => Path.Combine(DemoShot.Repository, "demo", code);

    private static Dictionary<int, Pose> Truth(string code)
    {
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(Path.Combine(Demo(code), "truth.json")));
        return json
            .RootElement.GetProperty("frames")
            .EnumerateArray()
            .ToDictionary(
                f => f.GetProperty("frame").GetInt32(),
                f => Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
            );
    }

    private string Part(string code, int first, int last)
    {
        string plate = Path.Combine(_folder, $"{code}_{first}");
        Directory.CreateDirectory(plate);
        for (int f = first; f <= last; f++)
        {
            File.Copy(Path.Combine(Demo(code), "plate", $"{code}.{f}.jpg"), Path.Combine(plate, $"{code}.{f}.jpg"));
        }
        return plate;
    }

    [Fact]
    public void A_pan_is_solved_as_a_turn_and_not_as_a_path()
    {
        string plate = Part("BTH_0050", 1022, 1041),
            to = Path.Combine(_folder, "out");
        var (exit, output, error) = Run($"solve --plate {plate} --sensor 36x20.25 --camera-moves turns --refine-lens k1 --out {to}");
        Assert.True(exit == 0, error);
        Assert.Equal(30, JsonDocument.Parse(output).RootElement.GetProperty("focal_mm").GetDouble(), 0.6);
        JsonElement solve = JsonDocument.Parse(File.ReadAllText(Path.Combine(to, "solve.json"))).RootElement;
        Assert.Equal(
            ("solved", "turns", 20),
            (
                solve.GetProperty("status").GetString(),
                solve.GetProperty("camera_moves").GetString(),
                solve.GetProperty("frames").GetArrayLength()
            )
        );
        Pose[] found =
        [
            .. solve
                .GetProperty("frames")
                .EnumerateArray()
                .Select(f =>
                    Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
                ),
        ];
        Dictionary<int, Pose> truth = Truth("BTH_0050");
        Assert.Equal(
            Rotations.DegreesBetween(truth[1022].Rotation, truth[1041].Rotation),
            Rotations.DegreesBetween(found[0].Rotation, found[^1].Rotation),
            0.4
        );
        foreach (string file in (string[])["camera.glb", "camera.usda", "points.ply", "tracks.csv"])
        {
            Assert.True(new FileInfo(Path.Combine(to, file)).Length > 500, file);
        }

        (exit, _, error) = Run($"solve --plate {plate} --sensor 36x20.25 --camera-moves travels --out {to}");
        Assert.Equal(3, exit);
        Assert.Contains("turns but does not travel", error);
        JsonElement failed = JsonDocument.Parse(File.ReadAllText(Path.Combine(to, "solve.json"))).RootElement;
        Assert.Equal("failed", failed.GetProperty("status").GetString());
        Assert.Contains("turns", failed.GetProperty("reason").GetString());
        Assert.Equal(2, Run($"solve --plate {plate} --sensor 36 --out {to}").Exit);
        Assert.Equal(2, Run($"solve --plate {plate} --sensor 36x20.25 --camera-moves hops --out {to}").Exit);
    }

    [Fact]
    public void The_still_s_camera_is_found_from_its_lines()
    {
        string image = Path.Combine(Demo("BTH_0060"), "plate", "BTH_0060.1001.jpg"),
            lines = Path.Combine(Demo("BTH_0060"), "lines.json");
        var (exit, _, error) = Run($"camera-from-lines --image {image} --lines {lines} --sensor 36x20.25 --out {_folder}");
        Assert.True(exit == 0, error);
        JsonElement frame = JsonDocument.Parse(File.ReadAllText(Path.Combine(_folder, "solve.json"))).RootElement.GetProperty("frames")[0];
        Assert.Equal(1001, frame.GetProperty("frame").GetInt32());
        Assert.Equal(24 * 1600 / 36.0, frame.GetProperty("focal_px").GetDouble(), 8.0);
        Pose found =
                Pose.FromRowMajor16([.. frame.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value,
            truth = Truth("BTH_0060")[1001];
        Assert.InRange(Rotations.DegreesBetween(found.Rotation, truth.Rotation), 0, 0.25);
        // The lines' origin is the left foot of the steps, (−4.4, 0, −5.45) in the hall.
        Assert.InRange((found.Position - (truth.Position - new Vec3(-4.4, 0, -5.45))).Length, 0, 0.12);

        string bad = Path.Combine(_folder, "bad.json");
        File.WriteAllText(bad, File.ReadAllText(lines).Replace("\"width\":1600", "\"width\":800"));
        (exit, _, error) = Run($"camera-from-lines --image {image} --lines {bad} --sensor 36x20.25 --out {_folder}");
        Assert.Equal(3, exit);
        Assert.Contains("800 × 900", error);
        Assert.Equal(2, Run($"camera-from-lines --image {image} --lines {_folder}/none.json --sensor 36x20.25 --out {_folder}").Exit);
    }

    [Fact]
    public void A_camera_file_s_convention_is_found()
    {
        // The truth written the way of vision literature: world to camera, y down, +Z ahead; two frames late; feet, Z up.
        string plate = Part("BTH_0070", 1020, 1043),
            csv = Path.Combine(_folder, "foreign.csv"),
            report = Path.Combine(_folder, "report.json");
        var text = new StringBuilder(
            "frame," + string.Join(',', Enumerable.Range(0, 16).Select(i => $"m{i / 4 + 1}{i % 4 + 1}")) + ",focal_px\n"
        );
        Matrix3 zUp = Rotations.AboutX(Math.PI / 2);
        foreach (var (f, pose) in Truth("BTH_0070"))
        {
            Vec3 p = zUp * pose.Position / 0.3048;
            Matrix3 r = (zUp * pose.Rotation * Core.Solving.Convention.VisionAxes).Transpose();
            text.Append(f + 2)
                .Append(',')
                .Append(string.Join(',', new Pose(r, -(r * p)).ToRowMajor16().Select(v => v.ToString("R", CultureInfo.InvariantCulture))))
                .Append(",933.3333\n");
        }
        File.WriteAllText(csv, text.ToString());
        var (exit, _, error) = Run($"find-convention --plate {plate} --camera {csv} --out {report}");
        Assert.True(exit is 0 or 3, error);
        JsonElement found = JsonDocument.Parse(File.ReadAllText(report)).RootElement,
            best = found.GetProperty("ranking")[0].GetProperty("parameters");
        Assert.Equal(
            ("world_to_camera", "+Z", "-Y", "right", 2),
            (
                best.GetProperty("matrix").GetString(),
                best.GetProperty("viewing").GetString(),
                best.GetProperty("camera_up").GetString(),
                best.GetProperty("handedness").GetString(),
                best.GetProperty("frame_offset").GetInt32()
            )
        );
        Assert.InRange(found.GetProperty("ranking")[0].GetProperty("error_px").GetDouble(), 0.01, 0.6);
        Assert.Equal(
            ("+Z", "a level horizon", "the artist"),
            (
                found.GetProperty("up").GetString(),
                found.GetProperty("decided_by").GetProperty("up").GetString(),
                found.GetProperty("decided_by").GetProperty("unit").GetString()
            )
        );
        Assert.Equal(exit == 0, found.GetProperty("trusted").GetBoolean());
    }

    [Fact]
    public void Tracks_are_changed_by_hand()
    {
        using var demo = new DemoShot();
        ShotDocument shot = demo.Document with { Range = new(1001, 1012) };
        TrackWork work = demo.Engine.TrackWork;
        var (tracks, whole) = work.Follow(shot, new() { Count = 120 }, CancellationToken.None, (_, _) => { });
        Assert.True(whole);
        Assert.InRange(tracks.Count, 80, 600);
        // What is found in the last frame is followed back.
        Assert.Contains(tracks, t => t.Points[^1].Frame == 1012 && t.Points.Count > 6);
        ShotDocument With(IReadOnlyList<Track> t) =>
            shot with
            {
                Tracks = new() { Media = demo.Media.Write(TrackFile.Write(t)), Count = t.Count },
            };
        ShotDocument tracked = With(tracks);

        Track some = tracks.First(t => t.Points.Count == 12);
        IReadOnlyList<Track> moved = work.Edit(tracked, new("move", some.Id, null, 1005, 100, 50));
        Assert.True(
            moved.First(t => t.Id == some.Id) is { ByHand: true } m && m.TryAt(1005, out TrackPoint p) && p == new TrackPoint(1005, 100, 50)
        );
        Assert.Equal(12, some.Points.Count); // the old one stands
        IReadOnlyList<Track> cut = work.Edit(tracked, new("cut", some.Id, null, 1004, 0, 0));
        Assert.Equal(1004, cut.First(t => t.Id == some.Id).Points[^1].Frame);
        Assert.DoesNotContain(work.Edit(tracked, new("delete", some.Id, null, 1004, 0, 0)), t => t.Id == some.Id);

        // A spot placed by hand is followed both ways, as the automatic one was; and joined where another ends.
        Assert.True(some.TryAt(1006, out TrackPoint at));
        IReadOnlyList<Track> placed = work.Edit(tracked, new("place", null, null, 1006, at.X, at.Y));
        Track hand = placed[^1];
        Assert.True(hand.ByHand && hand.Points[0].Frame < 1006 && hand.Points[^1].Frame > 1006);
        Assert.True(hand.TryAt(1010, out TrackPoint late) & some.TryAt(1010, out TrackPoint same));
        Assert.Equal(same.X, late.X, 0.5);
        var first = new Track(9001);
        first.Points.AddRange([new(1001, 10, 10), new(1002, 12, 10)]);
        var second = new Track(9002);
        second.Points.AddRange([new(1005, 18, 13), new(1006, 20, 14)]);
        Track joined = work.Edit(With([first, second]), new("join", 9001, 9002, 1003, 0, 0)).Single();
        Assert.Equal((6, 14.0, 11.0), (joined.Points.Count, joined.Points[2].X, joined.Points[2].Y));

        Assert.Contains(
            "same time",
            Assert
                .Throws<ShotFault>(() =>
                    work.Edit(tracked, new("join", some.Id, tracks.First(t => t != some && t.Points.Count == 12).Id, 1003, 0, 0))
                )
                .Message
        );
        Assert.Contains(
            "no track 77777",
            Assert.Throws<ShotFault>(() => work.Edit(tracked, new("delete", 77777, null, 1001, 0, 0))).Message
        );
        Assert.Contains("one frame", Assert.Throws<ShotFault>(() => work.Edit(tracked, new("cut", some.Id, null, 1001, 0, 0))).Message);
        Assert.Contains(
            "outside the shot",
            Assert.Throws<ShotFault>(() => work.Edit(tracked, new("place", null, null, 999, 5, 5))).Message
        );

        // A matte keeps tracks off, keyed from frame to frame; a stop keeps what there is.
        var matte = new Matte
        {
            Id = "m",
            Keys = [new(1001, [0, 0, 640, 0, 640, 720, 0, 720]), new(1011, [0, 0, 740, 0, 740, 720, 0, 720])],
        };
        Assert.Equal([0, 0, 690, 0, 690, 720, 0, 720], MatteShape.At(matte, 1006));
        Assert.Equal(matte.Keys[1].Corners, MatteShape.At(matte, 1500));
        using var stop = new CancellationTokenSource();
        var (kept, all) = work.Follow(shot with { Mattes = [matte] }, new() { Count = 80 }, stop.Token, (_, part) =>
        {
            if (part > 0.3)
            {
                stop.Cancel();
            }
        });
        Assert.False(all);
        Assert.NotEmpty(kept);
        Assert.All(kept, t =>
            Assert.All(t.Points, q => Assert.False(MatteShape.Contains(MatteShape.At(matte, q.Frame), (int)q.X + 0.5, (int)q.Y + 0.5)))
        );
    }
}
