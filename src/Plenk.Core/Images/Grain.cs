using System.Numerics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>
/// The grain of a picture: its standard deviation a channel at rising levels, and how neighbouring pixels hang together. Linear
/// light. Measured on flat blocks about the plane through each, with what the plane takes of grain that hangs together put back; made anew
/// as filtered Gaussian noise (Galerne, Gousseau and Morel 2011).
/// </summary>
public sealed class Grain
{
    private const int Block = 12,
        Kernel = 5,
        LeastBlocks = 12,
        LeastOfLevel = 5,
        MostBins = 12;

    private readonly float[][] _levels; // [channel][bin], rising
    private readonly float[][] _deviation; // [channel][bin]
    private readonly float[] _kernel; // Kernel × Kernel, sum of squares 1

    private Grain(float[][] levels, float[][] deviation, float[] kernel) => (_levels, _deviation, _kernel) = (levels, deviation, kernel);

    /// <summary>The measured levels, rising, and the standard deviation at each; R, G, B.</summary>
    public IReadOnlyList<(Vector3 Level, Vector3 Deviation)> Levels =>
        [
            .. Enumerable
                .Range(0, _levels[0].Length)
                .Select(k =>
                    (
                        new Vector3(_levels[0][k], _levels[1][k], _levels[2][k]),
                        new Vector3(_deviation[0][k], _deviation[1][k], _deviation[2][k])
                    )
                ),
        ];

    /// <summary>How far two neighbours' grain is alike, −1..1.</summary>
    public double Correlation
    {
        get
        {
            double sum = 0;
            for (int y = 0; y < Kernel; y++)
            {
                for (int x = 0; x + 1 < Kernel; x++)
                {
                    sum += _kernel[y * Kernel + x] * _kernel[y * Kernel + x + 1];
                }
            }
            return sum;
        }
    }

    /// <summary>The standard deviation of a channel at a level; straight between the measured levels, held beyond them.</summary>
    public float Deviation(int channel, float level)
    {
        float[] d = _deviation[channel],
            l = _levels[channel];
        if (level <= l[0])
        {
            return d[0];
        }
        for (int i = 1; i < l.Length; i++)
        {
            if (level <= l[i])
            {
                return d[i - 1] + (d[i] - d[i - 1]) * (level - l[i - 1]) / MathF.Max(1e-9f, l[i] - l[i - 1]);
            }
        }
        return d[^1];
    }

    /// <summary>A block's mean and variance about the plane through it, by channel.</summary>
    private readonly record struct BlockOf(int X, int Y, Vector3 Level, Vector3 Variance);

    /// <summary>
    /// From what single frames differ by from a mean of many at the same places: by channel and level the middle deviation (1.4826 times
    /// the median of its size, Huber 1981), neighbours as alike as in <paramref name="like"/>. Null where there are too few.
    /// </summary>
    /// <param name="like">Null: neighbours are free of one another.</param>
    public static Grain? OfResiduals(IReadOnlyList<(Vector3 Level, Vector3 Residual)> spots, Grain? like)
    {
        int bins = Math.Min(12, spots.Count / LeastResiduals);
        if (bins == 0)
        {
            return null;
        }
        float[][] levels = [new float[bins], new float[bins], new float[bins]],
            deviation = [new float[bins], new float[bins], new float[bins]];
        for (int c = 0; c < 3; c++)
        {
            var sorted = spots.Select(s => (Level: s.Level[c], Off: MathF.Abs(s.Residual[c]))).OrderBy(s => s.Level).ToArray();
            for (int k = 0; k < bins; k++)
            {
                var own = sorted[(int)((long)sorted.Length * k / bins)..(int)((long)sorted.Length * (k + 1) / bins)];
                float[] off = [.. own.Select(s => s.Off).Order()];
                (levels[c][k], deviation[c][k]) = (own.Average(s => s.Level), 1.4826f * off[off.Length / 2]);
            }
        }
        return new(levels, deviation, like?._kernel ?? Filter(0, 0));
    }

    private const int LeastResiduals = 400;

    /// <summary>
    /// From the flat parts of a picture: blocks that hold nothing but grain, told by their variance being that of their level's quietest,
    /// up to what chance gives. Null where too little of it is flat.
    /// </summary>
    /// <param name="moving">
    /// The standard deviation by channel and level that frames differ by along their motion (<see cref="GrainFree.Noise"/>), linear; NaN
    /// where it is not known. It tells grain from texture: blocks that spread more are left out; where nothing is flat it stands alone.
    /// </param>
    public static Grain? Of(FloatImage picture, Func<int, float, float>? moving = null)
    {
        int across = picture.Width / Block,
            down = picture.Height / Block;
        if (across * down < LeastBlocks)
        {
            return null;
        }
        var all = new BlockOf[across * down];
        Parallel.For(0, down, Cores.All, by =>
        {
            for (int bx = 0; bx < across; bx++)
            {
                all[by * across + bx] = Measured(picture, bx * Block, by * Block);
            }
        });
        BlockOf[] blocks = [.. all.Where(b => float.IsFinite(b.Variance.Length()) && b.Variance.Y > 0).OrderBy(b => b.Level.Y)];
        if (blocks.Length < LeastBlocks)
        {
            return null;
        }
        // First as if neighbours were free of one another; what hangs together leaves less about a plane, and spreads more from block to block.
        GrainBlocks shape = GrainBlocks.Of(Block, 0, 0);
        BlockOf[][] bins = [];
        for (int pass = 0; pass < 3; pass++)
        {
            bins = Bins(Flat(blocks, shape, moving), shape);
            if (bins.Length == 0)
            {
                return moving is null ? null : Known(blocks, moving, shape);
            }
            var (beside, below) = Likeness(picture, bins);
            GrainBlocks next = GrainBlocks.For(Block, beside, below);
            if (next == shape)
            {
                break;
            }
            shape = next;
        }
        float[][] levels = [new float[bins.Length], new float[bins.Length], new float[bins.Length]],
            deviation = [new float[bins.Length], new float[bins.Length], new float[bins.Length]];
        for (int k = 0; k < bins.Length; k++)
        {
            for (int c = 0; c < 3; c++)
            {
                levels[c][k] = (float)bins[k].Average(b => (double)b.Level[c]);
                deviation[c][k] = (float)Math.Sqrt(bins[k].Average(b => (double)b.Variance[c]) / shape.Left);
            }
        }
        Doubted(levels, deviation, [.. bins.Select(b => Trusted(b, blocks))]);
        foreach (int c in (ReadOnlySpan<int>)[0, 1, 2])
        {
            Array.Sort(levels[c], deviation[c]);
        }
        return new(levels, deviation, Filter(shape.SigmaX, shape.SigmaY));
    }

    /// <summary>Most of the picture at those levels is flat: what spreads there is grain and not the evenest of textures.</summary>
    private static bool Trusted(BlockOf[] bin, BlockOf[] blocks)
    {
        float low = bin.Min(b => b.Level.Y),
            high = bin.Max(b => b.Level.Y);
        return bin.Length >= 0.5 * blocks.Count(b => b.Level.Y >= low && b.Level.Y <= high);
    }

    /// <summary>
    /// Levels where most is textured can only be told too high: they are held to what light itself makes of the sure ones, variance = a ·
    /// level + b (Foi et al. 2008); through the origin where these are alike in level, and by the lowest fifth where none is sure.
    /// </summary>
    private static void Doubted(float[][] levels, float[][] deviation, bool[] sure)
    {
        if (sure.All(t => t))
        {
            return;
        }
        for (int c = 0; c < 3; c++)
        {
            int[] own = [.. Enumerable.Range(0, sure.Length).Where(k => sure[k] && levels[c][k] > 0)];
            double a,
                b = 0;
            if (own.Length == 0)
            {
                double[] ratio =
                [
                    .. Enumerable
                        .Range(0, sure.Length)
                        .Where(k => levels[c][k] > 0)
                        .Select(k => deviation[c][k] * (double)deviation[c][k] / levels[c][k])
                        .Order(),
                ];
                if (ratio.Length == 0)
                {
                    continue;
                }
                a = ratio[ratio.Length / 5];
            }
            else
            {
                double n = own.Length,
                    x = own.Average(k => (double)levels[c][k]),
                    v = own.Average(k => (double)deviation[c][k] * deviation[c][k]);
                double xx = own.Sum(k => (levels[c][k] - x) * (levels[c][k] - x)),
                    xv = own.Sum(k => (levels[c][k] - x) * ((double)deviation[c][k] * deviation[c][k] - v));
                bool apart = own.Max(k => levels[c][k]) > 1.5 * own.Min(k => levels[c][k]);
                a = apart && xx > 0 ? xv / xx : v / x;
                b = apart ? v - a * x : 0;
                if (a < 0)
                {
                    (a, b) = (0, v);
                }
                if (b < 0)
                {
                    (a, b) = (v / x, 0);
                }
            }
            for (int k = 0; k < sure.Length; k++)
            {
                if (!sure[k])
                {
                    deviation[c][k] = (float)Math.Min(deviation[c][k], Math.Sqrt(Math.Max(0, a * levels[c][k] + b)));
                }
            }
        }
    }

    /// <summary>Nothing is flat: what moves tells alone.</summary>
    private static Grain? Known(BlockOf[] blocks, Func<int, float, float> moving, GrainBlocks shape)
    {
        var filled = Enumerable.Range(0, 3).Select(c => ByMotion(blocks, c, moving)).ToArray();
        int least = filled.Min(f => f.Levels.Length);
        return least == 0
            ? null
            : new(
                [.. filled.Select(f => f.Levels[..least])],
                [.. filled.Select(f => f.Deviation[..least])],
                Filter(shape.SigmaX, shape.SigmaY)
            );
    }

    /// <summary>Levels of the picture that lie apart, by what moves.</summary>
    private static (float[] Levels, float[] Deviation) ByMotion(BlockOf[] blocks, int channel, Func<int, float, float> moving)
    {
        var all = new List<(float First, float Second)>();
        float[] seen = [.. blocks.Select(b => b.Level[channel]).Order()];
        for (int k = 0; k < MostBins; k++)
        {
            float level = seen[(int)((k + 0.5) / MostBins * (seen.Length - 1))],
                sd = moving(channel, level);
            if (sd > 0 && all.All(l => MathF.Abs(l.First - level) > 0.15f * MathF.Max(level, l.First)))
            {
                all.Add((level, sd));
            }
        }
        all.Sort((a, b) => a.First.CompareTo(b.First));
        return ([.. all.Select(l => l.First)], [.. all.Select(l => l.Second)]);
    }

    /// <summary>Those whose variance is no more than chance lets it be about that of the quietest of like level.</summary>
    private static BlockOf[] Flat(BlockOf[] blocks, GrainBlocks shape, Func<int, float, float>? moving)
    {
        // The quietest tenth of those around it in level says what grain is there. Of many the tenth lies below their mean by a known share.
        int reach = Math.Clamp(blocks.Length / 24, 6, 60);
        double tenth = shape.Quantile(0.1),
            most = shape.Quantile(0.995);
        var kept = new List<BlockOf>();
        for (int i = 0; i < blocks.Length; i++)
        {
            bool flat = true;
            foreach (int c in (ReadOnlySpan<int>)[0, 1, 2])
            {
                int from = Math.Max(0, i - reach),
                    to = Math.Min(blocks.Length, i + reach + 1);
                float[] around = [.. Enumerable.Range(from, to - from).Select(k => blocks[k].Variance[c]).Order()];
                double quiet = around[(int)(0.1 * (around.Length - 1))] / tenth;
                flat &= blocks[i].Variance[c] <= quiet * most * 1.15;
                if (moving?.Invoke(c, blocks[i].Level[c]) is > 0 and float sd)
                {
                    flat &= blocks[i].Variance[c] <= sd * sd * shape.Left * most * 1.3;
                }
            }
            if (flat)
            {
                kept.Add(blocks[i]);
            }
        }
        return [.. kept];
    }

    /// <summary>Flat blocks by level: apart where levels leave a gap, and in parts of equal number where they do not.</summary>
    private static BlockOf[][] Bins(BlockOf[] flat, GrainBlocks shape)
    {
        if (flat.Length < LeastBlocks)
        {
            return [];
        }
        var groups = new List<List<BlockOf>> { new() };
        for (int i = 0; i < flat.Length; i++)
        {
            if (i > 0)
            {
                // By how much means of blocks differ by chance.
                double chance = Math.Sqrt(Math.Max(flat[i].Variance.Y, flat[i - 1].Variance.Y) / shape.Left * shape.OfMean);
                if (flat[i].Level.Y - flat[i - 1].Level.Y > Math.Max(6 * chance, 0.004 * flat[i].Level.Y))
                {
                    groups.Add([]);
                }
            }
            groups[^1].Add(flat[i]);
        }
        // A level of which there is too little goes to the nearest one.
        for (
            int k = groups.FindIndex(g => g.Count < LeastOfLevel);
            k >= 0 && groups.Count > 1;
            k = groups.FindIndex(g => g.Count < LeastOfLevel)
        )
        {
            float down = k > 0 ? groups[k][0].Level.Y - groups[k - 1][^1].Level.Y : float.PositiveInfinity,
                up = k + 1 < groups.Count ? groups[k + 1][0].Level.Y - groups[k][^1].Level.Y : float.PositiveInfinity;
            int to = down <= up ? k - 1 : k;
            groups[to].AddRange(groups[to + 1]);
            groups.RemoveAt(to + 1);
        }
        var bins = new List<BlockOf[]>();
        foreach (List<BlockOf> g in groups)
        {
            double chance = Math.Sqrt(g.Average(b => (double)b.Variance.Y) / shape.Left * shape.OfMean),
                range = g[^1].Level.Y - g[0].Level.Y;
            int parts = range < 8 * chance ? 1 : Math.Clamp(g.Count / 40, 1, Math.Max(1, MostBins * g.Count / flat.Length));
            for (int k = 0; k < parts; k++)
            {
                bins.Add([.. g[(g.Count * k / parts)..(g.Count * (k + 1) / parts)]]);
            }
        }
        return [.. bins.Where(b => b.Length > 0)];
    }

    private static BlockOf Measured(FloatImage picture, int x0, int y0)
    {
        Vector3 level = default,
            variance = default;
        for (int c = 0; c < 3; c++)
        {
            (level[c], variance[c]) = Residual(picture, c, x0, y0, null);
        }
        return new(x0, y0, level, variance);
    }

    /// <summary>Mean of a block of a channel, and the mean square of what a plane through it leaves.</summary>
    private static (float Level, float Variance) Residual(FloatImage picture, int channel, int x0, int y0, double[]? residual)
    {
        const double middle = (Block - 1) / 2.0,
            square = Block * (Block * Block * (double)Block - Block) / 12; // Σ (x − middle)² over the block
        double mean = 0,
            dx = 0,
            dy = 0;
        for (int y = 0; y < Block; y++)
        {
            for (int x = 0; x < Block; x++)
            {
                double v = picture[x0 + x, y0 + y, channel];
                mean += v;
                dx += v * (x - middle);
                dy += v * (y - middle);
            }
        }
        mean /= Block * Block;
        (dx, dy) = (dx / square, dy / square);
        double sum = 0;
        for (int y = 0; y < Block; y++)
        {
            for (int x = 0; x < Block; x++)
            {
                double r = picture[x0 + x, y0 + y, channel] - mean - dx * (x - middle) - dy * (y - middle);
                if (residual is not null)
                {
                    residual[y * Block + x] = r;
                }
                sum += r * r;
            }
        }
        return ((float)mean, (float)(sum / (Block * Block)));
    }

    /// <summary>How much neighbours' residuals are alike over the flat blocks, across and down; green.</summary>
    private static (double X, double Y) Likeness(FloatImage picture, BlockOf[][] bins)
    {
        double alikeX = 0,
            alikeY = 0;
        int count = 0;
        var residual = new double[Block * Block];
        foreach (BlockOf b in bins.SelectMany(k => k))
        {
            Residual(picture, 1, b.X, b.Y, residual);
            double right = 0,
                below = 0,
                own = 0;
            for (int y = 0; y < Block; y++)
            {
                for (int x = 0; x < Block; x++)
                {
                    double r = residual[y * Block + x];
                    own += r * r;
                    if (x + 1 < Block)
                    {
                        right += r * residual[y * Block + x + 1];
                    }
                    if (y + 1 < Block)
                    {
                        below += r * residual[(y + 1) * Block + x];
                    }
                }
            }
            if (own <= 0)
            {
                continue;
            }
            double by = own / (Block * Block) * Block * (Block - 1);
            (alikeX, alikeY) = (alikeX + right / by, alikeY + below / by);
            count++;
        }
        return count > 0 ? (alikeX / count, alikeY / count) : default;
    }

    /// <summary>A Gaussian of that width, its squares summing to 1: white noise through it hangs together as the grain does.</summary>
    private static float[] Filter(double sigmaX, double sigmaY)
    {
        var kernel = new float[Kernel * Kernel];
        double norm = 0;
        for (int y = -2; y <= 2; y++)
        {
            for (int x = -2; x <= 2; x++)
            {
                double v = GrainBlocks.Weight(x, sigmaX) * GrainBlocks.Weight(y, sigmaY);
                kernel[(y + 2) * Kernel + x + 2] = (float)v;
                norm += v * v;
            }
        }
        for (int i = 0; i < kernel.Length; i++)
        {
            kernel[i] /= (float)Math.Sqrt(norm);
        }
        return kernel;
    }

    private const int Band = 32; // rows that share their white noise

    /// <summary>
    /// Lays grain on a picture in place, as much as its level asks for; the same seed gives the same grain, another frame's another.
    /// </summary>
    /// <param name="where">How much of it a pixel takes, 0..1.</param>
    public void AddTo(FloatImage picture, float[] where, uint seed)
    {
        int w = picture.Width,
            h = picture.Height;
        PixelBox box = PixelBox.Of(new FloatImage(w, h, 1, where));
        if (box.IsEmpty)
        {
            return;
        }
        const int rim = Kernel / 2;
        int wide = box.Width + 2 * rim;
        Parallel.For(0, (box.Height + Band - 1) / Band, Cores.All, band =>
        {
            int top = box.Y0 + band * Band,
                bottom = Math.Min(box.Y1, top + Band);
            // White noise of the band and its rim, a plane a channel; each is drawn once.
            var white = new float[3][];
            for (int c = 0; c < 3; c++)
            {
                white[c] = new float[wide * (bottom - top + 2 * rim)];
                for (int y = 0; y < bottom - top + 2 * rim; y++)
                {
                    for (int x = 0; x < wide; x++)
                    {
                        white[c][y * wide + x] = Gaussian(box.X0 - rim + x, top - rim + y, c, seed);
                    }
                }
            }
            var noise = new float[box.Width];
            for (int y = top; y < bottom; y++)
            {
                ReadOnlySpan<float> share = where.AsSpan(y * w + box.X0, box.Width);
                for (int c = 0; c < 3; c++)
                {
                    Array.Clear(noise);
                    for (int k = 0; k < Kernel * Kernel; k++)
                    {
                        Blur.Add(noise, white[c].AsSpan((y - top + k / Kernel) * wide + k % Kernel, box.Width), _kernel[k]);
                    }
                    for (int x = 0; x < box.Width; x++)
                    {
                        if (share[x] <= 0)
                        {
                            continue;
                        }
                        ref float value = ref picture.Data[3 * (y * w + box.X0 + x) + c];
                        value += share[x] * noise[x] * Deviation(c, value);
                    }
                }
            }
        });
    }

    /// <summary>Box and Muller 1958, from a hash of the place.</summary>
    private static float Gaussian(int x, int y, int channel, uint seed)
    {
        uint a = HashMix.Of((uint)(x + 4) * 73856093u ^ (uint)(y + 4) * 19349663u ^ (uint)channel * 83492791u ^ seed * 2654435761u),
            b = HashMix.Of(a + 0x9e3779b9u);
        return MathF.Sqrt(-2 * ElementaryF.Log(((a >> 8) + 1) / 16777217f)) * ElementaryF.Cos(2 * MathF.PI * (b >> 8) / 16777216f);
    }
}
