using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Sequences;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

/// <summary>
/// A delivery to be brought in: files that were sent (in a folder of <see cref="PlateJobs.Incoming"/>) or a folder of the server, and what
/// the artist says of them.
/// </summary>
public sealed record PlateParameters(
    string Who,
    string Folder,
    IReadOnlyList<string> Files,
    string Name,
    int? First,
    FrameRate Rate,
    ColorEncoding? Encoding,
    string? Primaries,
    double SensorWidthMm,
    double SensorHeightMm,
    double? FocalMm
)
{
    /// <summary>The files are ours, and go when they have been brought in.</summary>
    public bool Sent { get; init; }

    /// <summary>They stand for the plate that is there: all that lies on it keeps its place.</summary>
    public bool Keeps { get; init; }
}

/// <summary>What comes in takes long: every frame is decoded whole.</summary>
public sealed class PlateJobs(ShotStore shots, MediaStore media) : TrayJobs(shots)
{
    public override IReadOnlyList<JobKind> Kinds => [new("plate", In)];

    /// <summary>Where what is sent lies until it has been brought in.</summary>
    public static string Incoming => Path.GetFullPath(Path.Combine(Settings.DataRoot, "incoming"));

    /// <summary>A file of a delivery lies there by its number; its name is told apart.</summary>
    public static string PathOf(PlateParameters p, int index) => Path.Combine(p.Folder, p.Sent ? $"{index:000000}" : p.Files[index]);

    private async Task<JobEnd> In(JobRun job)
    {
        var p = job.Asked<PlateParameters>();
        bool over = false;
        try
        {
            JobEnd end = await Taken(job, p);
            over = true;
            return end;
        }
        catch (Exception e) when (e is OperationCanceledException || Endings.InWords(e) is not null)
        {
            // Stopped by hand or refused: it is not taken up again. When the process ends it is.
            over = !job.ProcessEnds;
            throw;
        }
        finally
        {
            if (over && p.Sent && Directory.Exists(p.Folder))
            {
                Directory.Delete(p.Folder, recursive: true);
            }
        }
    }

    private async Task<JobEnd> Taken(JobRun job, PlateParameters p)
    {
        IReadOnlyList<DeliveredFile> files =
        [
            .. p.Files.Select((name, i) => new DeliveredFile(name, () => File.ReadAllBytes(PathOf(p, i)))),
        ];
        FrameRate rate = p.Rate;
        var found = new List<string>();
        string? decoded = null;
        try
        {
            double share = 0;
            if (files is [var only] && VideoFile.Extensions.Contains(Path.GetExtension(only.Name).ToLowerInvariant()))
            {
                job.Progress("decoding the video", 0);
                decoded = Path.Combine(Incoming, $"video-{Guid.NewGuid():N}");
                VideoFrames video = VideoFile.Decode(PathOf(p, 0), p.Name, decoded, p.First ?? 1001, job.Stop);
                (rate, share) = (video.Rate, 0.4);
                found.AddRange(video.Notes);
                files = [.. video.Files.Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f)))];
            }
            var frames = new List<PlateFrame>();
            PlateCheckResult check = PlateCheck.Check(
                files,
                p.First,
                (f, bytes) =>
                {
                    frames.Add(new(f.Frame, f.File, media.Write(bytes)));
                    job.Progress($"keeping frame {f.Frame}", share + (1 - share) * (0.8 + 0.2 * frames.Count / files.Count));
                },
                (done, of) => job.Progress($"looking at file {done} of {of}", share + (1 - share) * 0.8 * done / of),
                job.Stop
            );
            if (frames.Count == 0)
            {
                throw new ShotFault(
                    "No frame could be taken. " + string.Join(" ", check.Faults.Take(4).Select(f => $"{f.Message}. {f.Mend}"))
                );
            }
            PlateSource plate = Source(p, check, frames, rate, found);
            int shotFirst = p.First ?? check.First!.Value;
            await Lay(job, p.Who, p.Keeps ? $"Newer plate: {frames.Count} frames" : $"Plate in: {frames.Count} frames", d =>
                p.Keeps && d.Plate is not null
                    ? Newer(d, plate, p.First, found)
                    : d with
                    {
                        Plate = plate,
                        Rate = rate,
                        Range = new(shotFirst, shotFirst + (check.Last!.Value - check.First!.Value)),
                        Cut = null,
                    }
            );
            IReadOnlyList<string> notes =
            [
                .. found,
                .. check.Note is { } note ? [$"The frames: {note}."] : Array.Empty<string>(),
                .. check.Faults.Select(f => $"{f.Message}. {f.Mend}"),
            ];
            return new(
                $"{frames.Count} frames{(check.Faults.Count > 0 ? $"; {check.Faults.Count} things are wrong with the delivery" : "")}",
                Output: notes
            );
        }
        finally
        {
            if (decoded is not null && Directory.Exists(decoded))
            {
                Directory.Delete(decoded, recursive: true);
            }
        }
    }

    /// <summary>A newer delivery in the old one's place.</summary>
    private ShotDocument Newer(ShotDocument shot, PlateSource plate, int? first, List<string> found)
    {
        PlateSource old = shot.Plate!;
        if (NewerPlate.Fault(old, plate) is { } fault)
        {
            throw new ShotFault(fault);
        }
        int least = plate.Frames.Min(f => f.Frame);
        FrameMapping mapping =
            first is { } typed && typed != shot.Range.First ? new(least, typed) : NewerPlate.Mapping(old, plate, shot.Range, shot.Rate);
        ShotDocument laid = NewerPlate.Lay(shot, plate with { Mapping = mapping, FocalMm = plate.FocalMm ?? old.FocalMm });
        double by = (double)plate.Width / old.Width;
        if (by != 1 && shot.Tracks is { } tracks)
        {
            double down = (double)plate.Height / old.Height;
            laid = laid with { Tracks = tracks with { Media = media.Write(TrackFile.Sized(media.Read(tracks.Media), by, down)) } };
        }
        int whole = Enumerable.Range(shot.Range.First, shot.Range.Count).Count(laid.Range.Contains);
        found.Add(
            $"Shot frames {laid.Range.First} to {laid.Range.Last} show its frames {least} to {plate.Frames.Max(f => f.Frame)}; "
                + $"what was there before was {shot.Range.First} to {shot.Range.Last}."
                + (by == 1 ? "" : $" It is {by:0.###} times as wide: all that is drawn on the plate goes to its size.")
                + (whole < shot.Range.Count ? $" {shot.Range.Count - whole} frames that the shot had are not in it." : "")
        );
        if (old.GrainFree is not null)
        {
            found.Add("The grain-free copy was of the old plate: make it again.");
        }
        if (shot.CleanPlate.Frames.Count > 0)
        {
            found.Add("The clean plate was of the old plate: make it again at step 4.");
        }
        return laid;
    }

    private static PlateSource Source(
        PlateParameters p,
        PlateCheckResult check,
        IReadOnlyList<PlateFrame> frames,
        FrameRate rate,
        List<string> found
    )
    {
        // What the file itself tells came into the working primaries; else the artist says, else a header.
        ColorEncoding taken = check.Encoding ?? p.Encoding ?? check.Says ?? ColorEncoding.Srgb;
        ColorSpace space =
            check.Encoding is not null ? taken
            : p.Primaries is null ? ColorSpace.Usual(taken)
            : new(taken, Primaries.Named(p.Primaries)!);
        bool isLog = taken is ColorEncoding.PrintingDensity or ColorEncoding.AcesCct;
        if (check.Encoding is null && check.Says is { } says && says != taken && !(says == ColorEncoding.PrintingDensity && isLog))
        {
            found.Add(
                $"Their headers say {ColorEncodings.NameOf(says)}, and they are taken as {space.Name}. If the headers are right, bring "
                    + $"them in with “Codes stand for” set to {ColorEncodings.NameOf(says)}."
            );
        }
        CheckedFrame one = check.Frames[0];
        return new()
        {
            Name = p.Name,
            Rate = rate,
            Mapping = new(check.First!.Value, p.First ?? check.First!.Value),
            Width = one.Width,
            Height = one.Height,
            Bits = one.Bits,
            Encoding = taken,
            Primaries = space.PrimariesKey,
            Timecode = check.Timecode,
            Clip = check.Clip,
            SensorWidthMm = p.SensorWidthMm,
            SensorHeightMm = p.SensorHeightMm,
            FocalMm = p.FocalMm,
            Frames = frames,
            Faults = check.Faults,
        };
    }
}
