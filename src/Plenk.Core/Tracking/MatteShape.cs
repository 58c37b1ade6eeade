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

    /// <summary>Where tracks may live in a frame; null: everywhere.</summary>
    public static Func<int, int, bool>? Allowed(IReadOnlyList<Matte> mattes, int frame)
    {
        double[][] shapes = [.. mattes.Where(m => !m.Off).Select(m => At(m, frame)).Where(s => s.Length >= 6)];
        return shapes.Length == 0 ? null : (x, y) => !shapes.Any(s => Contains(s, x + 0.5, y + 0.5));
    }
}
