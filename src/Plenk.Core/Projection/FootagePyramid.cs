using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Images;

namespace Plenk.Core.Projection;

/// <summary>
/// A picture and its halves, asked for the mean over a footprint: along its longer axis by several taps, each as wide as the
/// shorter one (McCormack, Perry, Farkas and Jouppi 1999); where a pixel is enlarged, cubic between pixels.
/// </summary>
public sealed class FootagePyramid
{
    private const int MostTaps = 8;
    private readonly FloatImage[] _levels;

    public FootagePyramid(FloatImage picture)
    {
        var levels = new List<FloatImage> { picture };
        while (levels[^1].Width > 8 && levels[^1].Height > 8)
        {
            levels.Add(levels[^1].ReducedTo(levels[^1].Width / 2, levels[^1].Height / 2));
        }
        _levels = [.. levels];
    }

    public FloatImage Picture => _levels[0];

    /// <param name="px">Position in pixels of the picture, centres at +0.5.</param>
    /// <param name="a">One half axis of the footprint, doubled: where a step of one pixel of the view goes; pixels.</param>
    public Vector3 Sample(double px, double py, Vector2 a, Vector2 b)
    {
        // The axes of the ellipse whose conjugate half axes are a and b.
        float xx = a.X * a.X + b.X * b.X,
            xy = a.X * a.Y + b.X * b.Y,
            yy = a.Y * a.Y + b.Y * b.Y,
            mean = (xx + yy) / 2,
            spread = MathF.Sqrt((xx - yy) * (xx - yy) / 4 + xy * xy);
        float major = MathF.Sqrt(mean + spread),
            minor = MathF.Sqrt(MathF.Max(0, mean - spread));
        if (!(major > 1))
        {
            return Cubic(_levels[0], px, py);
        }
        int taps = Math.Clamp((int)MathF.Round(major / MathF.Max(1, minor)), 1, MostTaps);
        float width = MathF.Max(MathF.Max(1, minor), major / taps),
            level = Math.Clamp(ElementaryF.Log2(width), 0, _levels.Length - 1);
        float angle = 0.5f * ElementaryF.Atan2(2 * xy, xx - yy);
        Vector2 along = new Vector2(ElementaryF.Cos(angle), ElementaryF.Sin(angle)) * major;
        Vector3 sum = default;
        for (int i = 0; i < taps; i++)
        {
            float t = (i + 0.5f) / taps - 0.5f;
            sum += Trilinear(px + along.X * t, py + along.Y * t, level);
        }
        return sum / taps;
    }

    private Vector3 Trilinear(double px, double py, float level)
    {
        int low = (int)level;
        float t = level - low;
        Vector3 a = Bilinear(low, px, py);
        return t < 1e-3f || low + 1 >= _levels.Length ? a : Vector3.Lerp(a, Bilinear(low + 1, px, py), t);
    }

    private Vector3 Bilinear(int level, double px, double py)
    {
        FloatImage image = _levels[level];
        Span<float> rgb = stackalloc float[3];
        image.SampleBilinear(px * image.Width / _levels[0].Width, py * image.Height / _levels[0].Height, rgb);
        return new(rgb[0], rgb[1], rgb[2]);
    }

    /// <summary>Catmull–Rom, kept between the darkest and the lightest of the nearest four so that it does not ring.</summary>
    private static Vector3 Cubic(FloatImage image, double px, double py)
    {
        float x = (float)Math.Clamp(px - 0.5, 0, image.Width - 1),
            y = (float)Math.Clamp(py - 0.5, 0, image.Height - 1);
        int x0 = Math.Min((int)x, image.Width - 2),
            y0 = Math.Min((int)y, image.Height - 2);
        if (x0 < 0 || y0 < 0)
        {
            Span<float> p = image.Pixel(Math.Max(0, (int)x), Math.Max(0, (int)y));
            return new(p[0], p[1], p[2]);
        }
        Span<float> wx = stackalloc float[4],
            wy = stackalloc float[4];
        CatmullRom.Weights(x - x0, wx);
        CatmullRom.Weights(y - y0, wy);
        Vector3 sum = default,
            low = new(float.PositiveInfinity),
            high = new(float.NegativeInfinity);
        for (int j = 0; j < 4; j++)
        {
            int row = Math.Clamp(y0 + j - 1, 0, image.Height - 1) * image.Width;
            for (int i = 0; i < 4; i++)
            {
                int at = 3 * (row + Math.Clamp(x0 + i - 1, 0, image.Width - 1));
                var v = new Vector3(image.Data[at], image.Data[at + 1], image.Data[at + 2]);
                sum += wx[i] * wy[j] * v;
                if (i is 1 or 2 && j is 1 or 2)
                {
                    (low, high) = (Vector3.Min(low, v), Vector3.Max(high, v));
                }
            }
        }
        return Vector3.Clamp(sum, low, high);
    }
}
