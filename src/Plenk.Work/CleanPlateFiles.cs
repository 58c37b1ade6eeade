using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>How a frame of a clean plate came to be.</summary>
/// <param name="Masked">Pixels that were taken out.</param>
/// <param name="Taken">The share of them that other frames gave.</param>
/// <param name="Filled">The share that no frame saw.</param>
/// <param name="From">Frames that gave, the most used first.</param>
public sealed record CleanFrameReport(
    [property: JsonPropertyName("frame")] int Frame,
    [property: JsonPropertyName("masked")] int Masked,
    [property: JsonPropertyName("taken")] double Taken,
    [property: JsonPropertyName("filled")] double Filled,
    [property: JsonPropertyName("from")] IReadOnlyList<int> From
);

/// <summary>A folder of frames without what lies in the masks beside it.</summary>
public static class CleanPlateFiles
{
    /// <summary>So many frames give at most: more say nothing new, and a range must not fill the memory.</summary>
    private const int MostSources = 60;

    /// <param name="mask">A folder of pictures, above 0 what is taken out, by the plate's frame numbers.</param>
    /// <param name="told">What is odd, in the artist's terms.</param>
    /// <exception cref="ShotFault">Masks are missing or of another size.</exception>
    public static IReadOnlyList<CleanFrameReport> Run(
        FilmedSet set,
        string mask,
        IReadOnlyList<int> frames,
        string folder,
        bool withGrain,
        List<string> told,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        IReadOnlyDictionary<int, string> masks = Numbered(mask);
        int[] missing = [.. frames.Where(f => !masks.ContainsKey(f))];
        if (missing.Length > 0)
        {
            throw new ShotFault(
                $"There is no mask for {(missing.Length == 1 ? "frame" : "frames")} {string.Join(", ", missing.Take(12))}{(missing.Length > 12 ? " and more" : "")}: what goes there is not known. Bring the missing ones, or leave those frames out of --frames."
            );
        }
        // All are read before anything is written.
        if (!frames.Select(f => Mask(masks[f], set.Width, set.Height)).ToArray().Any(m => m.Contains(true)))
        {
            told.Add("The masks are empty in all of those frames: nothing is taken out. What goes is above 0 in them.");
        }
        // A frame without a mask may show what goes: only those with one give.
        int[] able =
        [
            .. Enumerable.Range(set.First, set.Last - set.First + 1).Where(f => masks.ContainsKey(f) && set.TryCamera(f) is not null),
        ];
        int[] chosen =
        [
            .. Enumerable
                .Range(0, Math.Min(able.Length, MostSources))
                .Select(k => able[able.Length <= MostSources ? k : (int)((long)k * (able.Length - 1) / (MostSources - 1))]),
        ];
        FilmedView View(int frame)
        {
            FloatImage linear = set.Linear(frame);
            bool[] gone = Mask(masks[frame], linear.Width, linear.Height);
            var (pose, pinhole) = set.Camera(frame);
            return new(frame, linear, gone, pinhole, pose);
        }
        var views = new Dictionary<int, FilmedView>();
        foreach (int f in chosen)
        {
            stop.ThrowIfCancellationRequested();
            progress?.Invoke("Reading frames", 0.1 * views.Count / chosen.Length);
            views[f] = View(f);
        }
        IPlaceBehind place = set.Set.Pieces.Count > 0 ? new SetBehind(set.Set) : Followed(set, masks, told, stop, progress);
        var range = new CleanRange([.. views.Values], place);
        Grain? grain = withGrain ? GrainAbout(set, range, [.. views.Values], stop) : null;
        if (withGrain && grain is null && views.Values.Any(v => v.Out.Contains(true)))
        {
            told.Add("Too little about what is taken out is seen in other frames to tell the plate's grain: none was put back.");
        }
        var reports = new List<CleanFrameReport>();
        Directory.CreateDirectory(folder);
        foreach (int frame in frames)
        {
            stop.ThrowIfCancellationRequested();
            progress?.Invoke($"Frame {frame}", 0.1 + 0.9 * reports.Count / frames.Count);
            FilmedView view = views.TryGetValue(frame, out FilmedView? had) ? had : View(frame);
            CleanedFrame clean = range.Clean(view, (picture, hole) => Patches(picture, hole, view.Out, stop), stop);
            if (clean.Grain.Any(g => g > 0))
            {
                grain?.AddTo(clean.Linear, clean.Grain, Sampling.Hash(0x636c6561u) + (uint)frame);
            }
            ExrFile.Write(
                Path.Combine(folder, $"clean.{frame:0000}.exr"),
                clean.Linear.Width,
                clean.Linear.Height,
                [.. ExrChannel.Of(clean.Linear, "RGB"), new("A", clean.How)]
            );
            double of = Math.Max(1, clean.Masked);
            if (clean.Filled > 0.02 * of)
            {
                told.Add(
                    $"Frame {frame}: {100 * clean.Filled / of:0.#} % of what is taken out was seen in no frame, and is filled with patches of what is around it."
                );
            }
            reports.Add(
                new(
                    frame,
                    clean.Masked,
                    Math.Round(clean.Taken / of, 5),
                    Math.Round(clean.Filled / of, 5),
                    [.. clean.From.Select(f => f.Frame)]
                )
            );
        }
        MediaStore.WriteWhole(
            Path.Combine(folder, "report.json"),
            JsonSerializer.SerializeToUtf8Bytes(new { frames = reports }, FootageWork.Json)
        );
        return reports;
    }

    /// <summary>In codes, where patches are as visible in the dark as in the light; patches come from what was filmed.</summary>
    private static FloatImage Patches(FloatImage picture, bool[] hole, bool[] gone, CancellationToken stop)
    {
        FloatImage codes = ColorSpace.Srgb.ToCodes(picture);
        FloatImage made = ExemplarFill.Fill(codes, hole, [.. gone.Select(g => !g)], stop: stop);
        var linear = new FloatImage(made.Width, made.Height, 3);
        for (int i = 0; i < made.Data.Length; i++)
        {
            linear.Data[i] = ColorEncodings.ToLinear(ColorEncoding.Srgb, Math.Clamp(made.Data[i], 0, 1));
        }
        return linear;
    }

    private const int LeastPoints = 60;

    /// <summary>Without a set: points of the place, followed outside the masks and located by the cameras.</summary>
    private static PointsBehind Followed(
        FilmedSet set,
        IReadOnlyDictionary<int, string> masks,
        List<string> told,
        CancellationToken stop,
        Action<string, double>? progress
    )
    {
        IReadOnlyList<Track> tracks = SolveWork
            .Follow(
                set.First,
                set.Last,
                f =>
                {
                    CodeImage p = set.Codes(f);
                    return GrayPyramid.Of(p.Width, p.Height, p.Channels, p.Bits, p.Codes);
                },
                f =>
                {
                    if (!masks.TryGetValue(f, out string? path))
                    {
                        return null;
                    }
                    bool[] gone = Morphology.Dilated(Mask(path, set.Width, set.Height), set.Width, set.Height, 3);
                    return (x, y) => x >= 0 && y >= 0 && x < set.Width && y < set.Height && !gone[y * set.Width + x];
                },
                new TrackerSettings { Count = 2500, Distance = Math.Max(4, set.Width / 160.0) },
                stop,
                (what, part) => progress?.Invoke(what, 0.1 * part)
            )
            .Tracks;
        var points = new List<Vec3>();
        foreach (Track t in tracks.Where(t => t.Points.Count >= 4))
        {
            Sight[] sights =
            [
                .. t
                    .Points.Select(p => (P: p, Camera: set.TryCamera(p.Frame)))
                    .Where(p => p.Camera is not null)
                    .Select(p => new Sight(p.Camera!.Value.Pose, p.Camera.Value.Pinhole, p.P.X, p.P.Y)),
            ];
            if (sights.Length >= 4 && Triangulation.Locate(sights, out _) is { RmsPixels: < 1 } found)
            {
                points.Add(found.Point);
            }
        }
        if (points.Count < LeastPoints)
        {
            throw new ShotFault(
                $"Only {points.Count} marks of the place can be followed and located, and {LeastPoints} are wanted: the camera hardly moves to the side, or little of the place is textured. Give the rebuilt place with --set."
            );
        }
        told.Add($"Without a set the place is told by {points.Count} marks that were followed; edges of things between them are soft.");
        return new(points);
    }

    /// <summary>So many frames tell the grain of all.</summary>
    private const int GrainFrames = 5;

    /// <summary>
    /// The grain about what is taken out, over frames spread over the range: neighbours as alike as in the middle one's flat parts.
    /// </summary>
    private static Grain? GrainAbout(FilmedSet set, CleanRange range, IReadOnlyList<FilmedView> views, CancellationToken stop)
    {
        FilmedView[] with = [.. views.Where(v => v.Out.Contains(true))];
        FilmedView[] asked =
        [
            .. Enumerable
                .Range(0, Math.Min(GrainFrames, with.Length))
                .Select(k => with[k * with.Length / Math.Min(GrainFrames, with.Length)]),
        ];
        if (asked.Length == 0)
        {
            return null;
        }
        int middle = asked[asked.Length / 2].Frame;
        int[] near = [.. Enumerable.Range(middle - 1, 3).Where(f => f >= set.First && f <= set.Last)];
        return Grain.OfResiduals(
            [.. asked.SelectMany(v => range.Residuals(v, stop))],
            Grain.Of(set.Linear(middle), GrainWork.Moving([.. near.Select(set.Codes)], Array.IndexOf(near, middle), set.Space))
        );
    }

    private static bool[] Mask(string path, int width, int height)
    {
        string name = Path.GetFileName(path);
        byte[] bytes = File.ReadAllBytes(path);
        float[] values;
        int w,
            h;
        if (ExrFile.Is(bytes))
        {
            ExrPicture p = ExrFile.Read(bytes, name);
            (w, h) = (p.Width, p.Height);
            values = p.Any("A", "Y", "R") ?? throw new ShotFault($"{name} has no channel A, Y or R: it is no mask.");
        }
        else
        {
            CodeImage p = RasterFile.Read(bytes, name);
            (w, h) = (p.Width, p.Height);
            values = MatteWork.OfCodes(p).Data;
        }
        return w == width && h == height
            ? [.. values.Select(v => v > 0)]
            : throw new ShotFault($"{name} is {w} × {h}, the plate {width} × {height}. A mask has the plate's size.");
    }

    private static IReadOnlyDictionary<int, string> Numbered(string folder)
    {
        var result = new Dictionary<int, string>();
        foreach (string path in Directory.GetFiles(folder).Order(StringComparer.Ordinal))
        {
            if (
                Path.GetExtension(path).ToLowerInvariant() is ".png" or ".tif" or ".tiff" or ".jpg" or ".jpeg" or ".exr"
                && FrameNumber.Of(Path.GetFileName(path)) is { } number
            )
            {
                result[number] = path;
            }
        }
        return result.Count > 0 ? result : throw new ShotFault($"{folder} holds no numbered pictures of a mask.");
    }
}
