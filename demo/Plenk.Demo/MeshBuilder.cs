using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>Collects quads, boxes and turned shapes into a mesh; corners are not shared, so flat faces stay flat.</summary>
public sealed class MeshBuilder
{
    private readonly List<Vector3> _positions = [];
    private readonly List<Vector3> _normals = [];
    private readonly List<int> _materials = [];
    private readonly List<int> _indices = [];

    public int TriangleCount => _materials.Count;

    /// <summary>Corners counter-clockwise as seen from the front.</summary>
    public void Quad(Vector3 a, Vector3 b, Vector3 c, Vector3 d, int material)
    {
        Triangle(a, b, c, material);
        Triangle(a, c, d, material);
    }

    public void Triangle(Vector3 a, Vector3 b, Vector3 c, int material)
    {
        Vector3 n = Vector3.Normalize(Vector3.Cross(b - a, c - a));
        Triangle(a, b, c, n, n, n, material);
    }

    public void Triangle(Vector3 a, Vector3 b, Vector3 c, Vector3 na, Vector3 nb, Vector3 nc, int material)
    {
        if (Vector3.Cross(b - a, c - a).LengthSquared() < 1e-14f)
        {
            return;
        }
        int first = _positions.Count;
        _positions.AddRange([a, b, c]);
        _normals.AddRange([na, nb, nc]);
        _indices.AddRange([first, first + 1, first + 2]);
        _materials.Add(material);
    }

    public void Box(Vector3 min, Vector3 max, int material) => Box(min, max, material, Matrix4x4.Identity);

    public void Box(Vector3 min, Vector3 max, int material, Matrix4x4 place)
    {
        Vector3 P(int i) =>
            Vector3.Transform(new Vector3((i & 1) == 0 ? min.X : max.X, (i & 2) == 0 ? min.Y : max.Y, (i & 4) == 0 ? min.Z : max.Z), place);
        Quad(P(4), P(5), P(7), P(6), material);
        Quad(P(1), P(0), P(2), P(3), material);
        Quad(P(5), P(1), P(3), P(7), material);
        Quad(P(0), P(4), P(6), P(2), material);
        Quad(P(6), P(7), P(3), P(2), material);
        Quad(P(0), P(1), P(5), P(4), material);
    }

    /// <summary>A profile (radius, height) turned about the vertical through <paramref name="foot"/>; smooth where the profile bends less than 40°.</summary>
    public void Turned(
        Vector3 foot,
        IReadOnlyList<(float Radius, float Height)> profile,
        int sides,
        int material,
        float from = 0,
        float sweep = 2 * MathF.PI
    )
    {
        for (int k = 0; k + 1 < profile.Count; k++)
        {
            var (r0, y0) = profile[k];
            var (r1, y1) = profile[k + 1];
            Vector2 n = Vector2.Normalize(new Vector2(y1 - y0, r0 - r1));
            Vector2 nLow = Blend(n, k > 0 ? Normal(profile[k - 1], profile[k]) : n);
            Vector2 nHigh = Blend(n, k + 2 < profile.Count ? Normal(profile[k + 1], profile[k + 2]) : n);
            for (int i = 0; i < sides; i++)
            {
                float a0 = from + sweep * i / sides,
                    a1 = from + sweep * (i + 1) / sides;
                Vector3 P(float r, float y, float a) => foot + new Vector3(r * MathF.Sin(a), y, r * MathF.Cos(a));
                Vector3 N(Vector2 m, float a) => new(m.X * MathF.Sin(a), m.Y, m.X * MathF.Cos(a));
                Vector3 p00 = P(r0, y0, a0),
                    p01 = P(r0, y0, a1),
                    p10 = P(r1, y1, a0),
                    p11 = P(r1, y1, a1);
                Triangle(p00, p01, p11, N(nLow, a0), N(nLow, a1), N(nHigh, a1), material);
                Triangle(p00, p11, p10, N(nLow, a0), N(nHigh, a1), N(nHigh, a0), material);
            }
        }

        static Vector2 Normal((float R, float Y) a, (float R, float Y) b)
        {
            var d = new Vector2(b.Y - a.Y, a.R - b.R);
            return d.LengthSquared() > 0 ? Vector2.Normalize(d) : new Vector2(1, 0);
        }

        static Vector2 Blend(Vector2 own, Vector2 other) => Vector2.Dot(own, other) > 0.76f ? Vector2.Normalize(own + other) : own;
    }

    /// <summary>A round bar between two points.</summary>
    public void Bar(Vector3 a, Vector3 b, float radius, int sides, int material)
    {
        Vector3 axis = Vector3.Normalize(b - a);
        var (t, s) = Sampling.Frame(axis);
        for (int i = 0; i < sides; i++)
        {
            var (s0, c0) = MathF.SinCos(2 * MathF.PI * i / sides);
            var (s1, c1) = MathF.SinCos(2 * MathF.PI * (i + 1) / sides);
            Vector3 n0 = t * c0 + s * s0,
                n1 = t * c1 + s * s1;
            Vector3 p00 = a + n0 * radius,
                p01 = a + n1 * radius,
                p10 = b + n0 * radius,
                p11 = b + n1 * radius;
            Triangle(p00, p01, p11, n0, n1, n1, material);
            Triangle(p00, p11, p10, n0, n1, n0, material);
            Triangle(a, p01, p00, material);
            Triangle(b, p10, p11, material);
        }
    }

    /// <summary>A ring (torus) about a centre, in the plane of two axes.</summary>
    public void Ring(Vector3 centre, Vector3 u, Vector3 v, float radius, float thickness, int around, int across, int material)
    {
        Vector3 w = Vector3.Cross(u, v);
        for (int i = 0; i < around; i++)
        {
            for (int j = 0; j < across; j++)
            {
                (Vector3 P, Vector3 N) At(int a, int b)
                {
                    var (sa, ca) = MathF.SinCos(2 * MathF.PI * a / around);
                    var (sb, cb) = MathF.SinCos(2 * MathF.PI * b / across);
                    Vector3 radial = u * ca + v * sa;
                    Vector3 n = radial * cb + w * sb;
                    return (centre + radial * radius + n * thickness, n);
                }
                var (p00, n00) = At(i, j);
                var (p10, n10) = At(i + 1, j);
                var (p01, n01) = At(i, j + 1);
                var (p11, n11) = At(i + 1, j + 1);
                Triangle(p00, p10, p11, n00, n10, n11, material);
                Triangle(p00, p11, p01, n00, n11, n01, material);
            }
        }
    }

    public TriangleMesh Build() => new([.. _positions], [.. _indices]) { Normals = [.. _normals], Materials = [.. _materials] };
}
