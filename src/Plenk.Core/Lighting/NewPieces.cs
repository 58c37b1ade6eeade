using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>
/// A frame in which pieces are seen that were not there when the plate was shot, taken apart so that comp = elements over (background · S′ ·
/// contact + added + mirror) with those pieces among the elements. All pictures RGBA, premultiplied, of one size.
/// </summary>
public static class NewPieces
{
    /// <summary>
    /// What is left open by less is not told apart: half floats hold 1 − alpha to 1 part in 2048, and what lies behind would be divided by it.
    /// </summary>
    private const float LeastOpen = 1f / 256;

    /// <summary>The pieces with all of a pixel where they leave next to nothing of it open.</summary>
    public static FloatImage Whole(FloatImage background, FloatImage pieces)
    {
        FloatImage result = pieces.Copy();
        Each(result, background, (to, whole) =>
        {
            if (to[3] < 1 && to[3] > 1 - LeastOpen)
            {
                whole[..3].CopyTo(to);
                to[3] = 1;
            }
        });
        return result;
    }

    /// <summary>What the background is without them: they are taken off it, and what they leave open is brought to whole coverage.</summary>
    public static FloatImage Behind(FloatImage background, FloatImage pieces)
    {
        FloatImage result = background.Copy();
        Each(result, pieces, (to, piece) =>
        {
            float open = 1 - piece[3];
            for (int c = 0; c < 4; c++)
            {
                to[c] =
                    piece[3] <= 0 ? to[c]
                    : open > 0 ? Math.Max(0, to[c] - piece[c]) / open
                    : 0;
            }
            to[3] = Math.Min(1, to[3]);
        });
        return result;
    }

    /// <summary>As they are seen: in what is kept from them and added to them, not held out by elements.</summary>
    public static FloatImage Lit(FrameLayers layers, FloatImage pieces)
    {
        FloatImage result = pieces.Copy();
        for (int i = 0; i < pieces.Width * pieces.Height; i++)
        {
            float alpha = pieces.Data[4 * i + 3];
            for (int c = 0; c < 3 && alpha > 0; c++)
            {
                int at = 3 * i + c;
                result.Data[4 * i + c] =
                    pieces.Data[4 * i + c] * layers.Shadow.Data[at] * (layers.Near?[i] ?? 1)
                    + alpha * (layers.Added.Data[at] + (layers.Mirror?.Data[at] ?? 0));
            }
        }
        return result;
    }

    /// <summary>Elements over them.</summary>
    public static FloatImage Under(FloatImage elements, FloatImage lit)
    {
        FloatImage result = elements.Copy();
        Each(result, lit, (to, piece) =>
        {
            float open = 1 - to[3];
            for (int c = 0; c < 4; c++)
            {
                to[c] += open * piece[c];
            }
        });
        return result;
    }

    private delegate void Pixel(Span<float> to, ReadOnlySpan<float> piece);

    private static void Each(FloatImage to, FloatImage pieces, Pixel act)
    {
        for (int i = 0; i < to.Width * to.Height; i++)
        {
            act(to.Data.AsSpan(4 * i, 4), pieces.Data.AsSpan(4 * i, 4));
        }
    }
}
