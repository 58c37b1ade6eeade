using System.Numerics;

namespace Plenk.Core.Lighting.Smoothing;

/// <summary>
/// A pixel's sums over its samples of even number and over those of odd: of what is smoothed, and of what it is measured by (the light without
/// elements under the light with them, own colour under what is seen of it). Both halves are estimates of the same ratio, by samples of their own.
/// </summary>
internal readonly record struct HalfSums(Vector3 Even, Vector3 Odd, Vector3 EvenBy, Vector3 OddBy)
{
    /// <summary>From the sums of all samples and of those of even number.</summary>
    public static HalfSums Of(Vector3 all, Vector3 even, Vector3 allBy, Vector3 evenBy) =>
        new(even, Vector3.Max(default, all - even), evenBy, Vector3.Max(default, allBy - evenBy));

    /// <summary>Of a pixel's only sample: the pixels of a chessboard are one half each.</summary>
    public static HalfSums Single(int x, int y, Vector3 of, Vector3 by) =>
        ((x + y) & 1) == 0 ? new(of, default, by, default) : new(default, of, default, by);
}

/// <summary>The pixels of a frame whose light is smoothed; rows may be filled at once, each by one thread.</summary>
internal sealed class SmoothedPixels(int height)
{
    private readonly List<(int X, HalfSums Sums)>?[] _rows = new List<(int, HalfSums)>[height];

    public void Add(int x, int y, in HalfSums sums) => (_rows[y] ??= []).Add((x, sums));

    /// <summary>Of a row, what lies within a box.</summary>
    public IEnumerable<(int X, HalfSums Sums)> Row(int y, Images.PixelBox box) =>
        _rows[y] is { } row ? row.Where(p => p.X >= box.X0 && p.X < box.X1) : [];

    /// <summary>Around all of them; empty: there is none.</summary>
    public Images.PixelBox Box()
    {
        int left = int.MaxValue,
            right = -1,
            top = int.MaxValue,
            bottom = -1;
        for (int y = 0; y < _rows.Length; y++)
        {
            foreach (var (x, _) in _rows[y] ?? [])
            {
                (left, right) = (Math.Min(left, x), Math.Max(right, x));
                (top, bottom) = (Math.Min(top, y), y);
            }
        }
        return right < 0 ? default : new(left, top, right + 1, bottom + 1);
    }
}
