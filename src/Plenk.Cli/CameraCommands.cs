using System.CommandLine;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats.Cameras;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Cli;

/// <summary>Options that the commands for cameras share.</summary>
internal static class CameraOptions
{
    public static bool Sensor(string text, out double width, out double height)
    {
        string[] sizes = text.Split('x');
        (width, height) = (0, 0);
        if (sizes.Length == 2 && Number(sizes[0], out width) && Number(sizes[1], out height))
        {
            return true;
        }
        Console.Error.WriteLine($"“{text}” is not a sensor size like 36x20.25.");
        return false;
    }

    public static bool Rate(string text, out FrameRate rate)
    {
        if (GltfFile.TryRate(text, out rate))
        {
            return true;
        }
        Console.Error.WriteLine($"“{text}” is not a frame rate like 24 or 24000/1001.");
        return false;
    }

    public static bool Focal(double? mm)
    {
        if (mm is null || (mm > 0 && double.IsFinite(mm.Value)))
        {
            return true;
        }
        Console.Error.WriteLine("The focal length must be positive, in millimetres.");
        return false;
    }

    public static bool Folders(params string?[] folders)
    {
        foreach (string? folder in folders)
        {
            if (folder is null || Directory.Exists(folder))
            {
                continue;
            }
            Console.Error.WriteLine($"There is no folder {folder}.");
            return false;
        }
        return true;
    }

    public static bool Files(params string?[] files)
    {
        foreach (string? file in files)
        {
            if (file is null || File.Exists(file))
            {
                continue;
            }
            Console.Error.WriteLine($"There is no file {file}.");
            return false;
        }
        return true;
    }

    private static bool Number(string text, out double value) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out value) && value > 0 && double.IsFinite(value);

    private static int _told = -1;

    /// <summary>Told by whole per cents, to a terminal only.</summary>
    public static Action<string, double> Progress =>
        (what, part) =>
        {
            int now = (int)(100 * part);
            if (Console.IsErrorRedirected || Interlocked.Exchange(ref _told, now) == now)
            {
                return;
            }
            Console.Error.Write($"\r{now, 3} % {what, -50}");
        };
}

internal static class SolveCommand
{
    public static Command Make()
    {
        var plate = new Option<string>("--plate") { Description = "folder of numbered frames", Required = true };
        var sensor = new Option<string>("--sensor") { Description = "width and height in millimetres, like 36x20.25", Required = true };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var focal = new Option<double?>("--focal") { Description = "focal length in millimetres, held as given (default: found)" };
        var lens = new Option<string?>("--refine-lens")
        {
            Description = "none, k1 or k1k2 (default: k1k2 where the focal length is found, none where it is given)",
        };
        lens.AcceptOnlyFromAmong("none", "k1", "k1k2");
        var moves = new Option<string>("--camera-moves")
        {
            Description = "travels (changes its place) or turns (on a tripod)",
            DefaultValueFactory = _ => "travels",
        };
        moves.AcceptOnlyFromAmong("travels", "turns");
        var rate = new Option<string>("--rate")
        {
            Description = "frames a second for camera.usda, like 24 or 24000/1001",
            DefaultValueFactory = _ => "24",
        };
        var mask = new Option<string?>("--mask") { Description = "folder of mattes, one a frame; white keeps tracks away" };
        var zooms = new Option<bool>("--zooms")
        {
            Description = "every frame has a focal length of its own; --focal, where given, is that of the first",
        };
        var seed = new Option<uint>("--seed") { DefaultValueFactory = _ => 1 };
        var command = new Command("solve", "Finds the camera of a plate: solve.json, camera.glb, camera.usda, points.ply, tracks.csv.")
        {
            plate,
            sensor,
            output,
            focal,
            lens,
            moves,
            zooms,
            rate,
            mask,
            seed,
        };
        command.SetGuarded(
            (parsed, stop) =>
            {
                double? mm = parsed.GetValue(focal);
                if (
                    !CameraOptions.Sensor(parsed.GetValue(sensor)!, out double sensorWidth, out double sensorHeight)
                    || !CameraOptions.Rate(parsed.GetValue(rate)!, out FrameRate perSecond)
                    || !CameraOptions.Focal(mm)
                    || !CameraOptions.Folders(parsed.GetValue(plate), parsed.GetValue(mask))
                )
                {
                    return Task.FromResult(2);
                }
                Intrinsics refine = (parsed.GetValue(lens) ?? (mm is null ? "k1k2" : "none")) switch
                {
                    "k1" => Intrinsics.K1,
                    "k1k2" => Intrinsics.K1 | Intrinsics.K2,
                    _ => Intrinsics.None,
                };
                SolveWork.Outcome done = SolveWork.Solve(
                    parsed.GetValue(plate)!,
                    parsed.GetValue(mask),
                    parsed.GetValue(moves) == "turns" ? CameraMoves.Turns : CameraMoves.Travels,
                    (width, height) =>
                        new()
                        {
                            Width = width,
                            Height = height,
                            FocalPx = mm * width / sensorWidth,
                            RefineLens = refine,
                            Zooms = parsed.GetValue(zooms),
                            Seed = parsed.GetValue(seed),
                        },
                    stop: stop,
                    progress: CameraOptions.Progress
                );
                Console.Error.WriteLine();
                foreach (
                    var (name, bytes) in SolveFiles.Of(
                        done.Result,
                        done.Tracks,
                        done.Width,
                        done.Height,
                        sensorWidth,
                        sensorHeight,
                        perSecond
                    )
                )
                {
                    MediaStore.WriteWhole(Path.Combine(parsed.GetValue(output)!, name), bytes);
                }
                if (!done.Result.Solved)
                {
                    Console.Error.WriteLine(done.Result.Reason);
                    return Task.FromResult(3);
                }
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            status = "solved",
                            rms_px = Math.Round(done.Result.RmsPx, 4),
                            focal_mm = Math.Round(done.Result.Pinhole!.Fx * sensorWidth / done.Width, 4),
                            used = done.Result.TracksUsed,
                            left_out = done.Result.LeftOut.Count,
                        }
                    )
                );
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static partial class LinesCommand
{
    [GeneratedRegex(@"(\d+)\D*$")]
    private static partial Regex LastNumber();

    public static Command Make()
    {
        var image = new Option<string>("--image") { Description = "the still", Required = true };
        var lines = new Option<string>("--lines")
        {
            Description = "straight edges drawn on it, JSON (docs/camera-files.md)",
            Required = true,
        };
        var sensor = new Option<string>("--sensor") { Description = "width and height in millimetres, like 36x24", Required = true };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var focal = new Option<double?>("--focal") { Description = "focal length in millimetres, held as given (default: found)" };
        var command = new Command("camera-from-lines", "Finds the camera of a still from straight edges drawn on it: solve.json.")
        {
            image,
            lines,
            sensor,
            output,
            focal,
        };
        command.SetGuarded(
            (parsed, _) =>
            {
                double? mm = parsed.GetValue(focal);
                if (
                    !CameraOptions.Sensor(parsed.GetValue(sensor)!, out double sensorWidth, out double _)
                    || !CameraOptions.Focal(mm)
                    || !CameraOptions.Files(parsed.GetValue(image), parsed.GetValue(lines))
                )
                {
                    return Task.FromResult(2);
                }
                string name = Path.GetFileName(parsed.GetValue(image)!);
                RasterFile.Header header = RasterFile.ReadHeader(File.ReadAllBytes(parsed.GetValue(image)!), name);
                LineScene scene = LineFiles.Read(File.ReadAllBytes(parsed.GetValue(lines)!), Path.GetFileName(parsed.GetValue(lines)!));
                if ((scene.Width, scene.Height) != (header.Width, header.Height))
                {
                    throw new ShotFault(
                        $"The lines were drawn on a picture of {scene.Width} × {scene.Height}, {name} is {header.Width} × {header.Height}. "
                            + "Bring the picture they were drawn on."
                    );
                }
                LineCameraResult result = LineCamera.Solve(scene with { FocalPx = mm * scene.Width / sensorWidth });
                int frame =
                    LastNumber().Match(Path.GetFileNameWithoutExtension(name)) is { Success: true } m
                    && int.TryParse(m.Groups[1].Value, out int n)
                        ? n
                        : 1001;
                MediaStore.WriteWhole(
                    Path.Combine(parsed.GetValue(output)!, "solve.json"),
                    LineFiles.Write(result, scene.Width, scene.Height, frame)
                );
                if (!result.Solved)
                {
                    Console.Error.WriteLine(result.Reason);
                    return Task.FromResult(3);
                }
                double toMm = sensorWidth / scene.Width;
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            status = "solved",
                            rms_px = Math.Round(result.RmsPx, 4),
                            focal_mm = Math.Round(result.Pinhole!.Fx * toMm, 4),
                            focal_mm_sd = Math.Round(result.FocalDoubtPx * toMm, 4),
                            rotation_sd_degrees = Math.Round(result.TurnDoubtDegrees, 4),
                        }
                    )
                );
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class ConventionCommand
{
    public static Command Make()
    {
        var plate = new Option<string>("--plate") { Description = "folder of numbered frames", Required = true };
        var camera = new Option<string>("--camera") { Description = "the camera file: CSV, JSON, USD text or glTF", Required = true };
        var points = new Option<string?>("--points")
        {
            Description = "survey points with clicks (CSV), or 3D points of the camera's own space (CSV or PLY)",
        };
        var output = new Option<string>("--out") { Description = "JSON file to write", Required = true };
        var sensor = new Option<string?>("--sensor")
        {
            Description = "width and height in millimetres where the file has none, like 36x20.25",
        };
        var rate = new Option<string>("--rate") { Description = "the plate's frames a second", DefaultValueFactory = _ => "24" };
        var mask = new Option<string?>("--mask") { Description = "folder of mattes, one a frame; white keeps tracks away" };
        var command = new Command("find-convention", "Finds how a camera file is meant, by the plate's own tracks.")
        {
            plate,
            camera,
            points,
            output,
            sensor,
            rate,
            mask,
        };
        command.SetGuarded(
            (parsed, stop) =>
            {
                double sensorWidth = 0,
                    sensorHeight = 0;
                if (
                    !CameraOptions.Folders(parsed.GetValue(plate), parsed.GetValue(mask))
                    || !CameraOptions.Files(parsed.GetValue(camera), parsed.GetValue(points))
                    || !CameraOptions.Rate(parsed.GetValue(rate)!, out FrameRate perSecond)
                    || (parsed.GetValue(sensor) is { } size && !CameraOptions.Sensor(size, out sensorWidth, out sensorHeight))
                )
                {
                    return Task.FromResult(2);
                }
                JsonElement report = ConventionWork.Find(
                    parsed.GetValue(plate)!,
                    parsed.GetValue(mask),
                    parsed.GetValue(camera)!,
                    parsed.GetValue(points),
                    sensorWidth > 0 ? (sensorWidth, sensorHeight) : null,
                    perSecond,
                    stop,
                    CameraOptions.Progress
                );
                Console.Error.WriteLine();
                MediaStore.WriteWhole(parsed.GetValue(output)!, JsonSerializer.SerializeToUtf8Bytes(report, ConventionWork.Json));
                Console.WriteLine(
                    $"{report.GetProperty("ranking")[0].GetProperty("name").GetString()}: "
                        + $"{report.GetProperty("ranking")[0].GetProperty("error_px").GetDouble():0.000} px. "
                        + $"{report.GetProperty("verdict").GetString()}"
                );
                return Task.FromResult(report.GetProperty("trusted").GetBoolean() ? 0 : 3);
            }
        );
        return command;
    }
}

internal static class ObjectCommand
{
    public static Command Make()
    {
        var plate = new Option<string>("--plate") { Description = "folder of numbered frames", Required = true };
        var camera = new Option<string>("--camera") { Description = "the plate's solved camera", Required = true };
        var mask = new Option<string>("--mask")
        {
            Description = "folder of mattes, one a frame; white is where the thing is",
            Required = true,
        };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var distance = new Option<double?>("--distance")
        {
            Description =
                "from the camera to the thing's middle in the first frame, in the camera's unit (default: found by the smoothest path)",
        };
        var command = new Command("solve-object", "Finds how a rigid thing inside a matte moves, against a solved camera: object.json.")
        {
            plate,
            camera,
            mask,
            output,
            distance,
        };
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (!CameraOptions.Folders(parsed.GetValue(plate), parsed.GetValue(mask)) || !CameraOptions.Files(parsed.GetValue(camera)))
                {
                    return Task.FromResult(2);
                }
                ObjectResult result = ObjectWork.Solve(
                    parsed.GetValue(plate)!,
                    parsed.GetValue(mask)!,
                    parsed.GetValue(camera)!,
                    parsed.GetValue(distance),
                    stop,
                    CameraOptions.Progress
                );
                Console.Error.WriteLine();
                MediaStore.WriteWhole(Path.Combine(parsed.GetValue(output)!, "object.json"), ObjectFile.Write(result));
                if (!result.Solved)
                {
                    Console.Error.WriteLine(result.Reason);
                    return Task.FromResult(3);
                }
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            status = "solved",
                            rms_px = Math.Round(result.RmsPx, 4),
                            used = result.Points.Count,
                            left_out = result.LeftOut.Count,
                            size_by = result.SizeBy,
                            size_sd = Math.Round(result.SizeDoubt, 4),
                        }
                    )
                );
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class ExportCameraCommand
{
    public static Command Make()
    {
        var source = new Argument<string>("DIR|CODE") { Description = "a shot's folder, or the code of a shot in the database" };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var command = new Command(
            "export-camera",
            "Writes a shot's camera in the world: camera.glb, camera.usda (with points and set), camera.csv, points.ply, undistort.exr, distort.exr."
        )
        {
            source,
            output,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                var (document, media) = await Running.Shot(parsed.GetValue(source)!);
                foreach (string file in HandOver.Camera(new ShotEngine(media), document, parsed.GetValue(output)!))
                {
                    Console.WriteLine(file);
                }
                return 0;
            }
        );
        return command;
    }
}
