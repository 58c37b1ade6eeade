using System.Numerics;
using NetTopologySuite.Geometries;
using NetTopologySuite.Operation.Valid;
using NetTopologySuite.Triangulate.Polygon;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>Triangles of what is drawn as a line on the ground: floors with holes, walls with openings, kerbs along a path.</summary>
public static class OutlineMesh
{
    public static TriangleMesh Of(Piece piece) => piece.Kind == PieceKind.Strip ? Strip(piece) : Outline(piece);

    private static TriangleMesh Outline(Piece piece)
    {
        var positions = new List<Vector3>();
        var indices = new List<int>();
        if (DrawnOutline.Fault(piece) is not null)
        {
            return new([], []);
        }
        if (piece.Ground)
        {
            foreach (
                NetTopologySuite.Geometries.Geometry triangle in (
                    (GeometryCollection)ConstrainedDelaunayTriangulator.Triangulate(DrawnOutline.Shape(piece))
                ).Geometries
            )
            {
                Vector3[] p = [.. triangle.Coordinates.Take(3).Select(c => new Vector3((float)c.X, 0, (float)c.Y))];
                // The floor looks up.
                if (Vector3.Cross(p[1] - p[0], p[2] - p[0]).Y < 0)
                {
                    (p[1], p[2]) = (p[2], p[1]);
                }
                int at = positions.Count;
                positions.AddRange(p);
                indices.AddRange([at, at + 1, at + 2]);
            }
        }
        for (int w = 0; piece.Walls && w < piece.Corners.Count / 2; w++)
        {
            var (a, b) = DrawnOutline.Wall(piece, w);
            float length = Vector3.Distance(a, b);
            if (length < 1e-6f)
            {
                continue;
            }
            // The wall is cut into cells at the sides of its openings; cells inside one are left out.
            Opening[] openings = [.. piece.Openings.Where(o => o.Wall == w)];
            double[] xs =
            [
                .. openings
                    .SelectMany(o => new[] { o.From, o.To })
                    .Concat([0, length])
                    .Select(v => Math.Clamp(v, 0, length))
                    .Distinct()
                    .Order(),
            ];
            double[] ys =
            [
                .. openings
                    .SelectMany(o => new[] { o.Bottom, o.Top })
                    .Concat([0, piece.Size.Y])
                    .Select(v => Math.Clamp(v, 0, piece.Size.Y))
                    .Distinct()
                    .Order(),
            ];
            for (int i = 0; i + 1 < xs.Length; i++)
            {
                for (int j = 0; j + 1 < ys.Length; j++)
                {
                    double x = (xs[i] + xs[i + 1]) / 2,
                        y = (ys[j] + ys[j + 1]) / 2;
                    if (openings.Any(o => x > o.From && x < o.To && y > o.Bottom && y < o.Top))
                    {
                        continue;
                    }
                    Vector3 At(double along, double up) => Vector3.Lerp(a, b, (float)(along / length)) + new Vector3(0, (float)up, 0);
                    int at = positions.Count;
                    positions.AddRange([At(xs[i], ys[j]), At(xs[i + 1], ys[j]), At(xs[i + 1], ys[j + 1]), At(xs[i], ys[j + 1])]);
                    indices.AddRange([at, at + 1, at + 2, at, at + 2, at + 3]);
                }
            }
        }
        return new([.. positions], [.. indices]);
    }

    /// <summary>A bar X wide and Y high whose middle follows the path; mitred at its bends.</summary>
    private static TriangleMesh Strip(Piece piece)
    {
        if (DrawnOutline.Fault(piece) is not null)
        {
            return new([], []);
        }
        Vector2[] path =
        [
            .. Enumerable
                .Range(0, piece.Corners.Count / 2)
                .Select(i => new Vector2((float)piece.Corners[2 * i], (float)piece.Corners[2 * i + 1])),
        ];
        path = [.. path.Where((p, i) => i == 0 || Vector2.Distance(p, path[i - 1]) > 1e-5f)];
        if (path.Length < 2)
        {
            return new([], []);
        }
        var positions = new List<Vector3>();
        var indices = new List<int>();
        float half = (float)piece.Size.X / 2,
            height = (float)piece.Size.Y;
        for (int i = 0; i < path.Length; i++)
        {
            Vector2 before = Vector2.Normalize(path[Math.Max(i, 1)] - path[Math.Max(i, 1) - 1]),
                after = Vector2.Normalize(path[Math.Min(i + 1, path.Length - 1)] - path[Math.Min(i, path.Length - 2)]);
            Vector2 tangent = before + after;
            tangent = tangent.LengthSquared() > 1e-6f ? Vector2.Normalize(tangent) : after;
            var side = new Vector2(-tangent.Y, tangent.X);
            // At a bend the mitre is longer than half the width, up to four times.
            float reach = half / MathF.Max(0.25f, Vector2.Dot(side, new(-after.Y, after.X)));
            Vector2 l = path[i] - side * reach,
                r = path[i] + side * reach;
            positions.AddRange([new(l.X, 0, l.Y), new(l.X, height, l.Y), new(r.X, height, r.Y), new(r.X, 0, r.Y)]);
        }
        for (int i = 0; i + 1 < path.Length; i++)
        {
            int a = 4 * i,
                b = a + 4;
            for (int k = 0; k < 3; k++)
            {
                indices.AddRange([a + k, a + k + 1, b + k, a + k + 1, b + k + 1, b + k]);
            }
        }
        int end = 4 * (path.Length - 1);
        indices.AddRange([0, 2, 1, 0, 3, 2, end, end + 1, end + 2, end, end + 2, end + 3]);
        return new([.. positions], [.. indices]);
    }
}
