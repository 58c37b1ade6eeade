using Plenk.Core.Images;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Outlines;
using Plenk.Formats.Outlines;

namespace Plenk.Work;

/// <summary>Outlines of a folder's frames, followed, and the matte that they make together.</summary>
public static class OutlineWork
{
    /// <summary>Knots of a followed outline are no further apart than this, pixels of a frame 640 wide.</summary>
    private const double Apart = 9;

    private static double SpacingOf(int width) => Apart * Math.Max(1, width / 640.0);

    /// <summary>The matte of outlines in a frame, in their order: added, taken away, or within what was before.</summary>
    public static float[] Matte(IReadOnlyList<(NamedOutline Outline, Curve Curve)> outlines, int width, int height)
    {
        var result = new float[width * height];
        foreach (var (outline, curve) in outlines)
        {
            float[] own = OutlineCoverage.Of(curve, width, height, strokeWidth: outline.Width ?? 0);
            float strength = (float)(outline.Strength ?? 1);
            for (int i = 0; strength < 1 && i < own.Length; i++)
            {
                own[i] *= strength;
            }
            MatteField.Join(result, own, outline.HowJoined);
        }
        return result;
    }

    /// <summary>Follows every outline over a range.</summary>
    /// <param name="filmed">The plate's camera and its rebuilt place, which tell how all moves that stands still; null: the picture does.</param>
    /// <returns>And how well camera and set carry the picture, where they were given: those that do not are left aside.</returns>
    /// <exception cref="ShotFault">A key lies in no frame of the plate.</exception>
    public static IReadOnlyList<(NamedOutline Outline, IReadOnlyList<FollowedOutline> Frames, PlaceFit? Place)> Follow(
        PlateFolder plate,
        IReadOnlyList<NamedOutline> outlines,
        int first,
        int last,
        FilmedSet? filmed = null,
        Action<double>? progress = null,
        CancellationToken stop = default
    )
    {
        foreach (NamedOutline o in outlines)
        {
            foreach (OutlineKey key in o.Keys)
            {
                CodeSizeOf(plate, key.Frame, o.Name);
            }
        }
        int width = plate.Codes(first).Width,
            wide = Math.Min(width, OutlineFollower.WidestPixels);
        double by = (double)wide / width;
        FloatImage Picture(int frame)
        {
            FloatImage own = plate.Codes(frame).ToLinear(plate.Space);
            return own.Width == wide ? own : own.ReducedTo(wide, own.Height * wide / own.Width);
        }
        FilmedPlace? place = filmed is null ? null : new FilmedPlace(filmed.Set.Scene, filmed.TryCamera);
        return
        [
            .. outlines.Select(
                (o, i) =>
                {
                    var (frames, fit) = Follow(
                        Picture,
                        [.. o.Curves().Select(k => (k.Frame, k.Curve.Sized(by)))],
                        first,
                        last,
                        SpacingOf(wide),
                        (o.Width ?? 2) * by,
                        place,
                        share => progress?.Invoke((i + share) / outlines.Count),
                        stop
                    );
                    return (o, Sized(frames, 1 / by), fit);
                }
            ),
        ];
    }

    /// <summary>Follows an outline by what tells more: camera and set, or the picture alone.</summary>
    internal static (IReadOnlyList<FollowedOutline> Frames, PlaceFit? Place) Follow(
        Func<int, FloatImage> picture,
        IReadOnlyList<(int Frame, Curve Curve)> keys,
        int first,
        int last,
        double? spacing,
        double strokeWidth,
        FilmedPlace? place,
        Action<double>? progress,
        CancellationToken stop
    )
    {
        PlaceFit? fit = place is null ? null : PlaceFit.Of(picture, keys, first, last, place, stop);
        return (
            OutlineFollower.Follow(picture, keys, first, last, spacing, strokeWidth, fit is { Holds: true } ? place : null, progress, stop),
            fit
        );
    }

    internal static IReadOnlyList<FollowedOutline> Sized(IReadOnlyList<FollowedOutline> frames, double by) =>
        [.. frames.Select(f => f with { Curve = f.Curve.Sized(by), DriftPixels = f.DriftPixels * by })];

    /// <summary>In the artist's words; empty where there was nothing to choose.</summary>
    public static string Told(PlaceFit? place) =>
        place switch
        {
            null => "",
            { Holds: true } => "with camera and set",
            { ByPlace: double.NaN } => "by the picture alone, as no other frame shows whether camera and set carry it",
            { Reached: <= 0.5 } => "by the picture alone, as camera and set reach little of it",
            _ => FormattableString.Invariant(
                $"by the picture alone, as camera and set carry it worse ({place.ByPlace:0.000} off, against {place.ByPicture:0.000})"
            ),
        };

    private static void CodeSizeOf(PlateFolder plate, int frame, string name)
    {
        if (frame < plate.First || frame > plate.Last)
        {
            throw new ShotFault(
                $"Outline “{name}” has a key at {frame}, and the plate has {plate.First} to {plate.Last}. Take it from one of these."
            );
        }
    }
}
