using Plenk.Core.Edits;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record FillParameters(int Revision, string Who, int Frame, string? Camera, string Matte, FillHow How, bool MeetsRim = false);

public sealed record BakeParameters(int Revision, string Who, string[] Pieces, int Frame, double? TexelMillimetres, bool Keep);

public sealed record CleanParameters(int Revision, string Who, int First, int Last);

public sealed record ElsewhereParameters(int Revision, string Who, int First, int Last, OtherView View);

/// <param name="Code">Of the shot that comes of it.</param>
public sealed record ReshootParameters(int Revision, string Who, int First, int Last, OtherView View, string Code);

public sealed record DepthParameters(int Revision, string Who, int First, int Last, int Every);

/// <summary>Long work on the set and its footage, in the tray.</summary>
public sealed class SetJobs(ShotStore shots, MediaStore media, ShotEngine engine, FillWork fill, BakeWork bake) : TrayJobs(shots)
{
    public override IReadOnlyList<JobKind> Kinds =>
        [
            new("fill", Fill),
            new("clean-plate", Clean),
            new("bake", Bake),
            new("elsewhere", Elsewhere),
            new("reshoot", Again),
            new("depth", Depth),
        ];

    private async Task<JobEnd> Fill(JobRun job)
    {
        var p = job.Asked<FillParameters>();
        ProjectionSource made = fill.Fill(await Document(job.Row, p.Revision), p.Frame, p.Camera, p.Matte, p.How, job.Stop, job.Progress);
        // Before the others: what it shows goes over them.
        await Lay(job, p.Who, $"Filled {p.Frame}", d => d with { Projections = [made with { Id = NewId(d) }, .. d.Projections] });
        return new(made.MadeBy);
    }

    private async Task<JobEnd> Clean(JobRun job)
    {
        var p = job.Asked<CleanParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        int[] frames = [.. Enumerable.Range(p.First, p.Last - p.First + 1)];
        var made = new List<CleanPlateFrame>();
        var told = new List<string>();
        try
        {
            engine.Clean.Make(document, frames, media, made.Add, told, job.Stop, job.Progress);
        }
        catch (OperationCanceledException) when (made.Count > 0)
        {
            // What is done is whole.
        }
        await Lay(
            job,
            p.Who,
            made.Count == 1 ? $"Clean plate of {made[0].Frame}" : $"Clean plate, {made.Count} frames",
            d =>
                d with
                {
                    CleanPlate = d.CleanPlate with
                    {
                        Frames = [.. d.CleanPlate.Frames.Where(f => made.All(m => m.Frame != f.Frame)).Concat(made).OrderBy(f => f.Frame)],
                        Told = told,
                    },
                },
            part: true
        );
        double masked = Math.Max(1, made.Sum(f => (double)f.Masked));
        string shares = string.Create(
            System.Globalization.CultureInfo.InvariantCulture,
            $"{100 * made.Sum(f => f.Taken * f.Masked) / masked:0.#} % from other frames, {100 * made.Sum(f => f.Filled * f.Masked) / masked:0.#} % filled"
        );
        return made.Count == frames.Length
            ? new($"{made.Count} frames; {shares}")
            : new($"stopped after {made.Count} of {frames.Length} frames; those are kept", "stopped");
    }

    private async Task<JobEnd> Bake(JobRun job)
    {
        var p = job.Asked<BakeParameters>();
        var (baked, files) = bake.Bake(
            await Document(job.Row, p.Revision),
            p.Pieces,
            p.Frame,
            p.TexelMillimetres,
            FrameWorker.FolderOf(job.Row.Id),
            job.Stop,
            job.Progress
        );
        if (p.Keep)
        {
            await Lay(job, p.Who, $"Baked {baked.Count} pieces", d =>
                d with
                {
                    Pieces = [.. d.Pieces.Select(q => baked.TryGetValue(q.Id, out BakedFootage? own) ? q with { Baked = own } : q)],
                }
            );
        }
        return new($"{baked.Count} pieces, {baked.Values.Sum(b => b.Tiles.Count)} textures", Output: files);
    }

    private async Task<JobEnd> Elsewhere(JobRun job)
    {
        var p = job.Asked<ElsewhereParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var files = new List<string>();
        int count = p.Last - p.First + 1;
        for (int frame = p.First; frame <= p.Last; frame++)
        {
            if (job.Stop.IsCancellationRequested)
            {
                return new($"stopped after {files.Count} of {count} frames; those are kept", "stopped", files);
            }
            int at = frame - p.First;
            try
            {
                var picture = ElsewhereWork.Frame(engine, document, p.View, frame, job.Stop, part =>
                    job.Progress($"frame {p.First + at}", (at + part) / count)
                );
                files.Add(
                    ElsewhereWork.Write(
                        picture,
                        FrameWorker.FolderOf(job.Row.Id),
                        $"{document.Code}.{(p.View.Spot is null ? "elsewhere" : "sphere")}",
                        frame
                    )
                );
            }
            catch (OperationCanceledException) when (files.Count > 0)
            {
                return new($"stopped after {files.Count} of {count} frames; those are kept", "stopped", files);
            }
        }
        return new($"{files.Count} frames", Output: files);
    }

    private async Task<JobEnd> Again(JobRun job)
    {
        var p = job.Asked<ReshootParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var frames = new List<PlateFrame>();
        int count = p.Last - p.First + 1;
        for (int frame = p.First; frame <= p.Last; frame++)
        {
            int at = frame - p.First;
            job.Stop.ThrowIfCancellationRequested();
            frames.Add(
                Reshoot.Frame(engine, media, document, p.View, p.Code, frame, job.Stop, part =>
                    job.Progress($"frame {p.First + at}", (at + part) / count)
                )
            );
        }
        ShotDocument made = Reshoot.Document(engine, document, p.View, p.Code, frames, out IReadOnlyList<string> told);
        // What was changed in the place meanwhile stands in it too.
        ShotDocument newest = await Newest(job.Row);
        made = made with { SharesPlace = newest.SharesPlace ?? newest.Code };
        made = SharedPlace.Follow(document, Reduced.Seen(newest), made) ?? made;
        ShotRow row = await Begin(made, p.Who, $"From {document.Code}, seen from elsewhere");
        if (newest.SharesPlace is null)
        {
            await Lay(job, p.Who, $"Its place shared with {row.Code}", d => d with { SharesPlace = d.SharesPlace ?? made.SharesPlace });
        }
        return new(string.Join("; ", [$"{row.Code}, {frames.Count} frames", .. told]));
    }

    private async Task<JobEnd> Depth(JobRun job)
    {
        var p = job.Asked<DepthParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        int[] frames = [.. Enumerable.Range(p.First, p.Last - p.First + 1).Where(f => (f - p.First) % Math.Max(1, p.Every) == 0)];
        var made = new List<DepthFrame>();
        double given = 0;
        string? why = null;
        for (int k = 0; k < frames.Length && !job.Stop.IsCancellationRequested; k++)
        {
            int at = k;
            try
            {
                DepthMap map = DepthWork.Map(
                    frames[k],
                    document.Range.First,
                    document.Range.Last,
                    f => engine.Plates.PlateCodes(document, f),
                    f => CameraOrNull(document, f),
                    job.Stop,
                    (what, part) => job.Progress($"{frames[at]}: {what.ToLowerInvariant()}", (at + part) / frames.Length)
                );
                made.Add(new(frames[k], media.Write(DepthFile.Write(map))));
                given += (double)map.Depth.Count(float.IsFinite) / map.Depth.Length;
            }
            catch (ShotFault e) when (frames.Length > 1)
            {
                why ??= e.Message;
            }
            catch (OperationCanceledException) when (made.Count > 0)
            {
                break;
            }
        }
        if (made.Count == 0)
        {
            throw new ShotFault(why ?? "It was stopped before a frame was done.");
        }
        await Lay(
            job,
            p.Who,
            made.Count == 1 ? $"Depth of {made[0].Frame}" : $"Depth of {made.Count} frames",
            d =>
                d with
                {
                    Depth = (d.Depth ?? new()) with
                    {
                        Frames =
                        [
                            .. (d.Depth?.Frames ?? []).Where(f => made.All(m => m.Frame != f.Frame)).Concat(made).OrderBy(f => f.Frame),
                        ],
                    },
                },
            part: true
        );
        return new(
            $"{made.Count} of {frames.Length} frames, {100 * given / made.Count:0} % of each{(why is null ? "" : $"; {why}")}",
            made.Count == frames.Length || !job.Stop.IsCancellationRequested ? "done" : "stopped"
        );
    }

    private (Core.Geometry.Pose, Core.Cameras.Pinhole)? CameraOrNull(ShotDocument shot, int frame)
    {
        try
        {
            return engine.Camera(shot, frame);
        }
        catch (ShotFault)
        {
            return null;
        }
    }

    public static string NewId(ShotDocument shot) => FreeId.Of(shot.Projections.Select(p => p.Id), "projection");
}
