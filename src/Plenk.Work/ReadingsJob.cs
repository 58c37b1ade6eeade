using System.Collections.Concurrent;
using System.Text.Json;
using Hangfire;
using Microsoft.Extensions.Logging;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

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
