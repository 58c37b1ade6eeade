using System.Buffers;
using System.Numerics;
using System.Runtime.Intrinsics;
using Plenk.Core.Images;

namespace Plenk.Core.Lighting.Smoothing;

/// <summary>
/// Ratios of sums, smoothed over pixels of one surface: an edge-avoiding à-trous transform (Dammertz, Sewtz, Hanika and Lensch 2010) by normals and
/// planes alone, numerator and denominator apart, in levels of growing reach. Which level a pixel takes is cross-validated: each half of the samples,
/// smoothed, is held against the other as it was sampled (as in Rousselle, Knaus and Zwicker 2012): that tells bias and noise of every level
/// alike, so edges of shadows stay as sharp as they were sampled. Where a pixel has one sample, each half has every other pixel: then none stays as it
/// was sampled.
/// </summary>
/// <param name="box">Of the frame, what the surfaces are told of.</param>
/// <param name="restIsOne">Pixels that are not given had nothing come between: their ratio is 1.</param>
internal sealed class LightFilter(Surfaces surfaces, SmoothedPixels pixels, PixelBox box, bool restIsOne)
{
    /// <summary>The widest reaches 1 + 2 + 4 + 8 + 16 + 32 pixels.</summary>
    public const int Levels = 6;
    public const int Reach = 63;

    /// <summary>Over so many pixels (σ) the levels' errors are averaged: one pixel's say little. It is done over squares of two by two.</summary>
    private const double ErrorOver = 2.5;
    private const double ChosenOver = 1.2;

    /// <summary>Planes of a <see cref="HalfSums"/>: even, odd, what each is measured by; three colours of each.</summary>
    private const int Sums = 12,
        Odd = 3,
        By = 6;

    /// <summary>And of the halves' own ratios, three colours of each: whether they have samples.</summary>
    private const int HasEven = 6,
        HasOdd = 7;

    /// <summary>Of the averaged errors: whether a half tells something, how far they are apart as sampled, then by level.</summary>
    private const int Valid = 0,
        Apart = 1;

    private readonly int _width = surfaces.Width,
        _height = surfaces.Height;
    private readonly float[] _has = new float[surfaces.Floats];
    private readonly List<float[]> _lent = [];

    private const byte Given = 2,
        Told = 1;
    private readonly byte[] _is = new byte[surfaces.Width * surfaces.Height];
    private Vector3[] _ratio = [];
    private float[] _square = [];

    /// <summary>Some pixel has samples of both halves.</summary>
    private volatile bool _both;

    /// <summary>A pixel's smoothed ratio, and its error's mean square as it was estimated; null where nothing is told.</summary>
    public (Vector3 Ratio, float Square)? Of(int x, int y)
    {
        int i = (y - box.Y0) * _width + x - box.X0;
        return _is[i] == 0 ? null : (_ratio[i], _square[i]);
    }

    /// <summary>It was sampled, not only told by those around it.</summary>
    public bool IsGiven(int x, int y) => _is[(y - box.Y0) * _width + x - box.X0] == Given;

    public void Run()
    {
        try
        {
            (_ratio, _square) = Smoothed();
        }
        finally
        {
            _lent.ForEach(p => ArrayPool<float>.Shared.Return(p));
        }
    }

    private (Vector3[] Ratio, float[] Square) Smoothed()
    {
        float[][] now = Planes(Sums),
            next = Planes(Sums),
            halves = Planes(By + 2),
            errors = Planes(Levels + 2);
        var ratios = new float[Levels + 1][][];
        Fill(now);
        ratios[0] = Planes(3);
        EachEight((x, y) => AsSampled(surfaces.At(x, y), now, halves, ratios[0], errors));
        for (int level = 1; level <= Levels; level++)
        {
            int step = 1 << (level - 1);
            float[][] from = now,
                to = next,
                ratio = ratios[level] = Planes(3);
            float[] error = errors[Apart + level];
            EachEight(
                (x, y) =>
                {
                    if (Widen(x, y, step, from, to))
                    {
                        Judge(surfaces.At(x, y), to, halves, ratio, error);
                    }
                }
            );
            (now, next) = (next, now);
        }
        return Chosen(ratios, Averaged(errors));
    }

    /// <summary>Planes of zeros, lent until the end: a draft asks for the same again and again.</summary>
    private float[][] Planes(int count)
    {
        var planes = new float[count][];
        for (int i = 0; i < count; i++)
        {
            _lent.Add(planes[i] = ArrayPool<float>.Shared.Rent(surfaces.Floats));
            planes[i].AsSpan(0, surfaces.Floats).Clear();
        }
        return planes;
    }

    private void EachEight(Action<int, int> act) => Parallel.For(0, _height, Cores.All, y =>
        {
            for (int x = 0; x < _width; x += Surfaces.Lanes)
            {
                act(x, y);
            }
        });

    /// <summary>
    /// The sums by planes. Pixels that nothing came between have a ratio of one; how much light they are measured by is taken from those around
    /// them on their surface, as far as there are any.
    /// </summary>
    private void Fill(float[][] planes)
    {
        Parallel.For(0, _height, Cores.All, y =>
        {
            foreach (var (column, s) in pixels.Row(y + box.Y0, box))
            {
                int x = column - box.X0,
                    i = surfaces.At(x, y);
                if (!surfaces.Shows(x, y))
                {
                    continue;
                }
                _has[i] = 1;
                _is[y * _width + x] = Given;
                if (s.EvenBy != default && s.OddBy != default)
                {
                    _both = true;
                }
                for (int c = 0; c < 3; c++)
                {
                    (planes[c][i], planes[Odd + c][i]) = (s.Even[c], s.Odd[c]);
                    (planes[By + c][i], planes[By + Odd + c][i]) = (s.EvenBy[c], s.OddBy[c]);
                }
            }
        });
        float[][] light = restIsOne ? Planes(3) : [];
        for (int step = 1; restIsOne && step <= 8; step *= 2)
        {
            int reach = step;
            float[] before = [.. _has];
            EachEight((x, y) => Lend(x, y, reach, before, planes, light));
            EachEight((x, y) => Take(surfaces.At(x, y), before, light, planes));
        }
    }

    /// <summary>What the neighbours of eight pixels that have nothing are measured by, on average.</summary>
    private void Lend(int x, int y, int step, float[] before, float[][] planes, float[][] light)
    {
        int i = surfaces.At(x, y);
        Vector256<float> missing = Vector256.Equals(Surfaces.Load(before, i), Vector256<float>.Zero);
        if (missing == Vector256<float>.Zero || !surfaces.AnyShows(i))
        {
            return;
        }
        Span<Vector256<float>> weights = stackalloc Vector256<float>[Surfaces.Taps];
        Span<int> places = stackalloc int[Surfaces.Taps];
        int count = surfaces.Weigh(x, y, step, before, weights, places);
        Vector256<float> whole = Normalised(weights[..count]) & missing;
        for (int c = 0; c < 3; c++)
        {
            Vector256<float> sum = default;
            for (int k = 0; k < count; k++)
            {
                sum += weights[k] * (Surfaces.Load(planes[By + c], places[k]) + Surfaces.Load(planes[By + Odd + c], places[k]));
            }
            Surfaces.Store(Vector256.GreaterThan(whole, Vector256<float>.Zero) & (sum * 0.5f), light[c], i);
        }
        Surfaces.Store(Surfaces.Load(_has, i) + (Vector256.GreaterThan(whole, Vector256<float>.Zero) & Vector256.Create(1f)), _has, i);
    }

    private void Take(int i, float[] before, float[][] light, float[][] planes)
    {
        Vector256<float> taken = Surfaces.Load(_has, i) - Surfaces.Load(before, i);
        if (taken == Vector256<float>.Zero)
        {
            return;
        }
        for (int p = 0; p < Sums; p++)
        {
            Surfaces.Store(Surfaces.Load(planes[p], i) + taken * Surfaces.Load(light[p % 3], i), planes[p], i);
        }
    }

    /// <summary>Weights made to sum to one, where there are any; their sum before.</summary>
    private static Vector256<float> Normalised(Span<Vector256<float>> weights)
    {
        Vector256<float> whole = default;
        foreach (Vector256<float> w in weights)
        {
            whole += w;
        }
        Vector256<float> by = Vector256.GreaterThan(whole, Vector256<float>.Zero) & (Vector256.Create(1f) / whole);
        foreach (ref Vector256<float> w in weights)
        {
            w *= by;
        }
        return whole;
    }

    private void AsSampled(int i, float[][] sums, float[][] halves, float[][] ratio, float[][] errors)
    {
        Vector256<float> has = Surfaces.Load(_has, i);
        if (has == Vector256<float>.Zero)
        {
            return;
        }
        Vector256<float> even = default,
            odd = default,
            square = default;
        for (int c = 0; c < 3; c++)
        {
            var (a, b) = Ratios(i, c, sums, ratio);
            Surfaces.Store(a, halves[c], i);
            Surfaces.Store(b, halves[Odd + c], i);
            even += Surfaces.Load(sums[By + c], i);
            odd += Surfaces.Load(sums[By + Odd + c], i);
            square += (a - b) * (a - b);
        }
        Vector256<float> hasEven = Vector256.GreaterThan(even, Vector256<float>.Zero) & has,
            hasOdd = Vector256.GreaterThan(odd, Vector256<float>.Zero) & has;
        Surfaces.Store(hasEven, halves[HasEven], i);
        Surfaces.Store(hasOdd, halves[HasOdd], i);
        Surfaces.Store(Vector256.Max(hasEven, hasOdd), errors[Valid], i);
        Surfaces.Store(hasEven * hasOdd * square * (1 / 3f), errors[Apart], i);
    }

    /// <summary>Eight pixels' sums over their neighbours; false where none of them has any.</summary>
    private bool Widen(int x, int y, int step, float[][] from, float[][] to)
    {
        int i = surfaces.At(x, y);
        Vector256<float> has = Surfaces.Load(_has, i);
        if (has == Vector256<float>.Zero)
        {
            return false;
        }
        Span<Vector256<float>> weights = stackalloc Vector256<float>[Surfaces.Taps];
        Span<int> places = stackalloc int[Surfaces.Taps];
        int count = surfaces.Weigh(x, y, step, _has, weights, places);
        Normalised(weights[..count]);
        for (int k = 0; k < count; k++)
        {
            weights[k] *= has;
        }
        for (int p = 0; p < Sums; p++)
        {
            Vector256<float> sum = default;
            for (int k = 0; k < count; k++)
            {
                sum += weights[k] * Surfaces.Load(from[p], places[k]);
            }
            Surfaces.Store(sum, to[p], i);
        }
        return true;
    }

    private static void Judge(int i, float[][] sums, float[][] halves, float[][] ratio, float[] error)
    {
        Vector256<float> hasEven = Surfaces.Load(halves[HasEven], i),
            hasOdd = Surfaces.Load(halves[HasOdd], i),
            evenOff = default,
            oddOff = default,
            apart = default;
        for (int c = 0; c < 3; c++)
        {
            var (a, b) = Ratios(i, c, sums, ratio);
            Vector256<float> toOdd = a - Surfaces.Load(halves[Odd + c], i),
                toEven = b - Surfaces.Load(halves[c], i);
            evenOff += toOdd * toOdd;
            oddOff += toEven * toEven;
            apart += (a - b) * (a - b);
        }
        // E[(F a − b)²] is bias² and both variances; of (F a − F b)² ÷ 4 all but what the mean of both halves has is taken off.
        Vector256<float> told = hasEven + hasOdd,
            across = Vector256.GreaterThan(told, Vector256<float>.Zero) & ((hasOdd * evenOff + hasEven * oddOff) / told);
        Surfaces.Store(Vector256.Max(hasEven, hasOdd) * (across - apart * 0.25f) * (1 / 3f), error, i);
    }

    /// <summary>Both halves' ratios of eight pixels in a colour; that of all samples is stored.</summary>
    private static (Vector256<float> Even, Vector256<float> Odd) Ratios(int i, int c, float[][] sums, float[][] ratio)
    {
        Vector256<float> a = Surfaces.Load(sums[c], i),
            b = Surfaces.Load(sums[Odd + c], i),
            aBy = Surfaces.Load(sums[By + c], i),
            bBy = Surfaces.Load(sums[By + Odd + c], i);
        Surfaces.Store(Ratio(a + b, aBy + bBy), ratio[c], i);
        return (Ratio(a, aBy), Ratio(b, bBy));
    }

    private static Vector256<float> Ratio(Vector256<float> of, Vector256<float> by) =>
        Vector256.GreaterThan(by, Vector256<float>.Zero) & (of / by);

    /// <summary>Over squares of two by two pixels and around them; all by the same weights, so that they can be compared as they are.</summary>
    private FloatImage Averaged(float[][] errors)
    {
        var squares = new FloatImage((_width + 1) / 2, (_height + 1) / 2, errors.Length);
        Parallel.For(0, squares.Height, Cores.All, y =>
        {
            int below = 2 * y + 1 < _height ? surfaces.Stride : 0;
            for (int x = 0, i = surfaces.At(0, 2 * y); x < squares.Width; x++, i += 2)
            {
                for (int p = 0; p < errors.Length; p++)
                {
                    float[] e = errors[p];
                    squares[x, y, p] = (e[i] + e[i + 1] + (below > 0 ? e[i + below] + e[i + below + 1] : 0)) / 4;
                }
            }
        });
        return Blur.Gaussian(squares, ErrorOver / 2);
    }

    /// <summary>Between the levels on either side of what was chosen, which changes softly from pixel to pixel.</summary>
    private (Vector3[] Ratio, float[] Square) Chosen(float[][][] ratios, FloatImage errors)
    {
        var chosen = new FloatImage(errors.Width, errors.Height, 1);
        var squares = new FloatImage(errors.Width, errors.Height, 1);
        Parallel.For(0, errors.Height, Cores.All, y =>
        {
            for (int x = 0; x < errors.Width; x++)
            {
                // One sample a pixel tells nothing of how good it is by itself.
                float apart = errors[x, y, Apart],
                    least = _both ? 0.75f * apart : float.PositiveInfinity,
                    weight = errors[x, y, Valid];
                for (int level = 1; level <= Levels; level++)
                {
                    if (errors[x, y, Apart + level] < least)
                    {
                        (least, chosen[x, y, 0]) = (errors[x, y, Apart + level], level);
                    }
                }
                squares[x, y, 0] = _both && weight > 1e-6f ? MathF.Max(0, least - apart / 2) / weight : 0;
            }
        });
        FloatImage soft = Blur.Gaussian(chosen, ChosenOver / 2);
        var result = new Vector3[_width * _height];
        var square = new float[_width * _height];
        Parallel.For(0, _height, Cores.All, y =>
        {
            for (int x = 0, i = surfaces.At(0, y); x < _width; x++, i++)
            {
                if (_has[i] == 0)
                {
                    continue;
                }
                _is[y * _width + x] = Math.Max(_is[y * _width + x], Told);
                float at = Between(soft, x, y);
                int level = Math.Clamp((int)at, 0, Levels - 1);
                float[][] a = ratios[level],
                    b = ratios[level + 1];
                result[y * _width + x] = Vector3.Lerp(
                    new(a[0][i], a[1][i], a[2][i]),
                    new(b[0][i], b[1][i], b[2][i]),
                    Math.Clamp(at - level, 0, 1)
                );
                square[y * _width + x] = squares[x / 2, y / 2, 0];
            }
        });
        return (result, square);
    }

    /// <summary>Of squares of two by two at a pixel, bilinear.</summary>
    private static float Between(FloatImage squares, int x, int y)
    {
        // A pixel lies a quarter of a square off its square's middle.
        int x0 = x / 2,
            y0 = y / 2,
            x1 = Math.Clamp(x0 + (x % 2 == 0 ? -1 : 1), 0, squares.Width - 1),
            y1 = Math.Clamp(y0 + (y % 2 == 0 ? -1 : 1), 0, squares.Height - 1);
        return 0.5625f * squares[x0, y0, 0] + 0.1875f * (squares[x1, y0, 0] + squares[x0, y1, 0]) + 0.0625f * squares[x1, y1, 0];
    }
}
