using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>How well camera and set carry a filmed picture to other frames, beside how well it is carried by its own motion.</summary>
/// <param name="ByPlace">What the pictures differ by then, mean over pixels, in square roots of light; NaN: no key could be looked at.</param>
/// <param name="ByPicture">The same by the picture's own motion.</param>
/// <param name="Reached">Share of the pixels so carried that camera and set carry as well.</param>
public sealed record PlaceFit(double ByPlace, double ByPicture, double Reached)
{
    /// <summary>What is looked at around a key, of the picture's width.</summary>
    private const double Around = 0.2;

    /// <summary>Frames so far before and after a key are brought over it, or the range's ends.</summary>
    private const int Aside = 5;

    /// <summary>So many keys are looked at: the first, the last and those between.</summary>
    private const int MostKeys = 3;

    /// <summary>A difference counts at most so much: what passes is carried by neither.</summary>
    private const float Most = 0.25f;

    /// <summary>
    /// Whether outlines are better followed with them. A whole set misses by less than the picture's motion, which knows no edges; pieces that are
    /// missing, or a camera that is off, mislead more than they tell.
    /// </summary>
    public bool Holds => Reached > 0.5 && ByPlace <= Better * ByPicture;

    /// <summary>Between 0.57 to 0.71, for a whole set, and 0.95 and more, for one without its small things, on foreign footage (docs/performance.md).</summary>
    private const double Better = 0.85;

    /// <param name="picture">Scene-linear RGB of a frame.</param>
    /// <param name="keys">Outlines as drawn: what they enclose may move by itself.</param>
    /// <exception cref="OperationCanceledException">It was stopped.</exception>
    public static PlaceFit Of(
        Func<int, FloatImage> picture,
        IReadOnlyList<(int Frame, Curve Curve)> keys,
        int first,
        int last,
        FilmedPlace place,
        CancellationToken stop = default
    )
    {
        var pictures = new PictureLine(picture);
        FramesBrought byPlace = new(pictures, place),
            byPicture = new(pictures, null);
        double missed = 0,
            missedBy = 0;
        long both = 0,
            all = 0;
        (int Frame, Curve Curve)[] within = [.. keys.Where(k => k.Frame >= first && k.Frame <= last).OrderBy(k => k.Frame)];
        foreach (var (frame, curve) in within.Where((_, i) => within.Length <= MostKeys || i % ((within.Length - 1) / (MostKeys - 1)) == 0))
        {
            FloatImage whole = pictures.Of(frame).Even,
                now = pictures.Small(frame).Even;
            double by = (double)now.Width / whole.Width;
            PixelBox box = BoxOf(curve.Sized(by), now.Width, now.Height);
            float[] own = MatteField.Grown(OutlineCoverage.Of(curve.Sized(by), now.Width, now.Height), now.Width, now.Height, 3, 0);
            foreach (int other in new[] { Math.Max(first, frame - Aside), Math.Min(last, frame + Aside) }.Where(f => f != frame))
            {
                stop.ThrowIfCancellationRequested();
                float[] a = byPlace.Brought(frame, other, box),
                    b = byPicture.Brought(frame, other, box);
                for (int i = 0; i < box.Width * box.Height; i++)
                {
                    int x = box.X0 + i % box.Width,
                        y = box.Y0 + i / box.Width;
                    if (own[y * now.Width + x] > 0.01f || float.IsNaN(b[3 * i]))
                    {
                        continue;
                    }
                    all++;
                    if (!float.IsNaN(a[3 * i]))
                    {
                        both++;
                        ReadOnlySpan<float> here = now.Pixel(x, y);
                        (missed, missedBy) = (missed + Off(here, a.AsSpan(3 * i, 3)), missedBy + Off(here, b.AsSpan(3 * i, 3)));
                    }
                }
            }
        }
        return both == 0 ? new(double.NaN, double.NaN, 0) : new(missed / both, missedBy / both, (double)both / all);
    }

    private static float Off(ReadOnlySpan<float> a, ReadOnlySpan<float> b) =>
        Math.Min(Most, Math.Max(MathF.Abs(a[0] - b[0]), Math.Max(MathF.Abs(a[1] - b[1]), MathF.Abs(a[2] - b[2]))));

    private static PixelBox BoxOf(Curve curve, int width, int height)
    {
        double[] flat = curve.Flat(0.5);
        double[] x = [.. flat.Where((_, i) => i % 2 == 0)],
            y = [.. flat.Where((_, i) => i % 2 == 1)];
        double margin = Around * width;
        int Within(double v, int most) => (int)Math.Clamp(v, 0, most);
        return new(
            Within(x.Min() - margin, width - 2),
            Within(y.Min() - margin, height - 2),
            Within(x.Max() + margin, width - 2) + 2,
            Within(y.Max() + margin, height - 2) + 2
        );
    }
}
