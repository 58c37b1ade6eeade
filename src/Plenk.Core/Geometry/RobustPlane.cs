namespace Plenk.Core.Geometry;

/// <summary>A plane that a good half of the points agree on, and which of them lie on it.</summary>
public sealed record RobustPlaneResult(PlaneFitResult Plane, IReadOnlyList<int> On);

/// <summary>
/// Least median of squares: of planes through three of the points the one whose median squared distance is smallest; those within 2.5
/// standard deviations, taken as 1.4826 (1 + 5 / (n − 3)) √median, are then fitted by least squares. Rousseeuw, “Least median of squares
/// regression”, Journal of the American Statistical Association 79 (1984). It needs no tolerance, so it works before a place has its scale.
/// </summary>
public static class RobustPlane
{
    private const int Trials = 600; // enough that one is free of outliers with 40 % of them, but for a chance below 1e-60
    private const double Deviations = 2.5;

    /// <summary>Null and a reason when fewer than three points are given or they lie in a line.</summary>
    public static RobustPlaneResult? Fit(IReadOnlyList<Vec3> points, uint seed, out string? reason)
    {
        if (PlaneFit.Fit(points, out reason) is not { } all)
        {
            return null;
        }
        int n = points.Count;
        if (n == 3)
        {
            return new(all, [0, 1, 2]);
        }
        var dice = new Random((int)seed);
        (double Median, Vec3 Normal, Vec3 Through) best = (double.MaxValue, default, default);
        for (int trial = 0; trial < Trials; trial++)
        {
            Vec3 a = points[dice.Next(n)];
            Vec3 normal = Vec3.Cross(points[dice.Next(n)] - a, points[dice.Next(n)] - a).Normalized();
            if (!normal.IsFinite)
            {
                continue;
            }
            double median = points.Select(p => Square(Vec3.Dot(normal, p - a))).Order().ElementAt(n / 2);
            if (median < best.Median)
            {
                best = (median, normal, a);
            }
        }
        double reach = Deviations * 1.4826 * (1 + 5.0 / (n - 3)) * Math.Sqrt(best.Median),
            extent = points.Max(p => (p - all.Centroid).Length);
        // Points that lie in it exactly have a spread of nothing but rounding.
        reach = Math.Max(reach, 1e-9 * extent);
        int[] on = [.. Enumerable.Range(0, n).Where(i => Math.Abs(Vec3.Dot(best.Normal, points[i] - best.Through)) <= reach)];
        return PlaneFit.Fit([.. on.Select(i => points[i])], out reason) is { } plane ? new(plane, on) : null;
    }

    private static double Square(double v) => v * v;
}
