using System.Numerics;

namespace Plenk.Core.Tracing;

/// <summary>Balls that together hold a mesh, so that what is long or in several parts can be aimed at.</summary>
public static class PartBalls
{
    private const int Most = 16;

    /// <summary>Triangles longer than this share of the whole are cut first: a wall of two triangles has parts too.</summary>
    private const float Longest = 0.15f;

    /// <summary>Of so many triangles none is cut: thousands as large as the whole would become millions.</summary>
    private const int MostCut = 20_000;

    private readonly record struct Facet(Vector3 A, Vector3 B, Vector3 C)
    {
        public Vector3 Middle => (A + B + C) / 3;
    }

    /// <summary>The part with the widest ball is halved across its longest side until there are enough, or none can be halved.</summary>
    public static (Vector3 Middle, float Radius)[] Of(TriangleMesh mesh)
    {
        Vector3[] p = mesh.Positions;
        if (mesh.Indices.Length == 0)
        {
            return [];
        }
        float longest =
            mesh.Indices.Length / 3 > MostCut
                ? float.PositiveInfinity
                : Longest * Vector3.Distance(p.Aggregate(Vector3.Min), p.Aggregate(Vector3.Max));
        var facets = new List<Facet>(mesh.Indices.Length / 3);
        for (int i = 0; i < mesh.Indices.Length; i += 3)
        {
            Cut(new(p[mesh.Indices[i]], p[mesh.Indices[i + 1]], p[mesh.Indices[i + 2]]), longest, facets, 10);
        }
        var parts = new List<(IReadOnlyList<Facet> Facets, Vector3 Middle, float Radius)> { Part(facets) };
        while (parts.Count < Most)
        {
            var part = parts.MaxBy(q => q.Radius);
            Vector3 min = part.Facets.Select(f => f.Middle).Aggregate(Vector3.Min),
                max = part.Facets.Select(f => f.Middle).Aggregate(Vector3.Max);
            int axis = Longer(max - min);
            float at = (min[axis] + max[axis]) / 2;
            Facet[] low = [.. part.Facets.Where(f => f.Middle[axis] < at)],
                high = [.. part.Facets.Where(f => f.Middle[axis] >= at)];
            if (low.Length == 0 || high.Length == 0)
            {
                break;
            }
            parts.Remove(part);
            parts.AddRange([Part(low), Part(high)]);
        }
        return [.. parts.Select(q => (q.Middle, q.Radius))];
    }

    /// <summary>The same around balls: as few as so many hold them all.</summary>
    public static (Vector3 Middle, float Radius)[] Holding(IReadOnlyList<(Vector3 Middle, float Radius)> balls)
    {
        static (IReadOnlyList<(Vector3 Middle, float Radius)> Balls, Vector3 Middle, float Radius) Around(
            IReadOnlyList<(Vector3 Middle, float Radius)> own
        )
        {
            Vector3 middle = (own.Select(b => b.Middle).Aggregate(Vector3.Min) + own.Select(b => b.Middle).Aggregate(Vector3.Max)) / 2;
            return (own, middle, own.Max(b => Vector3.Distance(b.Middle, middle) + b.Radius));
        }
        if (balls.Count == 0)
        {
            return [];
        }
        var parts = new List<(IReadOnlyList<(Vector3 Middle, float Radius)> Balls, Vector3 Middle, float Radius)> { Around(balls) };
        while (parts.Count < Most)
        {
            var part = parts.MaxBy(q => q.Radius);
            Vector3 min = part.Balls.Select(b => b.Middle).Aggregate(Vector3.Min),
                max = part.Balls.Select(b => b.Middle).Aggregate(Vector3.Max);
            int axis = Longer(max - min);
            float at = (min[axis] + max[axis]) / 2;
            var low = part.Balls.Where(b => b.Middle[axis] < at).ToArray();
            var high = part.Balls.Where(b => b.Middle[axis] >= at).ToArray();
            if (low.Length == 0 || high.Length == 0)
            {
                break;
            }
            parts.Remove(part);
            parts.AddRange([Around(low), Around(high)]);
        }
        return [.. parts.Select(q => (q.Middle, q.Radius))];
    }

    private static int Longer(Vector3 size) =>
        size.X >= size.Y && size.X >= size.Z ? 0
        : size.Y >= size.Z ? 1
        : 2;

    private static void Cut(in Facet f, float longest, List<Facet> into, int depth)
    {
        float ab = Vector3.Distance(f.A, f.B),
            bc = Vector3.Distance(f.B, f.C),
            ca = Vector3.Distance(f.C, f.A),
            most = MathF.Max(ab, MathF.Max(bc, ca));
        if (!(most > longest) || depth == 0)
        {
            into.Add(f);
            return;
        }
        // Halved across its longest side.
        var (a, b, c) =
            most == ab ? (f.A, f.B, f.C)
            : most == bc ? (f.B, f.C, f.A)
            : (f.C, f.A, f.B);
        Vector3 half = (a + b) / 2;
        Cut(new(a, half, c), longest, into, depth - 1);
        Cut(new(half, b, c), longest, into, depth - 1);
    }

    private static (IReadOnlyList<Facet>, Vector3, float) Part(IReadOnlyList<Facet> facets)
    {
        var (min, max) = (new Vector3(float.PositiveInfinity), new Vector3(float.NegativeInfinity));
        foreach (Facet f in facets)
        {
            (min, max) = (
                Vector3.Min(min, Vector3.Min(f.A, Vector3.Min(f.B, f.C))),
                Vector3.Max(max, Vector3.Max(f.A, Vector3.Max(f.B, f.C)))
            );
        }
        Vector3 middle = (min + max) / 2;
        float square = 0;
        foreach (Facet f in facets)
        {
            square = MathF.Max(
                square,
                MathF.Max(
                    Vector3.DistanceSquared(f.A, middle),
                    MathF.Max(Vector3.DistanceSquared(f.B, middle), Vector3.DistanceSquared(f.C, middle))
                )
            );
        }
        return (facets, middle, MathF.Sqrt(square));
    }
}
