using System.Numerics;
using Plenk.Core.Geometry;

namespace Plenk.Core.Tracing;

/// <summary>
/// Triangles in metres. Normals and texture coordinates are per corner where given, in the order of <see cref="Indices"/>' vertices.
/// </summary>
public sealed record TriangleMesh(Vector3[] Positions, int[] Indices)
{
    /// <summary>Per vertex, unit length; null: the faces' own normals.</summary>
    public Vector3[]? Normals { get; init; }

    /// <summary>Per vertex, origin at the top-left of the picture.</summary>
    public Vector2[]? TextureCoordinates { get; init; }

    /// <summary>Per triangle; null: all 0.</summary>
    public int[]? Materials { get; init; }

    public int TriangleCount => Indices.Length / 3;

    public (Vector3 A, Vector3 B, Vector3 C) Triangle(int i) =>
        (Positions[Indices[3 * i]], Positions[Indices[3 * i + 1]], Positions[Indices[3 * i + 2]]);

    public Vector3 FaceNormal(int i)
    {
        var (a, b, c) = Triangle(i);
        return Vector3.Normalize(Vector3.Cross(b - a, c - a));
    }

    /// <summary>Normal at barycentric (u, v) of B and C: interpolated where vertex normals are given, else the face's.</summary>
    public Vector3 Normal(int i, float u, float v)
    {
        if (Normals is null)
        {
            return FaceNormal(i);
        }
        Vector3 n = Normals[Indices[3 * i]] * (1 - u - v) + Normals[Indices[3 * i + 1]] * u + Normals[Indices[3 * i + 2]] * v;
        float length = n.Length();
        return length > 1e-6f ? n / length : FaceNormal(i);
    }

    public Vector2 TextureCoordinate(int i, float u, float v) =>
        TextureCoordinates is not { } uv
            ? default
            : uv[Indices[3 * i]] * (1 - u - v) + uv[Indices[3 * i + 1]] * u + uv[Indices[3 * i + 2]] * v;

    /// <summary>Every position moved by a function; normals by the rotation of a similarity are the caller's business.</summary>
    public TriangleMesh Moved(Similarity s) =>
        this with
        {
            Positions = Array.ConvertAll(Positions, p => s.Apply(Vec3.From(p)).ToSingle()),
            Normals = Normals is null ? null : Array.ConvertAll(Normals, n => (s.Rotation * Vec3.From(n)).ToSingle()),
        };

    /// <summary>Some of its triangles, with the vertices that they have.</summary>
    public TriangleMesh Part(Func<int, bool> takes)
    {
        int[] own = [.. Enumerable.Range(0, TriangleCount).Where(takes)],
            vertices = [.. own.SelectMany(t => new[] { Indices[3 * t], Indices[3 * t + 1], Indices[3 * t + 2] }).Distinct().Order()];
        var to = new Dictionary<int, int>(vertices.Length);
        foreach (int v in vertices)
        {
            to[v] = to.Count;
        }
        return new([.. vertices.Select(v => Positions[v])], [.. own.SelectMany(t => new[] { 0, 1, 2 }, (t, k) => to[Indices[3 * t + k]])])
        {
            Normals = Normals is { } n ? [.. vertices.Select(v => n[v])] : null,
            TextureCoordinates = TextureCoordinates is { } uv ? [.. vertices.Select(v => uv[v])] : null,
            Materials = Materials is { } m ? [.. own.Select(t => m[t])] : null,
        };
    }

    /// <summary>Sized along its own axes; normals stay at right angles to the surface.</summary>
    public TriangleMesh Stretched(Vector3 by) =>
        this with
        {
            Positions = Array.ConvertAll(Positions, p => p * by),
            Normals = Normals is null ? null : Array.ConvertAll(Normals, n => Vector3.Normalize(n / by)),
        };

    public (Vector3 Min, Vector3 Max) Bounds()
    {
        var min = new Vector3(float.PositiveInfinity);
        var max = new Vector3(float.NegativeInfinity);
        foreach (Vector3 p in Positions)
        {
            min = Vector3.Min(min, p);
            max = Vector3.Max(max, p);
        }
        return (min, max);
    }

    /// <summary>Area in m² and, by the divergence theorem, the enclosed volume in m³ (negative when inside out).</summary>
    public (double Area, double Volume) AreaAndVolume()
    {
        double area = 0,
            volume = 0;
        for (int i = 0; i < TriangleCount; i++)
        {
            var (a, b, c) = Triangle(i);
            Vec3 va = Vec3.From(a),
                vb = Vec3.From(b),
                vc = Vec3.From(c);
            area += Vec3.Cross(vb - va, vc - va).Length / 2;
            volume += Vec3.Dot(va, Vec3.Cross(vb, vc)) / 6;
        }
        return (area, volume);
    }

    /// <summary>
    /// For each vertex the number of its place: vertices within a fifth of a millimetre of each other are one, so that meshes with doubled
    /// corners hang together.
    /// </summary>
    public int[] Welded(out int places)
    {
        var weld = new Dictionary<(int, int, int), int>();
        int[] place =
        [
            .. Positions.Select(p =>
            {
                var key = ((int)MathF.Round(p.X * 5000), (int)MathF.Round(p.Y * 5000), (int)MathF.Round(p.Z * 5000));
                return weld.TryGetValue(key, out int at) ? at : weld[key] = weld.Count;
            }),
        ];
        places = weld.Count;
        return place;
    }
}
