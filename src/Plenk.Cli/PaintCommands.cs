using System.CommandLine;
using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Formats.Layers;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Paint;

namespace Plenk.Cli;

/// <summary>What the paint commands ask in common.</summary>
internal sealed class PaintArguments
{
    public Argument<string> Code { get; } = new("CODE") { Description = "a shot in the database, by its code or by production/code" };
    public Option<int?> Frame { get; } = new("--frame") { Description = "the frame; that which the file says, else the shot's first" };
    public Option<string?> Camera { get; } = new("--camera") { Description = "id of another camera of the shot; its own" };
    public Option<bool> OwnColour { get; } = new("--own-colour") { Description = "the surface's own colour, under the light" };
    public Option<LayerPlacing> Placing { get; } =
        new("--as")
        {
            Description = "what a new layer becomes: a card where the set is under it, or laid on the set",
            DefaultValueFactory = _ => LayerPlacing.Card,
        };
    public Option<double> Metres { get; } =
        new("--metres") { Description = "how far cards stand with nothing of the set under them", DefaultValueFactory = _ => 100 };

    public PaintTaking Taking(ParseResult parsed, ShotDocument shot) =>
        new(
            parsed.GetValue(Frame) ?? shot.Range.First,
            parsed.GetValue(Camera),
            parsed.GetValue(OwnColour),
            parsed.GetValue(Placing),
            parsed.GetValue(Metres)
        );
}

internal static class GivePaintCommand
{
    public static Command Make()
    {
        var paint = new PaintArguments();
        var to = new Option<string>("--out")
        {
            Description = ".ora, .tif or .exr (linear); a name without one: a folder of numbered PNG files",
            Required = true,
        };
        var beyond = new Option<int>("--beyond") { Description = "pixels that it goes on beyond the frame on every side" };
        var command = new Command("give-paint", "Writes a frame in layers for a paint program: plate, earlier layers, and guides.")
        {
            paint.Code,
            to,
            paint.Frame,
            paint.Camera,
            paint.OwnColour,
            beyond,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                string path = parsed.GetValue(to)!,
                    ending = Path.GetExtension(path).ToLowerInvariant();
                LayeredKind kind = ending switch
                {
                    ".ora" => LayeredKind.OpenRaster,
                    ".tif" or ".tiff" => LayeredKind.Tiff,
                    ".exr" => LayeredKind.Exr,
                    "" => LayeredKind.Folder,
                    _ => throw new ShotFault($"Layers are written as .ora, .tif, .exr or into a folder, not as {ending}."),
                };
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    string named = parsed.GetValue(paint.Code)!;
                    ShotRow row = await shots.FindByCode(named) ?? throw new ShotFault($"There is no shot {named}.");
                    ShotDocument shot = (await shots.Read(row.Id))!.Value.Document;
                    var picture = new LayeredPaint(new ShotEngine(media), media).Picture(
                        shot,
                        paint.Taking(parsed, shot),
                        parsed.GetValue(beyond),
                        linear: kind == LayeredKind.Exr
                    );
                    if (kind == LayeredKind.Folder)
                    {
                        Directory.CreateDirectory(path);
                        foreach (var (name, bytes) in LayerFolder.Write(picture))
                        {
                            MediaStore.WriteWhole(Path.Combine(path, name), bytes);
                        }
                    }
                    else
                    {
                        MediaStore.WriteWhole(path, LayeredFile.Write(picture, kind));
                    }
                    Console.WriteLine($"{picture.Layers.Count} layers, {picture.Width} × {picture.Height}: {path}");
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class TakePaintCommand
{
    public static Command Make()
    {
        var paint = new PaintArguments();
        var files = new Argument<string>("FILE") { Description = "a painting in layers, or a folder of numbered pictures, one a layer" };
        var command = new Command("take-paint", "Takes a painting's layers into a shot: new ones placed, known ones replaced.")
        {
            paint.Code,
            files,
            paint.Frame,
            paint.Camera,
            paint.OwnColour,
            paint.Placing,
            paint.Metres,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                string path = parsed.GetValue(files)!;
                if (!File.Exists(path) && !Directory.Exists(path))
                {
                    Console.Error.WriteLine($"There is no file or folder {path}.");
                    return 2;
                }
                (string, byte[])[] read =
                [
                    .. (
                        Directory.Exists(path)
                            ? Directory.GetFiles(path).Where(f => LayerFolder.Extensions.Contains(Path.GetExtension(f).ToLowerInvariant()))
                            : [path]
                    )
                        .Order(StringComparer.Ordinal)
                        .Select(f => (Path.GetFileName(f), File.ReadAllBytes(f))),
                ];
                if (read.Length == 0)
                {
                    throw new ShotFault($"{path} holds no PNG or TIFF file. Give one a layer, numbered from the back.");
                }
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    string named = parsed.GetValue(paint.Code)!;
                    ShotRow row = await shots.FindByCode(named) ?? throw new ShotFault($"There is no shot {named}.");
                    var engine = new ShotEngine(media);
                    var layers = new LayeredPaint(engine, media);
                    var told = new List<string>();
                    int revision = await ShotSaving.Keep(shots, media, engine, row.Id, Environment.UserName, shot =>
                    {
                        told.Clear();
                        return (layers.Take(shot, read, paint.Taking(parsed, shot), told), $"Layers of {LayeredPaint.Named(read)} in");
                    });
                    told.ForEach(Console.WriteLine);
                    Console.WriteLine($"{row.Code}, revision {revision.ToString(CultureInfo.InvariantCulture)}.");
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class WatchCommand
{
    /// <summary>A file that has not grown between two looks is whole.</summary>
    private static readonly TimeSpan Look = TimeSpan.FromMilliseconds(200);

    public static Command Make()
    {
        var paint = new PaintArguments();
        var folder = new Argument<string>("DIR") { Description = "what other programs save into" };
        var give = new Option<int[]>("--give")
        {
            Description = "frames that are written there as layers first, where no such file is yet",
            AllowMultipleArgumentsPerToken = true,
        };
        var command = new Command(
            "watch",
            "Takes what is painted, modelled or rendered and saved in a folder into a shot as a new version, until it is stopped."
        )
        {
            paint.Code,
            folder,
            give,
            paint.Frame,
            paint.Camera,
            paint.OwnColour,
            paint.Placing,
            paint.Metres,
        };
        command.SetGuarded(
            async (parsed, stop) =>
            {
                string at = parsed.GetValue(folder)!,
                    named = parsed.GetValue(paint.Code)!;
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    ShotRow row = await shots.FindByCode(named) ?? throw new ShotFault($"There is no shot {named}.");
                    ShotDocument shot = (await shots.Read(row.Id))!.Value.Document;
                    var engine = new ShotEngine(media);
                    Directory.CreateDirectory(at);
                    foreach (int frame in parsed.GetValue(give) ?? [])
                    {
                        var (name, bytes) = new LayeredPaint(engine, media).Out(
                            shot,
                            LayeredKind.OpenRaster,
                            paint.Taking(parsed, shot) with
                            {
                                Frame = frame,
                            },
                            0
                        );
                        if (!File.Exists(Path.Combine(at, name)))
                        {
                            MediaStore.WriteWhole(Path.Combine(at, name), bytes);
                            Console.WriteLine($"{name} is there to be painted on.");
                        }
                    }
                    var watched = new WatchedFiles(engine, media);
                    // What lies there already is as it was.
                    Dictionary<string, (long, DateTime)> known = Files(at);
                    var growing = new Dictionary<string, (long, DateTime)>(StringComparer.Ordinal);
                    Console.WriteLine($"Watching {at} for {row.Code}. Ctrl+C ends it.");
                    while (!stop.IsCancellationRequested)
                    {
                        foreach (var (file, state) in Files(at))
                        {
                            if (known.GetValueOrDefault(file) == state)
                            {
                                continue;
                            }
                            if (growing.GetValueOrDefault(file) != state)
                            {
                                growing[file] = state;
                                continue;
                            }
                            known[file] = state;
                            growing.Remove(file);
                            await Taken(file);
                        }
                        try
                        {
                            await Task.Delay(Look, stop);
                        }
                        catch (OperationCanceledException)
                        {
                            break;
                        }
                    }
                    return 0;

                    async Task Taken(string file)
                    {
                        string name = Path.GetFileName(file);
                        var told = new List<string>();
                        try
                        {
                            byte[] bytes = await File.ReadAllBytesAsync(file, stop);
                            byte[]? Beside(string own) => Path.Combine(at, own) is var f && File.Exists(f) ? File.ReadAllBytes(f) : null;
                            int revision = await ShotSaving.Keep(
                                shots,
                                media,
                                engine,
                                row.Id,
                                Environment.UserName + WatchedFiles.Mark,
                                now =>
                                {
                                    told.Clear();
                                    return watched.Take(now, name, bytes, Beside, paint.Taking(parsed, now), told)
                                        ?? throw new ShotFault($"{name} is nothing that a shot takes from a folder.");
                                }
                            );
                            told.Insert(0, $"{name}: revision {revision.ToString(CultureInfo.InvariantCulture)}.");
                        }
                        catch (Exception e) when (e is ShotFault or FormatFault or MissingMediaException or RefusedException or IOException)
                        {
                            // What is odd in one file is told; the next one, and the same one saved again, are taken.
                            told = [e is FormatFault f ? $"{f.Message}. {f.Mend}" : $"{name}: {e.Message}"];
                        }
                        told.ForEach(Console.WriteLine);
                    }
                }
            }
        );
        return command;
    }

    private static Dictionary<string, (long, DateTime)> Files(string folder) =>
        Directory.Exists(folder)
            ? new DirectoryInfo(folder)
                .EnumerateFiles()
                .Where(f => WatchedFiles.Takes(f.Name) && !f.Name.StartsWith('.') && f.Length > 0)
                .ToDictionary(f => f.FullName, f => (f.Length, f.LastWriteTimeUtc), StringComparer.Ordinal)
            : [];
}
