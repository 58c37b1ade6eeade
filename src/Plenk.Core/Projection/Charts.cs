using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// A part of a mesh laid flat: its triangles seen along the chart's axis, so that nothing of it is stretched to more than
/// 1 ÷ cos of <see cref="Charts.MostDegrees"/>. Corners in metres from the chart's own corner; Tile and X, Y where it lies, texels.
/// </summary>
public sealed class Chart(int[] triangles, Vector3 u, Vector3 v, Vector2 least, Vector2 size)
{
    public int[] Triangles { get; } = triangles;
    public Vector2 Size { get; } = size;
    public int Tile { get; set; }
    public int X { get; set; }
    public int Y { get; set; }

    public Vector2 Flat(Vector3 p) => new Vector2(Vector3.Dot(p, u), Vector3.Dot(p, v)) - least;
}

/// <summary>
/// Charts of any mesh: neighbours that face nearly one way are grown together from the largest triangle on, laid flat, and packed on
/// shelves.
/// </summary>
public static class Charts
{
    public const double MostDegrees = 35;

    /// <summary>Texels around each chart that carry its colour on, so that none bleeds in.</summary>
    public const int Margin = 4;

    public static IReadOnlyList<Chart> Of(TriangleMesh mesh)
    {
        int n = mesh.TriangleCount;
        var normals = new Vector3[n];
        var areas = new float[n];
        for (int t = 0; t < n; t++)
        {
            var (a, b, c) = mesh.Triangle(t);
            Vector3 cross = Vector3.Cross(b - a, c - a);
            areas[t] = cross.Length() / 2;
            normals[t] = areas[t] > 1e-14f ? cross / (2 * areas[t]) : Vector3.Zero;
        }
        List<int>[] neighbours = Neighbours(mesh);
        var owner = new int[n];
        Array.Fill(owner, -1);
        float limit = ElementaryF.Cos((float)(MostDegrees * Math.PI / 180));
        var charts = new List<Chart>();
        foreach (int seed in Enumerable.Range(0, n).Where(t => areas[t] > 1e-14f).OrderByDescending(t => areas[t]))
        {
            if (owner[seed] >= 0)
            {
                continue;
            }
            Vector3 axis = normals[seed];
            var members = new List<int>();
            var open = new Queue<int>([seed]);
            owner[seed] = charts.Count;
            while (open.TryDequeue(out int t))
            {
                members.Add(t);
                foreach (int k in neighbours[t])
                {
                    if (owner[k] >= 0 || areas[k] <= 1e-14f || Vector3.Dot(normals[k], axis) < limit)
                    {
                        continue;
                    }
                    owner[k] = charts.Count;
                    open.Enqueue(k);
                }
            }
            charts.Add(Lay(mesh, [.. members], axis));
        }
        return charts;
    }

    /// <summary>Flat along its axis, turned so that its longest edge runs along the texture: floors and walls lie square.</summary>
    private static Chart Lay(TriangleMesh mesh, int[] triangles, Vector3 axis)
    {
        Vector3 longest = default;
        foreach (int t in triangles)
        {
            var (a, b, c) = mesh.Triangle(t);
            foreach (Vector3 e in (ReadOnlySpan<Vector3>)[b - a, c - b, a - c])
            {
                Vector3 flat = e - axis * Vector3.Dot(e, axis);
                // Diagonals of rectangles are longer than their sides, so an edge along the world's axes is preferred.
                float square = MathF.Max(MathF.Abs(flat.X), MathF.Max(MathF.Abs(flat.Y), MathF.Abs(flat.Z)));
                if (square - 0.3f * (flat.Length() - square) > longest.Length())
                {
                    longest = flat;
                }
            }
        }
        Vector3 u = longest.LengthSquared() > 0
                ? Vector3.Normalize(longest)
                : Vector3.Normalize(Vector3.Cross(axis, MathF.Abs(axis.X) < 0.9f ? Vector3.UnitX : Vector3.UnitY)),
            v = Vector3.Cross(u, axis);
        var least = new Vector2(float.PositiveInfinity);
        var most = new Vector2(float.NegativeInfinity);
        foreach (int t in triangles)
        {
            for (int k = 0; k < 3; k++)
            {
                Vector3 p = mesh.Positions[mesh.Indices[3 * t + k]];
                var f = new Vector2(Vector3.Dot(p, u), Vector3.Dot(p, v));
                (least, most) = (Vector2.Min(least, f), Vector2.Max(most, f));
            }
        }
        return new(triangles, u, v, least, most - least);
    }

    /// <summary>Triangles that share an edge; corners at one place count as one.</summary>
    private static List<int>[] Neighbours(TriangleMesh mesh)
    {
        int[] corner = mesh.Welded(out _);
        var byEdge = new Dictionary<(int, int), int>();
        List<int>[] result = [.. Enumerable.Range(0, mesh.TriangleCount).Select(_ => new List<int>(3))];
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            for (int k = 0; k < 3; k++)
            {
                int a = corner[mesh.Indices[3 * t + k]],
                    b = corner[mesh.Indices[3 * t + (k + 1) % 3]];
                if (a == b)
                {
                    continue;
                }
                var key = a < b ? (a, b) : (b, a);
                if (byEdge.TryGetValue(key, out int other))
                {
                    result[t].Add(other);
                    result[other].Add(t);
                }
                else
                {
                    byEdge[key] = t;
                }
            }
        }
        return result;
    }

    /// <summary>
    /// Packs charts on shelves, tallest first, into as many square tiles as they need; gives the tiles' side and their number, null where
    /// one chart alone is larger than a tile.
    /// </summary>
    public static (int Side, int Tiles)? Pack(IReadOnlyList<Chart> charts, double texel, int largest)
    {
        (Chart Chart, int W, int H)[] boxes =
        [
            .. charts
                .Select(c =>
                    (c, (int)Math.Ceiling(c.Size.X / texel) + 1 + 2 * Margin, (int)Math.Ceiling(c.Size.Y / texel) + 1 + 2 * Margin)
                )
                .OrderByDescending(b => b.Item3),
        ];
        if (boxes.Length == 0)
        {
            return (16, 0);
        }
        int widest = boxes.Max(b => Math.Max(b.W, b.H));
        if (widest > largest)
        {
            return null;
        }
        double area = boxes.Sum(b => (double)b.W * b.H);
        int side = 64;
        while (side < largest && (side < widest || (double)side * side < 1.15 * area))
        {
            side *= 2;
        }
        side = Math.Min(side, largest);
        int tile = 0,
            x = 0,
            y = 0,
            shelf = 0;
        foreach (var (chart, w, h) in boxes)
        {
            if (x + w > side)
            {
                (x, y, shelf) = (0, y + shelf, 0);
            }
            if (y + h > side)
            {
                (tile, x, y, shelf) = (tile + 1, 0, 0, 0);
            }
            (chart.Tile, chart.X, chart.Y) = (tile, x + Margin, y + Margin);
            x += w;
            shelf = Math.Max(shelf, h);
        }
        return (side, tile + 1);
    }
}
