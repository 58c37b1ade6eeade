using System.Diagnostics;
using System.Text.Json;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A hand-over as a job of the tray; its files lie in a folder of the data root, which all workers see.</summary>
public sealed record HandOverParameters(int Revision, IReadOnlyList<int> Frames, HandOverChoice Choice, int Version);

/// <summary>
/// Takes frames of hand-overs, one at a time, from whatever machine sees the database and the data root. A frame is whole when its record
/// is there; a worker that is killed loses its lease, and another takes the frame anew. Pixels do not tell who computed them.
/// </summary>
public sealed class FrameWorker(FrameStore frames, JobStore jobs, ShotStore shots, ResultStore results, ShotEngine engine, ILogger<FrameWorker> log) : BackgroundService
{
    public const string Kind = "handover";
    private static readonly TimeSpan Rest = TimeSpan.FromMilliseconds(300), Beat = TimeSpan.FromSeconds(2);
    private readonly HandOverWork _work = new(engine);

    public string Name { get; init; } = $"{Environment.MachineName}:{Environment.ProcessId}";

    public static string FolderOf(long job) => Path.GetFullPath(Path.Combine(Settings.DataRoot, "renders", job.ToString(System.Globalization.CultureInfo.InvariantCulture)));

    protected override Task ExecuteAsync(CancellationToken stoppingToken) => Task.Run(() => Work(stoppingToken), CancellationToken.None);

    /// <summary>Until it is stopped, or has had nothing to do for so long.</summary>
    /// <param name="idle">Null: it waits for ever.</param>
    public async Task Work(CancellationToken stop, TimeSpan? idle = null)
    {
        var since = Stopwatch.StartNew();
        while (!stop.IsCancellationRequested)
        {
            try
            {
                if (await frames.Take(Name) is { } taken)
                {
                    await Do(taken, stop);
                    since.Restart();
                    continue;
                }
                IReadOnlyList<long> settled = await frames.Settled(Kind);
                foreach (long id in settled) { await Tell((await jobs.Find(id))!, closed: null); }
                // What is left to close was just planned.
                if (settled.Count > 0) { continue; }
                if (idle is { } most && since.Elapsed > most) { return; }
            }
            catch (Exception e) when (e is Npgsql.NpgsqlException)
            {
                log.LogWarning("the database does not answer: {Message}", e.Message);
            }
            try { await Task.Delay(Rest, stop); } catch (OperationCanceledException) { return; }
        }
    }

    private async Task Do(LeasedFrame taken, CancellationToken shutdown)
    {
        JobRow job = (await jobs.Find(taken.Job))!;
        await jobs.Start(job.Id);
        HandOverParameters p = Parameters(job);
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(shutdown);
        bool lost = false;
        await using var beat = new Timer(async _ =>
        {
            try
            {
                if (await frames.Hold(taken, Name)) { return; }
                lost = true;
                await stop.CancelAsync();
            }
            catch (Exception e) when (e is Npgsql.NpgsqlException or ObjectDisposedException)
            {
                // The next beat asks again; the lease outlives several.
            }
        }, null, Beat, Beat);
        var watch = Stopwatch.StartNew();
        string? closed = null;
        try
        {
            ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
            string folder = FolderOf(job.Id);
            if (taken.Frame == FrameStore.Closing) { closed = await Task.Run(async () => _work.Close(document, p.Revision, p.Choice, p.Version, p.Frames, folder, stop.Token, readings: await Readings(document, stop.Token)), CancellationToken.None); }
            else { await Task.Run(() => _work.Frame(document, p.Choice, p.Version, taken.Frame, folder, stop.Token), CancellationToken.None); }
            await frames.End(taken, Name, "done", watch.Elapsed.TotalSeconds, "");
        }
        catch (OperationCanceledException)
        {
            // Lost to another, stopped, or this process ends: the frame waits for whoever comes.
            await frames.End(taken, Name, "waiting", null, "");
            if (shutdown.IsCancellationRequested) { return; }
        }
        catch (Exception e) when (e is ShotFault or MissingMediaException or DiskFullException or Formats.FormatFault)
        {
            await frames.End(taken, Name, "failed", null, e.Message);
        }
        catch (Exception e) when (e is not Npgsql.NpgsqlException)
        {
            log.LogError(e, "frame {Frame} of job {Job} failed", taken.Frame, taken.Job);
            await frames.End(taken, Name, "failed", null, "it could not be made; the log has the details");
        }
        if (lost && !(await jobs.Find(job.Id))!.StopAsked) { return; }
        await Tell(job, closed);
    }

    private static HandOverParameters Parameters(JobRow job) => JsonSerializer.Deserialize<HandOverParameters>(job.Parameters, ShotJson.Options)!;

    /// <summary>Those that are kept, and the others measured.</summary>
    private async Task<IReadOnlyList<Core.Readings.Reading>> Readings(ShotDocument document, CancellationToken stop)
    {
        IReadOnlyList<Core.Readings.Reading?> kept = await ReadingsJob.Kept(document, results);
        return [.. ReadingKind.All.Select((k, i) => kept[i] ?? ReadingKind.Under(document, k.Take(engine, document, stop)))];
    }

    /// <summary>How far the job is; and its end, by whoever finds nothing left.</summary>
    private async Task Tell(JobRow job, string? closed)
    {
        IReadOnlyList<FrameRow> all = await frames.Of(job.Id);
        FrameRow[] own = [.. all.Where(f => f.Frame != FrameStore.Closing)], failed = [.. all.Where(f => f.State == "failed")];
        int done = own.Count(f => f.State == "done");
        double? each = own.Where(f => f.Seconds is not null).Select(f => f.Seconds!.Value).DefaultIfEmpty().Average() is > 0 and var s ? s : null;
        string Frames(IEnumerable<FrameRow> rows) => string.Join(", ", rows.Select(f => f.Frame == FrameStore.Closing ? "closing" : $"frame {f.Frame}").Take(4));
        bool stopAsked = await jobs.Progress(job.Id, done, each, $"{Frames(all.Where(f => f.State == "running"))}{(failed.Length > 0 ? $"; {Frames(failed)} failed" : "")}");
        if (closed is not null)
        {
            string folder = FolderOf(job.Id);
            string[] files = [.. Directory.GetFiles(folder, "*", SearchOption.AllDirectories).Select(f => Path.GetRelativePath(folder, f)).Order(StringComparer.Ordinal)];
            await jobs.End(job.Id, "done", $"{done} frames, version {Parameters(job).Version}, checked against what was meant", JsonSerializer.Serialize(files));
        }
        else if (stopAsked && all.All(f => f.State != "running")) { await jobs.End(job.Id, "stopped", $"stopped after {done} of {own.Length} frames; those are kept", null); }
        else if (own.All(f => f.State == "done") && all.All(f => f.Frame != FrameStore.Closing)) { await frames.Plan(job.Id, [FrameStore.Closing]); }
        else if (failed.Length > 0 && all.All(f => f.State is "done" or "failed"))
        {
            await jobs.End(job.Id, "failed", $"{(failed[0].Frame == FrameStore.Closing ? "closing" : $"frame {failed[0].Frame}")}: {failed[0].Message}{(failed.Length > 1 ? $" ({failed.Length} frames failed)" : "")}", null);
        }
    }
}
