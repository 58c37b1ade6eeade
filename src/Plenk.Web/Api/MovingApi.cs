using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Motion;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

public sealed record PullRequest(int Revision, int Frame, ObjectPin[] Pins);

/// <param name="What">The place of the piece, element or light in the document, like “elements/bell”.</param>
/// <param name="On">That of the thing it is hung on; null: it stands in the world.</param>
public sealed record HangRequest(int BaseRevision, int Frame, string What, string? On);

/// <param name="What">The place of the element or light in the document.</param>
/// <param name="On">That of the thing it is to aim at; null: at the spot of the picture, pixels of the plate, and what is seen there.</param>
/// <param name="Nothing">It aims at nothing from now on.</param>
public sealed record AimRequest(int BaseRevision, int Frame, string What, string? On, double? X, double? Y, bool Nothing = false);

/// <param name="X">Pixels of the plate: the spot that is clicked on the element.</param>
/// <param name="Spot">Id of the spot whose way is read anew; null: it is a new one.</param>
public sealed record SpotRequest(int BaseRevision, int Frame, double? X = null, double? Y = null, string? Spot = null);

/// <param name="What">The place of the thing that is keyed, like “elements/bell”.</param>
/// <param name="Named">What the others of its list are called; “*” stands for anything.</param>
/// <param name="LaterFrames">Each starts so many frames after the one before it.</param>
/// <param name="UnevenFrames">And by up to so many later still.</param>
/// <param name="GoesShare">Each goes by up to this share more or less, 0..1; turns and grows likewise.</param>
/// <param name="ByOwnTurn">Each goes the way that its own turn gives it.</param>
public sealed record SpreadRequest(
    int BaseRevision,
    string What,
    string Named,
    SpreadOrder Order = SpreadOrder.Listed,
    double LaterFrames = 0,
    double UnevenFrames = 0,
    double GoesShare = 0,
    double TurnsShare = 0,
    double GrowsShare = 0,
    bool ByOwnTurn = false,
    int Seed = 1
);

/// <summary>Things that move on their own: stood and pinned in a frame, followed or solved in the tray, hung things on.</summary>
public static class MovingApi
{
    public static void MapMoving(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Moving things");

        api.MapPost("/things/{thing}/work", async (long id, string thing, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                MovingObject o = MovingWork.Need(document, thing);
                var parameters = new ThingParameters(revision.Number, ShotApi.Who(http), thing);
                if (document.Camera is null)
                {
                    throw new ShotFault($"The shot has no camera yet, and {o.Name} is found against it. Bring one in or solve one first.");
                }
                return await jobs.Ask(
                    id,
                    document,
                    "thing",
                    o.Media is null ? $"Solving {o.Name}" : $"Following {o.Name}",
                    100,
                    ShotApi.Who(http),
                    parameters,
                    [thing]
                );
            })
            .WithSummary("Follows a moving thing, or solves its motion, in the tray");

        // Where its mesh stands when its foot is put on a spot of the picture.
        api.MapGet(
                "/things/{thing}/stand",
                async (long id, string thing, int frame, double x, double y, ShotStore shots, MovingWork work) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    return new { objectToWorld = work.StandAt(document, MovingWork.Need(document, thing), frame, x, y).ToRowMajor16() };
                }
            )
            .WithSummary("Where a thing’s mesh stands when its foot is put on a spot of the picture");

        api.MapGet("/things/{thing}/spot", async (long id, string thing, int frame, double x, double y, ShotStore shots, MovingWork work) =>
                new { place = work.Spot((await ShotApi.Need(shots, id)).Document, thing, frame, x, y) }
            )
            .WithSummary("The spot of a thing’s mesh under a pixel");

        // What pulling its pins comes to: for what follows a drag, and before a hold is kept.
        api.MapPost("/things/{thing}/pull", async (long id, string thing, PullRequest request, ShotStore shots, MovingWork work) =>
                work.Pull((await ShotApi.Need(shots, id, request.Revision)).Document, thing, request.Frame, request.Pins)
            )
            .WithSummary("What pulling a thing’s pins comes to; nothing is saved");

        // Hung on a thing, or stood back in the world: it stays where it is in the frame that is looked at.
        api.MapPost("/thing", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                var (form, name, mesh, hash) = await Incoming.TakeMesh(http, media);
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"Moving thing in: {name}",
                    form,
                    d =>
                    {
                        string stem = Path.GetFileNameWithoutExtension(name),
                            thing = stem;
                        for (int k = 2; d.MovingObjects.Any(o => o.Id == thing); k++)
                        {
                            thing = $"{stem}_{k}";
                        }
                        return d with
                        {
                            MovingObjects =
                            [
                                .. d.MovingObjects,
                                new MovingObject
                                {
                                    Id = thing,
                                    Name = thing.Replace('_', ' '),
                                    Media = hash,
                                },
                            ],
                        };
                    },
                    mesh.Warnings
                );
            })
            .WithSummary("Brings the mesh of a thing in that moves by itself")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/hang", async (long id, HangRequest request, ShotStore shots, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                string Name(string at) =>
                    new DocumentValues(document).At($"{at}/name")?.ToString() is { Length: > 0 } name
                        ? name
                        : throw new ShotFault("That is no longer in the shot.");
                string? on = request.On is null ? null : Name(request.On);
                if (request.On is { } carrier && new Carriers(document).Of(carrier, request.Frame) is null)
                {
                    throw new ShotFault($"{on} has no path yet. Solve or follow it first.");
                }
                string name = Name(request.What);
                ShotDocument changed = Rehanging.Of(
                    document,
                    request.What,
                    request.On is null ? null : new() { On = request.On },
                    request.Frame
                ) ?? throw new ShotFault($"{on ?? name} has no path yet in all frames that matter. Solve or follow it first.");
                ShotApi.Check(changed);
                await shots.Save(
                    id,
                    request.BaseRevision,
                    changed,
                    ShotApi.Who(http),
                    on is null ? $"{name} stands in the world" : $"{name} hangs on {on}"
                );
                return await ShotApi.State(shots, id);
            })
            .WithSummary(
                "Hangs a piece, an element or a light on another thing, or stands it back in the world; it stays where it is in the frame"
            );

        api.MapPost(
                "/elements/{element}/spots",
                async (long id, string element, SpotRequest request, ShotStore shots, ShotEngine engine, HttpContext http) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    Element own = document.Elements.FirstOrDefault(e => e.Id == element)
                        ?? throw new ShotFault("That element is no longer in the shot.");
                    ElementSpot spot = await Task.Run(() =>
                        request.Spot is not { } again
                            ? SpotWork.Click(engine, document, element, request.Frame, request.X ?? 0, request.Y ?? 0)
                            : SpotWork.Followed(
                                engine,
                                document,
                                own,
                                own.Spots.FirstOrDefault(s => s.Id == again) ?? throw new ShotFault("That spot is no longer there.")
                            )
                    );
                    await shots.Save(
                        id,
                        request.BaseRevision,
                        Edits
                            .Apply(
                                document,
                                [
                                    Edit.Set(
                                        $"{ShotCurves.PlaceOf("elements", element)}/spots",
                                        own.Spots.Where(s => s.Id != spot.Id).Append(spot)
                                    ),
                                ]
                            )
                            .Document,
                        ShotApi.Who(http),
                        request.Spot is null ? $"A spot on {own.Name}" : $"{spot.Name} follows {own.Name} again"
                    );
                    return await ShotApi.State(shots, id);
                }
            )
            .WithSummary("A place on an element, clicked or found again, with its way over the range: other things hang on it");

        api.MapPost("/aim", async (long id, AimRequest request, ShotStore shots, ShotEngine engine, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                Aim? aim =
                    request.Nothing ? null
                    : request.On is { } on ? new Aim { On = on }
                    : await Task.Run(() => Aiming.At(engine, document, request.What, request.Frame, request.X ?? 0, request.Y ?? 0));
                await shots.Save(
                    id,
                    request.BaseRevision,
                    Edits.Apply(document, [Edit.Set($"{request.What}/aimsAt", aim)]).Document,
                    ShotApi.Who(http),
                    aim is null ? "It aims at nothing" : "It aims elsewhere"
                );
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Aims an element or a lamp at a thing or at a spot of the picture, over all frames");

        api.MapPost("/spread", async (long id, SpreadRequest request, ShotStore shots, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                string name = new DocumentValues(document).At($"{request.What}/name")?.ToString()
                    ?? throw new ShotFault("That is no longer in the shot.");
                IReadOnlyList<string> onto = KeySpread.Named(document, request.What, request.Named);
                KeySpread spread = new(request.What, KeySpread.Named(document, request.What, request.Named))
                {
                    Order = request.Order,
                    LaterFrames = request.LaterFrames,
                    UnevenFrames = request.UnevenFrames,
                    GoesShare = request.GoesShare,
                    TurnsShare = request.TurnsShare,
                    GrowsShare = request.GrowsShare,
                    ByOwnTurn = request.ByOwnTurn,
                    Seed = request.Seed,
                };
                if (spread.Fault() is { } fault)
                {
                    throw new ShotFault(fault);
                }
                var (changed, keyed) = spread.On(document);
                if (keyed == 0)
                {
                    throw new ShotFault($"{name} is keyed in nothing that the others have. Key it first.");
                }
                ShotApi.Check(changed);
                string others = spread.Onto.Count == 1 ? "another" : $"{spread.Onto.Count} others";
                await shots.Save(id, request.BaseRevision, changed, ShotApi.Who(http), $"What {name} does is done by {others}");
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Keys others as one thing is keyed, each later and a little more or less, each from where it stands");

        api.MapPost("/fall", async (long id, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                int count = document.Elements.Count(e => e is { LetGo: not null, Off: false });
                return await jobs.Ask(
                    id,
                    document,
                    "fall",
                    count == 1 ? "One element falls" : $"{count} elements fall",
                    100,
                    ShotApi.Who(http),
                    new FallParameters(revision.Number, ShotApi.Who(http)),
                    []
                );
            })
            .WithSummary("Lets all elements that are let go fall, in the tray; their falls become keys");

        api.MapGet("/handles", async (long id, string what, int frame, int? revision, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id, revision)).Document;
                var (pose, pinhole) = engine.Camera(document, frame);
                // A page may ask for what it has just made and is not kept yet.
                return Results.Json(ThingHandles.Of(document, what, frame, pose, pinhole));
            })
            .WithSummary("By what a piece, an element or a lamp is moved and turned in the picture, and its way over the frames");
    }
}
