namespace Plenk.Core.Images;

/// <summary>
/// The colours of a foreground without those that shine through it: F and B of C = α F + (1 − α) B that change least where alpha does not, found in
/// ever finer pictures (Germer, Uelwer, Conrad and Harmeling 2020, Fast Multi-Level Foreground Estimation, equation 4 and algorithm 1).
/// </summary>
public static class CleanForeground
{
    private const float Smooth = 5e-3f,
        Edges = 0.1f;

    /// <param name="linear">RGB, scene-linear.</param>
    /// <param name="alpha">0..1, one a pixel.</param>
    /// <param name="background">Where it is known; else it is found as well.</param>
    /// <returns>RGB, not multiplied by alpha.</returns>
    public static FloatImage Of(FloatImage linear, float[] alpha, FloatImage? background = null)
    {
        int levels = (int)Math.Ceiling(Math.Log2(Math.Max(linear.Width, linear.Height)));
        FloatImage fore = new(1, 1, 3),
            back = new(1, 1, 3);
        for (int level = 0; level <= levels; level++)
        {
            int w = Math.Max(1, (int)Math.Round(Math.Pow(linear.Width, (double)level / levels))),
                h = Math.Max(1, (int)Math.Round(Math.Pow(linear.Height, (double)level / levels)));
            FloatImage picture = Nearest(linear, w, h),
                a = Nearest(new FloatImage(linear.Width, linear.Height, 1, alpha), w, h);
            FloatImage? behind = background is null ? null : Nearest(background, w, h);
            (fore, back) = (Nearest(fore, w, h), behind ?? Nearest(back, w, h));
            int rounds = Math.Max(w, h) <= 32 ? 10 : 3;
            for (int round = 0; round < rounds; round++)
            {
                // Every other pixel by turns, so that the result does not hang on who is first.
                for (int odd = 0; odd < 2; odd++)
                {
                    int parity = odd;
                    Parallel.For(0, h, Cores.All, y =>
                    {
                        for (int x = (y + parity) % 2; x < w; x += 2)
                        {
                            Settle(picture, a.Data, fore, back, behind is not null, x, y);
                        }
                    });
                }
            }
        }
        // Where it is whole it is the picture.
        for (int i = 0; i < alpha.Length; i++)
        {
            if (alpha[i] >= 1)
            {
                linear.Data.AsSpan(i * linear.Channels, 3).CopyTo(fore.Data.AsSpan(3 * i));
            }
        }
        return fore;
    }

    private static void Settle(FloatImage picture, float[] alpha, FloatImage fore, FloatImage back, bool known, int x, int y)
    {
        int w = picture.Width,
            h = picture.Height,
            i = y * w + x;
        float a0 = alpha[i],
            a1 = 1 - a0,
            weight = 0;
        Span<float> f = stackalloc float[3],
            b = stackalloc float[3];
        foreach (var (nx, ny) in (ReadOnlySpan<(int, int)>)[(x - 1, y), (x + 1, y), (x, y - 1), (x, y + 1)])
        {
            if (nx < 0 || ny < 0 || nx >= w || ny >= h)
            {
                continue;
            }
            int j = ny * w + nx;
            float own = Smooth + Edges * MathF.Abs(a0 - alpha[j]);
            weight += own;
            for (int c = 0; c < 3; c++)
            {
                f[c] += own * fore.Data[3 * j + c];
                b[c] += own * back.Data[3 * j + c];
            }
        }
        weight = MathF.Max(weight, 1e-4f);
        float a00 = a0 * a0 + weight,
            a01 = a0 * a1,
            a11 = a1 * a1 + weight,
            det = a00 * a11 - a01 * a01;
        for (int c = 0; c < 3; c++)
        {
            float own = picture.Data[i * picture.Channels + c];
            if (known)
            {
                fore.Data[3 * i + c] = MathF.Max(0, (a0 * (own - a1 * back.Data[3 * i + c]) + f[c]) / MathF.Max(1e-9f, a00));
                continue;
            }
            float b0 = a0 * own + f[c],
                b1 = a1 * own + b[c];
            fore.Data[3 * i + c] = MathF.Max(0, (a11 * b0 - a01 * b1) / det);
            back.Data[3 * i + c] = MathF.Max(0, (a00 * b1 - a01 * b0) / det);
        }
    }

    private static FloatImage Nearest(FloatImage image, int w, int h)
    {
        if (image.Width == w && image.Height == h)
        {
            return image.Copy();
        }
        var result = new FloatImage(w, h, image.Channels);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                int fx = Math.Min(image.Width - 1, (int)((x + 0.5) * image.Width / w)),
                    fy = Math.Min(image.Height - 1, (int)((y + 0.5) * image.Height / h));
                image.Pixel(fx, fy).CopyTo(result.Pixel(x, y));
            }
        }
        return result;
    }
}
