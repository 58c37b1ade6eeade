using Plenk.Core.Images;
using Plenk.Core.Lighting;

namespace Plenk.Core.Finishing;

/// <summary>Pictures to judge a comp by; linear.</summary>
public static class CompareViews
{
    /// <summary>The element by itself, held out, over a middle grey.</summary>
    public static FloatImage Alone(FrameLayers layers)
    {
        var result = new FloatImage(layers.Comp.Width, layers.Comp.Height, 3);
        for (int i = 0; i < layers.Touched.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                result.Data[3 * i + c] = layers.Held.Data[4 * i + c] + 0.18f * (1 - layers.Held.Data[4 * i + 3]);
            }
        }
        return result;
    }

    /// <summary>Length of the luminance's gradient a pixel, times a gain.</summary>
    public static FloatImage Edges(FloatImage picture, double gain)
    {
        int w = picture.Width,
            h = picture.Height;
        var result = new FloatImage(w, h, 3);
        for (int y = 1; y < h - 1; y++)
        {
            for (int x = 1; x < w - 1; x++)
            {
                float gx = Luminance.Of(picture.Pixel(x + 1, y)) - Luminance.Of(picture.Pixel(x - 1, y)),
                    gy = Luminance.Of(picture.Pixel(x, y + 1)) - Luminance.Of(picture.Pixel(x, y - 1));
                result.Pixel(x, y).Fill((float)gain / 2 * MathF.Sqrt(gx * gx + gy * gy));
            }
        }
        return result;
    }

    /// <summary>Blacks raised and colours three times as strong: what hides in them is seen.</summary>
    public static FloatImage Lifted(FloatImage picture)
    {
        var result = new FloatImage(picture.Width, picture.Height, 3);
        for (int i = 0; i < picture.Data.Length; i += 3)
        {
            float y = Luminance.Of(picture.Data.AsSpan(i, 3));
            for (int c = 0; c < 3; c++)
            {
                result.Data[i + c] = MathF.Sqrt(MathF.Max(0, y + 3 * (picture.Data[i + c] - y)));
            }
        }
        return result;
    }
}
