using System.Numerics;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Looks;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

public sealed record BringRequest(FinishKind? Kind = null, bool White = false);

/// <summary>A kind of step as a page or a script needs it to draw and begin one.</summary>
/// <param name="Default">The step that it begins as, without its id.</param>
public sealed record StepKindSheet(
    FinishKind Kind,
    string Title,
    bool AfterMerge,
    bool ByObjects,
    string? Hint,
    FinishStep Default,
    IReadOnlyList<KindField> Fields
);

/// <summary>Step 7: what is measured, and steps that measuring sets.</summary>
public static class FinishApi
{
    private static readonly StepKindSheet[] Kinds =
    [
        .. StepKinds.All.Select(k => new StepKindSheet(k.Kind, k.Title, k.AfterMerge, k.ByObjects, k.Hint, k.Default, k.Fields)),
    ];

    public static void MapFinish(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Finish");

        app.MapGet("/api/finish/kinds", () => Kinds)
            .WithTags("Finish")
            .WithSummary("The kinds of steps in the order in which they are laid on, how each begins and what can be set of it");

        // The plate in the region, as it is measured.
        api.MapGet("/finish/measures", async (long id, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
                FinishRegion region = engine.Finish.Region(shot);
                PlateMeasures m = await Task.Run(() => engine.Finish.Plate(shot));
                return new
                {
                    region,
                    black = Of(m.Black),
                    white = Of(m.White),
                    edgePx = m.EdgePx,
                    edges = m.Edges,
                    grain = (m.Grain?.Levels ?? []).Select(l => new { level = Of(l.Level), deviation = Of(l.Deviation) }),
                    correlation = m.Grain?.Correlation,
                };
            })
            .WithSummary("The plate in the region, as it is measured");

        // Steps set by measuring, each a change of its own.
        api.MapPost("/finish/bring", async (long id, BringRequest request, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Elements.All(e => e.Off))
                {
                    throw new ShotFault("No element stands in the shot yet: place one at step 6.");
                }
                if (request.Kind is { } kind && !FinishJobs.CanBring(kind))
                {
                    throw new ShotFault($"A step of the kind {kind} is not set by measuring; black level, edge width and grain are.");
                }
                return await jobs.Ask(
                    id,
                    document,
                    "bring",
                    "Bringing the element to the plate",
                    100,
                    ShotApi.Who(http),
                    new BringParameters(revision.Number, ShotApi.Who(http), request.Kind, request.White),
                    [request],
                    Lane.Hands
                );
            })
            .WithSummary("Sets steps by measuring plate and element, in the tray, each as a change of its own");

        // The readings over the range: long, so in the tray.
        api.MapPost("/finish/range", async (long id, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Elements.All(e => e.Off))
                {
                    throw new ShotFault("No element stands in the shot yet: place one at step 6.");
                }
                return await jobs.Ask(
                    id,
                    document,
                    "finish-range",
                    "Readings over the range",
                    100,
                    ShotApi.Who(http),
                    new FinishRangeParameters(revision.Number),
                    []
                );
            })
            .WithSummary("Takes the finish’s readings over the range, in the tray");

        api.MapPost("/finish/haze", async (long id, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
                var (step, note) = await Task.Run(() => engine.Finish.FitHaze(shot));
                return new { step, note };
            })
            .WithSummary("A haze step fitted to the set’s distances; nothing is saved");

        // Means over a box of the picture, linear: plate and comp.
        api.MapGet(
                "/frames/{frame:int}/box",
                async (
                    long id,
                    int frame,
                    int x,
                    int y,
                    int width,
                    int height,
                    ShotStore shots,
                    ShotEngine engine,
                    CancellationToken stop
                ) =>
                {
                    ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
                    int full = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet.");
                    if (width < 1 || height < 1 || x < 0 || y < 0 || x + width > full || y + height > shot.Plate.Height)
                    {
                        throw new ShotFault("The box must lie within the picture.");
                    }
                    return await Task.Run(
                        () =>
                        {
                            FloatImage comp = shot.Camera is null
                                ? engine.Plates.Plate(shot, frame)
                                : engine
                                    .Finish.Frame(shot, frame, full, RenderQuality.Measured, dataPasses: false, keep: true, stop: stop)
                                    .Comp;
                            return new
                            {
                                plate = Of(PlateMeasure.Mean(engine.Plates.Plate(shot, frame), x, y, width, height)),
                                comp = Of(PlateMeasure.Mean(comp, x, y, width, height)),
                            };
                        },
                        stop
                    );
                }
            )
            .WithSummary("Means over a box of the picture, linear: plate and comp");

        // What one step does to a frame: the frame with it against the frame without.
        api.MapGet(
                "/frames/{frame:int}/finish/{step}",
                async (long id, int frame, string step, ShotStore shots, ShotEngine engine, CancellationToken stop) =>
                {
                    ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
                    return await Task.Run(() => engine.Finish.Effect(shot, frame, step, stop), stop);
                }
            )
            .WithSummary("What one step does to a frame: the frame with it against the frame without");

        // Where the framing stands at every frame, for the rail.
        api.MapGet("/finish/{step}/framing", async (long id, string step, ShotStore shots) =>
            {
                ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
                ReframeSettings settings = shot.Finish.Steps.FirstOrDefault(s => s.Id == step)?.Reframe
                    ?? throw new ShotFault("That step is no longer in the shot.");
                return Enumerable
                    .Range(shot.Range.First, shot.Range.Count)
                    .Select(f =>
                    {
                        var (fx, fy, turn, scale) = Reframing.At(settings with { ShakePixels = 0 }, f, 0, shot.Seed);
                        return new
                        {
                            frame = f,
                            x = fx,
                            y = fy,
                            turnDegrees = turn,
                            scale,
                        };
                    });
            })
            .WithSummary("Where the framing stands at every frame");

        api.MapGet("/finish/{step}/grade.cc", async (long id, string step, ShotStore shots) =>
            {
                Grade cdl = (await ShotApi.Need(shots, id)).Document.Finish.Steps.FirstOrDefault(s => s.Id == step)?.Grade?.Cdl
                    ?? throw new ShotFault("That step has no CDL.");
                return Results.File(CdlFile.Write(cdl.ToCdl(), step), "application/xml", $"{step}.cc");
            })
            .WithSummary("A grade step’s CDL as a file");

        // Pictures that drive a ripple; the page lays them on its step.
        api.MapPost("/finish/driving", async (long id, HttpRequest request, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await request.FormIn();
                var (source, notes, _) = ContactApi.Sequence(
                    ContactApi.Files(form),
                    (await ShotApi.Need(shots, id)).Document,
                    media,
                    needsAlpha: false,
                    exr: false
                );
                return new { source, notes };
            })
            .WithSummary("Brings pictures in that drive a ripple; they are not laid on a step")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        api.MapPost("/finish/cdl", async (long id, HttpRequest request) =>
            {
                IFormFile file = (await request.FormIn()).Files.FirstOrDefault() ?? throw new ShotFault("Choose a CDL file.");
                using var bytes = new MemoryStream();
                await file.CopyToAsync(bytes);
                Cdl c = CdlFile.Read(bytes.ToArray(), file.FileName);
                return new Grade(
                    file.FileName,
                    Core.Geometry.Vec3.From(c.Slope),
                    Core.Geometry.Vec3.From(c.Offset),
                    Core.Geometry.Vec3.From(c.Power),
                    c.Saturation
                );
            })
            .WithSummary("Reads a CDL file; it is not laid on a step")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();
    }

    private static double[] Of(Vector3 v) => [v.X, v.Y, v.Z];
}
