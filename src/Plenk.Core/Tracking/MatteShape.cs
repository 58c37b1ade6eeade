using Plenk.Core.Shots;
using Plenk.Core.Tracking.Outlines;

namespace Plenk.Core.Tracking;

/// <summary>Drawn mattes at a frame.</summary>
public static class MatteShape
{
    /// <summary>
    /// The polygon at a shot frame: straight between its keys, carried along by its motion; empty for a matte without keys.
    /// </summary>
    public static double[] At(Matte matte, int frame)
    {
        if (matte.Motion is not { Steps.Count: > 0 } motion)
        {
            return Between([.. matte.Keys.OrderBy(k => k.Frame)], frame);
        }
        // Between keys it changes where it does not move: in the reference frame.
        MatteKey[] still =
        [
            .. matte.Keys.OrderBy(k => k.Frame).Select(k => k with { Corners = Through(Inverse(StepOf(motion, k.Frame)), k.Corners) }),
        ];
        return Through(StepOf(motion, frame), Between(still, frame));
    }

    /// <summary>The homography from the reference frame to another; before the first step and after the last that step's.</summary>
    public static double[] StepOf(MatteMotion motion, int frame) => motion.Steps.MinBy(s => Math.Abs(s.Frame - frame))!.Homography;

    /// <summary>Places x0 y0 x1 y1 … through a homography, row-major.</summary>
    public static double[] Through(double[] h, double[] places)
    {
        var result = new double[places.Length];
        for (int i = 0; i + 1 < places.Length; i += 2)
        {
            double x = places[i],
                y = places[i + 1],
                w = h[6] * x + h[7] * y + h[8];
            (result[i], result[i + 1]) = ((h[0] * x + h[1] * y + h[2]) / w, (h[3] * x + h[4] * y + h[5]) / w);
        }
        return result;
    }

    private static double[] Inverse(double[] h) =>
        [
            h[4] * h[8] - h[5] * h[7],
            h[2] * h[7] - h[1] * h[8],
            h[1] * h[5] - h[2] * h[4],
            h[5] * h[6] - h[3] * h[8],
            h[0] * h[8] - h[2] * h[6],
            h[2] * h[3] - h[0] * h[5],
            h[3] * h[7] - h[4] * h[6],
            h[1] * h[6] - h[0] * h[7],
            h[0] * h[4] - h[1] * h[3],
        ];

    private static double[] Between(MatteKey[] keys, int frame)
    {
        if (keys.Length == 0)
        {
            return [];
        }
        int after = Array.FindIndex(keys, k => k.Frame >= frame);
        if (after < 0)
        {
            return keys[^1].Corners;
        }
        if (after == 0 || keys[after].Frame == frame)
        {
            return keys[after].Corners;
        }
        MatteKey a = keys[after - 1],
            b = keys[after];
        double t = (double)(frame - a.Frame) / (b.Frame - a.Frame);
        return [.. a.Corners.Zip(b.Corners, (u, v) => u + (v - u) * t)];
    }

    /// <summary>Whether a spot lies inside a polygon, by the even–odd rule.</summary>
    public static bool Contains(ReadOnlySpan<double> corners, double x, double y)
    {
        bool inside = false;
        int n = corners.Length / 2;
        for (int i = 0, j = n - 1; i < n; j = i++)
        {
            double xi = corners[2 * i],
                yi = corners[2 * i + 1],
                xj = corners[2 * j],
                yj = corners[2 * j + 1];
            if (yi > y != yj > y && x < (xj - xi) * (y - yi) / (yj - yi) + xi)
            {
                inside = !inside;
            }
        }
        return inside;
    }

    /// <summary>
    /// How much of each pixel lies inside, with an edge as wide as the feather (at least a pixel), its middle on the polygon grown by so
    /// much.
    /// </summary>
    public static float[] Coverage(double[] corners, int width, int height, double featherPixels = 1, double growPixels = 0) =>
        OutlineCoverage.Of(corners, width, height, featherPixels, growPixels);

    /// <summary>Where tracks may live in a frame; null: everywhere.</summary>
    public static Func<int, int, bool>? Allowed(IReadOnlyList<Matte> mattes, int frame)
    {
        double[][] shapes =
        [
            .. mattes
                .Where(m => m is { Off: false, KeepsTracksOff: true, Kind: MatteKind.Drawn, Inverted: false })
                .Select(m => At(m, frame))
                .Where(s => s.Length >= 6),
        ];
        return shapes.Length == 0 ? null : (x, y) => !shapes.Any(s => Contains(s, x + 0.5, y + 0.5));
    }
}
