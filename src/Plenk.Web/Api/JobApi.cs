using System.Text.Json;
using Hangfire;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

public sealed record RenderRequest(int First, int Last, int? Width = null);

/// <summary>The tray: long work with progress and stop.</summary>
public static class JobApi
{
    public static void MapJobs(this WebApplication app)
    {
        var api = app.MapGroup("/api").WithTags("Jobs");

        api.MapGet("/shots/{id:long}/jobs", (long id, JobStore jobs) => jobs.OfShot(id));

        api.MapPost("/shots/{id:long}/render", async (long id, RenderRequest request, ShotStore shots, JobStore jobs, ShotEngine engine, IBackgroundJobClient queue, HttpContext http) =>
        {
            var (document, revision) = await ShotApi.Need(shots, id);
            if (document.Plate is null) { throw new ShotFault("The shot has no plate yet."); }
            if (request.First > request.Last || request.First < document.Range.First || request.Last > document.Range.Last)
            {
                throw new ShotFault($"The frames must lie within the shot's range, {document.Range.First} to {document.Range.Last}.");
            }
            engine.Camera(document, request.First);
            engine.Camera(document, request.Last);
            var parameters = new RenderParameters(revision.Number, request.First, request.Last, request.Width);
            var (job, isNew) = await jobs.Add(id, "render", $"Rendering {request.First}–{request.Last}", JsonSerializer.Serialize(parameters, ShotJson.Options),
                ShotEngine.Key("render", 1, id, parameters), request.Last - request.First + 1, ShotApi.Who(http));
            if (isNew) { queue.Enqueue<RenderJob>(j => j.Run(job.Id, CancellationToken.None)); }
            return job;
        });

        api.MapPost("/jobs/{id:long}/stop", async (long id, JobStore jobs) =>
        {
            await jobs.AskToStop(id);
            return await jobs.Find(id) is { } job ? Results.Ok(job) : Results.NotFound();
        });

        app.MapGet("/renders/{job:long}/{file}", (long job, string file) =>
        {
            string path = Path.Combine(RenderJob.DirectoryOf(job), Path.GetFileName(file));
            return File.Exists(path) ? Results.File(path, Path.GetExtension(file) switch { ".png" => "image/png", ".glb" => "model/gltf-binary", _ => "image/x-exr" }, Path.GetFileName(file)) : Results.NotFound();
        }).ExcludeFromDescription();
    }
}
