using System.Numerics;
using Plenk.Core.Images;

namespace Plenk.Core.Lighting.Smoothing;

/// <summary>
/// A frame's light smoothed after it was sampled: what elements keep from the set, what new lamps bring it, and the light on elements, diffuse and the
/// rest apart; never the texture that it lies on.
/// </summary>
internal sealed class FrameSmoother(int width, int height)
{
    /// <summary>A region is worked on in parts of this size, so that large frames take no more memory.</summary>
    private const int Part = 512;

    /// <summary>What elements leave of the set's light.</summary>
    public SmoothedPixels Shadow { get; } = new(height);

    /// <summary>The light without elements, and that of new lamps, a sample.</summary>
    public SmoothedPixels Plate { get; } = new(height);
    public SmoothedPixels Lamps { get; } = new(height);

    /// <summary>Light on elements that leaves them evenly, by their own colour; and all else, by their coverage.</summary>
    public SmoothedPixels Diffuse { get; } = new(height);
    public SmoothedPixels Rest { get; } = new(height);

    /// <summary>Smooths the pixels that are given and lays each result where it belongs.</summary>
    /// <param name="guide">What a pixel's centre shows.</param>
    /// <param name="restIsOne">What is not given had a ratio of 1.</param>
    /// <param name="lay">A pixel's column and row, what was sampled of it, its ratio, and the mean square of its error.</param>
    public void Lay(
        SmoothedPixels pixels,
        Func<int, int, Guide> guide,
        float pixel,
        bool restIsOne,
        Action<int, int, HalfSums, Vector3, float> lay,
        CancellationToken stop
    )
    {
        PixelBox box = pixels.Box();
        if (box.IsEmpty)
        {
            return;
        }
        const int rim = LightFilter.Reach;
        if (restIsOne)
        {
            box = new(Math.Max(0, box.X0 - rim), Math.Max(0, box.Y0 - rim), Math.Min(width, box.X1 + rim), Math.Min(height, box.Y1 + rim));
        }
        for (int top = box.Y0; top < box.Y1; top += Part)
        {
            for (int left = box.X0; left < box.X1; left += Part)
            {
                stop.ThrowIfCancellationRequested();
                var inner = new PixelBox(left, top, Math.Min(box.X1, left + Part), Math.Min(box.Y1, top + Part));
                LayPart(
                    pixels,
                    new(
                        Math.Max(box.X0, inner.X0 - rim),
                        Math.Max(box.Y0, inner.Y0 - rim),
                        Math.Min(box.X1, inner.X1 + rim),
                        Math.Min(box.Y1, inner.Y1 + rim)
                    ),
                    inner,
                    guide,
                    pixel,
                    restIsOne,
                    lay
                );
            }
        }
    }

    private static void LayPart(
        SmoothedPixels pixels,
        PixelBox outer,
        PixelBox inner,
        Func<int, int, Guide> guide,
        float pixel,
        bool restIsOne,
        Action<int, int, HalfSums, Vector3, float> lay
    )
    {
        var surfaces = new Surfaces(outer.Width, outer.Height, pixel);
        Parallel.For(outer.Y0, outer.Y1, Cores.All, y =>
        {
            if (restIsOne)
            {
                for (int x = outer.X0; x < outer.X1; x++)
                {
                    surfaces.Show(x - outer.X0, y - outer.Y0, guide(x, y));
                }
                return;
            }
            foreach (var (x, _) in pixels.Row(y, outer))
            {
                surfaces.Show(x - outer.X0, y - outer.Y0, guide(x, y));
            }
        });
        var filter = new LightFilter(surfaces, pixels, outer, restIsOne);
        filter.Run();
        for (int y = inner.Y0; y < inner.Y1; y++)
        {
            if (restIsOne)
            {
                // Those that are not given are told as well, as far as light was smoothed there; then those that are, with what was sampled.
                for (int x = inner.X0; x < inner.X1; x++)
                {
                    if (filter.Of(x, y) is { } at && !filter.IsGiven(x, y))
                    {
                        lay(x, y, default, at.Ratio, at.Square);
                    }
                }
            }
            foreach (var (x, sums) in pixels.Row(y, inner))
            {
                if (filter.Of(x, y) is { } at)
                {
                    lay(x, y, sums, at.Ratio, at.Square);
                }
            }
        }
    }
}
