using System.Collections.Concurrent;
using System.Diagnostics;
using System.Text.Json;
using Hangfire;
using Microsoft.Extensions.Logging;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

public sealed record RenderParameters(int Revision, int First, int Last, int? Width = null);

/// <summary>Renders a range of frames into data/renders/JOB: a comp PNG and an EXR of layers a frame.</summary>
public sealed class RenderJob(JobStore jobs, ShotStore shots, ShotEngine engine, ILogger<RenderJob> log)
{
    public static string DirectoryOf(long job) => Path.Combine(Settings.DataRoot, "renders", job.ToString(System.Globalization.CultureInfo.InvariantCulture));

    [AutomaticRetry(Attempts = 2, OnAttemptsExceeded = AttemptsExceededAction.Fail)]
    public async Task Run(long id, CancellationToken shutdown)
    {
        JobRow? job = await jobs.Find(id);
        if (job is null || job.State is not ("waiting" or "running")) { return; }
        await jobs.Start(id);
        var parameters = JsonSerializer.Deserialize<RenderParameters>(job.Parameters, ShotJson.Options)!;
        int done = 0;
        var files = new List<string>();
        try
        {
            ShotDocument document = (await shots.Read(job.ShotId, parameters.Revision))!.Value.Document;
            string directory = DirectoryOf(id);
            using var stop = CancellationTokenSource.CreateLinkedTokenSource(shutdown);
            var watch = Stopwatch.StartNew();
            for (int frame = parameters.First; frame <= parameters.Last; frame++)
            {
                string png = FrameFiles.PngName(document, frame), exr = FrameFiles.ExrName(document, frame);
                // Taken up again after an interruption: finished frames are whole, so they stand.
                if (!File.Exists(Path.Combine(directory, exr)) || !File.Exists(Path.Combine(directory, png)))
                {
                    int width = Math.Min(parameters.Width ?? document.Plate!.Width, document.Plate!.Width);
                    using var watching = new Timer(async _ =>
                    {
                        try
                        {
                            if ((await jobs.Find(id))?.StopAsked == true) { await stop.CancelAsync(); }
                        }
                        catch (Exception e) when (e is Npgsql.NpgsqlException or ObjectDisposedException)
                        {
                            // The next tick asks again.
                        }
                    }, null, 400, 400);
                    FrameLayers layers = engine.Finish.Frame(document, frame, width, RenderQuality.Full, parts: true, stop: stop.Token);
                    FrameFiles.Write(engine, document, frame, layers, directory);
                }
                files.Add(png);
                files.Add(exr);
                done++;
                if (await jobs.Progress(id, done, watch.Elapsed.TotalSeconds / done, $"frame {frame}")) { throw new OperationCanceledException(); }
            }
            await jobs.End(id, "done", $"{done} frames", JsonSerializer.Serialize(files));
        }
        catch (OperationCanceledException) when (!shutdown.IsCancellationRequested)
        {
            await jobs.End(id, "stopped", $"stopped after {done} of {job.Total} frames; those are kept", JsonSerializer.Serialize(files));
        }
        catch (Exception e) when (e is ShotFault or MissingMediaException or DiskFullException or Formats.FormatFault)
        {
            await jobs.End(id, "failed", $"frame {parameters.First + done}: {e.Message}", JsonSerializer.Serialize(files));
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            log.LogError(e, "render job {Job} failed", id);
            await jobs.End(id, "failed", $"frame {parameters.First + done} could not be rendered; the log has the details", JsonSerializer.Serialize(files));
        }
    }
}

/// <summary>Measures those readings of a revision that are not known yet, and keeps each under what it reads.</summary>
public sealed class ReadingsJob(ShotStore shots, ResultStore results, ShotEngine engine, ILogger<ReadingsJob> log)
{
    /// <summary>What is on its way, and when somebody last asked for it: revisions that nobody looks at any more are left.</summary>
    private static readonly ConcurrentDictionary<(long Shot, int Revision), DateTime> Asked = new();
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(4);

    /// <summary>The readings that are kept, in the order of the steps; null in the place of one that is not measured yet.</summary>
    public static async Task<IReadOnlyList<Reading?>> Kept(ShotDocument document, ResultStore results)
    {
        var known = await results.Read([.. ReadingKind.All.Select(k => k.Key(document))]);
        return [.. known.Select(json => json is null ? null : ReadingKind.Under(document, JsonSerializer.Deserialize<Reading>(json, ShotJson.Options)!))];
    }

    /// <summary>All readings once they are finished; else null, and they are on their way.</summary>
    public static async Task<IReadOnlyList<Reading>?> Ask(ShotDocument document, long shot, int revision, ResultStore results, IBackgroundJobClient queue)
    {
        IReadOnlyList<Reading?> kept = await Kept(document, results);
        if (kept.All(r => r is not null)) { return [.. kept.OfType<Reading>()]; }
        bool isNew = !Asked.ContainsKey((shot, revision));
        Asked[(shot, revision)] = DateTime.UtcNow;
        if (isNew) { queue.Enqueue<ReadingsJob>(j => j.Run(shot, revision, CancellationToken.None)); }
        return null;
    }

    [AutomaticRetry(Attempts = 1)]
    public async Task Run(long shot, int revision, CancellationToken stop)
    {
        ShotDocument document = (await shots.Read(shot, revision))!.Value.Document;
        bool Left() => Asked.TryGetValue((shot, revision), out DateTime last) && DateTime.UtcNow - last > Patience;
        using var left = CancellationTokenSource.CreateLinkedTokenSource(stop);
        try
        {
            using var watching = new Timer(_ => { if (Left()) { left.Cancel(); } }, null, 500, 500);
            foreach (ReadingKind kind in ReadingKind.All)
            {
                if (Left()) { return; }
                string key = kind.Key(document);
                if ((await results.Read([key]))[0] is not null) { continue; }
                await results.Write(key, JsonSerializer.Serialize(kind.Take(engine, document, left.Token), ShotJson.Options));
            }
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            // Nobody looks at this revision any more; what is measured of it is kept.
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            log.LogError(e, "readings of shot {Shot} revision {Revision} failed", shot, revision);
            throw;
        }
        finally
        {
            Asked.TryRemove((shot, revision), out _);
        }
    }
}
