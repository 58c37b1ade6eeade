using Plenk.Core.Images;
using Plenk.Core.Lighting;

namespace Plenk.Core.Finishing;

/// <summary>
/// Element against plate: how often each level occurs (Bins × R G B; the element's in the comp, the whole plate's), and across the
/// element's width how often each luminance (Columns × Bins; the comp's where the element is, the plate's). Levels go by the display's
/// steps, so that darks have room.
/// </summary>
public sealed record Scopes(float[] Element, float[] Plate, float[] Wave, float[] WavePlate, bool Any)
{
    public const int Bins = 96,
        Columns = 160;

    /// <summary>Bins above white.</summary>
    private const int Above = 8;

    public static Scopes Of(FrameLayers layers, FloatImage plate)
    {
        int width = plate.Width,
            left = width,
            right = -1;
        float[] own = new float[Bins * 3],
            whole = new float[Bins * 3],
            wave = new float[Columns * Bins],
            wavePlate = new float[Columns * Bins];
        bool Shows(int i) => layers.Held.Data[4 * i + 3] > 0.5f;
        for (int i = 0; i < layers.Touched.Length; i++)
        {
            if (Shows(i))
            {
                (left, right) = (Math.Min(left, i % width), Math.Max(right, i % width));
            }
        }
        for (int i = 0; i < width * plate.Height; i++)
        {
            bool element = Shows(i);
            for (int c = 0; c < 3; c++)
            {
                whole[3 * BinOf(plate.Data[3 * i + c]) + c]++;
                if (element)
                {
                    own[3 * BinOf(layers.Comp.Data[3 * i + c]) + c]++;
                }
            }
            if (i % width < left || i % width > right)
            {
                continue;
            }
            int column = (i % width - left) * Columns / (right - left + 1);
            wavePlate[column * Bins + BinOf(Luminance.Of(plate.Data.AsSpan(3 * i, 3)))]++;
            if (element)
            {
                wave[column * Bins + BinOf(Luminance.Of(layers.Comp.Data.AsSpan(3 * i, 3)))]++;
            }
        }
        return new(own, whole, wave, wavePlate, right >= left);
    }

    public static int BinOf(float linear) =>
        Math.Clamp((int)(ColorEncodings.LinearToSrgb(MathF.Max(0, linear)) * (Bins - Above)), 0, Bins - 1);
}
