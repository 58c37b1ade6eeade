namespace Plenk.Core.Images;

/// <summary>Places of a picture as sets of pixels, grown and shrunk by a square (dilation and erosion, Serra 1982).</summary>
public static class Morphology
{
    /// <summary>With what lies within so many pixels across or down.</summary>
    public static bool[] Dilated(bool[] where, int width, int height, int by)
    {
        var across = new bool[where.Length];
        var result = new bool[where.Length];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                for (int u = Math.Max(0, x - by); u <= Math.Min(width - 1, x + by) && !across[y * width + x]; u++)
                {
                    across[y * width + x] = where[y * width + u];
                }
            }
        });
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                for (int v = Math.Max(0, y - by); v <= Math.Min(height - 1, y + by) && !result[y * width + x]; v++)
                {
                    result[y * width + x] = across[v * width + x];
                }
            }
        });
        return result;
    }

    /// <summary>What has all within so many pixels across and down about it; beyond the picture's border all is.</summary>
    public static bool[] Eroded(bool[] where, int width, int height, int by) => Not(Dilated(Not(where), width, height, by));

    private static bool[] Not(bool[] where) => Array.ConvertAll(where, w => !w);
}
