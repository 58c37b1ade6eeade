using System.CommandLine;
using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core.Checks;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Formats.Meshes;
using Plenk.Formats.Sequences;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Cli;

/// <summary>What all commands share: faults of the input become messages and exit code 3.</summary>
internal static class Running
{
    public static void SetGuarded(this Command command, Func<ParseResult, CancellationToken, Task<int>> action) =>
        command.SetAction(
            async (parsed, stop) =>
            {
                try
                {
                    return await action(parsed, stop);
                }
                catch (Exception e)
                    when (e
                            is ShotFault
                                or MissingMediaException
                                or FormatFault
                                or DiskFullException
                                or ArgumentException
                                or DirectoryNotFoundException
                    )
                {
                    Console.Error.WriteLine(e is FormatFault f ? $"{f.Message}. {f.Mend}" : e.Message);
                    return 3;
                }
                catch (Npgsql.NpgsqlException)
                {
                    Console.Error.WriteLine("The database does not answer. Start it with ./start, or set PLENK_DATABASE.");
                    return 1;
                }
            }
        );

    /// <summary>A shot by its folder, or by its code in the database.</summary>
    public static async Task<(ShotDocument Document, IMedia Media)> Shot(string from)
    {
        if (ShotFolder.Is(from))
        {
            var folder = new ShotFolder(from);
            return (folder.ReadDocument(), folder);
        }
        var (database, store, shots) = Open();
        await using (database)
        {
            ShotRow row = await shots.FindByCode(from) ?? throw new ShotFault($"{from} is neither a shot's folder nor the code of a shot.");
            return ((await shots.Read(row.Id))!.Value.Document, store);
        }
    }

    public static (Database Database, MediaStore Media, ShotStore Shots) Open()
    {
        var database = new Database(Settings.DatabaseConnection);
        return (database, new MediaStore(Path.Combine(Settings.DataRoot, "media")), new ShotStore(database));
    }
}

internal static class CheckPlateCommand
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.Never,
    };

    public static Command Make()
    {
        var directory = new Argument<string>("DIR") { Description = "folder of numbered PNG or JPEG frames" };
        var first = new Option<int?>("--first") { Description = "frame the sequence should start with" };
        var command = new Command("check-plate", "Checks a numbered sequence and prints what is there and what is wrong as JSON.")
        {
            directory,
            first,
        };
        command.SetGuarded(
            (parsed, stop) =>
            {
                string path = parsed.GetValue(directory)!;
                if (!Directory.Exists(path))
                {
                    Console.Error.WriteLine($"There is no folder {path}.");
                    return Task.FromResult(2);
                }
                DeliveredFile[] files =
                [
                    .. Directory.GetFiles(path).Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f))),
                ];
                PlateCheckResult result = PlateCheck.Check(files, parsed.GetValue(first), stop: stop);
                Console.WriteLine(JsonSerializer.Serialize(result, Json));
                foreach (PlateFault f in result.Faults)
                {
                    Console.Error.WriteLine($"{f.Message}. {f.Mend}");
                }
                return Task.FromResult(result.Clean ? 0 : 3);
            }
        );
        return command;
    }
}

internal static class ExportShotCommand
{
    public static Command Make()
    {
        var code = new Argument<string>("CODE") { Description = "code of the shot, like BTH_0040" };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var command = new Command("export-shot", "Writes a shot as a folder: shot.json and its media.") { code, output };
        command.SetGuarded(
            async (parsed, _) =>
            {
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    ShotRow row = await shots.FindByCode(parsed.GetValue(code)!)
                        ?? throw new ShotFault($"There is no shot {parsed.GetValue(code)}.");
                    var (document, revision) = (await shots.Read(row.Id))!.Value;
                    ShotFolder.Write(parsed.GetValue(output)!, document, media);
                    Console.WriteLine(
                        JsonSerializer.Serialize(
                            new
                            {
                                shot = row.Code,
                                revision = revision.Number,
                                folder = parsed.GetValue(output),
                            }
                        )
                    );
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class ImportShotCommand
{
    public static Command Make()
    {
        var directory = new Argument<string>("DIR") { Description = "folder with shot.json and media/" };
        var command = new Command("import-shot", "Takes a shot's folder in as a new shot, or as a new revision of the shot with its code.")
        {
            directory,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                string path = parsed.GetValue(directory)!;
                if (!ShotFolder.Is(path))
                {
                    Console.Error.WriteLine($"{path} holds no shot.json.");
                    return 2;
                }
                var folder = new ShotFolder(path);
                ShotDocument document = folder.ReadDocument();
                IReadOnlyList<string> faults = ShotChecks.Faults(document);
                if (faults.Count > 0)
                {
                    foreach (string f in faults)
                    {
                        Console.Error.WriteLine(f);
                    }
                    return 3;
                }
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    folder.CopyMediaTo(media, document);
                    ShotRow? existing = (await shots.List()).FirstOrDefault(s =>
                        s.Production == document.Production && s.Code == document.Code
                    );
                    int revision = 1;
                    if (existing is null)
                    {
                        await shots.Create(document, Environment.UserName, "Imported");
                    }
                    else
                    {
                        revision = (await shots.Save(existing.Id, existing.Head, document, Environment.UserName, "Imported over")).Number;
                    }
                    Console.WriteLine(JsonSerializer.Serialize(new { shot = document.Code, revision }));
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class RenderCommand
{
    public static Command Make()
    {
        var source = new Argument<string>("DIR|CODE") { Description = "a shot's folder, or the code of a shot in the database" };
        var frames = new Option<string>("--frames") { Description = "like 1001-1012,1020", Required = true };
        var output = new Option<string>("--out") { Description = "folder to write", Required = true };
        var width = new Option<int?>("--width") { Description = "reduced width in pixels (default: the plate's)" };
        var layersOption = new Option<string?>("--layers")
        {
            Description = "of the EXR, like background,elements,shadow (default: all; docs/exr-layers.md)",
        };
        var command = new Command("render", "Renders frames of a shot: comp PNG and EXR layers.")
        {
            source,
            frames,
            output,
            width,
            layersOption,
        };
        command.SetGuarded(
            async (parsed, stop) =>
            {
                if (!FrameList.TryParse(parsed.GetValue(frames)!, out IReadOnlyList<int> list))
                {
                    Console.Error.WriteLine($"“{parsed.GetValue(frames)}” is not a list of frames like 1001-1012,1020.");
                    return 2;
                }
                if (parsed.GetValue(width) is <= 0)
                {
                    Console.Error.WriteLine("The width must be positive.");
                    return 2;
                }
                var (document, media) = await Running.Shot(parsed.GetValue(source)!);
                var engine = new ShotEngine(media);
                int full = document.Plate?.Width ?? throw new ShotFault("The shot has no plate.");
                foreach (int frame in list)
                {
                    FrameLayers layers = engine.Finish.Frame(
                        document,
                        frame,
                        Math.Min(parsed.GetValue(width) ?? full, full),
                        RenderQuality.Full,
                        parts: true,
                        stop: stop
                    );
                    FrameFiles.Write(
                        engine,
                        document,
                        frame,
                        layers,
                        parsed.GetValue(output)!,
                        parsed.GetValue(layersOption)?.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                    );
                    Console.Error.WriteLine(
                        $"{frame}: {layers.Counts.Seconds:0.0} s, {layers.Counts.Rays / layers.Counts.Seconds / 1e6:0.0} million rays a second"
                    );
                }
                return 0;
            }
        );
        return command;
    }
}

internal static class SchemaCommand
{
    public static Command Make()
    {
        var command = new Command("schema", "Prints the JSON Schema of the shot document.");
        command.SetGuarded(
            (_, _) =>
            {
                Console.Write(ShotSchema.Write());
                return Task.FromResult(0);
            }
        );
        return command;
    }
}
