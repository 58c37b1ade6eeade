using System.Diagnostics;
using System.Text.Json;
using Hangfire;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Store;

namespace Plenk.Work;

public sealed record TrackParameters(int Revision, string Who, int Count, double Distance);

public sealed record SolveParameters(int Revision, string Who);

public sealed record ThingParameters(int Revision, string Who, string Thing);

/// <summary>Tracking and solving in the tray. What they find is laid on the shot as it is when they end, as one revision of its own.</summary>
public sealed class CameraJobs(JobStore jobs, ShotStore shots, MediaStore media, TrackWork work, MovingWork moving, GrainWork grain, ILogger<CameraJobs> log)
{
    [AutomaticRetry(Attempts = 0)]
    public Task Track(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<TrackParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
        var (tracks, whole) = work.Follow(document, new() { Count = p.Count, Distance = p.Distance }, stop, progress);
        if (tracks.Count == 0) { throw new ShotFault(whole ? "Nothing was found to follow. The plate may have no texture, or the mattes may cover it." : "It was stopped before anything was followed."); }
        string hash = media.Write(TrackFile.Write(tracks));
        await Lay(job.ShotId, p.Who, $"{tracks.Count} tracks{(whole ? "" : ", stopped")}", d => d with { Tracks = new() { Media = hash, Count = tracks.Count }, Solving = d.Solving with { LeftOut = [] } });
        return (whole ? "done" : "stopped", $"{tracks.Count} tracks{(whole ? "" : "; those are kept")}");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Solve(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<SolveParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
        SolveResult result = work.Solve(document, stop, progress);
        if (!result.Solved) { throw new ShotFault($"{result.Reason}{(document.Camera is null ? "" : " The camera that was there stays.")}"); }
        string hash = media.Write(TrackFile.Write(result));
        await Lay(job.ShotId, p.Who, $"Solved the camera, {result.RmsPx:0.000} px", d => TrackWork.With(d, result, hash));
        return ("done", $"{result.RmsPx:0.000} px, {result.TracksUsed} tracks");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task GrainFree(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<SolveParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
        GrainFreeCopy copy = grain.Make(document, stop, progress);
        // A plate that was brought in anew meanwhile is another one.
        await Lay(job.ShotId, p.Who, $"Grain-free copy, {copy.Frames.Count} frames", d => d.Plate is { } plate && ReferenceEquals(document.Plate, plate) | plate.Frames.SequenceEqual(document.Plate!.Frames) ? d with { Plate = plate with { GrainFree = copy } } : throw new ShotFault("The plate was changed meanwhile. Make the copy again."));
        return ("done", $"{copy.Frames.Count} frames; {100 * copy.NoiseLeft / copy.NoiseBefore:0} % of the grain is left");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Thing(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<ThingParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
        bool held = MovingWork.Need(document, p.Thing).Media is not null;
        MovingObject found = held ? moving.Follow(document, p.Thing, stop, progress) : moving.Solve(document, p.Thing, stop, progress);
        await Lay(job.ShotId, p.Who, held ? $"Followed {found.Name}" : $"Solved {found.Name}, {found.RmsPx:0.00} px", d => d with
        {
            MovingObjects = [.. d.MovingObjects.Select(o => o.Id == p.Thing ? o with { Frames = found.Frames, RmsPx = found.RmsPx, SizeBy = found.SizeBy, SizeDoubt = found.SizeDoubt, Warnings = found.Warnings } : o)],
        });
        return ("done", $"{found.Name}: {found.Frames.Count} frames{(found.Warnings.Count > 0 ? $"; {found.Warnings[0]}" : "")}");
    });

    /// <summary>On top of whatever was changed meanwhile.</summary>
    private async Task Lay(long shot, string who, string what, Func<ShotDocument, ShotDocument> change)
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

    private async Task Guarded(long id, CancellationToken shutdown, Func<JobRow, CancellationToken, Action<string, double>, Task<(string State, string Message)>> run)
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
            var (state, message) = await Task.Run(() => run(job, stop.Token, (what, part) => latest = (what, Math.Clamp(part, 0, 1))), CancellationToken.None);
            await reporting.DisposeAsync();
            await jobs.End(id, state, message, null);
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
            log.LogError(e, "camera job {Job} failed", id);
            await reporting.DisposeAsync();
            await jobs.End(id, "failed", "it could not be finished; the log has the details", null);
        }
    }
}
