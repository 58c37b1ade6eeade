using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Paint;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <summary>The tray: long work with progress and stop.</summary>
public static class JobApi
{
    public static void MapJobs(this WebApplication app)
    {
        var api = app.MapGroup("/api").WithTags("Jobs");

        api.MapGet("/shots/{id:long}/jobs", (long id, JobStore jobs) => jobs.OfShot(id)).WithSummary("The shot’s jobs, newest first");

        // What the page's tray shows: jobs, and pictures that wait for their turn.
        api.MapGet("/shots/{id:long}/tray", async (long id, JobStore jobs, PictureService pictures, ShotStore shots) => new
                {
                    jobs = await jobs.OfShot(id),
                    pictures = pictures.Waiting(id),
                    watched = await shots.Head(id) is var (number, who) && who.EndsWith(WatchedFiles.Mark, StringComparison.Ordinal)
                        ? number
                        : (int?)null,
                })
            .WithSummary("Jobs, how many pictures wait for their turn, and the newest revision where a watched folder made it");

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
    }

    private static async Task<JobRow> Need(JobStore jobs, long id) =>
        await jobs.Find(id) ?? throw new NotThereException("There is no such job. It may belong to a shot that is gone.");
}
