using System.Diagnostics;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>How a job of the tray ended: its message, and the files that it wrote beside each other.</summary>
public sealed record JobEnd(string Message, string State = "done", IReadOnlyList<string>? Files = null);

/// <summary>What jobs of the tray have in common: progress twice a second, stop, an end in every case, and a change laid on the shot as it is then.</summary>
public abstract class TrayJobs(JobStore jobs, ShotStore shots, ILogger log)
{
    protected async Task<ShotDocument> Document(JobRow job, int revision) => (await shots.Read(job.ShotId, revision))!.Value.Document;

    /// <summary>On top of whatever was changed meanwhile.</summary>
    protected async Task Lay(long shot, string who, string what, Func<ShotDocument, ShotDocument> change)
    {
        for (int attempt = 0; ; attempt++)
        {
            var (document, revision) = (await shots.Read(shot))!.Value;
            try
            {
                await shots.Save(shot, revision.Number, change(document), who, what);
                return;
            }
            catch (ConflictException) when (attempt < 20)
            {
                // Somebody was quicker; once more on theirs.
            }
        }
    }

    protected async Task Guarded(long id, CancellationToken shutdown, Func<JobRow, CancellationToken, Action<string, double>, Task<JobEnd>> run)
    {
        JobRow? job = await jobs.Find(id);
        if (job is null || job.State is not ("waiting" or "running")) { return; }
        await jobs.Start(id);
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(shutdown);
        var watch = Stopwatch.StartNew();
        (string What, double Part) latest = ("", 0);
        using var reporting = new Timer(async _ =>
        {
            try
            {
                var (what, part) = latest;
                int done = (int)(part * job.Total);
                if (await jobs.Progress(id, done, done > 0 ? watch.Elapsed.TotalSeconds / done : null, what)) { await stop.CancelAsync(); }
            }
            catch (Exception e) when (e is Npgsql.NpgsqlException or ObjectDisposedException)
            {
                // The next tick asks again.
            }
        }, null, 300, 300);
        try
        {
            JobEnd end = await Task.Run(() => run(job, stop.Token, (what, part) => latest = (what, Math.Clamp(part, 0, 1))), CancellationToken.None);
            await reporting.DisposeAsync();
            await jobs.End(id, end.State, end.Message, end.Files is null ? null : System.Text.Json.JsonSerializer.Serialize(end.Files));
        }
        catch (OperationCanceledException) when (!shutdown.IsCancellationRequested)
        {
            await reporting.DisposeAsync();
            await jobs.End(id, "stopped", "stopped; what was there stays", null);
        }
        catch (Exception e) when (e is ShotFault or MissingMediaException or DiskFullException or Formats.FormatFault)
        {
            await reporting.DisposeAsync();
            await jobs.End(id, "failed", e.Message, null);
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            log.LogError(e, "job {Job} failed", id);
            await reporting.DisposeAsync();
            await jobs.End(id, "failed", "it could not be finished; the log has the details", null);
        }
    }
}
