namespace Plenk.Core.Geometry;

/// <summary>A few that stand for many.</summary>
public static class Spread
{
    /// <summary>
    /// Indices of points as far apart as may be: the first is the one nearest to the middle, each next the one farthest from all that are
    /// taken (Gonzalez, “Clustering to minimize the maximum intercluster distance”, Theoretical Computer Science 38, 1985).
    /// </summary>
    public static IReadOnlyList<int> Of(IReadOnlyList<Vec3> points, int count)
    {
        if (points.Count == 0 || count < 1)
        {
            return [];
        }
        Vec3 middle = points.Aggregate(Vec3.Zero, (sum, p) => sum + p) / points.Count;
        var taken = new List<int> { Enumerable.Range(0, points.Count).MinBy(i => (points[i] - middle).LengthSquared) };
        double[] far = [.. points.Select(p => (p - points[taken[0]]).LengthSquared)];
        while (taken.Count < Math.Min(count, points.Count))
        {
            int next = Enumerable.Range(0, far.Length).MaxBy(i => far[i]);
            taken.Add(next);
            for (int i = 0; i < far.Length; i++)
            {
                far[i] = Math.Min(far[i], (points[i] - points[next]).LengthSquared);
            }
        }
        return taken;
    }
}
