using System.Text.Json.Serialization;
using Plenk.Core.Shots;
using Plenk.Formats.Layers;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Paint;

namespace Plenk.Web.Api;

/// <param name="Metres">How far the card stands; null: where the set is under it.</param>
public sealed record CardRequest(
    int BaseRevision,
    [property: JsonNumberHandling(JsonNumberHandling.AllowReadingFromString)] double? Metres = null
);

/// <summary>Frames that go out to be painted on, flat or in layers, and come back.</summary>
public static class PaintApi
{
    public static void MapPaint(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Footage").DisableAntiforgery();

        // Paint: a frame goes out and comes back.
        api.MapGet(
                "/frames/{frame:int}/paint",
                async (long id, int frame, string? camera, bool? colour, bool? exr, int? beyond, ShotStore shots, PaintWork paint) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    var (name, bytes) = await Task.Run(() =>
                        paint.Out(document, frame, string.IsNullOrEmpty(camera) ? null : camera, colour == true, exr == true, beyond ?? 0)
                    );
                    return Results.File(bytes, exr == true ? "image/x-exr" : "image/png", name);
                }
            )
            .WithSummary("A frame for a paint program: PNG of 16 bits or EXR, the plate or the surface’s own colour");

        api.MapPost("/frames/{frame:int}/paint", async (long id, int frame, HttpContext http, ShotStore shots, PaintWork paint) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, revision) = await ShotApi.Need(shots, id);
                if (form.Files.Count != 1)
                {
                    throw new ShotFault("Choose the painted picture.");
                }
                using var bytes = new MemoryStream();
                await form.Files[0].CopyToAsync(bytes);
                var notes = new List<string>();
                ProjectionSource made = await Task.Run(() =>
                    paint.In(
                        document,
                        bytes.ToArray(),
                        Path.GetFileName(form.Files[0].FileName),
                        frame,
                        form["camera"].ToString() is { Length: > 0 } camera ? camera : null,
                        form["colour"] == "true",
                        notes
                    )
                );
                ShotDocument changed = document with
                {
                    Projections = [made with { Id = SetJobs.NewId(document) }, .. document.Projections],
                };
                await ShotApi.Keep(shots, id, http, changed, $"Painted frame {frame} in", form["baseRevision"], revision.Number);
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary("Brings a painted frame back; it is laid on")
            .WithDescription("Fields beside the files: colour (true: the surface’s own).")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapGet(
                "/frames/{frame:int}/paint-layers",
                async (long id, int frame, string? kind, string? camera, bool? colour, int? beyond, ShotStore shots, LayeredPaint paint) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    LayeredKind how = Enum.TryParse(kind ?? nameof(LayeredKind.OpenRaster), true, out LayeredKind k)
                        ? k
                        : throw new ShotFault($"“{kind}” is none of {string.Join(", ", Enum.GetNames<LayeredKind>())}.");
                    var (name, bytes) = await Task.Run(() =>
                        paint.Out(document, how, new(frame, string.IsNullOrEmpty(camera) ? null : camera, colour == true), beyond ?? 0)
                    );
                    return Results.File(bytes, how == LayeredKind.OpenRaster ? "image/openraster" : "application/octet-stream", name);
                }
            )
            .WithSummary("A frame in layers for a paint program: the plate, those painted before, wires, depth and outlines as guides")
            .WithDescription("kind: OpenRaster, Tiff, Exr (linear) or Folder (numbered PNG files, zipped).");

        api.MapPost("/frames/{frame:int}/paint-layers", async (long id, int frame, HttpContext http, ShotStore shots, LayeredPaint paint) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, revision) = await ShotApi.Need(shots, id);
                if (form.Files.Count == 0)
                {
                    throw new ShotFault("Choose the painting: one file with layers, or numbered pictures, one a layer.");
                }
                PaintTaking taking = new(
                    frame,
                    form["camera"].ToString() is { Length: > 0 } camera ? camera : null,
                    form["colour"] == "true",
                    Enum.TryParse(form["placing"], true, out LayerPlacing placing) ? placing : LayerPlacing.Card,
                    Incoming.Number(form, "metres", 100)
                );
                (string Name, byte[] Bytes)[] files = [.. form.Files.Select(f => (Path.GetFileName(f.FileName), Incoming.Bytes(f)))];
                var notes = new List<string>();
                ShotDocument changed = await Task.Run(() => paint.Take(document, files, taking, notes));
                await ShotApi.Keep(
                    shots,
                    id,
                    http,
                    changed,
                    $"Layers of {LayeredPaint.Named(files)} in",
                    form["baseRevision"],
                    revision.Number
                );
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary(
                "Brings a painting in layers back: each layer stands on a card or is laid on; a newer file’s take the place of those before"
            )
            .WithDescription(
                "Fields beside the files: placing (Card or Set), metres (of cards with nothing of the set under them), colour (true: the surface’s own)."
            )
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost(
                "/projections/{source}/card",
                async (long id, string source, CardRequest r, ShotStore shots, LayeredPaint paint, HttpContext http) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    ShotDocument changed = await Task.Run(() => paint.Stood(document, source, r.Metres));
                    string name = changed.Projections.First(p => p.Id == source).Name;
                    await ShotApi.Keep(shots, id, http, changed, $"{name} stands on a card", null, r.BaseRevision);
                    return await ShotApi.State(shots, id);
                }
            )
            .WithSummary("Stands a painted layer on a card: at a distance, or where the set is under it");

        api.MapPost("/projections/{source}/laid", async (long id, string source, CardRequest r, ShotStore shots, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                ShotDocument changed = LayeredPaint.Lain(document, source);
                string name = changed.Projections.First(p => p.Id == source).Name;
                await ShotApi.Keep(shots, id, http, changed, $"{name} is laid on the set", null, r.BaseRevision);
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Takes a painted layer off its card and lays it on the pieces that are there");
    }
}
