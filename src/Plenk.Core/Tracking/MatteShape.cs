using Plenk.Core.Shots;

namespace Plenk.Core.Tracking;

/// <summary>Drawn mattes at a frame.</summary>
public static class MatteShape
{
    /// <summary>The polygon at a shot frame, straight between its keys; empty for a matte without keys.</summary>
    public static double[] At(Matte matte, int frame)
    {
        MatteKey[] keys = [.. matte.Keys.OrderBy(k => k.Frame)];
        if (keys.Length == 0) { return []; }
        int after = Array.FindIndex(keys, k => k.Frame >= frame);
        if (after < 0) { return keys[^1].Corners; }
        if (after == 0 || keys[after].Frame == frame) { return keys[after].Corners; }
        MatteKey a = keys[after - 1], b = keys[after];
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
            double xi = corners[2 * i], yi = corners[2 * i + 1], xj = corners[2 * j], yj = corners[2 * j + 1];
            if (yi > y != yj > y && x < (xj - xi) * (y - yi) / (yj - yi) + xi) { inside = !inside; }
        }
        return inside;
    }

    /// <summary>How much of each pixel lies inside, with an edge as wide as the feather (at least a pixel), its middle on the polygon.</summary>
    public static float[] Coverage(double[] corners, int width, int height, double featherPixels = 1)
    {
        var inside = new float[width * height];
        int n = corners.Length / 2;
        if (n < 3) { return inside; }
        double feather = Math.Max(1, featherPixels);
        double top = double.PositiveInfinity, bottom = double.NegativeInfinity, left = top, right = bottom;
        for (int i = 0; i < n; i++) { (left, right, top, bottom) = (Math.Min(left, corners[2 * i]), Math.Max(right, corners[2 * i]), Math.Min(top, corners[2 * i + 1]), Math.Max(bottom, corners[2 * i + 1])); }
        int y0 = Math.Clamp((int)(top - feather), 0, height), y1 = Math.Clamp((int)(bottom + feather) + 1, 0, height), x0 = Math.Clamp((int)(left - feather), 0, width), x1 = Math.Clamp((int)(right + feather) + 1, 0, width);
        Parallel.For(y0, y1, y =>
        {
            for (int x = x0; x < x1; x++)
            {
                double px = x + 0.5, py = y + 0.5, nearest = double.PositiveInfinity;
                for (int i = 0, j = n - 1; i < n; j = i++)
                {
                    double ax = corners[2 * j], ay = corners[2 * j + 1], dx = corners[2 * i] - ax, dy = corners[2 * i + 1] - ay;
                    double t = Math.Clamp(((px - ax) * dx + (py - ay) * dy) / Math.Max(1e-12, dx * dx + dy * dy), 0, 1);
                    nearest = Math.Min(nearest, (px - ax - t * dx) * (px - ax - t * dx) + (py - ay - t * dy) * (py - ay - t * dy));
                }
                double d = Math.Sqrt(nearest) * (Contains(corners, px, py) ? 1 : -1);
                inside[y * width + x] = (float)Math.Clamp(0.5 + d / feather, 0, 1);
            }
        });
        return inside;
    }

    /// <summary>Where tracks may live in a frame; null: everywhere.</summary>
    public static Func<int, int, bool>? Allowed(IReadOnlyList<Matte> mattes, int frame)
    {
        double[][] shapes = [.. mattes.Where(m => !m.Off).Select(m => At(m, frame)).Where(s => s.Length >= 6)];
        return shapes.Length == 0 ? null : (x, y) => !shapes.Any(s => Contains(s, x + 0.5, y + 0.5));
    }
}
