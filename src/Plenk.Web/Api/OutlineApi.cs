using System.Text.Json.Serialization;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Outlines;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <summary>What happens to a point of an outline, in all its keys.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<PointChange>))]
public enum PointChange
{
    /// <summary>One more, on the curve nearest to the spot.</summary>
    Put,

    /// <summary>The nearest is taken away.</summary>
    Take,

    /// <summary>The nearest is made round, or a corner.</summary>
    Turn,

    /// <summary>All are made round.</summary>
    Round,
}

/// <param name="X">Pixels of the plate.</param>
public sealed record PointRequest(int BaseRevision, int Frame, PointChange How, double X = 0, double Y = 0);

/// <param name="Matte">The one that it corrects; a new one where there is none of that id.</param>
public sealed record StrokeRequest(int BaseRevision, int Frame, string Matte, MatteStroke Stroke);

/// <summary>Outlines of drawn mattes: their points, and the picture that they follow.</summary>
public static class OutlineApi
{
    public static void MapOutlines(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Mattes");

        // Where a drawn matte's outline is in a frame, its motion counted.
        api.MapGet("/mattes/{matte}/outline", async (long id, string matte, int frame, int? revision, ShotStore shots) =>
            {
                Matte own = MatteWork.Of((await ShotApi.Need(shots, id, revision)).Document, matte);
                MatteKey? here = MatteShape.CurveAt(own, frame) is { } curve ? MatteShape.KeyOf(frame, curve, own.Keys[0]) : null;
                return new
                {
                    corners = here?.Corners ?? [],
                    handles = here?.Handles,
                    feathers = here?.Feathers,
                };
            })
            .WithSummary("Where a drawn matte’s points and handles are in a frame, its motion counted");

        api.MapPost("/mattes/{matte}/points", async (long id, string matte, PointRequest r, ShotStore shots, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                Matte own = MatteWork.Of(document, matte);
                if (MatteShape.CurveAt(own, r.Frame) is not { } curve)
                {
                    throw new ShotFault($"{own.Name} has no outline yet. Draw it first.");
                }
                int nearest = Enumerable
                    .Range(0, curve.Knots.Count)
                    .MinBy(i => Math.Pow(curve.Knots[i].X - r.X, 2) + Math.Pow(curve.Knots[i].Y - r.Y, 2));
                if (r.How == PointChange.Take && curve.Knots.Count <= (own.Open ? 2 : 3))
                {
                    throw new ShotFault(
                        $"{own.Name} needs the {curve.Knots.Count} points that it has. Delete the matte, or put another point in first."
                    );
                }
                var (changed, says) = r.How switch
                {
                    PointChange.Put => (OutlinePoints.With(own, r.Frame, r.X, r.Y), $"A point more in {own.Name}"),
                    PointChange.Take => (OutlinePoints.Without(own, nearest), $"A point less in {own.Name}"),
                    PointChange.Turn => (OutlinePoints.Turned(own, nearest), $"A point of {own.Name} turned"),
                    _ => (OutlinePoints.Rounded(own), $"{own.Name} made round"),
                };
                await ShotApi.Keep(
                    shots,
                    id,
                    http,
                    document with
                    {
                        Mattes = [.. document.Mattes.Select(m => m.Id == matte ? changed : m)],
                    },
                    says,
                    null,
                    r.BaseRevision
                );
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Puts a point into a drawn matte, takes one away, makes it round or a corner: in all keys at once");

        api.MapGet(
                "/mattes/edge",
                async (long id, int frame, double x0, double y0, double x1, double y1, int? revision, ShotStore shots, ShotEngine engine) =>
                {
                    Curve way = engine.Helped.AlongEdge((await ShotApi.Need(shots, id, revision)).Document, frame, x0, y0, x1, y1);
                    MatteKey key = MatteShape.KeyOf(frame, way, new(frame, []) { Handles = [] });
                    return new { corners = key.Corners, handles = key.Handles };
                }
            )
            .WithSummary("The way along the strongest edge of the picture from one place to another, which is put on an edge that is near");

        api.MapPost("/mattes/strokes", async (long id, StrokeRequest r, ShotStore shots, ShotEngine engine, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                bool isNew = document.Mattes.All(m => m.Id != r.Matte);
                Matte own = isNew ? new() { Id = r.Matte, Name = r.Matte.Replace('_', ' ') } : MatteWork.Of(document, r.Matte);
                var (changed, said) = engine.Helped.Stroked(document, own, r.Frame, r.Stroke);
                await ShotApi.Keep(
                    shots,
                    id,
                    http,
                    document with
                    {
                        Mattes = isNew ? [.. document.Mattes, changed] : [.. document.Mattes.Select(m => m.Id == r.Matte ? changed : m)],
                    },
                    $"A stroke of “{(r.Stroke.Inside ? "this" : "not this")}” for {own.Name}",
                    null,
                    r.BaseRevision
                );
                return new { state = await ShotApi.State(shots, id), said };
            })
            .WithSummary("Finds a matte’s outline from strokes over what it holds and what it does not; one stroke more corrects it");

        Job(
            "follow",
            "matte-follow",
            name => $"{name} follows its plane",
            "Carries a drawn matte along by the plane inside it, in the tray",
            fromFrame: true
        );
        Job(
            "follow-outline",
            "matte-outline",
            name => $"{name} follows the picture",
            "Carries a drawn outline from its keys over the range, point by point, in the tray"
        );
        Job("freeze", "matte-freeze", name => $"Freezing {name}", "Keeps a matte as pictures, in the tray");

        Job(
            "cut-out",
            "matte-cut",
            name => $"Cutting {name} out",
            "Makes a card of what lies in a matte, standing where its foot is, in the tray",
            fromFrame: true
        );

        void Job(string path, string kind, Func<string, string> title, string summary, bool fromFrame = false) =>
            api.MapPost(
                    $"/mattes/{{matte}}/{path}",
                    async (long id, string matte, MatteRequest r, ShotStore shots, JobStore jobs, HttpContext http) =>
                    {
                        var (document, revision) = await ShotApi.Need(shots, id);
                        Matte own = MatteWork.Of(document, matte);
                        return await jobs.Ask(
                            id,
                            document,
                            kind,
                            title(own.Name),
                            fromFrame ? 100 : document.Range.Count,
                            ShotApi.Who(http),
                            new MatteParameters(revision.Number, ShotApi.Who(http), matte, r.Frame),
                            fromFrame ? [matte, r.Frame] : [matte],
                            Lane.Hands
                        );
                    }
                )
                .WithSummary(summary);
    }
}
