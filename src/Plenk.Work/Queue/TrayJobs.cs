using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>How a job of the tray ended: its message, and what it gives (files beside each other, or notes of what came in).</summary>
public sealed record JobEnd(string Message, string State = "done", object? Output = null);

/// <summary>A job that was taken: its row, and how it tells its progress (what it does, and the share that is done).</summary>
/// <param name="Stop">It is to stop; what it has may still be kept.</param>
/// <param name="Left">It did not, and has ended without it: nothing is kept any more.</param>
/// <param name="Shutdown">The process ends; another takes the job up again.</param>
public sealed record JobRun(
    JobRow Row,
    CancellationToken Stop,
    CancellationToken Left,
    CancellationToken Shutdown,
    Action<string, double> Progress
)
{
    public bool ProcessEnds => Shutdown.IsCancellationRequested;

    /// <summary>What was asked for.</summary>
    public T Asked<T>() => JsonSerializer.Deserialize<T>(Row.Parameters, ShotJson.Options)!;
}

/// <summary>A kind of job by its name, and what runs it.</summary>
public sealed record JobKind(string Name, Func<JobRun, Task<JobEnd>> Run);

/// <summary>
/// What jobs of the tray have in common: the document that they were asked on, and a change laid on the shot as it is when they end.
/// </summary>
public abstract class TrayJobs(ShotStore shots)
{
    /// <summary>In an explicit list: what the tray can run.</summary>
    public abstract IReadOnlyList<JobKind> Kinds { get; }

    /// <summary>The document that it was asked on, reduced to what its kind reads.</summary>
    protected async Task<ShotDocument> Document(JobRow job, int revision) =>
        Asking.Read(job.Kind, (await shots.Read(job.ShotId, revision))!.Value.Document);

    /// <summary>A shot of its own.</summary>
    /// <summary>The shot as it is now, whatever the job was asked on.</summary>
    protected async Task<ShotDocument> Newest(JobRow job) => (await shots.Read(job.ShotId))!.Value.Document;

    protected Task<ShotRow> Begin(ShotDocument made, string who, string what) => shots.Create(made, who, what);

    /// <summary>
    /// On top of whatever was changed meanwhile; nothing is laid once the job is to stop, but where a part of it is worth keeping.
    /// </summary>
    protected async Task<RevisionRow> Lay(JobRun job, string who, string what, Func<ShotDocument, ShotDocument> change, bool part = false)
    {
        for (int attempt = 0; ; attempt++)
        {
            var (document, revision) = (await shots.Read(job.Row.ShotId))!.Value;
            (part ? job.Left : job.Stop).ThrowIfCancellationRequested();
            try
            {
                return await shots.Save(job.Row.ShotId, revision.Number, change(document), who, what);
            }
            catch (ConflictException) when (attempt < 20)
            {
                // Somebody was quicker; once more on theirs.
            }
        }
    }
}
