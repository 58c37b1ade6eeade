using System.Text.Json;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>
/// How far the measuring of a revision is: which reading is taken now (null: none yet), how many of how many are there, and how many shots
/// are measured before it.
/// </summary>
public sealed record MeasuringAt(string? Now, int Done, int Of, int Before);

/// <summary>
/// The lane of readings: those of a revision that are not known yet, each kept under what it reads. Shots take turns, a reading each; what
/// nobody has asked for in a while is left.
/// </summary>
public sealed class Measuring(ShotStore shots, ResultStore results, ShotEngine engine, ILogger<Measuring> log) : BackgroundService
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(4),
        Rest = TimeSpan.FromSeconds(1);
    private readonly LinkedList<Ask> _line = [];
    private readonly SemaphoreSlim _wake = new(0);
    private Ask? _now;

    /// <summary>Those that failed by a fault of ours: told once, and tried again when the server starts anew.</summary>
    private readonly System.Collections.Concurrent.ConcurrentDictionary<string, Reading> _failed = new();

    private sealed class Ask(long shot, int revision, bool kept)
    {
        public long Shot => shot;
        public int Revision => revision;

        /// <summary>Measured to the end though nobody looks.</summary>
        public bool Kept => kept;
        public DateTime Asked { get; set; } = DateTime.UtcNow;
        public string? Reading { get; set; }
        public int At { get; set; }
    }

    /// <summary>The readings that are kept, in the order of the steps; null in the place of one that is not measured yet.</summary>
    public static async Task<IReadOnlyList<Reading?>> Kept(ShotDocument document, ResultStore results)
    {
        var known = await results.Read([.. ReadingKind.All.Select(k => k.Key(document))]);
        return [.. known.Select(json => Of(document, json))];
    }

    /// <summary>A kept reading under the tolerance that the document has now.</summary>
    public static Reading? Of(ShotDocument document, string? json) =>
        json is null ? null : ReadingKind.Under(document, JsonSerializer.Deserialize<Reading>(json, ShotJson.Options)!);

    /// <summary>All readings once they are finished; else how far they are, and they are on their way.</summary>
    public async Task<(IReadOnlyList<Reading>? Readings, MeasuringAt? At)> Read(
        ShotDocument document,
        long shot,
        int revision,
        bool keep = false
    )
    {
        IReadOnlyList<Reading?> kept =
        [
            .. (await Kept(document, results)).Select((r, i) => r ?? _failed.GetValueOrDefault(ReadingKind.All[i].Key(document))),
        ];
        if (kept.All(r => r is not null))
        {
            return ([.. kept.OfType<Reading>()], null);
        }
        lock (_line)
        {
            Ask? own =
                _now is { } now && now.Shot == shot && now.Revision == revision
                    ? now
                    : _line.FirstOrDefault(a => a.Shot == shot && a.Revision == revision);
            if (own is null)
            {
                _line.AddLast(own = new(shot, revision, keep));
                _wake.Release();
            }
            own.Asked = DateTime.UtcNow;
            return (
                null,
                new(
                    own.Reading,
                    kept.Count(r => r is not null),
                    kept.Count,
                    own == _now ? 0 : (_now is null ? 0 : 1) + _line.TakeWhile(a => a != own).Count()
                )
            );
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var threads = new LaneThreads("readings", 1 + Environment.ProcessorCount, LaneThreads.Readings);
        while (!stoppingToken.IsCancellationRequested)
        {
            Ask? ask;
            lock (_line)
            {
                ask = _now = _line.First?.Value;
                if (ask is not null)
                {
                    _line.RemoveFirst();
                }
            }
            try
            {
                if (ask is null)
                {
                    await _wake.WaitAsync(Rest, stoppingToken);
                    continue;
                }
                bool more = await threads.Run(async () => await Next(ask, stoppingToken));
                lock (_line)
                {
                    _now = null;
                    if (more)
                    {
                        _line.AddLast(ask);
                    }
                }
            }
            catch (OperationCanceledException)
            {
                // Nobody looks any more, or the process ends.
            }
            catch (Exception e)
            {
                log.LogError(e, "readings of shot {Shot} revision {Revision} failed", ask?.Shot, ask?.Revision);
                try
                {
                    await Task.Delay(Rest, stoppingToken);
                }
                catch (OperationCanceledException)
                {
                    return;
                }
            }
        }
    }

    /// <summary>One reading of a revision; false: there is no more to measure of it, or nobody asks.</summary>
    private async Task<bool> Next(Ask ask, CancellationToken shutdown)
    {
        bool Gone() => !ask.Kept && DateTime.UtcNow - ask.Asked > Patience;
        using var left = CancellationTokenSource.CreateLinkedTokenSource(shutdown);
        using var watching = new Timer(
            _ =>
            {
                if (Gone())
                {
                    left.Cancel();
                }
            },
            null,
            500,
            500
        );
        ShotDocument document = (await shots.Read(ask.Shot, ask.Revision))!.Value.Document;
        for (; ask.At < ReadingKind.All.Count; ask.At++)
        {
            if (Gone())
            {
                return false;
            }
            ReadingKind kind = ReadingKind.All[ask.At];
            string key = kind.Key(document);
            if (_failed.ContainsKey(key) || (await results.Read([key]))[0] is not null)
            {
                continue;
            }
            ask.Reading = kind.Blank.Name;
            try
            {
                Reading taken = kind.Take(engine, document, left.Token);
                await results.Write(key, JsonSerializer.Serialize(taken, ShotJson.Options));
            }
            catch (Exception e) when (e is not (OperationCanceledException or Npgsql.NpgsqlException))
            {
                // One that fails leaves the others to be measured; it says so in its place.
                log.LogError(e, "reading {Reading} of shot {Shot} revision {Revision} failed", kind.Blank.Id, ask.Shot, ask.Revision);
                _failed[key] = kind.Blank with { Note = "it could not be measured; the server's log has the details" };
            }
            ask.At++;
            return true;
        }
        return false;
    }
}
