using System.Text.Json;
using Hangfire;
using Microsoft.Extensions.Logging;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

public sealed record FinishRangeParameters(int Revision);

/// <summary>Long work of step 7, in the tray.</summary>
public sealed class FinishJobs(JobStore jobs, ShotStore shots, ResultStore results, ShotEngine engine, ILogger<FinishJobs> log) : TrayJobs(jobs, shots, log)
{
    /// <summary>The readings of the finished frame over the range, kept in the place of those of one frame.</summary>
    [AutomaticRetry(Attempts = 0)]
    public Task Range(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<FinishRangeParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        var readings = ReadingKind.FinishOverRange(engine, document, stop, progress);
        foreach (var (key, reading) in readings) { await results.Replace(key, JsonSerializer.Serialize(reading, ShotJson.Options)); }
        int outside = readings.Count(r => ReadingKind.Under(document, r.Reading).Verdict == Core.Readings.Verdict.Outside);
        return new(outside == 0 ? "no reading is outside" : $"{outside} of {readings.Count} readings are outside");
    });
}
