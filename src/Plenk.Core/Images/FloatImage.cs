namespace Plenk.Core.Images;

/// <summary>
/// Interleaved float pixels, row by row from the top. Colour is scene-linear, alpha premultiplied, unless a holder says otherwise.
/// </summary>
public sealed class FloatImage(int width, int height, int channels, float[] data)
{
    public FloatImage(int width, int height, int channels)
        : this(width, height, channels, new float[(long)width * height * channels]) { }

    public int Width { get; } = width;
    public int Height { get; } = height;
    public int Channels { get; } = channels;
    public float[] Data { get; } =
        data.Length == (long)width * height * channels
            ? data
            : throw new ArgumentException($"{data.Length} values do not fill {width} × {height} × {channels}");

    /// <summary>One picture of planes that lie apart, each width × height values.</summary>
    public static FloatImage Of(int width, int height, params ReadOnlySpan<float[]> planes)
    {
        var image = new FloatImage(width, height, planes.Length);
        for (int c = 0; c < planes.Length; c++)
        {
            float[] plane = planes[c];
            for (int i = 0, at = c; i < plane.Length; i++, at += planes.Length)
            {
                image.Data[at] = plane[i];
            }
        }
        return image;
    }

    public ref float this[int x, int y, int c] => ref Data[(y * Width + x) * Channels + c];

    public Span<float> Row(int y) => Data.AsSpan(y * Width * Channels, Width * Channels);

    public Span<float> Pixel(int x, int y) => Data.AsSpan((y * Width + x) * Channels, Channels);

    /// <summary>Red, green and blue alone, of a picture that has more.</summary>
    public FloatImage Colours()
    {
        var rgb = new FloatImage(Width, Height, 3);
        for (int i = 0; i < Width * Height; i++)
        {
            Data.AsSpan(Channels * i, 3).CopyTo(rgb.Data.AsSpan(3 * i));
        }
        return rgb;
    }

    /// <summary>Bilinear value at a pixel position (centres at +0.5), clamped at the border. Writes one value a channel.</summary>
    public void SampleBilinear(double px, double py, Span<float> result)
    {
        double x = Math.Clamp(px - 0.5, 0, Width - 1),
            y = Math.Clamp(py - 0.5, 0, Height - 1);
        int x0 = (int)x,
            y0 = (int)y,
            x1 = Math.Min(x0 + 1, Width - 1),
            y1 = Math.Min(y0 + 1, Height - 1);
        float u = (float)(x - x0),
            v = (float)(y - y0);
        Span<float> a = Pixel(x0, y0),
            b = Pixel(x1, y0),
            c = Pixel(x0, y1),
            d = Pixel(x1, y1);
        for (int i = 0; i < Channels; i++)
        {
            float top = a[i] + (b[i] - a[i]) * u,
                bottom = c[i] + (d[i] - c[i]) * u;
            result[i] = top + (bottom - top) * v;
        }
    }

    /// <summary>One of its own, to be written on.</summary>
    public FloatImage Copy() => new(Width, Height, Channels, (float[])Data.Clone());

    /// <summary>A part of it.</summary>
    public FloatImage Cut(PixelBox box) => new(box.Width, box.Height, Channels, Cut(Data, Width, Channels, box));

    /// <summary>The same of values that lie row by row, so many a pixel.</summary>
    public static T[] Cut<T>(T[] values, int width, int each, PixelBox box)
    {
        var result = new T[box.Width * box.Height * each];
        for (int y = 0; y < box.Height; y++)
        {
            values.AsSpan(((box.Y0 + y) * width + box.X0) * each, box.Width * each).CopyTo(result.AsSpan(y * box.Width * each));
        }
        return result;
    }

    /// <summary>Its inner part, without so many pixels on every side.</summary>
    public FloatImage Within(int margin) =>
        margin == 0 ? this : new(Width - 2 * margin, Height - 2 * margin, Channels, Within(Data, Width, Height, Channels, margin));

    /// <summary>The same of values that lie row by row, so many a pixel.</summary>
    public static T[] Within<T>(T[] values, int width, int height, int each, int margin)
    {
        if (margin == 0)
        {
            return values;
        }
        int w = (width - 2 * margin) * each;
        var result = new T[w * (height - 2 * margin)];
        for (int y = 0; y < height - 2 * margin; y++)
        {
            values.AsSpan(((y + margin) * width + margin) * each, w).CopyTo(result.AsSpan(y * w));
        }
        return result;
    }

    /// <summary>With so many pixels of zeros on every side.</summary>
    public FloatImage Padded(int margin)
    {
        if (margin == 0)
        {
            return this;
        }
        var result = new FloatImage(Width + 2 * margin, Height + 2 * margin, Channels);
        for (int y = 0; y < Height; y++)
        {
            Row(y).CopyTo(result.Row(y + margin)[(margin * Channels)..]);
        }
        return result;
    }

    /// <summary>It goes on by so many pixels on every side, as its border's pixels are.</summary>
    public FloatImage Around(int margin) =>
        margin == 0 ? this : new(Width + 2 * margin, Height + 2 * margin, Channels, Around(Data, Width, Height, Channels, margin));

    /// <inheritdoc cref="Around(int)"/>
    public static T[] Around<T>(T[] values, int width, int height, int each, int margin)
    {
        if (margin == 0)
        {
            return values;
        }
        int w = width + 2 * margin,
            h = height + 2 * margin;
        var result = new T[w * h * each];
        for (int y = 0; y < h; y++)
        {
            int from = Math.Clamp(y - margin, 0, height - 1) * width;
            for (int x = 0; x < w; x++)
            {
                values.AsSpan((from + Math.Clamp(x - margin, 0, width - 1)) * each, each).CopyTo(result.AsSpan((y * w + x) * each));
            }
        }
        return result;
    }

    /// <summary>Colours (H × W × 3) times a gain each; the picture itself where it is 1.</summary>
    public FloatImage Times(System.Numerics.Vector3 gain)
    {
        if (gain == System.Numerics.Vector3.One)
        {
            return this;
        }
        FloatImage result = Copy();
        for (int i = 0; i < result.Data.Length; i++)
        {
            result.Data[i] *= gain[i % 3];
        }
        return result;
    }

    /// <summary>Sampled bilinearly on a grid that is finer, H × W × C.</summary>
    public FloatImage EnlargedTo(int width, int height)
    {
        var result = new FloatImage(width, height, Channels);
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                SampleBilinear((x + 0.5) * Width / width, (y + 0.5) * Height / height, result.Pixel(x, y));
            }
        });
        return result;
    }

    /// <summary>Area average to a smaller size (box filter over the exact footprint). For pictures, never for data passes.</summary>
    public FloatImage ReducedTo(int width, int height)
    {
        var result = new FloatImage(width, height, Channels);
        double sx = (double)Width / width,
            sy = (double)Height / height;
        int channels = Channels,
            most = (int)Math.Ceiling(sx) + 1;
        // By column: the first pixel that it covers, how many, and how wide each is in it.
        var columns = new (int First, int Count)[width];
        var wide = new double[width * most];
        for (int x = 0; x < width; x++)
        {
            double left = x * sx,
                right = (x + 1) * sx;
            int first = (int)left,
                end = Math.Min(Width, (int)Math.Ceiling(right));
            columns[x] = (first, end - first);
            for (int u = first; u < end; u++)
            {
                wide[x * most + u - first] = Math.Min(right, u + 1) - Math.Max(left, u);
            }
        }
        Parallel.For(0, height, Cores.All, y =>
        {
            double top = y * sy,
                bottom = (y + 1) * sy;
            Span<double> sum = stackalloc double[channels];
            for (int x = 0; x < width; x++)
            {
                double area = 0;
                sum.Clear();
                var (first, count) = columns[x];
                for (int v = (int)top; v < Math.Min(Height, (int)Math.Ceiling(bottom)); v++)
                {
                    double h = Math.Min(bottom, v + 1) - Math.Max(top, v);
                    ReadOnlySpan<float> row = Data.AsSpan((v * Width + first) * channels, count * channels);
                    for (int u = 0, at = 0; u < count; u++)
                    {
                        double w = h * wide[x * most + u];
                        area += w;
                        for (int c = 0; c < sum.Length; c++)
                        {
                            sum[c] += w * row[at++];
                        }
                    }
                }
                Span<float> target = result.Pixel(x, y);
                for (int c = 0; c < sum.Length; c++)
                {
                    target[c] = (float)(sum[c] / area);
                }
            }
        });
        return result;
    }
}
