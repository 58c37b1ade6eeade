namespace Plenk.Core.Tracking;

/// <summary>One level of a picture for tracking: brightness as the plate encodes it, 0..1.</summary>
public sealed class GrayImage(int width, int height, float[] data)
{
    public int Width { get; } = width;
    public int Height { get; } = height;
    public float[] Data { get; } = data;

    /// <summary>Bilinear value at array coordinates (pixel centres at whole numbers), clamped.</summary>
    public float At(float x, float y)
    {
        x = Math.Clamp(x, 0, Width - 1.001f);
        y = Math.Clamp(y, 0, Height - 1.001f);
        int x0 = (int)x, y0 = (int)y, i = y0 * Width + x0;
        float u = x - x0, v = y - y0, top = Data[i] + (Data[i + 1] - Data[i]) * u, bottom = Data[i + Width] + (Data[i + Width + 1] - Data[i + Width]) * u;
        return top + (bottom - top) * v;
    }

    /// <summary>Half the size after the 5-tap binomial filter (Burt and Adelson 1983); array coordinate x becomes x/2 − ¼.</summary>
    public GrayImage Half()
    {
        int w = Width / 2, h = Height / 2;
        var rows = new float[w * Height];
        var result = new float[w * h];
        Parallel.For(0, Height, y =>
        {
            for (int x = 0; x < w; x++)
            {
                // Between two pixels: weights 1 3 3 1 keep the centre on the half grid.
                int a = Math.Max(2 * x - 1, 0), d = Math.Min(2 * x + 2, Width - 1);
                rows[y * w + x] = (Data[y * Width + a] + 3 * Data[y * Width + 2 * x] + 3 * Data[y * Width + 2 * x + 1] + Data[y * Width + d]) / 8;
            }
        });
        Parallel.For(0, h, y =>
        {
            int a = Math.Max(2 * y - 1, 0), d = Math.Min(2 * y + 2, Height - 1);
            for (int x = 0; x < w; x++) { result[y * w + x] = (rows[a * w + x] + 3 * rows[2 * y * w + x] + 3 * rows[(2 * y + 1) * w + x] + rows[d * w + x]) / 8; }
        });
        return new(w, h, result);
    }
}

/// <summary>A picture and its halves, finest first.</summary>
public sealed class GrayPyramid
{
    public GrayImage[] Levels { get; }

    public GrayPyramid(GrayImage finest, int levels)
    {
        Levels = new GrayImage[levels];
        Levels[0] = finest;
        for (int i = 1; i < levels; i++) { Levels[i] = Levels[i - 1].Half(); }
    }

    /// <summary>Brightness of an integer picture by BT.709 weights on its codes, so that noise counts alike in light and dark.</summary>
    public static GrayPyramid Of(int width, int height, int channels, int bits, ushort[] codes, int levels = 4)
    {
        var gray = new float[width * height];
        float top = (1 << bits) - 1;
        Parallel.For(0, height, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                int p = i * channels;
                gray[i] = channels < 3 ? codes[p] / top : (0.2126f * codes[p] + 0.7152f * codes[p + 1] + 0.0722f * codes[p + 2]) / top;
            }
        });
        return new(new(width, height, gray), levels);
    }
}
