using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using System.Numerics;
using System.Text.Json;
using System.Text.Json.Serialization;
using Microsoft.Extensions.Logging;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Cli;

internal static class MeasurePlateCommand
{
    public static Command Make()
    {
        var plate = new Option<string>("--plate") { Description = "folder of numbered frames", Required = true };
        var at = new Option<int>("--at") { Description = "frame", Required = true };
        var region = new Option<string?>("--region") { Description = "x,y,w,h in pixels (default: the whole picture)" };
        var space = new SpaceOptions();
        var command = new Command("measure-plate", "Prints black, white, edge width and grain of a region as JSON, linear light.")
        {
            plate,
            at,
            region,
        };
        space.AddTo(command);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (!CameraOptions.Folders(parsed.GetValue(plate)!))
                {
                    return Task.FromResult(2);
                }
                var folder = new PlateFolder(parsed.GetValue(plate)!, space.Read(parsed), stop);
                int[] r = [];
                if (parsed.GetValue(region) is { } text)
                {
                    r =
                    [
                        .. text.Split(',')
                            .Select(p => int.TryParse(p, NumberStyles.Integer, CultureInfo.InvariantCulture, out int v) ? v : -1),
                    ];
                    if (r.Length != 4 || r.Any(v => v < 0))
                    {
                        Console.Error.WriteLine($"“{text}” is not a region like 100,80,320,200.");
                        return Task.FromResult(2);
                    }
                }
                int frame = parsed.GetValue(at);
                var codes = folder.Codes(frame);
                if (r.Length == 0)
                {
                    r = [0, 0, codes.Width, codes.Height];
                }
                PlateMeasures m = folder.Measure(frame, r[0], r[1], r[2], r[3], stop);
                if (m.EdgePx is null)
                {
                    Console.Error.WriteLine("No straight edge stands alone in the region: edge_px is null. Choose a region with one.");
                }
                if (m.Grain is null)
                {
                    Console.Error.WriteLine(
                        "No part of the region is flat enough to tell grain: it is empty. Choose a larger or flatter region."
                    );
                }
                static double[] Of(Vector3 v) => [Math.Round(v.X, 6), Math.Round(v.Y, 6), Math.Round(v.Z, 6)];
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            frame,
                            region = r,
                            encoding = folder.Space.Encoding.ToString().ToLowerInvariant(),
                            primaries = folder.Space.Primaries.Key,
                            black = Of(m.Black),
                            white = Of(m.White),
                            edge_px = m.EdgePx is { } e ? Math.Round(e, 4) : (double?)null,
                            edges = m.Edges,
                            grain = (m.Grain?.Levels ?? []).Select(l => new
                            {
                                level = Math.Round((l.Level.X + l.Level.Y + l.Level.Z) / 3, 5),
                                sd = Of(l.Deviation),
                            }),
                            grain_correlation = m.Grain is { } g ? Math.Round(g.Correlation, 3) : (double?)null,
                        },
                        new JsonSerializerOptions { DefaultIgnoreCondition = JsonIgnoreCondition.Never }
                    )
                );
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class HandOverCommand
{
    public static Command Make()
    {
        var source = new Argument<string>("CODE|DIR") { Description = "a shot's folder, or the code of a shot in the database" };
        var frames = new Option<string>("--frames") { Description = "like 1001-1012,1020", Required = true };
        var output = new Option<string>("--out") { Description = "folder to write; what is in it is left", Required = true };
        var layers = new Option<string?>("--layers") { Description = "of the EXR, like comp,element,shadow (default: all)" };
        var format = new Option<string[]>("--format")
        {
            Description = "exr, png16, dpx; for review mp4, stills, contact; may be given several times, or with commas (default: exr)",
            AllowMultipleArgumentsPerToken = true,
        };
        var names = new Option<string>("--names")
        {
            Description = "template of the files' names",
            DefaultValueFactory = _ => HandOverChoice.UsualNames,
        };
        var compression = new Option<string>("--compression") { Description = "none, zips, zip or piz", DefaultValueFactory = _ => "zip" };
        compression.AcceptOnlyFromAmong("none", "zips", "zip", "piz");
        var parts = new Option<bool>("--parts") { Description = "every layer is a part of its own (multi-part EXR)" };
        var width = new Option<int?>("--width") { Description = "reduced width in pixels (default: the plate's)" };
        var overscan = new Option<double>("--overscan")
        {
            Description = "the EXR's layers go on beyond the plate by this share of its width on every side, like 0.05",
        };
        var primaries = new Option<string>("--primaries")
        {
            Description = "of the EXR's colours: bt709, bt2020, acescg or aces2065-1",
            DefaultValueFactory = _ => "bt709",
        };
        var burnIn = new Option<bool>("--burn-in") { Description = "shot, version and frame stand in what is for review" };
        var noLook = new Option<bool>("--no-look") { Description = "what is for review is seen without the shot's LUT" };
        var noReadings = new Option<bool>("--no-readings") { Description = "the sheet has no readings" };
        var command = new Command("hand-over", "Renders, closes and writes frames with their sheet; every file is read back.")
        {
            source,
            frames,
            output,
            layers,
            format,
            names,
            compression,
            parts,
            width,
            overscan,
            primaries,
            burnIn,
            noLook,
            noReadings,
        };
        command.SetGuarded(
            async (parsed, stop) =>
            {
                if (!FilmedSetArguments.Frames(parsed.GetValue(frames)!, out IReadOnlyList<int> list))
                {
                    return 2;
                }
                string[] formats =
                [
                    .. (parsed.GetValue(format) ?? [])
                        .SelectMany(f => f.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
                        .Distinct(),
                ];
                var choice = new HandOverChoice(
                    formats.Length == 0 ? ["exr"] : formats,
                    parsed.GetValue(layers)?.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries),
                    parsed.GetValue(names)!,
                    parsed.GetValue(compression) switch
                    {
                        "none" => ExrCompression.None,
                        "zips" => ExrCompression.Zips,
                        "piz" => ExrCompression.Piz,
                        _ => ExrCompression.Zip,
                    },
                    parsed.GetValue(parts),
                    parsed.GetValue(width),
                    Readings: !parsed.GetValue(noReadings),
                    BurnIn: parsed.GetValue(burnIn),
                    ThroughLook: !parsed.GetValue(noLook),
                    Overscan: parsed.GetValue(overscan),
                    Primaries: parsed.GetValue(primaries)!
                );
                if (choice.Fault() is { } fault)
                {
                    Console.Error.WriteLine(fault);
                    return 2;
                }
                if (parsed.GetValue(width) is <= 0)
                {
                    Console.Error.WriteLine("The width must be positive.");
                    return 2;
                }
                var (document, media) = await Running.Shot(parsed.GetValue(source)!);
                var work = new HandOverWork(new ShotEngine(media));
                string folder = parsed.GetValue(output)!;
                HandOverWork.Start start = HandOverWork.Begin(document, choice, folder);
                foreach (string n in start.Notes)
                {
                    Console.Error.WriteLine(n);
                }
                var watch = Stopwatch.StartNew();
                int files = 0;
                for (int i = 0; i < list.Count; i++)
                {
                    try
                    {
                        files += work.Frame(document, choice, start.Version, list[i], folder, stop).Count;
                    }
                    catch (ShotFault e)
                    {
                        throw new ShotFault($"Frame {list[i]}: {e.Message} The frames before it stand; begin again to go on from there.");
                    }
                    double each = watch.Elapsed.TotalSeconds / (i + 1);
                    Console.Error.WriteLine(
                        FormattableString.Invariant($"{list[i]}: {each:0.0} s a frame, about {each * (list.Count - i - 1):0} s left")
                    );
                }
                string sheet = work.Close(document, null, choice, start.Version, list, folder, stop, t => Console.Error.WriteLine($"{t}"));
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            shot = document.Code,
                            version = start.Version,
                            folder,
                            sheet,
                            frames = list.Count,
                            files,
                            secondsPerFrame = Math.Round(watch.Elapsed.TotalSeconds / list.Count, 2),
                        }
                    )
                );
                return 0;
            }
        );
        return command;
    }
}

internal static class VerifyFilesCommand
{
    public static Command Make()
    {
        var directory = new Argument<string>("DIR") { Description = "a folder that was handed over" };
        var command = new Command("verify-files", "Checks what was handed over against its sheets; prints what was found as JSON.")
        {
            directory,
        };
        command.SetGuarded(
            (parsed, _) =>
            {
                string folder = parsed.GetValue(directory)!;
                if (!CameraOptions.Folders(folder))
                {
                    return Task.FromResult(2);
                }
                IReadOnlyList<HandOverWork.Verified> sheets = HandOverWork.Verify(folder);
                if (sheets.Count == 0)
                {
                    Console.Error.WriteLine(
                        $"{folder} holds no sheet (….sheet.json): nothing was handed over there, or the sheet was taken away."
                    );
                    return Task.FromResult(3);
                }
                bool good = sheets.All(s => s.Faults.Count == 0);
                Console.WriteLine(
                    JsonSerializer.Serialize(new { ok = good, sheets }, new JsonSerializerOptions(JsonSerializerDefaults.Web))
                );
                foreach (string f in sheets.SelectMany(s => s.Faults.Select(f => $"{s.Sheet}: {f}")))
                {
                    Console.Error.WriteLine(f);
                }
                return Task.FromResult(good ? 0 : 3);
            }
        );
        return command;
    }
}

internal static class WorkerCommand
{
    public static Command Make()
    {
        var name = new Option<string?>("--name") { Description = "how it is called in the tray (default: machine and process)" };
        var idle = new Option<double?>("--idle-exit")
        {
            Description = "ends when nothing was to do for so many seconds (default: it waits for ever)",
        };
        var command = new Command(
            "worker",
            "Takes frames of hand-overs from the database until it is stopped; needs the database and the data folder."
        )
        {
            name,
            idle,
        };
        command.SetGuarded(
            async (parsed, stop) =>
            {
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    using ILoggerFactory logs = LoggerFactory.Create(l => l.AddSimpleConsole(o => o.SingleLine = true));
                    var worker = new FrameWorker(
                        new FrameStore(database, new JobStore(database)),
                        new JobStore(database),
                        shots,
                        new ResultStore(database),
                        new ShotEngine(media),
                        logs.CreateLogger<FrameWorker>()
                    )
                    {
                        Name = parsed.GetValue(name) ?? $"{Environment.MachineName}:{Environment.ProcessId}",
                    };
                    Console.Error.WriteLine($"{worker.Name} works; Ctrl-C ends it, and its frame waits for another.");
                    await worker.Work(stop, parsed.GetValue(idle) is { } seconds ? TimeSpan.FromSeconds(seconds) : null);
                    return 0;
                }
            }
        );
        return command;
    }
}
