using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Outlines;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record MatteParameters(int Revision, string Who, string Matte, int Frame);

/// <summary>Long work on mattes, in the tray: a plane followed, a matte frozen.</summary>
public sealed class MatteJobs(ShotStore shots, MediaStore media, ShotEngine engine) : TrayJobs(shots)
{
    public override IReadOnlyList<JobKind> Kinds =>
        [new("matte-follow", Follow), new("matte-outline", FollowOutline), new("matte-freeze", Freeze), new("matte-cut", Cut)];

    private async Task<JobEnd> Cut(JobRun job)
    {
        var p = job.Asked<MatteParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var (card, told) = CutOut.Of(engine, media, document, p.Matte, p.Frame, job.Stop, job.Progress);
        await Lay(job, p.Who, $"{card.Name}, as a card", d =>
            d with
            {
                Elements = [.. d.Elements, card with { Id = FreeId.Of(d.Elements.Select(e => e.Id), "cut_out") }],
            }
        );
        return new(told);
    }

    private async Task<JobEnd> FollowOutline(JobRun job)
    {
        var p = job.Asked<MatteParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        (Matte found, string told) = Outlined(engine, document, p.Matte, job.Stop, part => job.Progress("following the outline", part));
        await Lay(job, p.Who, $"{found.Name} follows the picture", d =>
            d with
            {
                // What else was changed of it meanwhile stays.
                Mattes =
                [
                    .. d.Mattes.Select(m => m.Id == p.Matte ? m with { Keys = found.Keys, Followed = found.Followed, Motion = null } : m),
                ],
            }
        );
        return new(told);
    }

    /// <summary>A point of a followed outline may be so far off between keys, pixels of a plate 640 wide.</summary>
    private const double BetweenKeys = 0.6;

    /// <summary>A drawn matte over the shot's range, from the keys that were drawn; and what is to be said of it.</summary>
    public static (Matte Matte, string Told) Outlined(
        ShotEngine engine,
        ShotDocument shot,
        string matte,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        Matte own = MatteWork.Of(shot, matte);
        int width = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        MatteKey[] drawn = [.. own.Keys.Where(k => !k.Found && k.Frame >= shot.Range.First && k.Frame <= shot.Range.Last)];
        if (own.Kind != MatteKind.Drawn || drawn.Length == 0)
        {
            throw new ShotFault(
                $"{own.Name} has no outline that was drawn within {shot.Range.First}–{shot.Range.Last}. Draw it in one of these frames."
            );
        }
        int wide = Math.Min(width, OutlineFollower.WidestPixels);
        double by = (double)wide / width;
        var (small, fit) = OutlineWork.Follow(
            f => engine.Plates.QuietPlate(shot, f, wide),
            [.. drawn.Select(k => (k.Frame, MatteShape.CurveAt(own, k.Frame)!.Sized(by)))],
            shot.Range.First,
            shot.Range.Last,
            null,
            own.WidthPixels * by,
            Place(engine, shot),
            progress,
            stop
        );
        IReadOnlyList<FollowedOutline> found = OutlineWork.Sized(small, 1 / by);
        int[] frames = [.. drawn.Select(k => k.Frame)];
        IReadOnlyList<int> needed = OutlinePoints.Needed(found, frames, BetweenKeys * Math.Max(1, width / 640.0));
        FollowedOutline[] followed = [.. found.Where(f => !frames.Contains(f.Frame))];
        FollowedOutline? worst = followed.MinBy(f => f.Confidence);
        return (
            own with
            {
                Motion = null,
                Keys =
                [
                    .. found
                        .Where(f => needed.Contains(f.Frame))
                        .Select(f => MatteShape.KeyOf(f.Frame, f.Curve, drawn[0]) with { Found = !frames.Contains(f.Frame) }),
                ],
                Followed = [.. followed.Select(f => new FollowedFrame(f.Frame, Math.Round(f.Confidence, 3), Math.Round(f.DriftPixels, 2)))],
            },
            worst is null
                ? "nothing to follow"
                : FormattableString.Invariant(
                    $"{followed.Length} frames, {needed.Count} keys; least sure at {worst.Frame} ({100 * worst.Confidence:0} %)"
                ) + (fit is null ? "" : $"; followed {OutlineWork.Told(fit)}")
        );
    }

    /// <summary>What was filmed and stands still, before the camera that filmed it; null: there is no camera, or nothing is built.</summary>
    private static FilmedPlace? Place(ShotEngine engine, ShotDocument shot)
    {
        ShotDocument filmed = Reduced.Filmed(shot);
        Piece[] still =
        [
            .. filmed.Pieces.Where(p =>
                p is { Off: false, HangsOn: null, Figure: null, Shake: null, GoneFrom: null }
                && !filmed.Curves.Any(c => c.Id.StartsWith($"{ShotCurves.PlaceOf("pieces", p.Id)}/", StringComparison.Ordinal))
            ),
        ];
        return ShotCamera.Of(shot) is { } camera && still.Length > 0
            ? new(engine.Place.Set(filmed with { Pieces = still }).Scene, f =>
                camera.TryAt(f, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null
            )
            : null;
    }

    private async Task<JobEnd> Follow(JobRun job)
    {
        var p = job.Asked<MatteParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        var (motion, told) = Followed(engine, document, p.Matte, p.Frame, job.Stop, part => job.Progress("following the plane", part));
        // Keys stay where they were drawn; what they correct is now carried along.
        await Lay(job, p.Who, $"{MatteWork.Of(document, p.Matte).Name} follows its plane", d =>
            d with
            {
                Mattes = [.. d.Mattes.Select(m => m.Id == p.Matte ? m with { Motion = motion } : m)],
            }
        );
        return new(told);
    }

    /// <summary>The motion of the plane inside a drawn matte as it is at a frame, and what is to be said of it.</summary>
    public static (MatteMotion Motion, string Told) Followed(
        ShotEngine engine,
        ShotDocument shot,
        string matte,
        int frame,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        Matte own = MatteWork.Of(shot, matte);
        if (own.Kind != MatteKind.Drawn || own.Keys.Count == 0)
        {
            throw new ShotFault($"{own.Name} is no drawn shape: only what lies inside an outline can be followed.");
        }
        double[] outline = MatteShape.At(own, frame);
        PlaneMotion found = PlaneFollower.Follow(
            outline,
            frame,
            shot.Range.First,
            shot.Range.Last,
            f => engine.TrackWork.Picture(shot, f).Levels[0],
            stop,
            progress
        );
        if (found.Steps.Count < 2)
        {
            throw new ShotFault(
                $"{own.Name} cannot be followed from {frame}: {found.EndedAfter ?? found.EndedBefore}. Draw it around something flat "
                    + "with texture, or let it go with a track."
            );
        }
        string told =
            $"{found.Steps[0].Frame}–{found.Steps[^1].Frame}{(found.EndedBefore is { } before ? $"; no earlier, for {before}" : "")}{(found.EndedAfter is { } after ? $"; no later, for {after}" : "")}";
        return (new(frame, found.Steps, "the plane inside it"), told);
    }

    private async Task<JobEnd> Freeze(JobRun job)
    {
        var p = job.Asked<MatteParameters>();
        ShotDocument document = await Document(job.Row, p.Revision);
        FrameSource frozen = Frozen(engine, media, document, p.Matte, job.Stop, job.Progress);
        await Lay(job, p.Who, $"Froze {MatteWork.Of(document, p.Matte).Name}", d =>
            d with
            {
                Mattes = [.. d.Mattes.Select(m => m.Id == p.Matte ? m with { Frozen = frozen } : m)],
            }
        );
        return new($"{frozen.Frames.Count} frames");
    }

    /// <summary>A matte's pictures over the shot's range, 16 bits.</summary>
    public static FrameSource Frozen(
        ShotEngine engine,
        MediaStore media,
        ShotDocument shot,
        string matte,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        int width = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            height = shot.Plate.Height;
        var frames = new List<PlateFrame>();
        for (int f = shot.Range.First; f <= shot.Range.Last; f++)
        {
            stop.ThrowIfCancellationRequested();
            float[] coverage = engine.Mattes.Coverage(shot, matte, f, width, height);
            frames.Add(
                new(
                    f,
                    $"{matte}.{f:0000}.png",
                    media.Write(
                        RasterFile.ToPng(
                            new CodeImage(width, height, 1, 16, [.. coverage.Select(v => (ushort)Math.Round(65535 * Math.Clamp(v, 0, 1)))])
                        )
                    )
                )
            );
            progress?.Invoke($"frame {f}", (double)(f - shot.Range.First + 1) / shot.Range.Count);
        }
        return new()
        {
            Frames = frames,
            Rate = shot.Rate,
            Mapping = new(shot.Range.First, shot.Range.First),
            Encoding = ColorEncoding.Linear,
        };
    }
}
