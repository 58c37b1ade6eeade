using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>A face of a hull: its corners anticlockwise as seen from outside, and its plane.</summary>
public sealed record HullFace(int[] Corners, Vec3 Normal, double Offset);

/// <summary>An edge of a hull between two of its faces.</summary>
public readonly record struct HullEdge(int A, int B, int Left, int Right);

/// <summary>The smallest convex solid around points; faces that lie in one plane are one.</summary>
public sealed class ConvexHull
{
    public Vec3[] Vertices { get; }
    public HullFace[] Faces { get; }
    public HullEdge[] Edges { get; }

    /// <summary>Around the origin, metres.</summary>
    public double Radius { get; }

    /// <summary>The least distance between two planes that hold it, one of them along a face.</summary>
    public double Thinnest { get; }

    private ConvexHull(Vec3[] vertices, HullFace[] faces)
    {
        (Vertices, Faces) = (vertices, faces);
        var at = new Dictionary<(int, int), int>();
        for (int f = 0; f < faces.Length; f++)
        {
            int[] c = faces[f].Corners;
            for (int i = 0; i < c.Length; i++)
            {
                at[(c[i], c[(i + 1) % c.Length])] = f;
            }
        }
        Edges =
        [
            .. at.Where(e => e.Key.Item1 < e.Key.Item2 && at.ContainsKey((e.Key.Item2, e.Key.Item1)))
                .OrderBy(e => e.Key)
                .Select(e => new HullEdge(e.Key.Item1, e.Key.Item2, e.Value, at[(e.Key.Item2, e.Key.Item1)])),
        ];
        Radius = vertices.Max(v => v.Length);
        Thinnest = faces.Min(f => f.Offset - vertices.Min(v => Vec3.Dot(f.Normal, v)));
    }

    /// <summary>The same about another origin.</summary>
    public ConvexHull About(Vec3 origin) =>
        new([.. Vertices.Select(v => v - origin)], [.. Faces.Select(f => f with { Offset = f.Offset - Vec3.Dot(f.Normal, origin) })]);

    /// <summary>The area of its shadow in a direction: half of all its faces’ areas as they are seen along it, m².</summary>
    public double AreaSeenAlong(Vec3 direction)
    {
        double sum = 0;
        foreach (HullFace f in Faces)
        {
            for (int i = 2; i < f.Corners.Length; i++)
            {
                Vec3 a = Vertices[f.Corners[0]];
                sum += Math.Abs(Vec3.Dot(Vec3.Cross(Vertices[f.Corners[i - 1]] - a, Vertices[f.Corners[i]] - a), direction)) / 4;
            }
        }
        return sum;
    }

    /// <summary>Smaller about its origin.</summary>
    public ConvexHull Sized(double by) => new([.. Vertices.Select(v => by * v)], [.. Faces.Select(f => f with { Offset = by * f.Offset })]);

    /// <summary>One point after the other (Preparata and Hong 1977, as in O'Rourke 1998, 4.3). Null: the points lie in a plane.</summary>
    public static ConvexHull? Of(IEnumerable<Vec3> all)
    {
        Vec3[] p = [.. all.Distinct()];
        if (p.Length < 4)
        {
            return null;
        }
        Vec3 min = p.Aggregate(Vec3.Min),
            max = p.Aggregate(Vec3.Max);
        double size = (max - min).Length,
            eps = 1e-7 * size;
        int a = Most(p, v => -v.X - 1e-3 * v.Y),
            b = Most(p, v => (v - p[a]).Length),
            c = Most(p, v => Vec3.Cross(v - p[a], p[b] - p[a]).Length);
        Vec3 across = Vec3.Cross(p[b] - p[a], p[c] - p[a]);
        if (!(across.Length > eps * size))
        {
            return null;
        }
        across = across.Normalized();
        int d = Most(p, v => Math.Abs(Vec3.Dot(across, v - p[a])));
        if (Math.Abs(Vec3.Dot(across, p[d] - p[a])) <= 4 * eps)
        {
            return null;
        }
        if (Vec3.Dot(across, p[d] - p[a]) > 0)
        {
            (b, c) = (c, b);
        }
        var faces = new List<(int A, int B, int C, Vec3 N, double O)>();
        void Add(int i, int j, int k)
        {
            Vec3 n = Vec3.Cross(p[j] - p[i], p[k] - p[i]);
            n = n.Length > 0 ? n.Normalized() : Vec3.Zero;
            faces.Add((i, j, k, n, Vec3.Dot(n, p[i])));
        }
        Add(a, b, c);
        Add(a, d, b);
        Add(b, d, c);
        Add(c, d, a);
        for (int i = 0; i < p.Length; i++)
        {
            if (i == a || i == b || i == c || i == d)
            {
                continue;
            }
            bool[] sees = [.. faces.Select(f => Vec3.Dot(f.N, p[i]) - f.O > eps)];
            if (!sees.Any(s => s))
            {
                continue;
            }
            var rim = new HashSet<(int, int)>();
            for (int f = 0; f < faces.Count; f++)
            {
                if (sees[f])
                {
                    var (x, y, z, _, _) = faces[f];
                    foreach (var e in ((int, int)[])[(x, y), (y, z), (z, x)])
                    {
                        if (!rim.Remove((e.Item2, e.Item1)))
                        {
                            rim.Add(e);
                        }
                    }
                }
            }
            faces = [.. faces.Where((_, f) => !sees[f])];
            foreach (var (x, y) in rim.Order())
            {
                Add(x, y, i);
            }
        }
        return Joined(p, faces, eps);
    }

    private static int Most(Vec3[] p, Func<Vec3, double> of)
    {
        int best = 0;
        for (int i = 1; i < p.Length; i++)
        {
            best = of(p[i]) > of(p[best]) ? i : best;
        }
        return best;
    }

    /// <summary>Triangles in one plane become one face.</summary>
    private static ConvexHull? Joined(Vec3[] p, List<(int A, int B, int C, Vec3 N, double O)> faces, double eps)
    {
        var of = new Dictionary<(int, int), int>();
        for (int f = 0; f < faces.Count; f++)
        {
            var (a, b, c, _, _) = faces[f];
            (of[(a, b)], of[(b, c)], of[(c, a)]) = (f, f, f);
        }
        int[] group = [.. Enumerable.Repeat(-1, faces.Count)];
        var joined = new List<HullFace>();
        // From the largest on, so that slivers join what they lie in.
        foreach (int start in Enumerable.Range(0, faces.Count).OrderByDescending(f => Area(p, faces[f])).ThenBy(f => f))
        {
            if (group[start] >= 0)
            {
                continue;
            }
            int own = joined.Count;
            Vec3 n = faces[start].N;
            var stack = new Stack<int>([start]);
            group[start] = own;
            var members = new List<int>();
            while (stack.TryPop(out int f))
            {
                members.Add(f);
                var (a, b, c, _, _) = faces[f];
                foreach (var e in ((int, int)[])[(b, a), (c, b), (a, c)])
                {
                    if (of.TryGetValue(e, out int g) && group[g] < 0 && Plane(faces[g].A) && Plane(faces[g].B) && Plane(faces[g].C))
                    {
                        group[g] = own;
                        stack.Push(g);
                    }
                }
            }
            bool Plane(int v) => Math.Abs(Vec3.Dot(n, p[v]) - faces[start].O) <= 20 * eps;
            var next = new Dictionary<int, int>();
            foreach (int f in members)
            {
                var (a, b, c, _, _) = faces[f];
                foreach (var (x, y) in ((int, int)[])[(a, b), (b, c), (c, a)])
                {
                    if (!of.TryGetValue((y, x), out int g) || group[g] != own)
                    {
                        next[x] = y;
                    }
                }
            }
            var loop = new List<int>();
            int at = next.Keys.Min();
            while (next.Remove(at, out int to))
            {
                loop.Add(at);
                at = to;
            }
            if (loop.Count >= 3)
            {
                joined.Add(new([.. loop], n, faces[start].O));
            }
            else
            {
                joined.Add(new([faces[start].A, faces[start].B, faces[start].C], n, faces[start].O));
            }
        }
        int[] used = [.. joined.SelectMany(f => f.Corners).Distinct().Order()];
        var number = new Dictionary<int, int>();
        foreach (int v in used)
        {
            number[v] = number.Count;
        }
        return new(
            [.. used.Select(v => p[v])],
            [
                .. joined.Select(f =>
                    f with
                    {
                        Corners = [.. f.Corners.Select(v => number[v])],
                        Offset = f.Corners.Max(v => Vec3.Dot(f.Normal, p[v])),
                    }
                ),
            ]
        );
    }

    private static double Area(Vec3[] p, (int A, int B, int C, Vec3 N, double O) f) => Vec3.Cross(p[f.B] - p[f.A], p[f.C] - p[f.A]).Length;
}
