using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record TrackParameters(int Revision, string Who, int Count, double Distance);

public sealed record SolveParameters(int Revision, string Who);

public sealed record ThingParameters(int Revision, string Who, string Thing);

/// <summary>
/// Tracking and solving in the tray. What they find is laid on the shot as it is when they end, as one revision of its own.
/// </summary>
public sealed class CameraJobs(ShotStore shots, MediaStore media, ShotEngine engine, TrackWork work, MovingWork moving, GrainWork grain)
    : TrayJobs(shots)
{
    public override IReadOnlyList<JobKind> Kinds =>
        [new("track", Track), new("solve", Solve), new("grain", GrainFree), new("thing", Thing)];

    private async Task<JobEnd> Track(JobRun job)
    {
        var p = job.Asked<TrackParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var (tracks, whole) = work.Follow(document, new() { Count = p.Count, Distance = p.Distance }, job.Stop, job.Progress);
        if (tracks.Count == 0)
        {
            throw new ShotFault(
                whole
                    ? "Nothing was found to follow. The plate may have no texture, or the mattes may cover it."
                    : "It was stopped before anything was followed."
            );
        }
        string hash = media.Write(TrackFile.Write(tracks));
        await Lay(
            job,
            p.Who,
            $"{tracks.Count} tracks{(whole ? "" : ", stopped")}",
            d =>
                d with
                {
                    Tracks = new() { Media = hash, Count = tracks.Count },
                    Solving = d.Solving with { LeftOut = [] },
                },
            part: true
        );
        return new($"{tracks.Count} tracks{(whole ? "" : "; those are kept")}", whole ? "done" : "stopped");
    }

    private async Task<JobEnd> Solve(JobRun job)
    {
        var p = job.Asked<SolveParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        SolveResult result = work.Solve(document, job.Stop, job.Progress);
        if (!result.Solved)
        {
            throw new ShotFault($"{result.Reason} What was there before stays.");
        }
        string hash = media.Write(TrackFile.Write(result));
        string? told = null;
        await Lay(job, p.Who, $"Solved the camera, {result.RmsPx:0.000} px", d =>
        {
            // What is built already keeps its place on what was filmed.
            ShotDocument solved = TrackWork.With(d, result, hash);
            if (KeptPlace.Fit(engine, d, solved.Camera!) is not { } fit)
            {
                return solved;
            }
            (bool laid, told) = KeptPlace.Judge(d, fit);
            return laid ? TrackWork.With(d, result, hash, fit.NewToOld) : solved;
        });
        return new($"{result.RmsPx:0.000} px, {result.TracksUsed} tracks{(told is null ? "" : $". {told}")}");
    }

    private async Task<JobEnd> GrainFree(JobRun job)
    {
        var p = job.Asked<SolveParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        GrainFreeCopy copy = grain.Make(document, job.Stop, job.Progress);
        // A plate that was brought in anew meanwhile is another one.
        await Lay(job, p.Who, $"Grain-free copy, {copy.Frames.Count} frames", d =>
            d.Plate is { } plate && ReferenceEquals(document.Plate, plate) | plate.Frames.SequenceEqual(document.Plate!.Frames)
                ? d with
                {
                    Plate = plate with { GrainFree = copy },
                }
                : throw new ShotFault("The plate was changed meanwhile. Make the copy again.")
        );
        return new($"{copy.Frames.Count} frames; {100 * copy.NoiseLeft / copy.NoiseBefore:0} % of the grain is left");
    }

    private async Task<JobEnd> Thing(JobRun job)
    {
        var p = job.Asked<ThingParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        bool held = MovingWork.Need(document, p.Thing).Media is not null;
        MovingObject found = held
            ? moving.Follow(document, p.Thing, job.Stop, job.Progress)
            : moving.Solve(document, p.Thing, job.Stop, job.Progress);
        await Lay(job, p.Who, held ? $"Followed {found.Name}" : $"Solved {found.Name}, {found.RmsPx:0.00} px", d =>
            d with
            {
                MovingObjects =
                [
                    .. d.MovingObjects.Select(o =>
                        o.Id == p.Thing
                            ? o with
                            {
                                Frames = found.Frames,
                                RmsPx = found.RmsPx,
                                SizeBy = found.SizeBy,
                                SizeDoubt = found.SizeDoubt,
                                Warnings = found.Warnings,
                            }
                            : o
                    ),
                ],
            }
        );
        return new($"{found.Name}: {found.Frames.Count} frames{(found.Warnings.Count > 0 ? $"; {found.Warnings[0]}" : "")}");
    }
}
