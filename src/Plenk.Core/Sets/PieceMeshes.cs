using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Sets.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>The triangles of a piece, in the world.</summary>
public static class PieceMeshes
{
    public static TriangleMesh Plane(Vec3 size)
    {
        float x = (float)size.X / 2,
            z = (float)size.Z / 2;
        return new([new(-x, 0, z), new(x, 0, z), new(x, 0, -z), new(-x, 0, -z)], [0, 1, 2, 0, 2, 3]);
    }

    /// <summary>A box of 12 triangles that stands on the middle of its foot, faces outwards.</summary>
    public static TriangleMesh Box(Vec3 size)
    {
        float x = (float)size.X / 2,
            y = (float)size.Y,
            z = (float)size.Z / 2;
        Vector3[] corners =
        [
            .. Enumerable.Range(0, 8).Select(i => new Vector3((i & 1) == 0 ? -x : x, (i & 2) == 0 ? 0 : y, (i & 4) == 0 ? -z : z)),
        ];
        return new(corners, [4, 5, 7, 4, 7, 6, 1, 0, 2, 1, 2, 3, 5, 1, 3, 5, 3, 7, 0, 4, 6, 0, 6, 2, 6, 7, 3, 6, 3, 2, 0, 1, 5, 0, 5, 4]);
    }

    /// <summary>A cylinder on the middle of its foot, elliptic where X and Z differ; with both ends.</summary>
    public static TriangleMesh Cylinder(Vec3 size, int sides)
    {
        var positions = new List<Vector3>();
        var indices = new List<int>();
        for (int i = 0; i < sides; i++)
        {
            float a = 2 * MathF.PI * i / sides,
                x = (float)size.X / 2 * ElementaryF.Cos(a),
                z = (float)size.Z / 2 * ElementaryF.Sin(a);
            positions.Add(new(x, 0, z));
            positions.Add(new(x, (float)size.Y, z));
        }
        int foot = positions.Count,
            head = foot + 1;
        positions.AddRange([Vector3.Zero, new(0, (float)size.Y, 0)]);
        for (int i = 0; i < sides; i++)
        {
            int a = 2 * i,
                b = 2 * ((i + 1) % sides);
            indices.AddRange([a, a + 1, b, b, a + 1, b + 1, foot, a, b, head, b + 1, a + 1]);
        }
        return new([.. positions], [.. indices]);
    }

    /// <summary>Solid stairs on the middle of their foot: X wide, Y high and Z deep over all steps, rising along −Z.</summary>
    public static TriangleMesh Stairs(Vec3 size, int steps)
    {
        var positions = new List<Vector3>();
        var indices = new List<int>();
        float x = (float)size.X / 2,
            rise = (float)size.Y / steps,
            going = (float)size.Z / steps,
            front = (float)size.Z / 2;
        void Quad(Vector3 a, Vector3 b, Vector3 c, Vector3 d)
        {
            int at = positions.Count;
            positions.AddRange([a, b, c, d]);
            indices.AddRange([at, at + 1, at + 2, at, at + 2, at + 3]);
        }
        for (int i = 0; i < steps; i++)
        {
            float y0 = i * rise,
                y1 = y0 + rise,
                z0 = front - i * going,
                z1 = z0 - going;
            Quad(new(-x, y0, z0), new(x, y0, z0), new(x, y1, z0), new(-x, y1, z0));
            Quad(new(-x, y1, z0), new(x, y1, z0), new(x, y1, z1), new(-x, y1, z1));
            Quad(new(x, 0, z0), new(x, 0, z1), new(x, y1, z1), new(x, y1, z0));
            Quad(new(-x, 0, z1), new(-x, 0, z0), new(-x, y1, z0), new(-x, y1, z1));
        }
        Quad(new(x, 0, -front), new(-x, 0, -front), new(-x, (float)size.Y, -front), new(x, (float)size.Y, -front));
        return new([.. positions], [.. indices]);
    }

    /// <summary>A ball of radius 1 about its middle, with smooth normals.</summary>
    public static TriangleMesh Ball(int sides)
    {
        int rings = sides / 2;
        var positions = new List<Vector3>();
        var indices = new List<int>();
        for (int j = 0; j <= rings; j++)
        {
            for (int i = 0; i <= sides; i++)
            {
                // The last column lies on the first to the bit, the poles in one point: nothing is open.
                float up = MathF.PI * j / rings,
                    a = 2 * MathF.PI * (i % sides) / sides,
                    round = j == 0 || j == rings ? 0 : ElementaryF.Sin(up);
                positions.Add(new(round * ElementaryF.Cos(a), ElementaryF.Cos(up), round * ElementaryF.Sin(a)));
                if (j == rings || i == sides)
                {
                    continue;
                }
                int at = j * (sides + 1) + i;
                if (j > 0)
                {
                    indices.AddRange([at, at + 1, at + sides + 1]);
                }
                if (j < rings - 1)
                {
                    indices.AddRange([at + 1, at + sides + 2, at + sides + 1]);
                }
            }
        }
        return new([.. positions], [.. indices]) { Normals = [.. positions] };
    }

    /// <summary>The upper half of an ellipsoid around the middle of its foot, seen from within.</summary>
    public static TriangleMesh Dome(Vec3 size, int sides)
    {
        int rings = sides / 4;
        var positions = new List<Vector3>();
        var indices = new List<int>();
        for (int j = 0; j <= rings; j++)
        {
            float up = MathF.PI / 2 * j / rings;
            for (int i = 0; i < sides; i++)
            {
                float a = 2 * MathF.PI * i / sides;
                positions.Add(
                    new(
                        (float)size.X / 2 * ElementaryF.Cos(up) * ElementaryF.Cos(a),
                        (float)size.Y * ElementaryF.Sin(up),
                        (float)size.Z / 2 * ElementaryF.Cos(up) * ElementaryF.Sin(a)
                    )
                );
            }
        }
        for (int j = 0; j < rings; j++)
        {
            for (int i = 0; i < sides; i++)
            {
                int a = j * sides + i,
                    b = j * sides + (i + 1) % sides;
                indices.AddRange([a, b, a + sides, b, b + sides, a + sides]);
            }
        }
        return new([.. positions], [.. indices]);
    }

    /// <summary>
    /// The mesh with every face moved outwards along its normal: corners go where the planes of their faces then meet, as nearly as
    /// there is such a place (least squares).
    /// </summary>
    public static TriangleMesh Offset(TriangleMesh mesh, double metres)
    {
        int[] corner = mesh.Welded(out int places);
        var around = new List<Vector3>[places];
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            Vector3 n = mesh.FaceNormal(t);
            if (float.IsNaN(n.X))
            {
                continue;
            }
            for (int k = 0; k < 3; k++)
            {
                List<Vector3> own = around[corner[mesh.Indices[3 * t + k]]] ??= [];
                if (own.All(m => Vector3.Dot(m, n) < 0.9999f))
                {
                    own.Add(n);
                }
            }
        }
        var by = new Vector3[places];
        for (int i = 0; i < by.Length; i++)
        {
            var m = new double[9];
            var right = new double[3];
            foreach (Vector3 n in around[i] ?? [])
            {
                double[] v = [n.X, n.Y, n.Z];
                for (int r = 0; r < 3; r++)
                {
                    right[r] += v[r] * metres;
                    for (int c = 0; c <= r; c++)
                    {
                        m[3 * r + c] += v[r] * v[c];
                    }
                }
            }
            for (int r = 0; r < 3; r++)
            {
                m[4 * r] += 1e-4;
            }
            // Where faces meet sharply the corner would shoot far out; three times is enough.
            if (Algebra.Cholesky.Solve(m, right, 3) is { } d)
            {
                by[i] = new((float)d[0], (float)d[1], (float)d[2]);
            }
            float most = 3 * MathF.Abs((float)metres);
            if (by[i].Length() > most)
            {
                by[i] *= most / by[i].Length();
            }
        }
        return mesh with { Positions = [.. mesh.Positions.Select((p, i) => p + by[corner[i]])] };
    }

    public static Similarity PlaceOf(Piece p) =>
        new(p.Scale, Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z), p.Position);

    /// <summary>
    /// World triangles of a piece; <paramref name="mesh"/> gives the triangles of an imported one by media hash and object name.
    /// </summary>
    public static TriangleMesh World(Piece piece, Func<string, string?, TriangleMesh> mesh)
    {
        if (piece.IsGone)
        {
            return new([], []);
        }
        TriangleMesh local = Local(piece, mesh);
        Similarity place = PlaceOf(piece);
        return place == Similarity.Identity ? local : local.Moved(place);
    }

    /// <summary>The same in the piece's own space.</summary>
    public static TriangleMesh Local(Piece piece, Func<string, string?, TriangleMesh> mesh)
    {
        TriangleMesh local = PieceForms.Of(piece).Mesh(piece, mesh);
        for (int i = 0; i < piece.Subdivisions; i++)
        {
            local = Subdivided(local);
        }
        return local;
    }

    /// <summary>Every triangle as four, new corners in the middle of its edges; the shape stays.</summary>
    public static TriangleMesh Subdivided(TriangleMesh mesh)
    {
        var positions = new List<Vector3>(mesh.Positions);
        List<Vector3>? normals = mesh.Normals is { } n ? [.. n] : null;
        var indices = new List<int>(mesh.Indices.Length * 4);
        var middles = new Dictionary<(int, int), int>();
        int Middle(int a, int b)
        {
            var key = a < b ? (a, b) : (b, a);
            if (middles.TryGetValue(key, out int known))
            {
                return known;
            }
            positions.Add((positions[a] + positions[b]) / 2);
            if (normals is not null)
            {
                Vector3 m = normals[a] + normals[b];
                normals.Add(m.LengthSquared() > 1e-12f ? Vector3.Normalize(m) : Vector3.Zero);
            }
            return middles[key] = positions.Count - 1;
        }
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            int a = mesh.Indices[3 * t],
                b = mesh.Indices[3 * t + 1],
                c = mesh.Indices[3 * t + 2],
                ab = Middle(a, b),
                bc = Middle(b, c),
                ca = Middle(c, a);
            indices.AddRange([a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca]);
        }
        return new([.. positions], [.. indices])
        {
            Normals = normals?.ToArray(),
            Materials = mesh.Materials is { } m4 ? [.. m4.SelectMany(m => Enumerable.Repeat(m, 4))] : null,
        };
    }

    /// <summary>
    /// Edges that are drawn: borders, and where two faces meet at more than <paramref name="creaseDegrees"/>. Corners at
    /// the same place count as one, so meshes with doubled corners work.
    /// </summary>
    public static IReadOnlyList<(Vector3 A, Vector3 B)> FeatureEdges(TriangleMesh mesh, double creaseDegrees = 35)
    {
        float limit = (float)Elementary.Cos(Rotations.Radians(creaseDegrees));
        int[] corner = mesh.Welded(out _);
        var edges = new Dictionary<(int, int), (Vector3 A, Vector3 B, Vector3 Normal, bool Keep, int Count)>();
        for (int i = 0; i < mesh.TriangleCount; i++)
        {
            var (a, b, c) = mesh.Triangle(i);
            Vector3 n = Vector3.Cross(b - a, c - a);
            if (n.LengthSquared() < 1e-20f)
            {
                continue;
            }
            n = Vector3.Normalize(n);
            for (int k = 0; k < 3; k++)
            {
                int p = mesh.Indices[3 * i + k],
                    q = mesh.Indices[3 * i + (k + 1) % 3];
                int u = corner[p],
                    v = corner[q];
                if (u == v)
                {
                    continue;
                }
                var key = u < v ? (u, v) : (v, u);
                if (edges.TryGetValue(key, out var e))
                {
                    edges[key] = e with { Keep = e.Keep || Vector3.Dot(e.Normal, n) < limit, Count = e.Count + 1 };
                }
                else
                {
                    edges[key] = (mesh.Positions[p], mesh.Positions[q], n, false, 1);
                }
            }
        }
        return [.. edges.Values.Where(e => e.Keep || e.Count == 1).Select(e => (e.A, e.B))];
    }
}
