using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

public sealed record PullRequest(int Revision, int Frame, ObjectPin[] Pins);

public sealed record HangRequest(int BaseRevision, string? Piece, string? Element, string? Thing, int Frame);

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
                ShotDocument world = Hanging.At(document, request.Frame);
                MovingObject? thing = request.Thing is null ? null : MovingWork.Need(document, request.Thing);
                Pose? frame = thing is null
                    ? null
                    : Hanging.PoseOf(thing, request.Frame)
                        ?? throw new ShotFault($"{thing.Name} has no path yet. Solve or follow it first.");
                Piece Hung(Piece p) => (frame is { } f ? Hanging.Placed(p, Hanging.Inverse(f)) : p) with { HangsOn = request.Thing };
                Element HungElement(Element e) =>
                    (frame is { } f ? Hanging.Placed(e, Hanging.Inverse(f)) : e) with
                    {
                        HangsOn = request.Thing,
                    };
                ShotDocument changed = document with
                {
                    Pieces = [.. document.Pieces.Zip(world.Pieces).Select(p => p.First.Id == request.Piece ? Hung(p.Second) : p.First)],
                    Elements =
                    [
                        .. document
                            .Elements.Zip(world.Elements)
                            .Select(e => e.First.Id == request.Element ? HungElement(e.Second) : e.First),
                    ],
                };
                ShotApi.Check(changed);
                string name = document.Pieces.FirstOrDefault(p => p.Id == request.Piece)?.Name
                    ?? document.Elements.FirstOrDefault(e => e.Id == request.Element)?.Name
                    ?? throw new ShotFault("That is no longer in the shot.");
                await shots.Save(
                    id,
                    request.BaseRevision,
                    changed,
                    ShotApi.Who(http),
                    thing is null ? $"{name} stands in the world" : $"{name} hangs on {thing.Name}"
                );
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Hangs a piece or an element on a thing, or stands it back in the world; it stays where it is in the frame");
    }
}
