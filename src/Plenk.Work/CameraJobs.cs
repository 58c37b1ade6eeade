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
public sealed class CameraJobs(JobStore jobs, ShotStore shots, MediaStore media, TrackWork work, MovingWork moving, GrainWork grain, ILogger<CameraJobs> log) : TrayJobs(jobs, shots, log)
{
    [AutomaticRetry(Attempts = 0)]
    public Task Track(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<TrackParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        var (tracks, whole) = work.Follow(document, new() { Count = p.Count, Distance = p.Distance }, stop, progress);
        if (tracks.Count == 0) { throw new ShotFault(whole ? "Nothing was found to follow. The plate may have no texture, or the mattes may cover it." : "It was stopped before anything was followed."); }
        string hash = media.Write(TrackFile.Write(tracks));
        await Lay(job.ShotId, p.Who, $"{tracks.Count} tracks{(whole ? "" : ", stopped")}", d => d with { Tracks = new() { Media = hash, Count = tracks.Count }, Solving = d.Solving with { LeftOut = [] } });
        return new($"{tracks.Count} tracks{(whole ? "" : "; those are kept")}", whole ? "done" : "stopped");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Solve(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<SolveParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        SolveResult result = work.Solve(document, stop, progress);
        if (!result.Solved) { throw new ShotFault($"{result.Reason}{(document.Camera is null ? "" : " The camera that was there stays.")}"); }
        string hash = media.Write(TrackFile.Write(result));
        await Lay(job.ShotId, p.Who, $"Solved the camera, {result.RmsPx:0.000} px", d => TrackWork.With(d, result, hash));
        return new($"{result.RmsPx:0.000} px, {result.TracksUsed} tracks");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task GrainFree(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<SolveParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        GrainFreeCopy copy = grain.Make(document, stop, progress);
        // A plate that was brought in anew meanwhile is another one.
        await Lay(job.ShotId, p.Who, $"Grain-free copy, {copy.Frames.Count} frames", d => d.Plate is { } plate && ReferenceEquals(document.Plate, plate) | plate.Frames.SequenceEqual(document.Plate!.Frames) ? d with { Plate = plate with { GrainFree = copy } } : throw new ShotFault("The plate was changed meanwhile. Make the copy again."));
        return new($"{copy.Frames.Count} frames; {100 * copy.NoiseLeft / copy.NoiseBefore:0} % of the grain is left");
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Thing(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<ThingParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        bool held = MovingWork.Need(document, p.Thing).Media is not null;
        MovingObject found = held ? moving.Follow(document, p.Thing, stop, progress) : moving.Solve(document, p.Thing, stop, progress);
        await Lay(job.ShotId, p.Who, held ? $"Followed {found.Name}" : $"Solved {found.Name}, {found.RmsPx:0.00} px", d => d with
        {
            MovingObjects = [.. d.MovingObjects.Select(o => o.Id == p.Thing ? o with { Frames = found.Frames, RmsPx = found.RmsPx, SizeBy = found.SizeBy, SizeDoubt = found.SizeDoubt, Warnings = found.Warnings } : o)],
        });
        return new($"{found.Name}: {found.Frames.Count} frames{(found.Warnings.Count > 0 ? $"; {found.Warnings[0]}" : "")}");
    });
}
