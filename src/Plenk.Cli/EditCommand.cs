using System.CommandLine;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Edits;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Cli;

internal static class EditCommand
{
    public static Command Make()
    {
        var code = new Argument<string>("CODE") { Description = "a shot in the database, by its code or by production/code" };
        var file = new Argument<string>("EDITS.json")
        {
            Description = "a list of edits, or an object with “edits”, as the page and the API make them",
        };
        var command = new Command("edit", "Makes named changes of a shot, all or none, as one revision; prints what they came to.")
        {
            code,
            file,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                string path = parsed.GetValue(file)!,
                    named = parsed.GetValue(code)!;
                if (!File.Exists(path))
                {
                    Console.Error.WriteLine($"There is no file {path}.");
                    return 2;
                }
                Edit[] edits = Read(path);
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    ShotRow row = await shots.FindByCode(named) ?? throw new ShotFault($"There is no shot {named}.");
                    var engine = new ShotEngine(media);
                    EditedShot? made = null;
                    RevisionRow revision;
                    try
                    {
                        revision = await shots.Edit(row.Id, Environment.UserName, newest =>
                        {
                            made = Edits.Apply(newest, edits);
                            ShotSaving.Check(newest, made.Document, media, engine);
                            return made;
                        });
                    }
                    catch (EditFault e)
                    {
                        throw new ShotFault(e.At.Length > 0 ? $"{e.At}: {e.Message}" : e.Message);
                    }
                    Console.WriteLine(
                        JsonSerializer.Serialize(
                            new
                            {
                                shot = row.Code,
                                revision = revision.Number,
                                changes = made!.Changes,
                            },
                            ShotJson.Options
                        )
                    );
                    return 0;
                }
            }
        );
        return command;
    }

    private static Edit[] Read(string path)
    {
        try
        {
            JsonNode? node = JsonNode.Parse(File.ReadAllText(path));
            return ((node as JsonObject)?["edits"] ?? node).Deserialize<Edit[]>(ShotJson.Options) ?? [];
        }
        catch (Exception e) when (e is JsonException or NotSupportedException or InvalidOperationException)
        {
            throw new ShotFault(
                $"{Path.GetFileName(path)} is no list of edits: each is an object like "
                    + $"{{\"edit\":\"set\",\"at\":\"elements/bell/scale\",\"to\":2}}, of the kinds set, add, remove and move."
            );
        }
    }
}
