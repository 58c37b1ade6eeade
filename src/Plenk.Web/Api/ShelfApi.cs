using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Web.Sheets;
using Plenk.Work;
using Plenk.Work.Shelf;

namespace Plenk.Web.Api;

/// <param name="Place">Of the shot: “elements/bell”; or, of several, apart by commas.</param>
/// <param name="House">“true”: the whole house's, else the production's.</param>
public sealed record ShelveRequest(
    int Frame,
    string Place,
    string? Name,
    string? Author,
    string? Licence,
    string? Source,
    string? Tags = null,
    string? Words = null,
    bool House = false
);

/// <param name="Version">Null: the newest.</param>
public sealed record TakeRequest(int BaseRevision, int Frame, int? Version = null);

/// <param name="Place">Of the shot: “elements/bell”.</param>
public sealed record RenewRequest(int BaseRevision, string Place, int? Version = null);

/// <param name="Place">Of the shot: “elements/bell”; or, of several, apart by commas.</param>
public sealed record CopyRequest(string Place, int Frame);

public sealed record PasteRequest(int BaseRevision, int Frame);

/// <param name="Code">Of the shot that comes of it.</param>
/// <param name="Plate">With its plate, camera and all that was told by the picture.</param>
public sealed record DuplicateRequest(string? Code, bool Plate = true);

/// <summary>The shelf: what shots take from one another.</summary>
public static class ShelfApi
{
    public static void MapShelf(this WebApplication app)
    {
        var shelf = app.MapGroup("/api/shelf").WithTags("Shelf");

        shelf
            .MapGet("/", (string? words, string? production, string? kind, ShelfStore store) =>
                store.List(words ?? "", string.IsNullOrWhiteSpace(production) ? null : production, kind is { Length: > 0 } k ? [k] : [])
            )
            .WithSummary("What lies on the shelf, by words in names, tags and descriptions, of a production and of the house");

        shelf
            .MapGet("/{thing:long}/picture", async (long thing, int? version, ShelfStore store, MediaStore media, HttpContext http) =>
            {
                var (row, _) = await store.Find(thing, version) ?? throw new NotThereException("There is no such thing on the shelf.");
                http.Response.Headers.CacheControl = "max-age=60";
                return Results.Bytes(media.Read(row.Preview), "image/jpeg");
            })
            .WithSummary("A thing’s picture, JPEG");

        shelf
            .MapDelete("/{thing:long}", async (long thing, ShelfStore store) =>
            {
                _ = await store.Find(thing) ?? throw new NotThereException("There is no such thing on the shelf.");
                await store.Remove(thing);
                return Results.NoContent();
            })
            .WithSummary("Takes a thing off the shelf; shots keep what they took");

        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Shelf");

        api.MapPost("/shelf", async (long id, ShelveRequest r, ShotStore shots, ShelfWork work, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                var (row, told) = await work.Put(
                    document,
                    new(
                        r.Place.Split(',', StringSplitOptions.RemoveEmptyEntries),
                        r.Name ?? "",
                        r.Author ?? "",
                        r.Licence ?? "",
                        r.Source ?? "",
                        r.Tags ?? "",
                        r.Words ?? "",
                        r.House
                    ),
                    r.Frame,
                    ShotApi.Who(http)
                );
                return new
                {
                    thing = row,
                    said = $"{row.Name} is on the shelf, version {row.Version}.",
                    notes = told,
                };
            })
            .WithSummary("Puts elements, pieces, lights or steps of a shot on the shelf, as a new thing or as the next version of one");

        api.MapPost(
                "/shelf/{thing:long}/take",
                async (long id, long thing, TakeRequest r, ShotStore shots, ShelfWork work, ShotEngine engine, HttpContext http) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    var notes = new List<string>();
                    var (changed, places, row) = await work.Take(engine, document, thing, r.Version, r.Frame, notes);
                    await ShotApi.Keep(shots, id, http, changed, $"From the shelf: {row.Name}", null, r.BaseRevision);
                    return new
                    {
                        state = await ShotApi.State(shots, id),
                        notes,
                        places,
                    };
                }
            )
            .WithSummary("Takes a thing off the shelf into the shot; elements are put down where the frame looks");

        api.MapPost("/shelf/renew", async (long id, RenewRequest r, ShotStore shots, ShelfWork work, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                var (changed, row) = await work.Renewed(document, r.Place, r.Version);
                await ShotApi.Keep(shots, id, http, changed, $"{row.Name}, version {row.Version}, from the shelf", null, r.BaseRevision);
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Takes another version of what the shot has from the shelf; where it stands and its keys stay");

        api.MapPost("/copy", async (long id, CopyRequest r, ShotStore shots, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                var copied = new Copied(id, revision.Number, r.Frame, r.Place);
                ShotPart part = copied.Part(document, []);
                http.Response.Cookies.Append(
                    Copied.Cookie,
                    copied.ToString(),
                    new()
                    {
                        Path = "/",
                        SameSite = SameSiteMode.Lax,
                        HttpOnly = true,
                        MaxAge = TimeSpan.FromDays(30),
                    }
                );
                return new { redraw = true, said = $"{Copied.Name(part)} is copied, as it is now: paste it here or in another shot." };
            })
            .WithSummary("Keeps in mind, for this browser, what of a shot is pasted next");

        api.MapPost("/paste", async (long id, PasteRequest r, ShotStore shots, ShotEngine engine, HttpContext http) =>
            {
                Copied copied = Copied.Of(http.Request.Cookies[Copied.Cookie])
                    ?? throw new ShotFault("Nothing is copied yet. Choose an element, a piece or a light and copy it first.");
                var (from, _) = await ShotApi.Need(shots, copied.Shot, copied.Revision);
                var (document, _) = await ShotApi.Need(shots, id);
                var notes = new List<string>();
                ShotPart part = copied.Part(from, notes);
                // In its own shot it comes to stand beside itself; in another an element is put down where one looks.
                Core.Geometry.Vec3? at =
                    part.Elements.Count == 0 ? null
                    : id == copied.Shot ? part.Foot + new Core.Geometry.Vec3(0.5, 0, 0)
                    : await Task.Run(() => SetWork.Looked(engine, document, r.Frame, toStandOn: true)?.Place);
                var (changed, _) = part.In(document, at, notes);
                await ShotApi.Keep(shots, id, http, changed, $"{Copied.Name(part)} of {from.Code} pasted", null, r.BaseRevision);
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary("Puts what was copied into the shot, with its keys");

        api.MapPost("/duplicate", async (long id, DuplicateRequest r, ShotStore shots, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                var notes = new List<string>();
                ShotDocument made = ShotCopy.Of(document, ShotApi.Code(r.Code), r.Plate, notes);
                ShotApi.Check(made);
                ShotRow row = await shots.Create(made, ShotApi.Who(http), $"Made of {document.Code}");
                return new
                {
                    shot = row,
                    said = $"{row.Code} is made: it stands on the front page.",
                    notes,
                };
            })
            .WithSummary("Makes a shot of this one, with or without its plate");
    }
}
