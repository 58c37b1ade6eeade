namespace Plenk.Core.Images;

/// <summary>
/// The grain of a picture: its standard deviation a channel at rising levels, and how neighbouring pixels hang together. Linear
/// light. Measured on blocks that a plane fits; made anew as filtered Gaussian noise with the same spectrum
/// (Galerne, Gousseau and Morel 2011).
/// </summary>
public sealed class Grain
{
    private const int Block = 8, Bins = 12, Kernel = 5;

    // Of 64 values less a plane the 15th percentile of the standard deviation lies there when all blocks are flat (χ² of 61 degrees).
    private const double Quiet = 0.15, QuietToMean = 0.907;

    private readonly float[] _levels; // of the bins, rising
    private readonly float[][] _deviation; // [channel][bin]
    private readonly float[] _kernel; // Kernel × Kernel, sum of squares 1

    private Grain(float[] levels, float[][] deviation, float[] kernel) => (_levels, _deviation, _kernel) = (levels, deviation, kernel);

    /// <summary>How far two neighbours' grain is alike, −1..1.</summary>
    public double Correlation
    {
        get
        {
            double sum = 0;
            for (int y = 0; y < Kernel; y++) { for (int x = 0; x + 1 < Kernel; x++) { sum += _kernel[y * Kernel + x] * _kernel[y * Kernel + x + 1]; } }
            return sum;
        }
    }

    /// <summary>The standard deviation of a channel at a level; straight between the measured levels, held beyond them.</summary>
    public float Deviation(int channel, float level)
    {
        float[] d = _deviation[channel];
        if (level <= _levels[0]) { return d[0]; }
        for (int i = 1; i < _levels.Length; i++)
        {
            if (level <= _levels[i]) { return d[i - 1] + (d[i] - d[i - 1]) * (level - _levels[i - 1]) / MathF.Max(1e-9f, _levels[i] - _levels[i - 1]); }
        }
        return d[^1];
    }

    /// <summary>Null where no part of the picture is flat enough to tell.</summary>
    public static Grain? Of(FloatImage picture)
    {
        int across = picture.Width / Block, down = picture.Height / Block;
        if (across * down < 40) { return null; }
        var blocks = new (float Level, double Spread, int X, int Y)[3][];
        for (int c = 0; c < 3; c++)
        {
            int channel = c;
            blocks[c] = new (float, double, int, int)[across * down];
            Parallel.For(0, down, by => { for (int bx = 0; bx < across; bx++) { blocks[channel][by * across + bx] = Measured(picture, channel, bx * Block, by * Block, null); } });
        }
        var sorted = blocks.Select(b => b.Where(v => v.Level > 0 && float.IsFinite(v.Level)).OrderBy(v => v.Level).ToArray()).ToArray();
        if (sorted[1].Length < 40) { return null; }
        int bins = Math.Clamp(sorted[1].Length / 40, 1, Bins);
        var levels = new float[bins];
        var deviation = new float[3][];
        var autocovariance = new double[Kernel * Kernel];
        int used = 0;
        for (int c = 0; c < 3; c++)
        {
            deviation[c] = new float[bins];
            for (int k = 0; k < bins; k++)
            {
                var part = sorted[c][(sorted[c].Length * k / bins)..(sorted[c].Length * (k + 1) / bins)];
                if (part.Length == 0) { continue; }
                var quiet = part.OrderBy(p => p.Spread).ToArray();
                double spread = quiet[(int)(Quiet * (quiet.Length - 1))].Spread;
                deviation[c][k] = (float)(spread / QuietToMean);
                if (c != 1) { continue; }
                levels[k] = part[part.Length / 2].Level;
                // The hang together of the quiet blocks, each to its own spread.
                foreach (var b in quiet.Take(Math.Max(1, quiet.Length * 3 / 10)))
                {
                    if (!(b.Spread > 0)) { continue; }
                    var residual = new double[Block * Block];
                    Measured(picture, c, b.X, b.Y, residual);
                    used++;
                    for (int dy = -2; dy <= 2; dy++)
                    {
                        for (int dx = -2; dx <= 2; dx++)
                        {
                            double sum = 0;
                            int n = 0;
                            for (int y = Math.Max(0, -dy); y < Math.Min(Block, Block - dy); y++) { for (int x = Math.Max(0, -dx); x < Math.Min(Block, Block - dx); x++) { sum += residual[y * Block + x] * residual[(y + dy) * Block + x + dx]; n++; } }
                            autocovariance[(dy + 2) * Kernel + dx + 2] += sum / n / (b.Spread * b.Spread);
                        }
                    }
                }
            }
        }
        if (used == 0) { return new(levels, deviation, [.. Enumerable.Range(0, Kernel * Kernel).Select(i => i == 12 ? 1f : 0)]); }
        return new(levels, deviation, Root(autocovariance));
    }

    /// <summary>Level and standard deviation of a block of a channel about the plane through it.</summary>
    private static (float Level, double Spread, int X, int Y) Measured(FloatImage picture, int channel, int x0, int y0, double[]? residual)
    {
        const double middle = (Block - 1) / 2.0, square = Block * (Block * Block * (double)Block - Block) / 12; // Σ (x − middle)² over the block
        double mean = 0, dx = 0, dy = 0;
        for (int y = 0; y < Block; y++) { for (int x = 0; x < Block; x++) { double v = picture[x0 + x, y0 + y, channel]; mean += v; dx += v * (x - middle); dy += v * (y - middle); } }
        mean /= Block * Block;
        (dx, dy) = (dx / square, dy / square);
        double sum = 0;
        for (int y = 0; y < Block; y++)
        {
            for (int x = 0; x < Block; x++)
            {
                double r = picture[x0 + x, y0 + y, channel] - mean - dx * (x - middle) - dy * (y - middle);
                if (residual is not null) { residual[y * Block + x] = r; }
                sum += r * r;
            }
        }
        return ((float)mean, Math.Sqrt(sum / (Block * Block - 3)), x0, y0);
    }

    /// <summary>A filter whose own autocovariance is the given one: the root of its spectrum, back in space.</summary>
    private static float[] Root(double[] autocovariance)
    {
        const int n = 16;
        double centre = Math.Max(autocovariance[12], 1e-12);
        var spectrum = new double[n * n];
        for (int v = 0; v < n; v++)
        {
            for (int u = 0; u < n; u++)
            {
                double sum = 0;
                for (int dy = -2; dy <= 2; dy++) { for (int dx = -2; dx <= 2; dx++) { sum += autocovariance[(dy + 2) * Kernel + dx + 2] / centre * Math.Cos(2 * Math.PI * (u * dx + v * dy) / n); } }
                spectrum[v * n + u] = Math.Sqrt(Math.Max(0, sum));
            }
        }
        var kernel = new float[Kernel * Kernel];
        double norm = 0;
        for (int y = -2; y <= 2; y++)
        {
            for (int x = -2; x <= 2; x++)
            {
                double sum = 0;
                for (int v = 0; v < n; v++) { for (int u = 0; u < n; u++) { sum += spectrum[v * n + u] * Math.Cos(2 * Math.PI * (u * x + v * y) / n); } }
                kernel[(y + 2) * Kernel + x + 2] = (float)(sum / (n * n));
                norm += sum / (n * n) * (sum / (n * n));
            }
        }
        for (int i = 0; i < kernel.Length; i++) { kernel[i] /= (float)Math.Sqrt(norm); }
        return kernel;
    }

    /// <summary>Lays grain on a picture in place, as much as its level asks for; the same seed gives the same grain, another frame's another.</summary>
    /// <param name="where">How much of it a pixel takes, 0..1.</param>
    public void AddTo(FloatImage picture, ReadOnlySpan<float> where, uint seed)
    {
        float[] share = where.ToArray();
        int w = picture.Width, h = picture.Height;
        Parallel.For(0, h, y =>
        {
            Span<float> noise = stackalloc float[3];
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (share[i] <= 0) { continue; }
                noise.Clear();
                for (int dy = -2; dy <= 2; dy++)
                {
                    for (int dx = -2; dx <= 2; dx++)
                    {
                        float k = _kernel[(dy + 2) * Kernel + dx + 2];
                        for (int c = 0; c < 3; c++) { noise[c] += k * Gaussian(x + dx, y + dy, c, seed); }
                    }
                }
                for (int c = 0; c < 3; c++) { picture.Data[3 * i + c] += share[i] * noise[c] * Deviation(c, picture.Data[3 * i + c]); }
            }
        });
    }

    /// <summary>Box and Muller 1958, from a hash of the place.</summary>
    private static float Gaussian(int x, int y, int channel, uint seed)
    {
        uint a = Tracing.Sampling.Hash((uint)(x + 4) * 73856093u ^ (uint)(y + 4) * 19349663u ^ (uint)channel * 83492791u ^ seed * 2654435761u), b = Tracing.Sampling.Hash(a + 0x9e3779b9u);
        return MathF.Sqrt(-2 * MathF.Log(((a >> 8) + 1) / 16777217f)) * MathF.Cos(2 * MathF.PI * (b >> 8) / 16777216f);
    }
}
