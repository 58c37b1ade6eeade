using Plenk.Core.Algebra;

namespace Plenk.Core.Tracking;

/// <summary>Where a picture's brightness changes most along a line: the edge that something drawn should lie on.</summary>
public static class PictureEdges
{
    /// <summary>
    /// How far along the unit normal the steepest change lies, preferring what is near, to a part of a pixel; null where it hardly changes
    /// within reach.
    /// </summary>
    /// <param name="x">Array coordinates: pixel centres at whole numbers.</param>
    public static double? Steepest(GrayImage picture, double x, double y, double nx, double ny, double reach = 5)
    {
        const double step = 0.5;
        int half = (int)(reach / step);
        Span<float> slope = stackalloc float[2 * half + 1];
        int best = -1;
        double most = 0,
            prefer = 2 * (reach / 2) * (reach / 2);
        for (int i = -half; i <= half; i++)
        {
            double s = i * step;
            slope[i + half] = MathF.Abs(
                picture.At((float)(x + (s + 1) * nx), (float)(y + (s + 1) * ny))
                    - picture.At((float)(x + (s - 1) * nx), (float)(y + (s - 1) * ny))
            );
            double weighted = slope[i + half] * Elementary.Exp(-s * s / prefer);
            if (weighted > most)
            {
                (most, best) = (weighted, i + half);
            }
        }
        if (best <= 0 || best >= 2 * half || slope[best] < 0.035f)
        {
            return null;
        }
        float l = slope[best - 1],
            m = slope[best],
            r = slope[best + 1],
            bend = l - 2 * m + r;
        double shift = bend < 0 ? Math.Clamp(0.5 * (l - r) / bend, -1, 1) : 0;
        return (best - half + shift) * step;
    }
}
