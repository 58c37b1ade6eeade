using System.Text.Json;
using Hangfire;
using Microsoft.Extensions.Logging;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

public sealed record FillParameters(int Revision, string Who, int Frame, string? Camera, string Matte, FillHow How, bool MeetsRim = false);

public sealed record BakeParameters(int Revision, string Who, string[] Pieces, int Frame, double? TexelMillimetres, bool Keep);

public sealed record ElsewhereParameters(int Revision, string Who, int First, int Last, OtherView View);

public sealed record DepthParameters(int Revision, string Who, int First, int Last, int Every);

/// <summary>Long work on the set and its footage, in the tray.</summary>
public sealed class SetJobs(JobStore jobs, ShotStore shots, MediaStore media, ShotEngine engine, FillWork fill, BakeWork bake, ILogger<SetJobs> log) : TrayJobs(jobs, shots, log)
{
    [AutomaticRetry(Attempts = 0)]
    public Task Fill(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<FillParameters>(job.Parameters, ShotJson.Options)!;
        ProjectionSource made = fill.Fill(await Document(job, p.Revision), p.Frame, p.Camera, p.Matte, p.How, stop, progress);
        // Before the others: what it shows goes over them.
        await Lay(job.ShotId, p.Who, $"Filled {p.Frame}", d => d with { Projections = [made with { Id = NewId(d) }, .. d.Projections] });
        return new(made.MadeBy);
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Bake(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<BakeParameters>(job.Parameters, ShotJson.Options)!;
        var (baked, files) = bake.Bake(await Document(job, p.Revision), p.Pieces, p.Frame, p.TexelMillimetres, FrameWorker.FolderOf(id), stop, progress);
        if (p.Keep) { await Lay(job.ShotId, p.Who, $"Baked {baked.Count} pieces", d => d with { Pieces = [.. d.Pieces.Select(q => baked.TryGetValue(q.Id, out BakedFootage? own) ? q with { Baked = own } : q)] }); }
        return new($"{baked.Count} pieces, {baked.Values.Sum(b => b.Tiles.Count)} textures", Files: files);
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Elsewhere(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<ElsewhereParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        var files = new List<string>();
        int count = p.Last - p.First + 1;
        for (int frame = p.First; frame <= p.Last; frame++)
        {
            if (stop.IsCancellationRequested) { return new($"stopped after {files.Count} of {count} frames; those are kept", "stopped", files); }
            int at = frame - p.First;
            try
            {
                var picture = ElsewhereWork.Frame(engine, document, p.View, frame, stop, part => progress($"frame {p.First + at}", (at + part) / count));
                files.Add(ElsewhereWork.Write(picture, FrameWorker.FolderOf(id), $"{document.Code}.{(p.View.Spot is null ? "elsewhere" : "sphere")}", frame));
            }
            catch (OperationCanceledException) when (files.Count > 0)
            {
                return new($"stopped after {files.Count} of {count} frames; those are kept", "stopped", files);
            }
        }
        return new($"{files.Count} frames", Files: files);
    });

    [AutomaticRetry(Attempts = 0)]
    public Task Depth(long id, CancellationToken shutdown) => Guarded(id, shutdown, async (job, stop, progress) =>
    {
        var p = JsonSerializer.Deserialize<DepthParameters>(job.Parameters, ShotJson.Options)!;
        ShotDocument document = await Document(job, p.Revision);
        int[] frames = [.. Enumerable.Range(p.First, p.Last - p.First + 1).Where(f => (f - p.First) % Math.Max(1, p.Every) == 0)];
        var made = new List<DepthFrame>();
        double given = 0;
        string? why = null;
        for (int k = 0; k < frames.Length && !stop.IsCancellationRequested; k++)
        {
            int at = k;
            try
            {
                DepthMap map = DepthWork.Map(frames[k], document.Range.First, document.Range.Last, f => engine.PlateCodes(document, f), f => CameraOrNull(document, f), stop, (what, part) => progress($"{frames[at]}: {what.ToLowerInvariant()}", (at + part) / frames.Length));
                made.Add(new(frames[k], media.Write(DepthFile.Write(map))));
                given += (double)map.Depth.Count(float.IsFinite) / map.Depth.Length;
            }
            catch (ShotFault e) when (frames.Length > 1) { why ??= e.Message; }
            catch (OperationCanceledException) when (made.Count > 0) { break; }
        }
        if (made.Count == 0) { throw new ShotFault(why ?? "It was stopped before a frame was done."); }
        await Lay(job.ShotId, p.Who, made.Count == 1 ? $"Depth of {made[0].Frame}" : $"Depth of {made.Count} frames", d => d with
        {
            Depth = (d.Depth ?? new()) with { Frames = [.. (d.Depth?.Frames ?? []).Where(f => made.All(m => m.Frame != f.Frame)).Concat(made).OrderBy(f => f.Frame)] },
        });
        return new($"{made.Count} of {frames.Length} frames, {100 * given / made.Count:0} % of each{(why is null ? "" : $"; {why}")}", made.Count == frames.Length || !stop.IsCancellationRequested ? "done" : "stopped");
    });

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

    public static string NewId(ShotDocument shot)
    {
        int k = 1;
        while (shot.Projections.Any(p => p.Id == $"projection_{k}")) { k++; }
        return $"projection_{k}";
    }
}
