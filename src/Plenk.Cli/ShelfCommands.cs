using System.CommandLine;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Shelf;

namespace Plenk.Cli;

internal static class ShelfAddCommand
{
    public static Command Make()
    {
        var code = new Argument<string>("CODE") { Description = "a shot in the database, by its code or by production/code" };
        var places = new Argument<string[]>("PLACE")
        {
            Description = "elements/bell, pieces/floor, lights/sun, finish/steps/glow_1, look",
            Arity = ArgumentArity.OneOrMore,
        };
        Option<string> Said(string name, string what, bool required = true) => new(name) { Description = what, Required = required };
        Option<string> name = Said("--name", "what it is called; one that is there gets its next version"),
            author = Said("--author", "who made it"),
            licence = Said("--licence", "under which it may be used"),
            source = Said("--source", "where it is from"),
            tags = Said("--tags", "words apart by commas", required: false),
            words = Said("--words", "a description", required: false);
        var house = new Option<bool>("--house") { Description = "for the whole house, not this production alone" };
        var frame = new Option<int?>("--frame") { Description = "where it is taken; the shot's first" };
        var command = new Command("shelf-add", "Puts things of a shot on the shelf, with their credits.")
        {
            code,
            places,
            name,
            author,
            licence,
            source,
            tags,
            words,
            house,
            frame,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    ShotRow row = await shots.FindByCode(parsed.GetValue(code)!)
                        ?? throw new ShotFault($"There is no shot {parsed.GetValue(code)}.");
                    ShotDocument shot = (await shots.Read(row.Id))!.Value.Document;
                    var (made, told) = await new ShelfWork(new(database), media).Put(
                        shot,
                        new(
                            parsed.GetValue(places)!,
                            parsed.GetValue(name)!,
                            parsed.GetValue(author)!,
                            parsed.GetValue(licence)!,
                            parsed.GetValue(source)!,
                            parsed.GetValue(tags) ?? "",
                            parsed.GetValue(words) ?? "",
                            parsed.GetValue(house)
                        ),
                        parsed.GetValue(frame) ?? shot.Range.First,
                        Environment.UserName
                    );
                    told.ToList().ForEach(Console.WriteLine);
                    Console.WriteLine($"{made.Name}, version {made.Version}.");
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class ShelfListCommand
{
    public static Command Make()
    {
        var words = new Argument<string[]>("WORDS") { Description = "in names, tags and descriptions", Arity = ArgumentArity.ZeroOrMore };
        var production = new Option<string?>("--production") { Description = "of that one and of the house; all" };
        var command = new Command("shelf-list", "What lies on the shelf, a line each: name, kind, version, whose, made by, licence, from.")
        {
            words,
            production,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                var (database, _, _) = Running.Open();
                await using (database)
                {
                    foreach (
                        ShelfRow r in await new ShelfStore(database).List(
                            string.Join(' ', parsed.GetValue(words) ?? []),
                            parsed.GetValue(production),
                            []
                        )
                    )
                    {
                        Console.WriteLine(
                            string.Join(
                                '\t',
                                r.Name,
                                r.Kind.ToLowerInvariant(),
                                r.Version,
                                r.Production ?? "house",
                                r.Author,
                                r.Licence,
                                r.Source
                            )
                        );
                    }
                    return 0;
                }
            }
        );
        return command;
    }
}

internal static class ShelfTakeCommand
{
    public static Command Make()
    {
        var code = new Argument<string>("CODE") { Description = "a shot in the database, by its code or by production/code" };
        var name = new Argument<string>("NAME") { Description = "of the thing on the shelf" };
        var version = new Option<int?>("--version") { Description = "the newest" };
        var frame = new Option<int?>("--frame") { Description = "an element is put down where this one looks; the shot's first" };
        var command = new Command("shelf-take", "Takes a thing off the shelf into a shot.") { code, name, version, frame };
        command.SetGuarded(
            async (parsed, _) =>
            {
                var (database, media, shots) = Running.Open();
                await using (database)
                {
                    ShotRow row = await shots.FindByCode(parsed.GetValue(code)!)
                        ?? throw new ShotFault($"There is no shot {parsed.GetValue(code)}.");
                    var shelf = new ShelfStore(database);
                    ShelfRow thing = await shelf.Named(parsed.GetValue(name)!, row.Production)
                        ?? throw new ShotFault($"There is no {parsed.GetValue(name)} on the shelf of {row.Production} or of the house.");
                    var engine = new ShotEngine(media);
                    var work = new ShelfWork(shelf, media);
                    var told = new List<string>();
                    string[] places = [];
                    int revision = await ShotSaving.Keep(shots, media, engine, row.Id, Environment.UserName, shot =>
                    {
                        told.Clear();
                        var (made, at, _) = work.Take(
                                engine,
                                shot,
                                thing.Id,
                                parsed.GetValue(version),
                                parsed.GetValue(frame) ?? shot.Range.First,
                                told
                            )
                            .GetAwaiter()
                            .GetResult();
                        places = [.. at];
                        return (made, $"From the shelf: {thing.Name}");
                    });
                    told.ForEach(Console.WriteLine);
                    Console.WriteLine($"{row.Code}, revision {revision}: {string.Join(", ", places)}");
                    return 0;
                }
            }
        );
        return command;
    }
}
