using System.Diagnostics;
using System.Text.Json;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>
/// Serves the lanes of the tray. Whatever a job does, it ends once and in words: a fault is told and logged, a stop is answered within a
/// second, and a computation that does not heed it is left behind with nothing to lay its result on.
/// </summary>
public sealed class JobRunner(JobStore jobs, IEnumerable<TrayJobs> kinds, ILogger<JobRunner> log) : BackgroundService
{
    /// <summary>So many of a lane are served at once.</summary>
    public const int HandsAtOnce = 2,
        LongAtOnce = 2;
    private static readonly TimeSpan Rest = TimeSpan.FromSeconds(1),
        Beat = TimeSpan.FromMilliseconds(300),
        Patience = TimeSpan.FromSeconds(1.5);
    private readonly Dictionary<string, JobKind> _kinds = kinds.SelectMany(k => k.Kinds).ToDictionary(k => k.Name);
    private readonly string _name = $"{Environment.MachineName}:{Environment.ProcessId}:{Guid.NewGuid():N}";

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using LaneThreads hands = new("hands", HandsAtOnce + Environment.ProcessorCount, 0),
            @long = new("long", LongAtOnce + Environment.ProcessorCount, LaneThreads.Long);
        await Task.WhenAll([
            .. Enumerable.Range(0, HandsAtOnce).Select(_ => Serve(Lane.Hands, hands, stoppingToken)),
            .. Enumerable.Range(0, LongAtOnce).Select(_ => Serve(Lane.Long, @long, stoppingToken)),
        ]);
    }

    private async Task Serve(string lane, LaneThreads threads, CancellationToken shutdown)
    {
        using var wake = new SemaphoreSlim(0);
        void Woken(string added)
        {
            if (added == lane)
            {
                wake.Release();
            }
        }
        jobs.Added += Woken;
        try
        {
            while (!shutdown.IsCancellationRequested)
            {
                try
                {
                    if (await jobs.Take(lane, _name) is { } job)
                    {
                        await Run(job, threads, shutdown);
                        continue;
                    }
                }
                catch (Exception e) when (e is not OperationCanceledException)
                {
                    // The database is away, or something nobody thought of: the lane goes on.
                    log.LogWarning(e, "the lane of {Lane} waits a moment", lane);
                }
                await wake.WaitAsync(Rest, shutdown);
            }
        }
        catch (OperationCanceledException)
        {
            // The process ends.
        }
        finally
        {
            jobs.Added -= Woken;
        }
    }

    private async Task Run(JobRow job, LaneThreads threads, CancellationToken shutdown)
    {
        CancellationTokenSource stop = CancellationTokenSource.CreateLinkedTokenSource(shutdown),
            left = new();
        var watch = Stopwatch.StartNew();
        (string What, double Part) latest = ("", 0);
        Task<JobEnd> work = threads.Run(async () =>
            await Worked(new(job, stop.Token, left.Token, shutdown, (what, part) => latest = (what, Math.Clamp(part, 0, 1))))
        );
        DateTime? askedAt = null;
        while (!work.IsCompleted)
        {
            await Task.WhenAny(work, Task.Delay(Beat, CancellationToken.None));
            if (work.IsCompleted)
            {
                break;
            }
            try
            {
                var (what, part) = latest;
                int done = (int)(part * job.Total);
                if (await jobs.Progress(job.Id, _name, done, done > 0 ? watch.Elapsed.TotalSeconds / done : null, what))
                {
                    await stop.CancelAsync();
                }
            }
            catch (JobLostException)
            {
                // Another has it: what comes of ours is nothing.
                await left.CancelAsync();
                await stop.CancelAsync();
                return;
            }
            catch (Npgsql.NpgsqlException)
            {
                // The next beat asks again; the lease outlives several.
            }
            if (!stop.IsCancellationRequested)
            {
                continue;
            }
            askedAt ??= DateTime.UtcNow;
            if (DateTime.UtcNow - askedAt > Patience)
            {
                log.LogWarning("job {Job} of {Kind} does not heed its stop; it is left behind", job.Id, job.Kind);
                await left.CancelAsync();
                await Ended(shutdown.IsCancellationRequested ? null : new("stopped; what was there stays", "stopped"));
                return;
            }
        }
        await Ended(shutdown.IsCancellationRequested && (await work).State == "stopped" ? null : await work);

        Task Ended(JobEnd? end) =>
            Endings.Told(() =>
                end is null
                    ? jobs.GiveBack(job.Id, _name)
                    : jobs.End(
                        job.Id,
                        _name,
                        end.State,
                        end.Message,
                        end.Output is null ? null : JsonSerializer.Serialize(end.Output, ShotJson.Options)
                    )
            );
    }

    /// <summary>Never throws: every fault of a job is its own end.</summary>
    private async Task<JobEnd> Worked(JobRun run)
    {
        try
        {
            return _kinds.TryGetValue(run.Row.Kind, out JobKind? kind)
                ? await kind.Run(run)
                : new($"this server does not know how to do “{run.Row.Kind}”", "failed");
        }
        catch (Exception e) when (Endings.IsStop(e))
        {
            return new("stopped; what was there stays", "stopped");
        }
        catch (Exception e) when (Endings.InWords(e) is { } words)
        {
            return new(words, "failed");
        }
        catch (Exception e)
        {
            log.LogError(e, "job {Job} of {Kind} failed", run.Row.Id, run.Row.Kind);
            return new($"it could not be finished; the server's log has the details under job {run.Row.Id}", "failed");
        }
    }
}
