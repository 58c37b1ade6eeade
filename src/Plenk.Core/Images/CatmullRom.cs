namespace Plenk.Core.Images;

/// <summary>Cubic interpolation through four neighbours (Catmull and Rom 1974).</summary>
internal static class CatmullRom
{
    /// <summary>Weights of the neighbours at −1, 0, 1 and 2 for a place between 0 and 1.</summary>
    public static void Weights(float t, Span<float> w)
    {
        w[0] = t * (-0.5f + t * (1 - 0.5f * t));
        w[1] = 1 + t * t * (-2.5f + 1.5f * t);
        w[2] = t * (0.5f + t * (2 - 1.5f * t));
        w[3] = t * t * (-0.5f + 0.5f * t);
    }

    /// <summary>The value at a pixel position (centres at +0.5), all channels; the border's pixels go on beyond it.</summary>
    public static void Sample(FloatImage image, double px, double py, Span<float> result)
    {
        double x = px - 0.5,
            y = py - 0.5;
        int x0 = (int)Math.Floor(x),
            y0 = (int)Math.Floor(y),
            n = image.Channels;
        Span<float> wx = stackalloc float[4],
            wy = stackalloc float[4];
        Weights((float)(x - x0), wx);
        Weights((float)(y - y0), wy);
        result.Clear();
        for (int j = 0; j < 4; j++)
        {
            int row = Math.Clamp(y0 + j - 1, 0, image.Height - 1) * image.Width;
            for (int i = 0; i < 4; i++)
            {
                int at = n * (row + Math.Clamp(x0 + i - 1, 0, image.Width - 1));
                float w = wx[i] * wy[j];
                for (int c = 0; c < n; c++)
                {
                    result[c] += w * image.Data[at + c];
                }
            }
        }
    }
}
