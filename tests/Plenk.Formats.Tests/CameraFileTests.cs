using System.Diagnostics;
using System.Globalization;
using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Meshes;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Cameras, points, lines and tracks, in and out.</summary>
public class CameraFileTests
{
    private static Pose At(int f) => new(Rotations.AboutY(0.1 * f) * Rotations.AboutX(-0.05 * f), new(0.2 * f, 1.6, -0.1 * f));

    private static string N(double v) => v.ToString("R", CultureInfo.InvariantCulture);

    private static RawCamera Raw(string text, string name = "camera.csv") =>
        CameraFiles.ReadRaw(Encoding.UTF8.GetBytes(text), name, new(1280, 720, 36, 1001, new(24, 1)));

    // Row-major p' = M p and its transpose for row vectors, both with 16 numbers; names of columns as several programs write them.
    [Theory]
    [InlineData(false, "m11")]
    [InlineData(true, "m00")]
    [InlineData(true, "m0")]
    public void Matrices_come_in_from_either_layout(bool rows, string first)
    {
        string[] names =
        [
            .. Enumerable
                .Range(0, 16)
                .Select(i =>
                    first switch
                    {
                        "m11" => $"m{i / 4 + 1}{i % 4 + 1}",
                        "m00" => $"m{i / 4}{i % 4}",
                        _ => $"M{i}",
                    }
                ),
        ];
        var text = new StringBuilder($"Frame,{string.Join(',', names)},Focal Length,sensor_width\n");
        for (int f = 1; f <= 3; f++)
        {
            double[] m = At(f).ToRowMajor16();
            text.Append(f)
                .Append(',')
                .Append(string.Join(',', Enumerable.Range(0, 16).Select(i => N(rows ? m[i % 4 * 4 + i / 4] : m[i]))))
                .Append(",35,36\n");
        }
        RawCamera camera = Raw(text.ToString());
        Assert.Equal((FocalUnit.Millimetres, 36.0), (camera.FocalUnit, camera.SensorWidthMm));
        for (int f = 1; f <= 3; f++)
        {
            Assert.InRange((camera.Samples[f - 1].Position - At(f).Position).Length, 0, 1e-12);
            Assert.InRange((camera.Samples[f - 1].Rotation!.Value * Vec3.UnitX - At(f).Rotation * Vec3.UnitX).Length, 0, 1e-9);
        }
    }

    [Fact]
    public void Angles_times_and_mirrors_come_in_as_they_are()
    {
        RawCamera angles = Raw(
            "time,posX,posY,posZ,pitch,yaw,roll,hfov\n0,1,2,3,10,20,30,54.4\n0.04,1,2,3,11,21,31,54.4\n0.08,1,2,4,12,22,32,54.4\n"
        );
        Assert.True(angles.HasAngles);
        Assert.Equal((FocalUnit.Degrees, new Vec3(10, 20, 30)), (angles.FocalUnit, angles.Samples[0].Angles!.Value));
        Assert.Equal([1.0, 2, 3], angles.Samples.Select(s => s.Frame));
        // A mirrored matrix is a left-handed camera: its back axis is turned round, its right and up stay.
        RawCamera mirrored = Raw("frame,m11,m12,m13,m14,m21,m22,m23,m24,m31,m32,m33,m34,focal_px\n1,1,0,0,5,0,1,0,6,0,0,-1,7,900\n");
        Assert.Equal(Matrix3.Identity, mirrored.Samples[0].Rotation);
        // A phone's capture: its own rate, its own picture.
        RawCamera phone = Raw(
            """{"rate":30,"width":1920,"height":1440,"samples":[{"time":0.1,"camera_to_world":[1,0,0,0,0,1,0,2,0,0,1,0,0,0,0,1],"focal_px":1500}]}""",
            "capture.json"
        );
        Assert.Equal((4.0, 1920, 2.0), (phone.Samples[0].Frame, phone.Width!.Value, phone.Samples[0].Position.Y));
    }

    [Theory]
    [InlineData("camera.csv", "", "0 bytes")]
    [InlineData("camera.csv", "frame,tx,ty,tz\n1,0,0,0\n", "neither a matrix")]
    [InlineData("camera.csv", "frame,tx,ty,tz,rx,ry,rz\n1,0,0,0,0,0,0\n", "no focal length")]
    [InlineData("camera.csv", "frame,tx,ty,tz,rx,ry,rz,focal_px\n1,0,x,0,0,0,0,900\n", "row 2 has no number for y")]
    [InlineData("camera.csv", "frame,tx,ty,tz,rx,ry,rz,focal_px\n1,0,0,0,0,0,0,900\n1,0,0,0,0,0,0,900\n", "does not come after")]
    [InlineData("camera.csv", "frame,tx,ty,tz,rx,ry,rz,focal_px\n1,0,0\n", "row 2 has 3 values")]
    [InlineData("camera.json", "{\"frames\":[", "does not have the shape")]
    [InlineData("camera.usda", "PXR-USDC", "#usda")]
    [InlineData("camera.usda", "#usda 1.0\ndef Xform \"x\" {}\n", "no camera")]
    [InlineData("camera.fbx", "x", "not a camera file")]
    public void What_is_wrong_with_a_camera_file_is_said(string name, string text, string said)
    {
        FormatFault fault = Assert.Throws<FormatFault>(() => Raw(text, name));
        Assert.Contains(said, fault.Message);
        Assert.NotEqual("", fault.Mend);
    }

    // USD: row vectors, apertures and focal length in tenths of the stage's unit, upAxis and metersPerUnit of the stage
    // (UsdGeomCamera and UsdGeomMetrics of the open USD documentation).
    [Fact]
    public void A_usd_camera_comes_in_with_its_stage_s_axis_and_unit()
    {
        const string usd = """
            #usda 1.0
            ( metersPerUnit = 0.01
              upAxis = "Z"
              timeCodesPerSecond = 23.976 )
            def Xform "set" { def Camera "main" ( doc = "x" ) {
                float focalLength = 35
                float horizontalAperture = 36
                float verticalAperture = 20.25
                double3 xformOp:translate.timeSamples = { 1001: (100, 200, 300), 1002: (110, 200, 300) }
                float3 xformOp:rotateXYZ = (90, 0, 0)
                uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ"]
            } }
            """;
        CameraSource camera = UsdCamera.ToSource(usd, "c.usda", new(1920, 1080, 36, 1001, new(24, 1)));
        Assert.Equal((24000, 1001), (camera.Rate.Num, camera.Rate.Den));
        Assert.Equal([1001.0, 1002], camera.Samples.Select(s => s.Frame));
        Assert.Equal(35 * 1920 / 36.0, camera.Samples[0].FocalPx, 1e-9);
        Pose pose = Pose.FromRowMajor16(camera.Samples[0].CameraToWorld, out _)!.Value;
        // (1, 2, 3) m with Z up is (1, 3, −2) with Y up; turned up by 90° about X it looks along the horizon.
        Assert.InRange((pose.Position - new Vec3(1, 3, -2)).Length, 0, 1e-9);
        Assert.InRange((pose.Rotation * Vec3.UnitY - Vec3.UnitY).Length, 0, 1e-9);
    }

    private static SolveResult Solved()
    {
        var frames = Enumerable.Range(0, 4).Select(f => new SolvedFrame(1001 + f, At(f), 0.2, 30)).ToList();
        return new()
        {
            Solved = true,
            RmsPx = 0.2,
            Pinhole = new(1280, 720, 1000, 1000, 640, 360, new Lens(-0.05, 0.01)),
            Frames = frames,
            Points = [new(7, new(1, 2, -5), 0.1, 4)],
        };
    }

    [Fact]
    public void What_a_solve_writes_is_read_again_the_same()
    {
        var files = SolveFiles.Of(Solved(), [], 1280, 720, 36, 20.25, new(24, 1)).ToDictionary(f => f.Name, f => f.Bytes);
        var import = new CameraImport(1280, 720, 36, 1001, new(24, 1));
        foreach (string name in (string[])["solve.json", "camera.usda", "camera.glb"])
        {
            CameraSource camera = CameraFiles.Read(files[name], name, import);
            Assert.Equal(4, camera.Samples.Count);
            for (int f = 0; f < 4; f++)
            {
                Pose pose = Pose.FromRowMajor16(camera.Samples[f].CameraToWorld, out _)!.Value;
                Assert.Equal(1001 + f, camera.Samples[f].Frame);
                Assert.Equal(1000, camera.Samples[f].FocalPx, 1e-2);
                Assert.InRange(
                    (pose.Position - At(f).Position).Length + (pose.Rotation * Vec3.UnitZ - At(f).Rotation * Vec3.UnitZ).Length,
                    0,
                    1e-5
                );
            }
        }
        Assert.Equal(new Vec3(1, 2, -5), Assert.Single(PointFiles.ReadPly(files["points.ply"], "points.ply")));

        // The validator of glTF's own makers has nothing to say of the camera.
        string glb = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.glb");
        try
        {
            File.WriteAllBytes(glb, files["camera.glb"]);
            using Process node = Process.Start(
                new ProcessStartInfo(
                    "node",
                    [
                        "-e",
                        "require('gltf-validator').validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1]))).then((r) => console.log(r.issues.numErrors, r.issues.numWarnings, r.info.animationCount))",
                        glb,
                    ]
                )
                {
                    WorkingDirectory = FormatTests.Repository(),
                    RedirectStandardOutput = true,
                }
            )!;
            Assert.Equal("0 0 1", node.StandardOutput.ReadToEnd().Trim());
        }
        finally
        {
            File.Delete(glb);
        }
    }

    [Fact]
    public void Points_come_in_from_text_and_both_binary_orders()
    {
        Vec3[] points = [new(1, 2, 3), new(-4.5, 0.25, 8)];
        static byte[] Binary(string format, Vec3[] points, bool little)
        {
            var bytes = new List<byte>(
                Encoding.ASCII.GetBytes(
                    $"ply\nformat {format} 1.0\nelement vertex {points.Length}\nproperty uchar red\nproperty float x\nproperty float y\nproperty double z\nend_header\n"
                )
            );
            foreach (Vec3 p in points)
            {
                bytes.Add(9);
                foreach (
                    byte[] b in (byte[][])[BitConverter.GetBytes((float)p.X), BitConverter.GetBytes((float)p.Y), BitConverter.GetBytes(p.Z)]
                )
                {
                    bytes.AddRange(little ? b : b.Reverse());
                }
            }
            return [.. bytes];
        }
        Assert.Equal(points, PointFiles.ReadPly(Binary("binary_little_endian", points, true), "a.ply"));
        Assert.Equal(points, PointFiles.ReadPly(Binary("binary_big_endian", points, false), "b.ply"));
        Assert.Contains(
            "ends after 1 of 2",
            Assert.Throws<FormatFault>(() => PointFiles.ReadPly(Binary("binary_little_endian", points, true)[..^5], "c.ply")).Message
        );
        Assert.Contains("not a PLY", Assert.Throws<FormatFault>(() => PointFiles.ReadPly("solid"u8.ToArray(), "d.ply")).Message);
        Assert.Contains(
            "5,000,000",
            Assert
                .Throws<FormatFault>(() =>
                    PointFiles.ReadPly(
                        "ply\nformat ascii 1.0\nelement vertex 900000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n"u8.ToArray(),
                        "e.ply"
                    )
                )
                .Message
        );
    }

    [Fact]
    public void Drawn_lines_come_in_and_what_is_wrong_with_them_is_said()
    {
        LineScene scene = LineFiles.Read(
            """{"width":800,"height":600,"families":[{"axis":"x","lines":[[1,2,3,4]]},{"axis":"z","lines":[]}],"origin":[5,6],"length":{"from":[5,6],"to":[7,8],"metres":2.5,"along":"floor"}}"""u8.ToArray(),
            "lines.json"
        );
        Assert.Equal(
            (800, 2, new DrawnLine(1, 2, 3, 4), 'f'),
            (scene.Width, scene.Families.Count, scene.Families[0].Lines[0], scene.Length!.Along)
        );
        static string Wrong(string json) =>
            Assert.Throws<FormatFault>(() => LineFiles.Read(Encoding.UTF8.GetBytes(json), "lines.json")).Message;
        Assert.Contains("not one of the axes", Wrong("""{"width":1,"height":1,"families":[{"axis":"up","lines":[]}]}"""));
        Assert.Contains("3 numbers; 4 are needed", Wrong("""{"width":1,"height":1,"families":[{"axis":"x","lines":[[1,2,3]]}]}"""));
        Assert.Contains("does not have the shape", Wrong("[]"));
    }

    [Fact]
    public void Tracks_and_doubts_are_kept_and_come_back()
    {
        var random = new Random(3);
        var problem = new BundleProblem
        {
            Points =
            [
                .. Enumerable
                    .Range(0, 40)
                    .Select(_ => new Vec3(4 * random.NextDouble() - 2, 3 * random.NextDouble() - 1.5, -6 - 3 * random.NextDouble())),
            ],
        };
        problem.Groups.Add(
            new()
            {
                Focal = 1000,
                Cx = 640,
                Cy = 360,
                Refine = Intrinsics.Focal,
            }
        );
        var seen = new List<BundleObservation>();
        for (int v = 0; v < 4; v++)
        {
            problem.Views.Add(new() { CameraToWorld = new(Rotations.AboutY(0.03 * v), new(0.4 * v, 0, 0)), Fixed = v == 0 });
            for (int p = 0; p < 40; p++)
            {
                Vec3 c = problem.Views[v].Rotation * problem.Points[p] + problem.Views[v].Translation;
                seen.Add(
                    new(
                        v,
                        p,
                        640 + 1000 * c.X / c.Z + 0.2 * (random.NextDouble() - 0.5),
                        360 + 1000 * c.Y / c.Z + 0.2 * (random.NextDouble() - 0.5)
                    )
                );
            }
        }
        problem.Observations = [.. seen];
        BundleReport report = BundleAdjustment.Run(problem);
        BundleCovariance sure = BundleAdjustment.Covariance(problem)!;
        SolveResult solved = SolveResult.From(
            problem,
            [1001, 1002, 1003, 1004],
            [.. Enumerable.Range(1, 40)],
            [],
            new() { Width = 1280, Height = 720 },
            8,
            report,
            sure
        );
        TrackFile.StoredSolve again = TrackFile.ReadSolve(TrackFile.Write(solved));
        Assert.Equal(solved.RmsPx, again.RmsPx);
        var spot = new Vec3(0.3, 0.2, -7);
        Assert.Equal(
            sure.OfSpot(spot, 2, 3)!.Value.XX,
            again.Doubts()!.OfSpot(spot, 2, 3)!.Value.XX,
            1e-4 * sure.OfSpot(spot, 2, 3)!.Value.XX + 1e-9
        );

        var track = new Track(5) { Ended = "left the frame", ByHand = true };
        track.Points.AddRange([new(1003, 1.25, 2.5), new(1004, 3.75, 4)]);
        Track back = Assert.Single(TrackFile.Read(TrackFile.Write([track])));
        Assert.Equal((5, "left the frame", true, 3.75), (back.Id, back.Ended, back.ByHand, back.Points[1].X));
        Assert.Contains("cannot be read", Assert.Throws<FormatFault>(() => TrackFile.Read([1, 2, 3])).Message);
    }
}
