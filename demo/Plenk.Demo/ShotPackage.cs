using System.Numerics;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;

namespace Plenk.Demo;

/// <summary>What ships of the shots that are solved from their own footage: plate, mattes or lines, and the truth beside them.</summary>
public static class ShotPackage
{
    public static void Write(FilmedShot shot, string frames, string directory, int quality)
    {
        string plate = Path.Combine(directory, "plate");
        Directory.CreateDirectory(plate);
        foreach (int f in shot.Frames)
        {
            CodeImage picture = RasterFile.Read(File.ReadAllBytes(Path.Combine(frames, $"{shot.Code}.{f}.png")), "frame");
            File.WriteAllBytes(Path.Combine(plate, $"{shot.Code}.{f}.jpg"), RasterFile.ToJpeg(picture, quality));
        }
        if (shot.TrolleyToWorld is not null)
        {
            WriteMattes(shot, Path.Combine(directory, "matte"));
            File.WriteAllText(
                Path.Combine(directory, "trolley.obj"),
                ObjFile.Write([new ImportedObject("trolley", LockerTrolley.Build() with { Normals = null })])
            );
        }
        if (shot == FilmedShot.Entrance)
        {
            WriteLines(shot, directory);
        }
        if (shot.LockedOff || shot.AttendantAt is not null)
        {
            WriteCamera(shot, directory);
        }
        if (shot.AttendantAt is not null)
        {
            WriteAttendant(shot, directory);
        }
        if (shot == FilmedShot.Platform)
        {
            WritePlatform(frames, directory, quality);
        }
        var p = shot.Pinhole;
        File.WriteAllText(
            Path.Combine(directory, "truth.json"),
            JsonSerializer.Serialize(
                new
                {
                    note = "World: metres, right-handed, +Y up. The plate as JPEG is compressed after this truth.",
                    width = p.Width,
                    height = p.Height,
                    focal_mm = shot.FocalMm,
                    focal_px = p.Fx,
                    sensor_mm = new[] { FilmedShot.SensorWidthMm, FilmedShot.SensorHeightMm },
                    k1 = p.Lens.K1,
                    k2 = p.Lens.K2,
                    frames = shot.Frames.Select(f => new
                    {
                        frame = f,
                        camera_to_world = shot.CameraToWorld(f).ToRowMajor16(),
                        attendant_to_world = shot.AttendantAt?.Invoke(f).ToWorld.ToRowMajor16(),
                        trolley_to_world = shot.TrolleyToWorld?.Invoke(f).ToRowMajor16(),
                    }),
                },
                ShotJson.Options
            )
        );
    }

    /// <summary>The camera in the world of BTH_0040, whose set it shares.</summary>
    private static void WriteCamera(FilmedShot shot, string directory)
    {
        Package.WriteSolve(
            directory,
            shot.Pinhole,
            shot.Frames.Select(f =>
            {
                Pose hall = shot.CameraToWorld(f);
                return (f, hall with { Position = Package.ToWorld(hall.Position) });
            })
        );
    }

    /// <summary>What stands there besides the hall, as pieces, and the counterweight.</summary>
    private static void WritePlatform(string frames, string directory, int quality)
    {
        int first = FilmedShot.FirstFrame;
        CodeImage cleared = RasterFile.Read(File.ReadAllBytes(Path.Combine(frames, $"{FilmedShot.Cleared.Code}.{first}.png")), "frame");
        File.WriteAllBytes(Path.Combine(directory, $"cleared.{first}.jpg"), RasterFile.ToJpeg(cleared, quality));
        static Piece Box(string id, string name, Vector3 min, Vector3 max) =>
            new()
            {
                Id = id,
                Name = name,
                Kind = PieceKind.Box,
                Position = Package.ToWorld(new((min.X + max.X) / 2, min.Y, (min.Z + max.Z) / 2)),
                Size = Vec3.From(max - min),
            };
        Piece[] pieces =
        [
            Box("slab", "platform slab", PlungePlatform.Slab.Min, PlungePlatform.Slab.Max),
            .. PlungePlatform.Posts.Select(
                (p, i) =>
                    new Piece
                    {
                        Id = $"post_{i + 1}",
                        Name = $"platform post {i + 1}",
                        Kind = PieceKind.Cylinder,
                        Position = Package.ToWorld(Vec3.From(p.Foot)),
                        Size = new(2 * p.Radius, p.Head.Y - p.Foot.Y, 2 * p.Radius),
                    }
            ),
            Box("locker", "locker", PlungePlatform.Locker.Min, PlungePlatform.Locker.Max),
        ];
        File.WriteAllText(Path.Combine(directory, "pieces.json"), JsonSerializer.Serialize(pieces, ShotJson.Options));
        File.WriteAllBytes(
            Path.Combine(directory, "weight.glb"),
            GltfFile.WriteMesh("counterweight", PlungePlatform.Counterweight(), [new("cast iron", new(0.09f, 0.085f, 0.08f), 0.2f, 0.55f)])
        );
        var (min, max) = PlungePlatform.Door;
        Pinhole pinhole = FilmedShot.Platform.Pinhole;
        Pose camera = FilmedShot.Platform.CameraToWorld(FilmedShot.FirstFrame);
        File.WriteAllText(
            Path.Combine(directory, "door.json"),
            JsonSerializer.Serialize(
                new
                {
                    note = "Corners of the locker's door in the plate, pixels; where the counterweight hangs, metres of the world.",
                    corners = new Vec3[]
                    {
                        new(min.X, min.Y, max.Z),
                        new(min.X, min.Y, min.Z),
                        new(min.X, max.Y, min.Z),
                        new(min.X, max.Y, max.Z),
                    }
                        .SelectMany(c => pinhole.TryProject(camera, c, out double x, out double y) ? new[] { x, y } : [])
                        .ToArray(),
                    weight = Package.ToWorld(Vec3.From(PlungePlatform.Weight)),
                },
                ShotJson.Options
            )
        );
    }

    /// <summary>The attendant's own coverage as his matte; and for one frame what the bell does beside him: S' and its coverage, at half size.</summary>
    private static void WriteAttendant(FilmedShot shot, string directory)
    {
        string mattes = Path.Combine(directory, "matte");
        Directory.CreateDirectory(mattes);
        var renderer = new HallRenderer(shot);
        foreach (int f in shot.Frames)
        {
            FloatImage c = renderer.AttendantCoverage(f, 32);
            File.WriteAllBytes(
                Path.Combine(mattes, $"attendant.{f}.png"),
                RasterFile.ToPng(new CodeImage(c.Width, c.Height, 1, 8, [.. c.Data.Select(v => (ushort)Math.Round(255 * v))]))
            );
        }
        const int frame = FilmedShot.FirstFrame + 12;
        var withBell = new HallRenderer(shot, BellModel.Build(), Package.BellInHall());
        var (_, _, ratio) = withBell.Differential(frame, 96, reduce: 2);
        FloatImage bell = withBell.BellCoverage(frame, 64, reduce: 2);
        ExrFile.Write(
            Path.Combine(directory, $"truth.{frame}.exr"),
            ratio.Width,
            ratio.Height,
            [.. ExrChannel.Of(ratio, "RGB", "shadow", half: true), .. ExrChannel.Of(bell, "A", "bell", half: true)],
            ExrCompression.Piz
        );
    }

    /// <summary>A loose hand's outline: white where the trolley or 6 px around it is.</summary>
    private static void WriteMattes(FilmedShot shot, string directory)
    {
        Directory.CreateDirectory(directory);
        var tree = new MeshTree(LockerTrolley.Build());
        const int reach = 6;
        foreach (int f in shot.Frames)
        {
            var scene = new TraceScene([
                new(tree, new Similarity(1, shot.TrolleyToWorld!(f).Rotation, shot.TrolleyToWorld(f).Position), RayKinds.CameraSet),
            ]);
            var grid = new RayGrid(shot.Pinhole, shot.CameraToWorld(f));
            var (w, h) = (shot.Pinhole.Width, shot.Pinhole.Height);
            var hit = new bool[w * h];
            Parallel.For(0, h, y =>
            {
                for (int x = 0; x < w; x++)
                {
                    hit[y * w + x] =
                        grid.TryDirection(x, y, new(0.5f), out var d) && scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet).IsHit;
                }
            });
            var codes = new ushort[w * h];
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    if (!hit[y * w + x])
                    {
                        continue;
                    }
                    for (int v = Math.Max(0, y - reach); v <= Math.Min(h - 1, y + reach); v++)
                    {
                        for (int u = Math.Max(0, x - reach); u <= Math.Min(w - 1, x + reach); u++)
                        {
                            codes[v * w + u] = 255;
                        }
                    }
                }
            }
            File.WriteAllBytes(Path.Combine(directory, $"{shot.Code}.{f}.png"), RasterFile.ToPng(new CodeImage(w, h, 1, 8, codes)));
        }
    }

    /// <summary>Straight edges as a careful hand draws them: ends off by a Gaussian of 0.4 px, seeded.</summary>
    private static void WriteLines(FilmedShot shot, string directory)
    {
        var random = new Random(60);
        double Gauss() => 0.4 * Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        Pose pose = shot.CameraToWorld(FilmedShot.FirstFrame);
        double[] At(double x, double y, double z)
        {
            if (!shot.Pinhole.TryProject(pose, new(x, y, z), out double px, out double py))
            {
                throw new InvalidOperationException($"({x}, {y}, {z}) is not in the picture");
            }
            return [Math.Round(px + Gauss(), 2), Math.Round(py + Gauss(), 2)];
        }
        double[] Line(double[] a, double[] b) => [.. a, .. b];
        const double n = EntranceHall.North;
        File.WriteAllText(
            Path.Combine(directory, "lines.json"),
            JsonSerializer.Serialize(
                new
                {
                    width = shot.Pinhole.Width,
                    height = shot.Pinhole.Height,
                    families = new[]
                    {
                        new
                        {
                            axis = "x",
                            lines = new[]
                            {
                                Line(At(-4.4, 0.17, n + 1.75), At(-1, 0.17, n + 1.75)),
                                Line(At(-4.4, 0.68, n + 0.7), At(-1, 0.68, n + 0.7)),
                                Line(At(-7, 4.4, n + 0.12), At(0.6, 4.4, n + 0.12)),
                                Line(At(-4.1, 3.5, n + 0.16), At(-1.3, 3.5, n + 0.16)),
                                Line(At(-6, 0, -2), At(-1, 0, -2)),
                                Line(At(-5.2, 0, 0.4), At(-1.2, 0, 0.4)),
                            },
                        },
                        new
                        {
                            axis = "y",
                            lines = new[]
                            {
                                Line(At(-3.9, 0.68, n + 0.14), At(-3.9, 3.3, n + 0.14)),
                                Line(At(-1.5, 0.68, n + 0.14), At(-1.5, 3.3, n + 0.14)),
                                Line(At(0.6, 0.3, n), At(0.6, 4.4, n)),
                                Line(At(-0.66, 1.14, -2.64), At(-0.66, 2.5, -2.64)),
                                Line(At(-0.75, 0, -0.8), At(-0.75, 1.08, -0.8)),
                            },
                        },
                        new
                        {
                            axis = "z",
                            lines = new[]
                            {
                                Line(At(-0.85, 1.14, -4.7), At(-0.85, 1.14, -0.7)),
                                Line(At(-0.75, 0, -4.6), At(-0.75, 0, -0.8)),
                                Line(At(-0.64, 2.62, -4.64), At(-0.64, 2.62, -0.76)),
                                Line(At(-5.2, 0, -5), At(-5.2, 0, -0.4)),
                                Line(At(-2.4, 0, -5), At(-2.4, 0, 0)),
                            },
                        },
                    },
                    origin = At(-4.4, 0, n + 1.75),
                    length = new
                    {
                        from = At(-4.4, 0, n + 1.75),
                        to = At(-1, 0, n + 1.75),
                        metres = 3.4,
                    },
                },
                ShotJson.Options
            )
        );
    }
}
