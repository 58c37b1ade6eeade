using Plenk.Core.Geometry;
using Plenk.Core.Solving;

namespace Plenk.Core.Sets;

/// <summary>
/// All points that lie on the surface a chosen one lies on: a plane by random sampling among its neighbours (Fischler and Bolles 1981),
/// grown from point to point.
/// </summary>
public static class SurfaceGrow
{
    /// <param name="points">In the world.</param>
    /// <param name="tolerance">How far a point may lie off the plane, metres.</param>
    /// <returns>Indices of those on the surface, the chosen one among them; empty where no eight lie in a plane with it.</returns>
    public static IReadOnlyList<int> Plane(IReadOnlyList<Vec3> points, int seed, double tolerance, uint random = 1)
    {
        int[] near =
        [
            .. Enumerable
                .Range(0, points.Count)
                .Where(i => points[i].IsFinite)
                .OrderBy(i => (points[i] - points[seed]).LengthSquared)
                .Take(40),
        ];
        if (near.Length < 8)
        {
            return [];
        }
        var dice = new Random((int)random);
        (int Count, Vec3 Normal) best = (0, default);
        for (int trial = 0; trial < 300; trial++)
        {
            Vec3 n = Vec3.Cross(points[near[dice.Next(near.Length)]] - points[seed], points[near[dice.Next(near.Length)]] - points[seed])
                .Normalized();
            if (!n.IsFinite)
            {
                continue;
            }
            int count = near.Count(i => Math.Abs(Vec3.Dot(n, points[i] - points[seed])) < tolerance);
            if (count > best.Count)
            {
                best = (count, n);
            }
        }
        if (best.Count < 8)
        {
            return [];
        }
        HashSet<int> inside = [.. near.Where(i => Math.Abs(Vec3.Dot(best.Normal, points[i] - points[seed])) < tolerance)];
        // What lies in the plane and within three times the usual gap of what is in already; the plane is fitted anew as it grows.
        for (int round = 0; round < 40; round++)
        {
            Vec3[] own = [.. inside.Select(i => points[i])];
            if (PlaneFit.Fit(own, out _) is not { } plane)
            {
                return [];
            }
            double gap = 3 * own.Select(p => own.Where(q => q != p).Min(q => (q - p).Length)).Order().ElementAt(own.Length / 2);
            int[] more =
            [
                .. Enumerable
                    .Range(0, points.Count)
                    .Where(i =>
                        !inside.Contains(i)
                        && points[i].IsFinite
                        && Math.Abs(Vec3.Dot(plane.Normal, points[i] - plane.Centroid)) < tolerance
                        && own.Any(q => (q - points[i]).Length < gap)
                    ),
            ];
            inside.RemoveWhere(i => i != seed && Math.Abs(Vec3.Dot(plane.Normal, points[i] - plane.Centroid)) > 1.5 * tolerance);
            if (more.Length == 0)
            {
                break;
            }
            inside.UnionWith(more);
        }
        return [.. inside.Order()];
    }
}
