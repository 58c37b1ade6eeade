using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;

namespace Plenk.Work;

public enum CameraMoves
{
    /// <summary>It changes its place: near things shift against far ones.</summary>
    Travels,

    /// <summary>It turns about one place, as on a tripod.</summary>
    Turns,
}

/// <summary>From the frames of a folder to tracks and a camera.</summary>
public static class SolveWork
{
    public sealed record Outcome(SolveResult Result, IReadOnlyList<Track> Tracks, int Width, int Height);

    /// <summary>The whole frames of a folder, numbered one after another.</summary>
    public static PlateCheckResult Frames(string plate, CancellationToken stop = default)
    {
        DeliveredFile[] files =
        [
            .. Directory.GetFiles(plate).Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f))),
        ];
        PlateCheckResult check = PlateCheck.Check(files, stop: stop);
        if (check.Frames.Count == 0)
        {
            throw new ShotFault(
                check.Faults.Count > 0
                    ? $"{check.Faults[0].Message}. {check.Faults[0].Mend}"
                    : $"{plate} holds no numbered PNG or JPEG frames."
            );
        }
        for (int i = 1; i < check.Frames.Count; i++)
        {
            if (check.Frames[i].Frame != check.Frames[i - 1].Frame + 1)
            {
                throw new ShotFault(
                    $"Frame {check.Frames[i - 1].Frame + 1} is missing or damaged: a camera is solved over frames without gaps. Bring it "
                        + "again, or solve the parts before and after it."
                );
            }
        }
        return check;
    }

    /// <summary>Follows features through a folder of frames.</summary>
    /// <param name="masks">Per frame a picture; null: none.</param>
    /// <param name="inside">Tracks live in the masks' white instead of outside it.</param>
    public static IReadOnlyList<Track> Follow(
        string plate,
        string? masks,
        PlateCheckResult check,
        TrackerSettings? tracking = null,
        bool inside = false,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        var (width, height) = (check.Frames[0].Width, check.Frames[0].Height);
        int first = check.Frames[0].Frame;
        return Follow(
            first,
            check.Frames[^1].Frame,
            f =>
            {
                string file = check.Frames[f - first].File;
                CodeImage picture = RasterFile.Read(FrameIntake.Take(File.ReadAllBytes(Path.Combine(plate, file)), file).Bytes, file);
                return GrayPyramid.Of(width, height, picture.Channels, picture.Bits, picture.Codes);
            },
            masks is null ? null : f => Allowed(masks, f, width, height, inside)!,
            tracking,
            stop,
            progress
        ).Tracks;
    }

    /// <summary>
    /// Forwards, finding features in the first, the middle and the last frame and wherever too few live; then backwards, so that
    /// what was found later reaches back to where it came into view. Stopped, it gives what it has.
    /// </summary>
    public static (IReadOnlyList<Track> Tracks, bool Whole) Follow(
        int first,
        int last,
        Func<int, GrayPyramid> picture,
        Func<int, Func<int, int, bool>?>? allowed,
        TrackerSettings? tracking,
        CancellationToken stop,
        Action<string, double>? progress,
        bool keepWhenStopped = false
    )
    {
        TrackerSettings settings = tracking ?? new();
        var forwards = new PointTracker(settings);
        int count = last - first + 1,
            done = 0;
        bool Stopped()
        {
            if (!keepWhenStopped)
            {
                stop.ThrowIfCancellationRequested();
            }
            return stop.IsCancellationRequested;
        }
        for (int f = first; f <= last && !Stopped(); f++)
        {
            forwards.Next(f, picture(f), allowed?.Invoke(f), findMore: f == first + count / 2 || f == last);
            done++;
            progress?.Invoke($"Tracking, {forwards.LiveCount} live at {f}", (double)done / (2 * count));
        }
        var backwards = new PointTracker(settings with { Count = 0 });
        ILookup<int, Track> from = forwards.Tracks.ToLookup(t => t.Points[0].Frame);
        for (int f = first + done - 1; f >= first && !Stopped(); f--)
        {
            if (from.Any(g => g.Key >= f && g.Key > first))
            {
                backwards.Next(f, picture(f), allowed?.Invoke(f));
            }
            if (f > first)
            {
                foreach (Track t in from[f])
                {
                    backwards.Seed(t, t.Points[0].X, t.Points[0].Y);
                }
            }
            progress?.Invoke($"Tracking backwards, {backwards.LiveCount} live at {f}", (double)(done + first + done - f) / (2 * count));
        }
        // What lives in one frame only says nothing.
        return ([.. forwards.Tracks.Where(t => t.Points.Count > 1)], !stop.IsCancellationRequested);
    }

    public static SolveResult Camera(
        CameraMoves moves,
        IReadOnlyList<Track> tracks,
        int first,
        int last,
        SolveSettings settings,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    ) =>
        moves == CameraMoves.Turns
            ? TurningSolver.Solve(tracks, first, last, settings, stop, progress)
            : CameraSolver.Travelling(tracks, first, last, settings, stop, progress);

    /// <summary>Tracks a folder of frames and solves its camera.</summary>
    public static Outcome Solve(
        string plate,
        string? masks,
        CameraMoves moves,
        Func<int, int, SolveSettings> settings,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        PlateCheckResult check = Frames(plate, stop);
        var (width, height) = (check.Frames[0].Width, check.Frames[0].Height);
        IReadOnlyList<Track> tracks = Follow(
            plate,
            masks,
            check,
            stop: stop,
            progress: progress is null ? null : (what, part) => progress(what, 0.6 * part)
        );
        SolveResult result = Camera(
            moves,
            tracks,
            check.Frames[0].Frame,
            check.Frames[^1].Frame,
            settings(width, height),
            stop,
            progress is null ? null : (what, part) => progress(what, 0.6 + 0.4 * part)
        );
        return new(result, tracks, width, height);
    }

    /// <summary>The extent of a frame's matte, pixels; null where it is empty.</summary>
    public static (double Left, double Top, double Right, double Bottom)? MatteBox(string masks, int frame)
    {
        CodeImage mask = Matte(masks, frame);
        int half = 1 << (mask.Bits - 1),
            left = mask.Width,
            top = mask.Height,
            right = -1,
            bottom = -1;
        for (int y = 0; y < mask.Height; y++)
        {
            for (int x = 0; x < mask.Width; x++)
            {
                if (mask.Codes[(y * mask.Width + x) * mask.Channels] < half)
                {
                    continue;
                }
                (left, right, top, bottom) = (Math.Min(left, x), Math.Max(right, x), Math.Min(top, y), y);
            }
        }
        return right < 0 ? null : (left, top, right + 1, bottom + 1);
    }

    private static CodeImage Matte(string masks, int frame)
    {
        string? file = Directory
            .GetFiles(masks)
            .FirstOrDefault(f =>
                System.Text.RegularExpressions.Regex.IsMatch(
                    Path.GetFileName(f),
                    $@"(^|\D)0*{frame}\.(png|jpg|jpeg)$",
                    System.Text.RegularExpressions.RegexOptions.IgnoreCase
                )
            );
        return file is null
            ? throw new ShotFault($"The mattes have no picture for frame {frame}. Bring one for every frame, or none.")
            : RasterFile.Read(File.ReadAllBytes(file), Path.GetFileName(file));
    }

    private static Func<int, int, bool>? Allowed(string? masks, int frame, int width, int height, bool inside)
    {
        if (masks is null)
        {
            return null;
        }
        CodeImage mask = Matte(masks, frame);
        if (mask.Width != width || mask.Height != height)
        {
            throw new ShotFault($"The matte of frame {frame} is {mask.Width} × {mask.Height}, the plate {width} × {height}.");
        }
        int half = 1 << (mask.Bits - 1);
        return (x, y) =>
            x < 0 || y < 0 || x >= width || y >= height ? !inside : mask.Codes[(y * width + x) * mask.Channels] < half != inside;
    }
}
