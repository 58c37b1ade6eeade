using System.Globalization;
using System.Numerics;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;

namespace Plenk.Demo;

/// <summary>
/// Writes what an artist would receive of BTH_0040 (plate as JPEG, camera, survey points, set, bell) and, beside it, the
/// truth. The camera and the survey points come in a space of their own, as a solve's do; naming floor, origin, axis and
/// scale takes them to the world, whose origin is a joint of the coping.
/// </summary>
public static class Package
{
    private static readonly Vec3 Origin = new(1.8, 0, 2.32);

    /// <summary>World to the arbitrary space of the "solve": another scale, turned, tilted, moved.</summary>
    private static readonly Similarity WorldToSource = new(0.37, Rotations.FromEulerYxzDegrees(4, -31, 2.5), new Vec3(0.8, -0.45, -2.1));

    public static readonly int[] TruthFrames = [1001, 1036, 1072];
    private static readonly int[] ClickedFrames = [1001, 1012, 1024, 1036, 1048, 1060, 1072];

    private static readonly (string Name, Vec3 Hall)[] Points =
    [
        ("O", new(1.8, 0, 2.32)),
        ("F2", new(-0.9, 0, 2.32)),
        ("F3", new(2.7, 0, 2.32)),
        ("F4", new(4.32, 0, -3.6)),
        ("F5", new(-4.32, 0, -4.5)),
        ("F6", new(1.0, 0, 3.4)),
        ("F7", new(4.32, 0, -9)),
        ("S1", new(2.2, -0.24, -5.88)),
        ("S2", new(2.2, -1.44, -4.28)),
        ("S3", new(4, -0.96, -4.92)),
        ("B1", new(-4, BathHall.FloorHeight(-14), -14)),
        ("W1", new(-6.86, 1.2, -4.42)),
        ("W2", new(-6.86, 1.2, -7.82)),
        ("D1", new(2.5, 2.5, -16.93)),
        ("D2", new(3.9, 2.5, -16.93)),
        ("T1", new(0.24, 1.14, -12.7)),
        ("C1", new(6.15, 2.15, 1.2)),
    ];

    public static Vec3 ToWorld(Vec3 hall) => hall - Origin;

    public static Similarity BellInHall()
    {
        double slope = (BathHall.DeepDepth - BathHall.ShallowDepth) / (BathHall.BasinSouth - BathHall.BasinNorth);
        Vec3 normal = new Vec3(0, 1, -slope).Normalized();
        return new(
            1,
            Rotations.Between(Vec3.UnitY, normal),
            new Vec3(BathHall.BellX, BathHall.FloorHeight(BathHall.BellZ), BathHall.BellZ)
        );
    }

    public static void Write(string frames, string directory, int quality)
    {
        Directory.CreateDirectory(Path.Combine(directory, "plate"));
        long bytes = 0;
        for (int f = HallCamera.FirstFrame; f < HallCamera.FirstFrame + HallCamera.FrameCount; f++)
        {
            CodeImage picture = RasterFile.Read(File.ReadAllBytes(Path.Combine(frames, $"BTH_0040.{f}.png")), "frame");
            byte[] jpeg = RasterFile.ToJpeg(picture, quality);
            bytes += jpeg.Length;
            File.WriteAllBytes(Path.Combine(directory, "plate", $"BTH_0040.{f}.jpg"), jpeg);
        }
        Console.WriteLine($"plate: {bytes / 1e6:0.0} MB");
        IReadOnlyList<HallPiece> hall = BathHall.Build();
        WriteSet(hall, directory);
        File.WriteAllBytes(
            Path.Combine(directory, "bell.glb"),
            GltfFile.WriteMesh(
                "diving_bell",
                BellModel.Build(),
                [.. BellModel.Materials.Select(m => new Core.Contact.Material(m.Name, m.BaseColor, m.Metallic, m.Roughness))]
            )
        );
        WriteCamera(directory);
        var scene = new TraceScene([
            new(new MeshTree(HallRenderer.Merge(hall.Where(p => !p.OnlyBlocksLight))), Similarity.Identity, RayKinds.CameraSet),
        ]);
        WriteSurvey(directory, scene);
        WriteTruth(directory, scene);
    }

    private static TriangleMesh InWorld(TriangleMesh mesh) => mesh.Moved(new Similarity(1, Matrix3.Identity, -Origin));

    private static void WriteSet(IReadOnlyList<HallPiece> hall, string directory)
    {
        string[] drawn = ["steps", "wall_north", "wall_east", "cubicles"]; // these stand as boxes and planes
        File.WriteAllText(
            Path.Combine(directory, "set.obj"),
            ObjFile.Write(
                hall.Where(p => !drawn.Contains(p.Name))
                    .Select(p => new ImportedObject(p.Name, InWorld(p.Mesh) with { Normals = Smooth(p) }))
            )
        );
        var pieces = new List<Piece>();
        foreach (HallPiece p in hall.Where(p => !drawn.Contains(p.Name)))
        {
            pieces.Add(
                new()
                {
                    Id = p.Name,
                    Name = p.Name.Replace('_', ' '),
                    Kind = PieceKind.Mesh,
                    Object = p.Name,
                    Duties = new() { OnlyBlocksLight = p.OnlyBlocksLight },
                }
            );
        }
        for (int i = 0; i < 6; i++)
        {
            double top = -0.24 * (i + 1);
            pieces.Add(
                new()
                {
                    Id = $"step_{i + 1}",
                    Name = $"step {i + 1}",
                    Kind = PieceKind.Box,
                    Position = ToWorld(new(3.0995, -2.4, -6.04 + 0.32 * i)),
                    Size = new(1.799, top + 2.4, 0.32),
                }
            );
        }
        pieces.Add(
            new()
            {
                Id = "cubicles",
                Name = "cubicles",
                Kind = PieceKind.Box,
                Position = ToWorld(new(6.565, 0, -7.85)),
                Size = new(0.83, 2.15, 18.1),
            }
        );
        pieces.Add(
            new()
            {
                Id = "wall_north",
                Name = "wall north",
                Kind = PieceKind.Plane,
                Position = ToWorld(new(0, 4, -17)),
                RotationYxzDegrees = new(90, 0, 0),
                Size = new(14, 1, 8),
            }
        );
        pieces.Add(
            new()
            {
                Id = "wall_east",
                Name = "wall east",
                Kind = PieceKind.Plane,
                Position = ToWorld(new(7, 4, -4.5)),
                RotationYxzDegrees = new(90, -90, 0),
                Size = new(25, 1, 8),
            }
        );
        File.WriteAllText(Path.Combine(directory, "pieces.json"), JsonSerializer.Serialize(pieces, ShotJson.Indented));
    }

    /// <summary>Round things keep their normals; flat ones need none.</summary>
    private static Vector3[]? Smooth(HallPiece p) => p.Name.StartsWith("column", StringComparison.Ordinal) ? p.Mesh.Normals : null;

    private static Pose SourceCamera(int frame)
    {
        Pose hall = HallCamera.CameraToWorld(frame);
        return (hall with { Position = ToWorld(hall.Position) }).Moved(WorldToSource);
    }

    private static void WriteCamera(string directory) =>
        WriteSolve(
            directory,
            HallCamera.Pinhole,
            Enumerable.Range(HallCamera.FirstFrame, HallCamera.FrameCount).Select(f => (f, SourceCamera(f)))
        );

    /// <summary>The camera as solve.json.</summary>
    internal static void WriteSolve(string directory, Pinhole p, IEnumerable<(int Frame, Pose CameraToWorld)> frames) =>
        File.WriteAllText(
            Path.Combine(directory, "solve.json"),
            JsonSerializer.Serialize(
                new
                {
                    status = "solved",
                    width = p.Width,
                    height = p.Height,
                    k1 = p.Lens.K1,
                    k2 = p.Lens.K2,
                    frames = frames.Select(f => new
                    {
                        frame = f.Frame,
                        camera_to_world = f.CameraToWorld.ToRowMajor16().Select(v => Math.Round(v, 9)),
                        focal_px = Math.Round(p.Fx, 6),
                        cx = p.Cx,
                        cy = p.Cy,
                    }),
                }
            )
        );

    private static bool Visible(TraceScene scene, Pose pose, Vec3 point, out double x, out double y)
    {
        if (
            !HallCamera.Pinhole.TryProject(pose, point, out x, out y)
            || x < 6
            || y < 6
            || x > HallCamera.Width - 6
            || y > HallCamera.Height - 6
        )
        {
            return false;
        }
        Vec3 to = point - pose.Position;
        return !scene.Occluded(
            new Ray(pose.Position.ToSingle(), to.Normalized().ToSingle(), 0, (float)(to.Length - 0.03)),
            RayKinds.CameraSet
        );
    }

    /// <summary>Clicks as a steady hand makes them: off by a Gaussian of 0.25 px in x and in y, seeded.</summary>
    private static void WriteSurvey(string directory, TraceScene scene)
    {
        var text = new StringBuilder(CsvFile.Row(["name", "x", "y", "z", "frame", "px", "py"]));
        var random = new Random(40);
        double Gauss() => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        static string F(double v) => v.ToString("0.######", CultureInfo.InvariantCulture);
        foreach (var (name, hall) in Points)
        {
            Vec3 s = WorldToSource.Apply(ToWorld(hall));
            bool any = false;
            foreach (int f in ClickedFrames)
            {
                if (!Visible(scene, HallCamera.CameraToWorld(f), hall, out double x, out double y))
                {
                    continue;
                }
                any = true;
                text.Append(
                    CsvFile.Row([
                        name,
                        F(s.X),
                        F(s.Y),
                        F(s.Z),
                        F(f),
                        F(Math.Round(x + 0.25 * Gauss(), 3)),
                        F(Math.Round(y + 0.25 * Gauss(), 3)),
                    ])
                );
            }
            if (!any)
            {
                text.Append(CsvFile.Row([name, F(s.X), F(s.Y), F(s.Z), "", "", ""]));
            }
        }
        File.WriteAllText(Path.Combine(directory, "survey.csv"), text.ToString());
    }

    private static double[] Three(Vector3 v) => [v.X, v.Y, v.Z];

    private static double[] Three(Vec3 v) => [v.X, v.Y, v.Z];

    private static void WriteTruth(string directory, TraceScene scene)
    {
        Similarity bell = BellInHall();
        var frames = Enumerable
            .Range(HallCamera.FirstFrame, HallCamera.FrameCount)
            .Select(f =>
            {
                Pose hall = HallCamera.CameraToWorld(f);
                return new
                {
                    frame = f,
                    camera_to_world = (hall with { Position = ToWorld(hall.Position) }).ToRowMajor16(),
                    points = Points
                        .Where(p => Visible(scene, hall, p.Hall, out _, out _))
                        .ToDictionary(
                            p => p.Name,
                            p =>
                            {
                                HallCamera.Pinhole.TryProject(hall, p.Hall, out double x, out double y);
                                return new[] { x, y };
                            }
                        ),
                };
            });
        File.WriteAllText(
            Path.Combine(directory, "truth.json"),
            JsonSerializer.Serialize(
                new
                {
                    note = "World: metres, right-handed, +Y up; origin at survey point O. The plate as JPEG is compressed after this truth. E0, E1, shadow (S') and bell coverage stand in truth.####.exr at half size, box averages over the pixels, without motion blur.",
                    width = HallCamera.Width,
                    height = HallCamera.Height,
                    focal_mm = HallCamera.FocalMm,
                    sensor_mm = new[] { HallCamera.SensorWidthMm, HallCamera.SensorHeightMm },
                    k1 = HallCamera.Lens.K1,
                    k2 = HallCamera.Lens.K2,
                    shutter_degrees = HallCamera.ShutterDegrees,
                    lights = new
                    {
                        towards_sun = Three(BathHall.TowardsSun),
                        sun_irradiance = Three(HallLight.SunIrradiance),
                        sun_angular_diameter_degrees = HallLight.SunAngularDiameterDegrees,
                        sky_radiance = Three(HallLight.SkyRadiance),
                        fill_radiance = Three(HallLight.FillRadiance),
                    },
                    bell = new
                    {
                        position = Three(ToWorld(bell.Translation)),
                        up = Three(bell.Rotation * Vec3.UnitY),
                        turn_degrees = 0,
                        scale = 1,
                    },
                    panorama = new { file = "around.exr", position = Three(ToWorld(bell.Apply(PanoramaPlace))) },
                    source_from_world = new
                    {
                        scale = WorldToSource.Scale,
                        rotation_row_major = Rows(WorldToSource.Rotation),
                        translation = Three(WorldToSource.Translation),
                    },
                    survey = Points.ToDictionary(p => p.Name, p => Three(ToWorld(p.Hall))),
                    known_distances = new[]
                    {
                        new
                        {
                            from = "O",
                            to = "F2",
                            metres = 2.7,
                        },
                        new
                        {
                            from = "D1",
                            to = "D2",
                            metres = 1.4,
                        },
                    },
                    frames,
                },
                ShotJson.Options
            )
        );

        static double[] Rows(Matrix3 m) => [m.M11, m.M12, m.M13, m.M21, m.M22, m.M23, m.M31, m.M32, m.M33];
    }

    public static void WriteDifferential(string directory, int samples)
    {
        var renderer = new HallRenderer(FilmedShot.Bell, BellModel.Build(), BellInHall());
        foreach (int frame in TruthFrames)
        {
            var (e0, e1, ratio) = renderer.Differential(frame, samples, reduce: 2);
            FloatImage coverage = renderer.BellCoverage(frame, 64, reduce: 2);
            var channels = new List<ExrChannel>();
            foreach (
                var (layer, image, names) in new[]
                {
                    ("E0", e0, "RGB"),
                    ("E1", e1, "RGB"),
                    ("shadow", ratio, "RGB"),
                    ("bell", coverage, "A"),
                }
            )
            {
                for (int c = 0; c < names.Length; c++)
                {
                    channels.Add(
                        new(
                            $"{layer}.{names[c]}",
                            [.. Enumerable.Range(0, image.Width * image.Height).Select(i => image.Data[i * image.Channels + c])],
                            Half: true
                        )
                    );
                }
            }
            ExrFile.Write(Path.Combine(directory, $"truth.{frame}.exr"), ratio.Width, ratio.Height, channels, ExrCompression.Piz);
            Console.WriteLine($"truth {frame}");
        }
    }

    /// <summary>The panorama that the crew shot where the bell will stand, without it.</summary>
    public static void WriteAround(string directory, int samples)
    {
        FloatImage around = new HallRenderer(FilmedShot.Bell).Around(BellInHall().Apply(PanoramaPlace), 768, samples);
        ExrFile.Write(
            Path.Combine(directory, "around.exr"),
            around.Width,
            around.Height,
            [.. ExrChannel.Of(around, "RGB", half: true)],
            ExrCompression.Piz
        );
    }

    /// <summary>Where the panorama's lens stood, of the bell: inside its mantle.</summary>
    private static readonly Vec3 PanoramaPlace = new(0, 0.9, 0);

    /// <summary>The bell as if it had been filmed, cut to its bounds, and the place without it (layer “without”): what a closed comp is held against, with grain and without.</summary>
    public static void WriteClosed(string directory, int frame, int samples)
    {
        const int margin = 6;
        var renderer = new HallRenderer(FilmedShot.Bell, BellModel.Build(), BellInHall());
        FloatImage coverage = renderer.BellCoverage(frame, 16, reduce: 1);
        int left = coverage.Width,
            top = coverage.Height,
            right = 0,
            bottom = 0;
        for (int i = 0; i < coverage.Data.Length; i++)
        {
            if (coverage.Data[i] > 0)
            {
                (left, right, top, bottom) = (
                    Math.Min(left, i % coverage.Width),
                    Math.Max(right, i % coverage.Width),
                    Math.Min(top, i / coverage.Width),
                    Math.Max(bottom, i / coverage.Width)
                );
            }
        }
        (left, top, right, bottom) = (
            Math.Max(0, left - margin),
            Math.Max(0, top - margin),
            Math.Min(coverage.Width - 1, right + margin),
            Math.Min(coverage.Height - 1, bottom + margin)
        );
        FloatImage whole = renderer.PlateWithBell(frame, samples, (left, top, right, bottom)),
            place = renderer.PlateWithBell(frame, samples, (left, top, right, bottom), without: true);
        int w = right - left + 1,
            h = bottom - top + 1;
        var box = new PixelBox(left, top, right + 1, bottom + 1);
        ExrFile.Write(
            Path.Combine(directory, $"closed.{frame}.exr"),
            w,
            h,
            [.. ExrChannel.Of(whole.Cut(box), "RGB", half: true), .. ExrChannel.Of(place.Cut(box), "RGB", "without", half: true)],
            new ExrHead
            {
                Compression = ExrCompression.Piz,
                DataCorner = (left, top),
                Display = (whole.Width, whole.Height),
            }
        );
        Console.WriteLine($"closed {frame}: {w} × {h}");
    }
}
