using System.Numerics;
using System.Runtime.Intrinsics;

namespace Plenk.Core.Tracking;

/// <summary>
/// One level of a picture for tracking: brightness as the plate encodes it, 0..1; its edge goes on beyond it for a margin.
/// </summary>
public sealed class GrayImage
{
    private const int Margin = 40;
    private readonly float[] _padded;
    private readonly int _stride;

    public int Width { get; }
    public int Height { get; }
    public float[] Data { get; }

    public GrayImage(int width, int height, float[] data)
    {
        (Width, Height, Data) = (width, height, data);
        _stride = width + 2 * Margin;
        _padded = new float[_stride * (height + 2 * Margin)];
        Parallel.For(0, height + 2 * Margin, Cores.All, y =>
        {
            int from = Math.Clamp(y - Margin, 0, height - 1) * width,
                to = y * _stride;
            _padded.AsSpan(to, Margin).Fill(data[from]);
            data.AsSpan(from, width).CopyTo(_padded.AsSpan(to + Margin));
            _padded.AsSpan(to + Margin + width, Margin).Fill(data[from + width - 1]);
        });
    }

    /// <summary>Bilinear value at array coordinates (pixel centres at whole numbers), clamped.</summary>
    public float At(float x, float y)
    {
        x = Math.Clamp(x, -Margin, Width + Margin - 2.001f) + Margin;
        y = Math.Clamp(y, -Margin, Height + Margin - 2.001f) + Margin;
        int x0 = (int)x,
            y0 = (int)y,
            i = y0 * _stride + x0;
        float u = x - x0,
            v = y - y0,
            top = _padded[i] + (_padded[i + 1] - _padded[i]) * u,
            bottom = _padded[i + _stride] + (_padded[i + _stride + 1] - _padded[i + _stride]) * u;
        return top + (bottom - top) * v;
    }

    /// <summary>
    /// A patch of <paramref name="rows"/> rows at array coordinates (left, top), bilinear; each row is filled to
    /// <paramref name="stride"/> values (a multiple of the vector's width), so whole vectors are computed.
    /// </summary>
    public void Patch(double left, double top, int rows, int stride, Span<float> patch)
    {
        left = Math.Clamp(left, -Margin, Width + Margin - stride - 2) + Margin;
        top = Math.Clamp(top, -Margin, Height + Margin - rows - 2) + Margin;
        int x0 = (int)left,
            y0 = (int)top,
            width = Vector256<float>.Count;
        float u = (float)(left - x0),
            v = (float)(top - y0);
        Vector256<float> w00 = Vector256.Create((1 - u) * (1 - v)),
            w10 = Vector256.Create(u * (1 - v)),
            w01 = Vector256.Create((1 - u) * v),
            w11 = Vector256.Create(u * v);
        for (int y = 0; y < rows; y++)
        {
            ReadOnlySpan<float> a = _padded.AsSpan((y0 + y) * _stride + x0, stride + 1),
                b = _padded.AsSpan((y0 + y + 1) * _stride + x0, stride + 1);
            for (int x = 0; x < stride; x += width)
            {
                Vector256<float> value =
                    w00 * Vector256.Create(a[x..])
                    + w10 * Vector256.Create(a[(x + 1)..])
                    + w01 * Vector256.Create(b[x..])
                    + w11 * Vector256.Create(b[(x + 1)..]);
                value.CopyTo(patch[(y * stride + x)..]);
            }
        }
    }

    /// <summary>Half the size after the 5-tap binomial filter (Burt and Adelson 1983); array coordinate x becomes x/2 − ¼.</summary>
    public GrayImage Half()
    {
        int w = Width / 2,
            h = Height / 2;
        var rows = new float[w * Height];
        var result = new float[w * h];
        Parallel.For(0, Height, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                // Between two pixels: weights 1 3 3 1 keep the centre on the half grid.
                int a = Math.Max(2 * x - 1, 0),
                    d = Math.Min(2 * x + 2, Width - 1);
                rows[y * w + x] =
                    (Data[y * Width + a] + 3 * Data[y * Width + 2 * x] + 3 * Data[y * Width + 2 * x + 1] + Data[y * Width + d]) / 8;
            }
        });
        Parallel.For(0, h, Cores.All, y =>
        {
            int a = Math.Max(2 * y - 1, 0),
                d = Math.Min(2 * y + 2, Height - 1);
            for (int x = 0; x < w; x++)
            {
                result[y * w + x] = (rows[a * w + x] + 3 * rows[2 * y * w + x] + 3 * rows[(2 * y + 1) * w + x] + rows[d * w + x]) / 8;
            }
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
        for (int i = 1; i < levels; i++)
        {
            Levels[i] = Levels[i - 1].Half();
        }
    }

    /// <summary>Brightness of an integer picture by BT.709 weights on its codes, so that noise counts alike in light and dark.</summary>
    public static GrayPyramid Of(int width, int height, int channels, int bits, ushort[] codes, int levels = 4)
    {
        var gray = new float[width * height];
        float top = (1 << bits) - 1;
        Parallel.For(0, height, Cores.All, y =>
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
