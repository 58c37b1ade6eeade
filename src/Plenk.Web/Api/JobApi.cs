using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <param name="Formats">exr, png16, dpx, mp4, stills, contact; null: EXR and PNG.</param>
public sealed record RenderRequest(
    int First,
    int Last,
    int? Width = null,
    string[]? Formats = null,
    string[]? Layers = null,
    string? Names = null,
    bool PartPerLayer = false,
    string? Compression = null,
    bool BurnIn = false,
    bool ThroughLook = true,
    double Overscan = 0,
    string Primaries = "bt709"
);

/// <summary>The tray: long work with progress and stop.</summary>
public static class JobApi
{
    public static void MapJobs(this WebApplication app)
    {
        var api = app.MapGroup("/api").WithTags("Jobs");

        api.MapGet("/shots/{id:long}/jobs", (long id, JobStore jobs) => jobs.OfShot(id)).WithSummary("The shot’s jobs, newest first");

        api.MapPost(
                "/shots/{id:long}/render",
                async (long id, RenderRequest request, ShotStore shots, JobStore jobs, ShotEngine engine, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    if (document.Plate is null)
                    {
                        throw new ShotFault("The shot has no plate yet.");
                    }
                    if (request.First > request.Last)
                    {
                        throw new ShotFault($"The first frame, {request.First}, comes after the last, {request.Last}. Change one of them.");
                    }
                    if (request.First < document.Range.First || request.Last > document.Range.Last)
                    {
                        throw new ShotFault(
                            $"The frames must lie within the shot's range, {document.Range.First} to {document.Range.Last}."
                        );
                    }
                    engine.Camera(document, request.First);
                    engine.Camera(document, request.Last);
                    var choice = new HandOverChoice(
                        request.Formats ?? ["exr", "png16"],
                        request.Layers,
                        request.Names ?? HandOverChoice.UsualNames,
                        Enum.TryParse(request.Compression, ignoreCase: true, out ExrCompression compression)
                            ? compression
                            : ExrCompression.Zip,
                        request.PartPerLayer,
                        request.Width,
                        BurnIn: request.BurnIn,
                        ThroughLook: request.ThroughLook,
                        Overscan: request.Overscan,
                        Primaries: request.Primaries
                    );
                    if (choice.Fault() is { } fault)
                    {
                        throw new ShotFault(fault);
                    }
                    int[] wanted = [.. Enumerable.Range(request.First, request.Last - request.First + 1)];
                    var parameters = new HandOverParameters(revision.Number, wanted, choice, 1 + await jobs.Count(id, FrameWorker.Kind));
                    return (
                        await jobs.Add(
                            new(
                                id,
                                FrameWorker.Kind,
                                $"Handing over {request.First}–{request.Last}, version {parameters.Version}",
                                JsonSerializer.Serialize(parameters, ShotJson.Options),
                                ShotEngine.Key("hand over", 1, id, parameters with { Version = 0 }),
                                wanted.Length,
                                ShotApi.Who(http),
                                Lane.Frames,
                                wanted
                            )
                        )
                    ).Job;
                }
            )
            .WithSummary("Hands frames over, in the tray: EXR, PNG, DPX, movie, stills, contact sheet");

        // What the page's tray shows: jobs, and pictures that wait for their turn.
        api.MapGet("/shots/{id:long}/tray", async (long id, JobStore jobs, PictureService pictures) =>
                new { jobs = await jobs.OfShot(id), pictures = pictures.Waiting(id) }
            )
            .WithSummary("Jobs, and how many pictures wait for their turn");

        // Frame by frame: who has it, how long it took, why it failed.
        api.MapGet("/jobs/{id:long}/frames", async (long id, JobStore jobs, FrameStore frames) =>
                await frames.Of((await Need(jobs, id)).Id)
            )
            .WithSummary("A hand-over frame by frame: who has it, how long it took, why it failed");

        // Failed frames once more, all or one; a stopped hand-over goes on where it was.
        api.MapPost("/jobs/{id:long}/again", async (long id, int? frame, JobStore jobs, FrameStore frames) =>
            {
                JobRow job = await Need(jobs, id);
                if (job.Kind != FrameWorker.Kind)
                {
                    throw new ShotFault($"“{job.Title}” is begun anew where it was begun; only the frames of a hand-over are tried again.");
                }
                await frames.Again(id, frame);
                return await jobs.Find(id);
            })
            .WithSummary("Tries failed frames once more, all or one; a stopped hand-over goes on where it was");

        api.MapPost("/jobs/{id:long}/stop", async (long id, JobStore jobs, FrameStore frames) =>
            {
                if ((await Need(jobs, id)).Kind == FrameWorker.Kind)
                {
                    await frames.AskToStop(id);
                }
                else
                {
                    await jobs.AskToStop(id);
                }
                return await jobs.Find(id);
            })
            .WithSummary("Stops a job");

        app.MapGet("/renders/{job:long}/{*file}", (long job, string file) =>
            {
                string folder = FrameWorker.FolderOf(job),
                    path = Path.GetFullPath(Path.Combine(folder, file));
                return path.StartsWith(folder + Path.DirectorySeparatorChar, StringComparison.Ordinal) && File.Exists(path)
                    ? Results.File(
                        path,
                        Path.GetExtension(file) switch
                        {
                            ".png" => "image/png",
                            ".mp4" => "video/mp4",
                            ".html" => "text/html",
                            ".json" => "application/json",
                            ".glb" => "model/gltf-binary",
                            _ => "image/x-exr",
                        },
                        file.EndsWith(".html", StringComparison.Ordinal) ? null : Path.GetFileName(file)
                    )
                    : Results.NotFound(); // a sheet is read, not taken down
            })
            .ExcludeFromDescription();
    }

    private static async Task<JobRow> Need(JobStore jobs, long id) =>
        await jobs.Find(id) ?? throw new NotThereException("There is no such job. It may belong to a shot that is gone.");
}
