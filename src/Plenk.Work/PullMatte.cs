using Plenk.Core.Images;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>A matte pulled from one picture: what is known of it is drawn in three tones, the rest is found.</summary>
public static class PullMatte
{
    /// <summary>A trimap's darkest tone is outside, its lightest inside; all between is to be found. NaN there.</summary>
    /// <exception cref="ShotFault">It is of another size, or one of the two is nowhere.</exception>
    public static float[] Known(CodeImage trimap, string name, int width, int height)
    {
        if (trimap.Width != width || trimap.Height != height)
        {
            throw new ShotFault(
                $"{name} is {trimap.Width} × {trimap.Height}, and the picture {width} × {height}. Draw it over that picture."
            );
        }
        int top = (1 << trimap.Bits) - 1;
        float[] known =
        [
            .. Enumerable
                .Range(0, width * height)
                .Select(i => trimap.Codes[i * trimap.Channels])
                .Select(v =>
                    v == 0 ? 0
                    : v >= top ? 1
                    : float.NaN
                ),
        ];
        foreach (var (tone, says, draw) in new[] { (1f, "inside (white)", "white"), (0f, "outside (black)", "black") })
        {
            if (!known.Contains(tone))
            {
                throw new ShotFault($"{name} says of no pixel that it is {says}. Draw what surely is so {draw}.");
            }
        }
        return known;
    }

    /// <summary>RGB of a picture file, scene-linear.</summary>
    /// <exception cref="FormatFault">It has no picture, or a pixel that is not a number.</exception>
    public static FloatImage Linear(byte[] bytes, string name, ColorSpace? space)
    {
        FloatImage image;
        if (ExrFile.Is(bytes))
        {
            ExrPicture p = ExrFile.Read(bytes, name);
            image = p.Colour(
                p.Picture(alpha: false, "beauty", "rgba", "combined")
                    ?? throw new FormatFault("unreadable", $"{name} has no picture in it", "Bring an EXR with red, green and blue.")
            );
        }
        else
        {
            image = RasterFile.Read(bytes, name).ToLinear(space ?? ColorSpace.Srgb);
        }
        int bad = Array.FindIndex(image.Data, v => !float.IsFinite(v));
        if (bad >= 0)
        {
            int pixel = bad / image.Channels;
            throw new FormatFault(
                "nan",
                $"{name}: the pixel {pixel % image.Width}, {pixel / image.Width} is not a number",
                "Render or export it again."
            );
        }
        return image;
    }

    /// <summary>Alpha, and the clean foreground multiplied by it.</summary>
    public static (float[] Alpha, FloatImage Foreground) Of(
        FloatImage picture,
        float[] known,
        FloatImage? background = null,
        Action<double>? progress = null,
        CancellationToken stop = default
    )
    {
        float[] alpha = AlphaMatte.Of(picture, known, background, progress, stop);
        FloatImage fore = CleanForeground.Of(picture, alpha, background);
        for (int i = 0; i < alpha.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                fore.Data[3 * i + c] *= alpha[i];
            }
        }
        return (alpha, fore);
    }
}
