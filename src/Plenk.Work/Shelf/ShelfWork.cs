using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work.Shelf;

/// <summary>What is said of a thing when it is put on the shelf.</summary>
/// <param name="Places">Of the shot: “elements/bell”.</param>
/// <param name="House">It is the whole house's; else the production's.</param>
public sealed record Shelving(
    IReadOnlyList<string> Places,
    string Name,
    string Author,
    string Licence,
    string Source,
    string Tags = "",
    string Words = "",
    bool House = false
);

/// <summary>Things put on the shelf from a shot, and taken off it into another.</summary>
public sealed class ShelfWork(ShelfStore shelf, MediaStore media)
{
    private const int Longest = 120,
        MostTags = 20;

    public async Task<(ShelfRow Row, IReadOnlyList<string> Told)> Put(ShotDocument shot, Shelving said, int frame, string who)
    {
        said = Checked(said);
        var told = new List<string>();
        ShotPart part;
        try
        {
            part = ShotPart.Of(shot, said.Places, frame, told);
        }
        catch (ArgumentException e)
        {
            throw new ShotFault(e.Message);
        }
        if (part.IsEmpty)
        {
            throw new ShotFault("Choose what goes on the shelf: an element, pieces, lights.");
        }
        Whole(part, said.Name);
        byte[] preview = await Task.Run(() => ShelfPreview.Of(part, media) ?? ShelfPreview.Seen(shot, media, frame));
        return (await Add(part, said, shot.Production, who, media.Write(preview)), told);
    }

    /// <summary>A part with its picture, as it is.</summary>
    /// <param name="production">Null where it is the house's anyway.</param>
    public Task<ShelfRow> Add(ShotPart part, Shelving said, string? production, string who, string preview) =>
        shelf.Add(
            new(
                0,
                said.House ? null : production,
                KindOf(part).ToString(),
                said.Name,
                [
                    .. said
                        .Tags.Split([',', ' '], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                        .Select(t => t.ToLowerInvariant())
                        .Distinct()
                        .Take(MostTags),
                ],
                0,
                who,
                default,
                said.Words.Trim(),
                said.Author,
                said.Licence,
                said.Source,
                preview
            ),
            JsonSerializer.Serialize(part, ShotJson.Options)
        );

    /// <summary>All that must be said is said.</summary>
    private static Shelving Checked(Shelving said)
    {
        static string Needed(string value, string what) =>
            value.Trim() is { Length: > 0 and <= Longest } text
                ? text
                : throw new ShotFault(
                    $"Say {what}: what lies on the shelf goes to other shots, and its credits go with it (up to {Longest} letters)."
                );
        return said with
        {
            Name = Needed(said.Name, "what it is called"),
            Author = Needed(said.Author, "who made it"),
            Licence = Needed(said.Licence, "under which licence it may be used"),
            Source = Needed(said.Source, "where it is from"),
        };
    }

    /// <summary>The shot with a thing of the shelf; and the places that it has there.</summary>
    /// <param name="version">Null: the newest.</param>
    public async Task<(ShotDocument Shot, IReadOnlyList<string> Places, ShelfRow Row)> Take(
        ShotEngine engine,
        ShotDocument shot,
        long thing,
        int? version,
        int frame,
        List<string> told
    )
    {
        var (row, part) = await Find(thing, version);
        part = part.From(row.Id, row.Version, row.Name, new(row.Author, row.Licence, row.Source));
        // What stands on something is put down where one looks; what is a place, or lights one, stands where it stood.
        var at = part.Elements.Count > 0 ? await Task.Run(() => SetWork.Looked(engine, shot, frame, toStandOn: true)?.Place) : null;
        var (made, places) = part.In(shot, at, told);
        return (made, places, row);
    }

    /// <summary>An element, piece or light that is from the shelf, in another version: what it is made of; where it stands and its keys stay.</summary>
    public async Task<(ShotDocument Shot, ShelfRow Row)> Renewed(ShotDocument shot, string place, int? version)
    {
        ShelfOrigin origin = shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == place)?.FromShelf
            ?? shot.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == place)?.FromShelf
            ?? shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == place)?.FromShelf
            ?? throw new ShotFault("That is not from the shelf.");
        var (row, part) = await Find(origin.Thing, version);
        part = part.From(row.Id, row.Version, row.Name, new(row.Author, row.Licence, row.Source));
        ShotFault Gone() =>
            new($"{row.Name}, version {row.Version}, has no {origin.Part} in it any more. Take it off the shelf as a thing of its own.");
        IReadOnlyList<T> Replaced<T>(string list, IReadOnlyList<T> own, IReadOnlyList<T> newer, Func<T, string> id, Func<T, T, T> kept)
            where T : class =>
            [
                .. own.Select(was =>
                    ShotCurves.PlaceOf(list, id(was)) == place ? kept(Same(newer, id, origin.Part) ?? throw Gone(), was) : was
                ),
            ];
        return (
            shot with
            {
                Elements = Replaced("elements", shot.Elements, part.Elements, e => e.Id, Kept),
                Pieces = Replaced("pieces", shot.Pieces, part.Pieces, p => p.Id, Kept),
                Lights = Replaced("lights", shot.Lights, part.Lights, l => l.Id, Kept),
            },
            row
        );
    }

    /// <summary>The newer thing, where the one before stands and as that moves.</summary>
    private static Element Kept(Element newer, Element was) =>
        newer with
        {
            Id = was.Id,
            Name = was.Name,
            Position = was.Position,
            RotationYxzDegrees = was.RotationYxzDegrees,
            Scale = was.Scale,
            Stretch = was.Stretch,
            HangsOn = was.HangsOn,
            AimsAt = was.AimsAt,
            Shake = was.Shake,
            Scatter = was.Scatter,
            LetGo = was.LetGo,
            Motion = newer.Motion is null ? null : was.Motion ?? newer.Motion,
            FromFrame = was.FromFrame,
            ToFrame = was.ToFrame,
            Off = was.Off,
        };

    private static Piece Kept(Piece newer, Piece was) =>
        newer with
        {
            Id = was.Id,
            Name = was.Name,
            Position = was.Position,
            RotationYxzDegrees = was.RotationYxzDegrees,
            Scale = was.Scale,
            HangsOn = was.HangsOn,
            Shake = was.Shake,
            Duties = was.Duties,
            Group = was.Group,
            Off = was.Off,
        };

    private static Light Kept(Light newer, Light was) =>
        newer with
        {
            Id = was.Id,
            Name = was.Name,
            Position = was.Position,
            Direction = was.Direction,
            HangsOn = was.HangsOn,
            AimsAt = was.AimsAt,
            Off = was.Off,
        };

    /// <summary>Of another version: what had that id; where there is only one, that.</summary>
    private static T? Same<T>(IReadOnlyList<T> of, Func<T, string> id, string part)
        where T : class => of.FirstOrDefault(n => id(n) == part) ?? (of is [var one] ? one : null);

    private async Task<(ShelfRow Row, ShotPart Part)> Find(long thing, int? version)
    {
        var (row, json) = await shelf.Find(thing, version) ?? throw new ShotFault("That is no longer on the shelf.");
        ShotPart part = JsonSerializer.Deserialize<ShotPart>(json, ShotJson.Options)!;
        Whole(part, row.Name);
        return (row, part);
    }

    /// <summary>All files that it names are there: else nothing of it is taken.</summary>
    private void Whole(ShotPart part, string name)
    {
        if (ShotFolder.MediaOf(part.AsShot()).FirstOrDefault(h => !media.Has(h)) is { } gone)
        {
            throw new ShotFault(
                $"A file of {name} ({gone[..12]}…) is no longer in the media store: nothing of it was taken. Put {name} on the shelf again from a shot that has it."
            );
        }
    }

    private static ShelfKind KindOf(ShotPart part) =>
        part switch
        {
            { Elements.Count: > 0 } => ShelfKind.Element,
            { Pieces.Count: > 0 } => ShelfKind.Set,
            { Lights.Count: > 0 } => part.Lights.All(l => l.Kind == LightKind.Panorama) ? ShelfKind.Panorama : ShelfKind.Lights,
            { Steps.Count: > 0 } => ShelfKind.Finish,
            _ => ShelfKind.Look,
        };
}

/// <summary>What a thing of the shelf is, by the first that it has of these.</summary>
public enum ShelfKind
{
    Element,
    Set,
    Lights,
    Panorama,
    Finish,
    Look,
}
