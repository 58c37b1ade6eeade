using System.Diagnostics;
using System.Text.Json;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>A hand-over as a job of the tray; its files lie in a folder of the data root, which all workers see.</summary>
public sealed record HandOverParameters(int Revision, IReadOnlyList<int> Frames, HandOverChoice Choice, int Version);

/// <summary>
/// Takes frames of hand-overs, one at a time, from whatever machine sees the database and the data root. A frame is whole when its record
/// is there; a worker that is killed loses its lease, and another takes the frame anew. Pixels do not tell who computed them.
/// </summary>
public sealed class FrameWorker(
    FrameStore frames,
    JobStore jobs,
    ShotStore shots,
    ResultStore results,
    ShotEngine engine,
    ILogger<FrameWorker> log
) : BackgroundService
{
    public const string Kind = "handover";
    private static readonly TimeSpan Rest = TimeSpan.FromMilliseconds(300),
        Beat = TimeSpan.FromMilliseconds(500),
        Patience = TimeSpan.FromSeconds(1.5);
    private readonly HandOverWork _work = new(engine);

    public string Name { get; init; } = $"{Environment.MachineName}:{Environment.ProcessId}";

    public static string FolderOf(long job) =>
        Path.GetFullPath(Path.Combine(Settings.DataRoot, "renders", job.ToString(System.Globalization.CultureInfo.InvariantCulture)));

    protected override Task ExecuteAsync(CancellationToken stoppingToken) => Task.Run(() => Work(stoppingToken), CancellationToken.None);

    /// <summary>Until it is stopped, or has had nothing to do for so long.</summary>
    /// <param name="idle">Null: it waits for ever.</param>
    public async Task Work(CancellationToken stop, TimeSpan? idle = null)
    {
        using var threads = new LaneThreads("frames", 1 + Environment.ProcessorCount, LaneThreads.Long);
        Stopwatch since = Stopwatch.StartNew(),
            swept = Stopwatch.StartNew();
        while (!stop.IsCancellationRequested)
        {
            try
            {
                // Also beside a long hand-over: a job that nobody holds any more does not wait for its end to be told.
                if (swept.Elapsed > FrameStore.Lease)
                {
                    await frames.Sweep();
                    swept.Restart();
                }
                if (await frames.Take(Name) is { } taken)
                {
                    await Do(taken, threads, stop);
                    since.Restart();
                    continue;
                }
                await frames.Sweep();
                swept.Restart();
                if (idle is { } most && since.Elapsed > most)
                {
                    return;
                }
            }
            catch (Exception e)
            {
                // The database is away, or something nobody thought of: whoever else waits for frames must not wait for ever.
                log.LogWarning(e, "the lane of frames waits a moment");
            }
            try
            {
                await Task.Delay(Rest, stop);
            }
            catch (OperationCanceledException)
            {
                return;
            }
        }
    }

    private async Task Do(LeasedFrame taken, LaneThreads threads, CancellationToken shutdown)
    {
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(shutdown);
        var watch = Stopwatch.StartNew();
        Task<(string State, string Message, string? Output)> work = threads.Run(async () => await Worked(taken, stop.Token));
        DateTime? asked = null;
        while (!work.IsCompleted)
        {
            await Task.WhenAny(work, Task.Delay(Beat, CancellationToken.None));
            if (work.IsCompleted)
            {
                break;
            }
            try
            {
                if (!await frames.Hold(taken, Name))
                {
                    await stop.CancelAsync();
                }
            }
            catch (Npgsql.NpgsqlException)
            {
                // The next beat asks again; the lease outlives several.
            }
            if (!stop.IsCancellationRequested)
            {
                continue;
            }
            asked ??= DateTime.UtcNow;
            if (DateTime.UtcNow - asked > Patience)
            {
                break;
            }
        }
        // Lost to another, stopped, or this process ends: the frame waits for whoever comes.
        var (state, message, output) = work.IsCompleted ? await work : ("waiting", "", null);
        double? seconds = state == "done" ? watch.Elapsed.TotalSeconds : null;
        await Endings.Told(() => frames.End(taken, Name, state, seconds, message, output), () => shutdown.IsCancellationRequested);
    }

    /// <summary>Never throws: what goes wrong is the frame's own end.</summary>
    private async Task<(string State, string Message, string? Output)> Worked(LeasedFrame taken, CancellationToken stop)
    {
        try
        {
            JobRow job = (await jobs.Find(taken.Job))!;
            HandOverParameters p = JsonSerializer.Deserialize<HandOverParameters>(job.Parameters, ShotJson.Options)!;
            ShotDocument document = (await shots.Read(job.ShotId, p.Revision))!.Value.Document;
            string folder = FolderOf(job.Id);
            if (taken.Frame != FrameStore.Closing)
            {
                _work.Frame(document, p.Choice, p.Version, taken.Frame, folder, stop);
                return ("done", "", null);
            }
            _work.Close(document, p.Revision, p.Choice, p.Version, p.Frames, folder, stop, readings: await Readings(document, stop));
            string[] files =
            [
                .. Directory
                    .GetFiles(folder, "*", SearchOption.AllDirectories)
                    .Select(f => Path.GetRelativePath(folder, f))
                    .Order(StringComparer.Ordinal),
            ];
            return (
                "done",
                $"{p.Frames.Count} frames, version {p.Version}, checked against what was meant",
                JsonSerializer.Serialize(files)
            );
        }
        catch (Exception e) when (Endings.IsStop(e))
        {
            return ("waiting", "", null);
        }
        catch (Exception e)
        {
            if (Endings.InWords(e) is { } words)
            {
                return ("failed", words, null);
            }
            log.LogError(e, "frame {Frame} of job {Job} failed", taken.Frame, taken.Job);
            return ("failed", $"it could not be made; the server's log has the details under job {taken.Job}", null);
        }
    }

    /// <summary>Those that are kept, and the others measured.</summary>
    private async Task<IReadOnlyList<Core.Readings.Reading>> Readings(ShotDocument document, CancellationToken stop)
    {
        IReadOnlyList<Core.Readings.Reading?> kept = await Measuring.Kept(document, results);
        return [.. ReadingKind.All.Select((k, i) => kept[i] ?? ReadingKind.Under(document, k.Take(engine, document, stop)))];
    }
}
