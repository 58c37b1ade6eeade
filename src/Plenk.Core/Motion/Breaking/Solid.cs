using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Breaking;

/// <summary>A corner of a solid's face: its place, metres, and its place in the face's picture.</summary>
public readonly record struct SolidCorner(Vec3 At, Vector2 Uv);

/// <summary>A flat, convex face, anticlockwise as it is seen from outside.</summary>
/// <param name="Material">As its mesh numbers them.</param>
public sealed record SolidFace(SolidCorner[] Corners, int Material)
{
    /// <summary>By Newell's sum: its length is twice the area.</summary>
    public Vec3 Normal
    {
        get
        {
            Vec3 sum = Vec3.Zero;
            for (int i = 1; i + 1 < Corners.Length; i++)
            {
                sum += Vec3.Cross(Corners[i].At - Corners[0].At, Corners[i + 1].At - Corners[0].At);
            }
            return sum;
        }
    }
}

/// <summary>
/// A closed solid as flat faces. Cut by planes it stays closed: a corner that is cut has the same place, to the bit, in both faces of its
/// edge, so that the rims of a cut are found by place.
/// </summary>
public sealed class Solid(IReadOnlyList<SolidFace> faces)
{
    public IReadOnlyList<SolidFace> Faces { get; } = faces;

    /// <summary>Corners within a fifth of a millimetre are one; faces that have no area then are left out.</summary>
    /// <param name="close">Material of faces that close flat rims, like the foot that stairs have not; null: nothing is closed.</param>
    /// <exception cref="SolidFault">It is open, or turned inside out in part.</exception>
    public static Solid Of(TriangleMesh mesh, int? close = null)
    {
        int[] place = mesh.Welded(out int places);
        var at = new Vec3[places];
        for (int v = 0; v < place.Length; v++)
        {
            at[place[v]] = Vec3.From(mesh.Positions[v]);
        }
        var rings = new List<(int Place, Vector2 Uv)[]>();
        var materials = new List<int>();
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            (int Place, Vector2 Uv)[] ring =
            [
                .. Enumerable.Range(3 * t, 3).Select(k => mesh.Indices[k]).Select(v => (place[v], mesh.TextureCoordinates?[v] ?? default)),
            ];
            if (ring[0].Place != ring[1].Place && ring[1].Place != ring[2].Place && ring[2].Place != ring[0].Place)
            {
                rings.Add(ring);
                materials.Add(mesh.Materials?[t] ?? 0);
            }
        }
        HashSet<(int, int)> open = Open(rings);
        if (open.Count > 0)
        {
            // Where a corner of one face lies on another's edge, that edge gets it too.
            int[] loose = [.. open.SelectMany(e => new[] { e.Item1, e.Item2 }).Distinct().Order()];
            for (int r = 0; r < rings.Count; r++)
            {
                rings[r] = Split(rings[r], open, loose, at);
            }
            open = Open(rings);
        }
        var lids = new List<SolidFace>();
        if (open.Count > 0 && (close is not { } material || !Lids(open, at, material, lids)))
        {
            throw new SolidFault(open.Count);
        }
        SolidFace[] faces =
        [
            .. rings.Select((r, i) => new SolidFace([.. r.Select(c => new SolidCorner(at[c.Place], c.Uv))], materials[i])),
            .. lids,
        ];
        var solid = new Solid(faces);
        return solid.Volume >= 0 ? solid : new([.. faces.Select(f => f with { Corners = [.. f.Corners.Reverse()] })]);
    }

    /// <summary>Edges that have no other face on their other side, or not as many.</summary>
    private static HashSet<(int, int)> Open(List<(int Place, Vector2 Uv)[]> rings)
    {
        var edges = new Dictionary<(int, int), int>();
        foreach ((int Place, Vector2 Uv)[] r in rings)
        {
            for (int k = 0; k < r.Length; k++)
            {
                var edge = (r[k].Place, r[(k + 1) % r.Length].Place);
                edges[edge] = edges.GetValueOrDefault(edge) + 1;
            }
        }
        return [.. edges.Where(e => edges.GetValueOrDefault((e.Key.Item2, e.Key.Item1)) != e.Value).Select(e => e.Key)];
    }

    /// <summary>Faces over rims that lie each in a plane; false: one does not, or edges are no rims.</summary>
    private static bool Lids(HashSet<(int, int)> open, Vec3[] at, int material, List<SolidFace> lids)
    {
        var next = new Dictionary<int, int>();
        foreach (var (a, b) in open)
        {
            if (!next.TryAdd(b, a))
            {
                return false;
            }
        }
        while (next.Count > 0)
        {
            var loop = new List<Vec3>();
            int start = next.Keys.Min(),
                v = start;
            while (next.Remove(v, out int to))
            {
                loop.Add(at[v]);
                v = to;
            }
            Vec3 normal = new SolidFace([.. loop.Select(p => new SolidCorner(p, default))], 0).Normal;
            if (v != start || loop.Count < 3 || !(normal.Length > 1e-9))
            {
                return false;
            }
            normal = normal.Normalized();
            if (loop.Any(p => Math.Abs(Vec3.Dot(normal, p - loop[0])) > 1e-3))
            {
                return false;
            }
            lids.AddRange(Closed([.. loop.Select((p, i) => (p, loop[(i + 1) % loop.Count]))], normal, material));
        }
        return true;
    }

    private static (int Place, Vector2 Uv)[] Split((int Place, Vector2 Uv)[] ring, HashSet<(int, int)> open, int[] loose, Vec3[] at)
    {
        const double within = 2e-4;
        var split = new List<(int Place, Vector2 Uv)>();
        for (int k = 0; k < ring.Length; k++)
        {
            var (a, b) = (ring[k], ring[(k + 1) % ring.Length]);
            split.Add(a);
            if (!open.Contains((a.Place, b.Place)))
            {
                continue;
            }
            Vec3 way = at[b.Place] - at[a.Place];
            double length = way.Length;
            split.AddRange(
                loose
                    .Select(v => (v, Along: Vec3.Dot(at[v] - at[a.Place], way) / length))
                    .Where(c =>
                        c.v != a.Place
                        && c.v != b.Place
                        && c.Along > within
                        && c.Along < length - within
                        && (at[c.v] - at[a.Place] - c.Along / length * way).Length < within
                    )
                    .OrderBy(c => c.Along)
                    .Select(c => (c.v, a.Uv + (float)(c.Along / length) * (b.Uv - a.Uv)))
            );
        }
        return [.. split];
    }

    /// <summary>m³, by the divergence theorem: Σ v₁ · (v₂ × v₃) ÷ 6.</summary>
    public double Volume
    {
        get
        {
            // From a spot of its own, so that no large terms cancel.
            Vec3 origin = Faces.Count > 0 ? Faces[0].Corners[0].At : default;
            double sum = 0;
            foreach (SolidFace f in Faces)
            {
                for (int i = 1; i + 1 < f.Corners.Length; i++)
                {
                    sum += Vec3.Dot(f.Corners[0].At - origin, Vec3.Cross(f.Corners[i].At - origin, f.Corners[i + 1].At - origin));
                }
            }
            return sum / 6;
        }
    }

    /// <summary>What of it lies at or below a plane, closed again where it was cut; null: nothing.</summary>
    /// <param name="normal">Unit length, towards what is taken away.</param>
    /// <param name="offset">Of the plane along it, metres.</param>
    /// <param name="material">Of the faces that close it; their picture lies on them in metres.</param>
    public Solid? Below(Vec3 normal, double offset, int material)
    {
        var kept = new List<SolidFace>(Faces.Count + 1);
        var rim = new List<(Vec3 From, Vec3 To)>();
        Span<double> off = stackalloc double[64];
        foreach (SolidFace face in Faces)
        {
            SolidCorner[] c = face.Corners;
            Span<double> d = c.Length <= off.Length ? off[..c.Length] : new double[c.Length];
            int outside = 0;
            for (int i = 0; i < c.Length; i++)
            {
                d[i] = Vec3.Dot(normal, c[i].At) - offset;
                outside += d[i] > 0 ? 1 : 0;
            }
            if (outside == 0)
            {
                kept.Add(face);
                continue;
            }
            if (outside == c.Length)
            {
                continue;
            }
            var corners = new List<SolidCorner>(c.Length + 1);
            Vec3 leaves = default,
                comes = default;
            for (int i = 0; i < c.Length; i++)
            {
                int j = (i + 1) % c.Length;
                bool here = d[i] <= 0,
                    next = d[j] <= 0;
                if (here)
                {
                    Put(corners, c[i]);
                }
                if (here != next)
                {
                    SolidCorner cut = Cut(c[i], d[i], c[j], d[j]);
                    Put(corners, cut);
                    if (here)
                    {
                        leaves = cut.At;
                    }
                    else
                    {
                        comes = cut.At;
                    }
                }
            }
            if (leaves != comes)
            {
                // The face that closes it has this edge the other way round.
                rim.Add((comes, leaves));
            }
            while (corners.Count > 1 && corners[0].At == corners[^1].At)
            {
                corners.RemoveAt(corners.Count - 1);
            }
            if (corners.Count >= 3)
            {
                kept.Add(face with { Corners = [.. corners] });
            }
        }
        if (kept.Count == 0)
        {
            return null;
        }
        kept.AddRange(Closed(rim, normal, material));
        return new(kept);
    }

    private static void Put(List<SolidCorner> corners, SolidCorner c)
    {
        if (corners.Count == 0 || corners[^1].At != c.At)
        {
            corners.Add(c);
        }
    }

    /// <summary>Where an edge meets the plane: computed from the same end, whichever face asks.</summary>
    private static SolidCorner Cut(SolidCorner a, double da, SolidCorner b, double db)
    {
        if (After(a.At, b.At))
        {
            (a, da, b, db) = (b, db, a, da);
        }
        double t = da / (da - db);
        return new(a.At + t * (b.At - a.At), a.Uv + (float)t * (b.Uv - a.Uv));
    }

    private static bool After(Vec3 a, Vec3 b) =>
        a.X != b.X ? a.X > b.X
        : a.Y != b.Y ? a.Y > b.Y
        : a.Z > b.Z;

    private static IEnumerable<SolidFace> Closed(List<(Vec3 From, Vec3 To)> rim, Vec3 normal, int material)
    {
        if (rim.Count == 0)
        {
            return [];
        }
        var next = new Dictionary<Vec3, List<Vec3>>();
        foreach (var (from, to) in rim)
        {
            (next.TryGetValue(from, out List<Vec3>? list) ? list : next[from] = []).Add(to);
        }
        Vec3 u = Vec3.Cross(Math.Abs(normal.X) < 0.9 ? Vec3.UnitX : Vec3.UnitZ, normal).Normalized(),
            v = Vec3.Cross(normal, u);
        var loops = new List<Vec3[]>();
        foreach (Vec3 start in rim.Select(r => r.From))
        {
            var loop = new List<Vec3>();
            Vec3 at = start;
            while (next.TryGetValue(at, out List<Vec3>? ways) && ways.Count > 0)
            {
                loop.Add(at);
                Vec3 to = ways[^1];
                ways.RemoveAt(ways.Count - 1);
                at = to;
                if (at == start)
                {
                    break;
                }
            }
            if (loop.Count >= 3)
            {
                loops.Add([.. loop]);
            }
        }
        (double X, double Y) Flat(Vec3 p) => (Vec3.Dot(u, p), Vec3.Dot(v, p));
        SolidCorner Corner(Vec3 p) => new(p, new((float)Vec3.Dot(u, p), (float)Vec3.Dot(v, p)));
        (double, double)[][] flat = [.. loops.Select(l => l.Select(Flat).ToArray())];
        if (loops.Count == 1 && PlanarFill.IsConvex(flat[0]))
        {
            return [new([.. loops[0].Select(Corner)], material)];
        }
        Vec3[] all = [.. loops.SelectMany(l => l)];
        return PlanarFill.Triangles(flat).Select(t => new SolidFace([Corner(all[t.A]), Corner(all[t.B]), Corner(all[t.C])], material));
    }

    /// <summary>About a spot, every face with corners of its own, so that its edges are sharp.</summary>
    public TriangleMesh Mesh(Vec3 about)
    {
        var positions = new List<Vector3>();
        var textures = new List<Vector2>();
        var normals = new List<Vector3>();
        var indices = new List<int>();
        var materials = new List<int>();
        foreach (SolidFace f in Faces)
        {
            int first = positions.Count;
            Vec3 n = f.Normal;
            Vector3 normal = n.Length > 0 ? n.Normalized().ToSingle() : Vector3.UnitY;
            foreach (SolidCorner c in f.Corners)
            {
                positions.Add((c.At - about).ToSingle());
                textures.Add(c.Uv);
                normals.Add(normal);
            }
            for (int i = 1; i + 1 < f.Corners.Length; i++)
            {
                indices.AddRange([first, first + i, first + i + 1]);
                materials.Add(f.Material);
            }
        }
        return new([.. positions], [.. indices])
        {
            Normals = [.. normals],
            TextureCoordinates = [.. textures],
            Materials = [.. materials],
        };
    }
}

/// <summary>A mesh encloses no volume.</summary>
public sealed class SolidFault(int openEdges) : Exception($"{openEdges} edges are open")
{
    public int OpenEdges { get; } = openEdges;
}
