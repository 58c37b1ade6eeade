using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats;

namespace Plenk.Work;

/// <summary>What is chosen of a clean plate.</summary>
public sealed record CleanChoice
{
    /// <summary>Frames that give nothing.</summary>
    public IReadOnlyList<int> Without { get; init; } = [];

    /// <summary>Frames that are taken alone where they see a place.</summary>
    public IReadOnlyList<int> Preferred { get; init; } = [];

    /// <summary>By frame, pictures that say what stands there.</summary>
    public IReadOnlyList<(int Frame, FloatImage Linear, bool[] Where, bool HasGrain)> Painted { get; init; } = [];
    public bool WithGrain { get; init; } = true;
}

/// <summary>Frames of a filmed place without what passes before it, one after another.</summary>
public static class CleanRanges
{
    /// <summary>So many frames give at most: more say nothing new.</summary>
    private const int MostSources = 60;
    private const int LeastSources = 12;

    /// <summary>What a frame that gives is held as: light, what is out of it, and that grown.</summary>
    private const int BytesAPixel = 3 * sizeof(float) + 2;

    /// <param name="made">Each frame when it is done, with its grain, and what was in it before.</param>
    /// <param name="told">What is odd, in the artist's terms.</param>
    /// <exception cref="ShotFault">Something is missing, in the artist's terms.</exception>
    public static void Run(
        PlaceFilmed place,
        IReadOnlyList<int> frames,
        CleanChoice choice,
        Action<CleanedFrame, FilmedView> made,
        List<string> told,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        // All are read before anything is written.
        if (!frames.Select(place.Gone).Select(m => m.Contains(true)).ToArray().Contains(true))
        {
            told.Add("The mattes are empty in all of those frames: nothing is taken out.");
        }
        int[] able =
        [
            .. Enumerable
                .Range(place.First, place.Last - place.First + 1)
                .Where(f => !choice.Without.Contains(f) && place.Knows(f) && place.Camera(f) is not null),
        ];
        int most = (int)Math.Clamp(PictureMemory.Bytes / 2 / ((long)place.Width * place.Height * BytesAPixel), LeastSources, MostSources);
        int[] chosen =
        [
            .. Enumerable
                .Range(0, Math.Min(able.Length, most))
                .Select(k => able[able.Length <= most ? k : (int)((long)k * (able.Length - 1) / (most - 1))])
                .Concat(choice.Preferred.Where(able.Contains))
                .Distinct()
                .Order(),
        ];
        if (chosen.Length == 0)
        {
            throw new ShotFault("No frame is left that could give: each is forbidden, or has no camera. Forbid fewer.");
        }
        FilmedView View(int frame)
        {
            var (pose, pinhole) = place.Camera(frame)
                ?? throw new ShotFault($"The camera has no sample for frame {frame}: what goes there cannot be told.");
            return new(frame, place.Linear(frame), place.Gone(frame), pinhole, pose);
        }
        var views = new Dictionary<int, FilmedView>();
        foreach (int f in chosen)
        {
            stop.ThrowIfCancellationRequested();
            progress?.Invoke("Reading frames", 0.05 * views.Count / chosen.Length);
            views[f] = View(f);
        }
        IPlaceBehind behind = place.Behind(told, stop, (what, part) => progress?.Invoke(what, 0.05 + 0.05 * part));
        var range = new CleanRange(
            [.. views.Values],
            behind,
            [.. choice.Painted.Select(p => new PaintedView(View(p.Frame), p.Linear, p.Where, p.HasGrain))],
            choice.Preferred
        );
        Grain? grain = choice.WithGrain ? GrainAbout(place, range, [.. views.Values], stop) : null;
        if (choice.WithGrain && grain is null && views.Values.Any(v => v.Out.Contains(true)))
        {
            told.Add("Too little about what is taken out is seen in other frames to tell the plate's grain: none was put back.");
        }
        var open = new List<(int Frame, double Share)>();
        for (int k = 0; k < frames.Count; k++)
        {
            stop.ThrowIfCancellationRequested();
            progress?.Invoke($"Frame {frames[k]}", 0.1 + 0.9 * k / frames.Count);
            FilmedView view = views.TryGetValue(frames[k], out FilmedView? had) ? had : View(frames[k]);
            CleanedFrame clean = range.Clean(view, (picture, hole) => Patches(picture, hole, view.Out, stop), stop);
            if (clean.Grain.Any(g => g > 0))
            {
                grain?.AddTo(clean.Linear, clean.Grain, Sampling.Hash(0x636c6561u) + (uint)frames[k]);
            }
            if (clean.Patched > 0.02 * Math.Max(1, clean.Masked))
            {
                open.Add((frames[k], (double)clean.Patched / clean.Masked));
            }
            made(clean, view);
        }
        if (open.Count > 0)
        {
            var (worst, share) = open.MaxBy(o => o.Share);
            told.Add(
                $"In {FrameList.Write([.. open.Select(o => o.Frame)])} some of what is taken out was seen in no frame, "
                    + $"most of it in {worst} ({100 * share:0.#} %); "
                    + $"that is filled with patches of what is around it, and carried along."
            );
        }
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

    /// <summary>So many frames tell the grain of all.</summary>
    private const int GrainFrames = 5;

    /// <summary>
    /// The grain about what is taken out, over frames spread over the range: neighbours as alike as in the middle one's flat parts.
    /// </summary>
    private static Grain? GrainAbout(PlaceFilmed place, CleanRange range, IReadOnlyList<FilmedView> views, CancellationToken stop)
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
        int[] near = [.. Enumerable.Range(middle - 1, 3).Where(f => f >= place.First && f <= place.Last)];
        return Grain.OfResiduals(
            [.. asked.SelectMany(v => range.Residuals(v, stop))],
            Grain.Of(place.Linear(middle), GrainWork.Moving([.. near.Select(place.Codes)], Array.IndexOf(near, middle), place.Space))
        );
    }
}
