using Plenk.Core.Shots;

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
    public static float[] Coverage(double[] corners, int width, int height, double featherPixels = 1, double growPixels = 0)
    {
        var inside = new float[width * height];
        int n = corners.Length / 2;
        if (n < 3)
        {
            return inside;
        }
        double feather = Math.Max(1, featherPixels),
            reach = feather / 2 + Math.Abs(growPixels) + 1;
        var square = new float[width * height];
        Array.Fill(square, (float)(reach * reach));
        var crossings = new List<double>[height];
        for (int i = 0, j = n - 1; i < n; j = i++)
        {
            double ax = corners[2 * j],
                ay = corners[2 * j + 1],
                bx = corners[2 * i],
                by = corners[2 * i + 1],
                dx = bx - ax,
                dy = by - ay,
                length = Math.Max(1e-12, dx * dx + dy * dy);
            int y0 = Math.Clamp((int)(Math.Min(ay, by) - reach), 0, height),
                y1 = Math.Clamp((int)(Math.Max(ay, by) + reach) + 1, 0, height);
            int x0 = Math.Clamp((int)(Math.Min(ax, bx) - reach), 0, width),
                x1 = Math.Clamp((int)(Math.Max(ax, bx) + reach) + 1, 0, width);
            for (int y = y0; y < y1; y++)
            {
                double py = y + 0.5;
                if (ay > py != by > py)
                {
                    (crossings[y] ??= []).Add(ax + dx * (py - ay) / dy);
                }
                for (int x = x0; x < x1; x++)
                {
                    double px = x + 0.5,
                        t = Math.Clamp(((px - ax) * dx + (py - ay) * dy) / length, 0, 1),
                        ex = px - ax - t * dx,
                        ey = py - ay - t * dy;
                    ref float own = ref square[y * width + x];
                    own = MathF.Min(own, (float)(ex * ex + ey * ey));
                }
            }
        }
        Parallel.For(0, height, Cores.All, y =>
        {
            List<double>? row = crossings[y];
            row?.Sort();
            for (int x = 0, k = 0; x < width; x++)
            {
                while (row is not null && k < row.Count && row[k] <= x + 0.5)
                {
                    k++;
                }
                double d = Math.Sqrt(square[y * width + x]) * ((k & 1) == 1 ? 1 : -1) + growPixels;
                inside[y * width + x] = (float)Math.Clamp(0.5 + d / feather, 0, 1);
            }
        });
        return inside;
    }

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
