namespace Plenk.Core.Images;

/// <summary>Holes in a picture filled from their rim, smoothly or with another picture's detail.</summary>
public static class HoleFill
{
    /// <summary>
    /// The harmonic continuation of the rim: every pixel of the hole is the mean of its four neighbours (Laplace's equation, five-point;
    /// at the picture's border those there are).
    /// </summary>
    /// <param name="hole">Pixels to be filled; all others keep their values and are what it is filled from.</param>
    public static FloatImage Harmonic(FloatImage picture, bool[] hole, CancellationToken stop = default) =>
        Solve(picture, null, hole, null, stop);

    /// <summary>
    /// Another picture's detail laid into the hole so that it meets the rim (Poisson image editing, Pérez, Gangnet and Blake 2003,
    /// equation 3): the gradients are the source's, the border is the picture's.
    /// </summary>
    /// <param name="source">Also where the rim is: the step across it is its own.</param>
    /// <param name="free">Pixels that are neither: what borders on them is not held by them. Null: none.</param>
    public static FloatImage Paste(
        FloatImage picture,
        FloatImage source,
        bool[] hole,
        bool[]? free = null,
        CancellationToken stop = default
    ) => Solve(picture, source, hole, free, stop);

    private static FloatImage Solve(FloatImage picture, FloatImage? source, bool[] hole, bool[]? free, CancellationToken stop)
    {
        int w = picture.Width,
            h = picture.Height,
            channels = picture.Channels;
        if (hole.Length != w * h || (source is not null && (source.Width != w || source.Height != h || source.Channels != channels)))
        {
            throw new ArgumentException("picture, source and hole are of one size");
        }
        int[] pixels = [.. Enumerable.Range(0, hole.Length).Where(i => hole[i])];
        FloatImage result = picture.Copy();
        if (pixels.Length == 0 || pixels.Length == hole.Length)
        {
            return result;
        }
        var number = new int[w * h];
        Array.Fill(number, -1);
        for (int k = 0; k < pixels.Length; k++)
        {
            number[pixels[k]] = k;
        }
        // Neighbours by number; −1 on the rim, −2 beyond the picture and where it is free.
        var neighbour = new int[4 * pixels.Length];
        int At(int x, int y) => x < 0 || y < 0 || x >= w || y >= h || free?[y * w + x] == true ? -2 : number[y * w + x];
        for (int k = 0; k < pixels.Length; k++)
        {
            int x = pixels[k] % w,
                y = pixels[k] / w;
            (neighbour[4 * k], neighbour[4 * k + 1], neighbour[4 * k + 2], neighbour[4 * k + 3]) = (
                At(x + 1, y),
                At(x - 1, y),
                At(x, y + 1),
                At(x, y - 1)
            );
        }
        int[] step = [1, -1, w, -w];
        Parallel.For(0, channels, Cores.All, c =>
        {
            var right = new double[pixels.Length];
            var x = new double[pixels.Length];
            for (int k = 0; k < pixels.Length; k++)
            {
                for (int d = 0; d < 4; d++)
                {
                    int n = neighbour[4 * k + d];
                    if (n == -2)
                    {
                        continue;
                    }
                    int j = pixels[k] + step[d];
                    if (n == -1)
                    {
                        right[k] += picture.Data[j * channels + c];
                    }
                    if (source is not null)
                    {
                        right[k] += source.Data[pixels[k] * channels + c] - (double)source.Data[j * channels + c];
                    }
                }
                x[k] = source is null ? picture.Data[pixels[k] * channels + c] : source.Data[pixels[k] * channels + c];
                if (!double.IsFinite(x[k]))
                {
                    x[k] = 0;
                }
            }
            ConjugateGradients(neighbour, right, x, stop);
            for (int k = 0; k < pixels.Length; k++)
            {
                result.Data[pixels[k] * channels + c] = (float)x[k];
            }
        });
        return result;
    }

    /// <summary>
    /// Of the negative Laplacian, which is positive definite wherever a hole touches a rim (Hestenes and Stiefel 1952), scaled by its
    /// diagonal.
    /// </summary>
    private static void ConjugateGradients(int[] neighbour, double[] right, double[] x, CancellationToken stop)
    {
        int n = x.Length;
        double[] residual = new double[n],
            way = new double[n],
            by = new double[n],
            diagonal = new double[n];
        for (int k = 0; k < n; k++)
        {
            for (int d = 0; d < 4; d++)
            {
                if (neighbour[4 * k + d] != -2)
                {
                    diagonal[k]++;
                }
            }
        }
        void Times(double[] v, double[] into)
        {
            for (int k = 0; k < n; k++)
            {
                double s = diagonal[k] * v[k];
                for (int d = 0; d < 4; d++)
                {
                    int j = neighbour[4 * k + d];
                    if (j >= 0)
                    {
                        s -= v[j];
                    }
                }
                into[k] = s;
            }
        }
        Times(x, by);
        double rz = 0,
            size = 0;
        for (int k = 0; k < n; k++)
        {
            residual[k] = right[k] - by[k];
            way[k] = residual[k] / diagonal[k];
            rz += residual[k] * way[k];
            size += right[k] * right[k];
        }
        double enough = 1e-20 * Math.Max(size, 1e-12);
        for (int round = 0; round < 4 * n + 100 && rz > enough; round++)
        {
            if (round % 32 == 0)
            {
                stop.ThrowIfCancellationRequested();
            }
            Times(way, by);
            double along = 0;
            for (int k = 0; k < n; k++)
            {
                along += way[k] * by[k];
            }
            if (!(along > 0))
            {
                return;
            }
            double a = rz / along,
                next = 0;
            for (int k = 0; k < n; k++)
            {
                x[k] += a * way[k];
                residual[k] -= a * by[k];
                next += residual[k] * residual[k] / diagonal[k];
            }
            double b = next / rz;
            rz = next;
            for (int k = 0; k < n; k++)
            {
                way[k] = residual[k] / diagonal[k] + b * way[k];
            }
        }
    }
}
