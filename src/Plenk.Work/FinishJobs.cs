using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record FinishRangeParameters(int Revision);

/// <param name="Kind">Null: all that measuring can set.</param>
public sealed record BringParameters(int Revision, string Who, FinishKind? Kind, bool White);

/// <summary>Long work of step 7, in the tray.</summary>
public sealed class FinishJobs(ShotStore shots, ResultStore results, ShotEngine engine) : TrayJobs(shots)
{
    public override IReadOnlyList<JobKind> Kinds => [new("finish-range", Range), new("bring", Bring)];

    /// <summary>The readings of the finished frame over the range, kept in the place of those of one frame.</summary>
    private async Task<JobEnd> Range(JobRun job)
    {
        var p = job.Asked<FinishRangeParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var readings = ReadingKind.FinishOverRange(engine, document, job.Stop, job.Progress);
        foreach (var (key, reading) in readings)
        {
            await results.Replace(key, JsonSerializer.Serialize(reading, ShotJson.Options));
        }
        int outside = readings.Count(r => ReadingKind.Under(document, r.Reading).Verdict == Core.Readings.Verdict.Outside);
        return new(outside == 0 ? "no reading is outside" : $"{outside} of {readings.Count} readings are outside");
    }

    /// <summary>Kinds of step that measuring can set.</summary>
    public static bool CanBring(FinishKind kind) => Brought.Any(b => b.Kind == kind);

    private static readonly (FinishKind Kind, string Name)[] Brought =
    [
        (FinishKind.Levels, "Black level"),
        (FinishKind.EdgeWidth, "Edge width"),
        (FinishKind.Grain, "Grain"),
    ];

    /// <summary>Steps set by measuring, one after the other, each a change of its own: each is undone by itself.</summary>
    private async Task<JobEnd> Bring(JobRun job)
    {
        var p = job.Asked<BringParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var notes = new List<string>();
        var kinds = Brought.Where(k => p.Kind is null || k.Kind == p.Kind).ToArray();
        foreach (var (kind, name) in kinds)
        {
            job.Progress(name.ToLowerInvariant(), (double)notes.Count / kinds.Length);
            FinishWork.Brought made = engine.Finish.BringToPlate(document, kind, job.Stop, p.White);
            notes.AddRange(made.Notes);
            // The one that was set is the last; others of its kind are the artist's own.
            FinishStep? step = made.Finish.Steps.LastOrDefault(s => s.Kind == kind);
            bool same = document.Finish.Steps.SequenceEqual(made.Finish.Steps);
            document = document with { Finish = made.Finish };
            if (same)
            {
                continue;
            }
            await Lay(job, p.Who, $"{name} brought to the plate", d => d with { Finish = FinishWork.With(d.Finish, kind, step) });
        }
        return new(notes.Count == 1 ? notes[0] : "brought to the plate", Output: notes);
    }
}
