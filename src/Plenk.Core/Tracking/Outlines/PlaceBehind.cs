using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// What lies behind things that pass: each pixel as the frames before and after have it, where these agree (the median over time). It tells where
/// something stands before it now; a shadow on it, even or not, does not.
/// </summary>
internal sealed class PlaceBehind(PictureLine pictures, int first, int last, FilmedPlace? place)
{
    private static readonly int[] Aside = [-10, -8, -6, -4, -3, 3, 4, 6, 8, 10];

    /// <summary>What is looked at around what is asked for, pixels: the next asks for a little more.</summary>
    private const int Around = 48;

    /// <summary>What seems to hide a place that was seen only before, or only after.</summary>
    private const float OneSided = 0.8f;
    private readonly FramesBrought _brought = new(pictures, place);
    private readonly Dictionary<int, Behind> _known = [];
    private readonly List<(double R, double G, double B)> _shadows = [];
    private PlaceLight _light = new();

    // The last that was looked at: a shadow's colour is learned from the same.
    private (int Frame, PixelBox Box, FloatImage Middle, bool[] Agreed)? _looked;
    private double _hides,
        _asked;

    /// <summary>Tells how it moves; null: the picture alone does.</summary>
    public FilmedPlace? Place => place;

    /// <summary>How surely what outlines enclose passes before the place, 0..1: then it is not what lies there at other times.</summary>
    public double Passes => _asked < 20 ? 0 : Math.Clamp(4 * (_hides / _asked - 0.1), 0, 1);

    /// <summary>What a frame says of it within a box of a picture of a width.</summary>
    public Behind Of(int frame, PixelBox asked, int width, float noise)
    {
        FloatImage now = pictures.Small(frame).Even;
        PixelBox box = Small(asked, now, width);
        if (_known.TryGetValue(frame, out Behind? known))
        {
            PixelBox own = known.Box;
            if (Holds(own, box))
            {
                return known;
            }
            box = new(Math.Min(box.X0, own.X0), Math.Min(box.Y0, own.Y0), Math.Max(box.X1, own.X1), Math.Max(box.Y1, own.Y1));
        }
        box = Grown(box, now);
        if (_known.Count > 200)
        {
            _known.Clear();
        }
        return _known[frame] = new(
            now.Width,
            now.Height,
            box,
            Middle(frame, box, noise) is var (middle, agreed)
                ? _light.Costs(now.Cut(box), middle, agreed, noise)
                : [.. Enumerable.Repeat(Behind.Unknown, box.Width * box.Height)],
            place is not null || IsBoth(Others(frame), frame) ? 1 : OneSided
        );
    }

    private static PixelBox Grown(PixelBox box, FloatImage small) =>
        new(
            Math.Max(0, box.X0 - Around),
            Math.Max(0, box.Y0 - Around),
            Math.Min(small.Width, box.X1 + Around),
            Math.Min(small.Height, box.Y1 + Around)
        );

    private static bool Holds(PixelBox box, PixelBox part) =>
        part.X0 >= box.X0 && part.Y0 >= box.Y0 && part.X1 <= box.X1 && part.Y1 <= box.Y1;

    private static PixelBox Small(PixelBox box, FloatImage small, int width)
    {
        double by = (double)small.Width / width;
        return new(
            Math.Clamp((int)(box.X0 * by), 0, small.Width - 1),
            Math.Clamp((int)(box.Y0 * by), 0, small.Height - 1),
            Math.Clamp((int)Math.Ceiling(box.X1 * by), 1, small.Width),
            Math.Clamp((int)Math.Ceiling(box.Y1 * by), 1, small.Height)
        );
    }

    /// <summary>Whether a shadow's colour was seen yet.</summary>
    public bool HasShadow { get; private set; }

    /// <summary>What colour shadows have around an outline that is known in a frame.</summary>
    /// <param name="coverage">Of the whole picture.</param>
    /// <param name="box">Around it, of that picture, with what lies beside it.</param>
    public void LearnShadow(int frame, float[] coverage, PixelBox box, int width, float noise)
    {
        FloatImage now = pictures.Small(frame).Even;
        PixelBox small = Grown(Small(box, now, width), now);
        int height = coverage.Length / width;
        bool Inside(int x, int y) =>
            coverage[
                Math.Min(height - 1, (int)((y + 0.5) * height / now.Height)) * width
                    + Math.Min(width - 1, (int)((x + 0.5) * width / now.Width))
            ] > 0.01f;
        if (_looked is var (last, at, _, _) && last == frame && Holds(at, Small(box, now, width)))
        {
            small = at;
        }
        if (Middle(frame, small, noise) is not var (middle, agreed))
        {
            return;
        }
        int w = small.Width;
        for (int y = 1; y < small.Height - 1; y++)
        {
            for (int x = 1; x < w - 1; x++)
            {
                if (!Inside(x + small.X0, y + small.Y0) && Shaded(now, middle, agreed, small, x, y) is { } ratio)
                {
                    _shadows.Add(ratio);
                }
            }
        }
        if (PlaceLight.Learned(_shadows) is { } light)
        {
            (_light, HasShadow) = (light, true);
            _known.Clear();
        }
    }

    /// <summary>Whether what an outline encloses hides the place.</summary>
    /// <param name="coverage">As <see cref="LearnShadow"/> has it.</param>
    public void LearnPassing(int frame, float[] coverage, PixelBox box, int width, float noise)
    {
        int height = coverage.Length / width;
        Behind place = Of(frame, box, width, noise);
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                if (coverage[y * width + x] > 0.95f && place.CostAt(x, y, width, height) is { } cost)
                {
                    _asked++;
                    _hides += cost > 4 ? 1 : 0;
                }
            }
        }
    }

    /// <summary>What is left of its light about a pixel, where that is even and little; null: it is not.</summary>
    private static (double R, double G, double B)? Shaded(FloatImage now, FloatImage middle, bool[] agreed, PixelBox box, int x, int y)
    {
        Span<double> own = stackalloc double[3],
            full = stackalloc double[3];
        double least = double.MaxValue,
            most = 0;
        for (int j = y - 1; j <= y + 1; j++)
        {
            for (int i = x - 1; i <= x + 1; i++)
            {
                if (!agreed[j * box.Width + i])
                {
                    return null;
                }
                ReadOnlySpan<float> a = now.Pixel(i + box.X0, j + box.Y0),
                    b = middle.Pixel(i, j);
                double left = a[1] / Math.Max(1e-3, b[1]);
                (least, most) = (Math.Min(least, left), Math.Max(most, left));
                for (int c = 0; c < 3; c++)
                {
                    (own[c], full[c]) = (own[c] + a[c] * a[c], full[c] + b[c] * b[c]);
                }
            }
        }
        return full[1] > 0.5 && own[1] < 0.6 * full[1] && most < 1.35 * least && own[0] > 0 && own[1] > 0 && own[2] > 0
            ? (own[0] / full[0], own[1] / full[1], own[2] / full[2])
            : null;
    }

    private int[] Others(int frame) => [.. Aside.Select(k => frame + k).Where(f => f >= first && f <= last)];

    private static bool IsBoth(int[] others, int frame) => others.Count(f => f < frame) >= 2 && others.Count(f => f > frame) >= 2;

    /// <summary>What the frames around show of the place in a box, and where they agree; null: there are too few.</summary>
    private (FloatImage Picture, bool[] Agreed)? Middle(int frame, PixelBox box, float noise)
    {
        if (_looked is var (last, at, known, there) && last == frame && at == box)
        {
            return (known, there);
        }
        int w = box.Width,
            h = box.Height;
        int[] others = Others(frame);
        int before = others.Count(f => f < frame);
        if (others.Length < 4)
        {
            return null;
        }
        // Seen from one side in time alone, the same thing may stand there in most of it.
        bool both = IsBoth(others, frame);
        double asked = both ? 0.6 : 0.7;
        float[][] samples = [.. others.Select(f => _brought.Brought(frame, f, box))];
        var middle = new FloatImage(w, h, 3);
        var agreed = new bool[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> own = stackalloc float[Aside.Length];
            for (int i = y * w; i < (y + 1) * w; i++)
            {
                int n = samples.Count(s => !float.IsNaN(s[3 * i]));
                if (n < 4)
                {
                    continue;
                }
                for (int c = 0; c < 3; c++)
                {
                    int k = 0;
                    foreach (float[] s in samples)
                    {
                        if (!float.IsNaN(s[3 * i]))
                        {
                            own[k++] = s[3 * i + c];
                        }
                    }
                    own[..k].Sort();
                    middle.Data[3 * i + c] = (own[(k - 1) / 2] + own[k / 2]) / 2;
                }
                int near = 0,
                    nearBefore = 0;
                for (int k = 0; k < samples.Length; k++)
                {
                    float most = 0;
                    for (int c = 0; c < 3; c++)
                    {
                        most = Math.Max(most, MathF.Abs(samples[k][3 * i + c] - middle.Data[3 * i + c]));
                    }
                    bool agrees = most < 0.05f + 3 * noise;
                    near += agrees ? 1 : 0;
                    nearBefore += agrees && k < before ? 1 : 0;
                }
                agreed[i] = near >= asked * n && (!both || (nearBefore >= 1 && near - nearBefore >= 1));
            }
        });
        _looked = (frame, box, middle, agreed);
        return (middle, agreed);
    }
}
