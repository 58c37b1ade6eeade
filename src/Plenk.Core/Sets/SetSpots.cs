using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>A spot of the set, the side that is looked at, and the area it stands for in m².</summary>
public readonly record struct SetSpot(Vector3 Point, Vector3 Normal, int Piece, float Area);

/// <summary>Spots by which surfaces are asked.</summary>
public static class SetSpots
{
    /// <summary>Spots spread evenly over the pieces that wear footage, some hundred on the smallest.</summary>
    public static IReadOnlyList<SetSpot> Over(SetScene set, int count = 6000)
    {
        int[] worn =
        [
            .. Enumerable
                .Range(0, set.Pieces.Count)
                .Where(i => set.Pieces[i].Duties is { WearsFootage: true, OnlyBlocksLight: false } && set.Meshes[i].TriangleCount > 0),
        ];
        double total = worn.Sum(i => Area(set.Meshes[i]));
        var spots = new List<SetSpot>();
        foreach (int i in worn)
        {
            spots.AddRange(Over(set.Meshes[i], i, Math.Max(200, (int)(count * Area(set.Meshes[i]) / Math.Max(total, 1e-12)))));
        }
        return spots;
    }

    /// <summary>As many spots of one piece.</summary>
    public static IEnumerable<SetSpot> Over(TriangleMesh mesh, int piece, int count)
    {
        double area = Area(mesh),
            done = 0;
        int k = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (a, b, c) = mesh.Triangle(t);
            Vector3 cross = Vector3.Cross(b - a, c - a);
            double own = cross.Length() / 2;
            if (!(own > 0))
            {
                continue;
            }
            done += own;
            for (; k < count * done / area; k++)
            {
                Vector2 u = Sampling.Point((uint)k, (uint)piece * 7919, 0);
                float r = MathF.Sqrt(u.X);
                yield return new((1 - r) * a + r * (1 - u.Y) * b + r * u.Y * c, Vector3.Normalize(cross), piece, (float)(area / count));
            }
        }
    }

    public static double Area(TriangleMesh mesh)
    {
        double area = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (a, b, c) = mesh.Triangle(t);
            area += Vector3.Cross(b - a, c - a).Length() / 2;
        }
        return area;
    }
}
