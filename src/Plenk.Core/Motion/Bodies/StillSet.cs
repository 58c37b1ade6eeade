using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Bodies;

/// <summary>What bodies fall on: triangles that stand still, each of a piece, with the edges that stick out.</summary>
public sealed class StillSet
{
    /// <summary>Below this crease an edge is flat: no body catches on it.</summary>
    private const double FlatDegrees = 4;
    private const int Leaf = 4;
    private readonly Vec3[] _a,
        _b,
        _c,
        _n;
    private readonly int[] _piece;
    private readonly bool[] _edge; // by triangle and side: it sticks out, and this triangle has it
    private readonly Vec3[] _min,
        _max; // by node
    private readonly int[] _first,
        _count,
        _order; // by node: of a leaf its triangles, else its children at _first and _first + 1

    public int PieceOf(int triangle) => _piece[triangle];

    public Vec3 Normal(int triangle) => _n[triangle];

    public (Vec3 A, Vec3 B, Vec3 C) Corners(int t) => (_a[t], _b[t], _c[t]);

    /// <summary>That side of the triangle sticks out and is its own; sides run from corner k to the next.</summary>
    public bool Sticks(int triangle, int side) => _edge[3 * triangle + side];

    public StillSet(IReadOnlyList<TriangleMesh> pieces)
    {
        var a = new List<Vec3>();
        var b = new List<Vec3>();
        var c = new List<Vec3>();
        var n = new List<Vec3>();
        var piece = new List<int>();
        var sticks = new List<bool>();
        for (int p = 0; p < pieces.Count; p++)
        {
            TriangleMesh mesh = pieces[p];
            int[] weld = mesh.Welded(out _);
            var edges = new Dictionary<(int, int), (int Slot, Vec3 Normal)>();
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                var (u, v, w) = mesh.Triangle(t);
                Vec3 x = Vec3.From(u),
                    y = Vec3.From(v),
                    z = Vec3.From(w),
                    normal = Vec3.Cross(y - x, z - x);
                if (!(normal.Length > 1e-12))
                {
                    continue;
                }
                normal = normal.Normalized();
                Vec3[] corner = [x, y, z];
                int slot = sticks.Count;
                for (int k = 0; k < 3; k++)
                {
                    int i = weld[mesh.Indices[3 * t + k]],
                        j = weld[mesh.Indices[3 * t + (k + 1) % 3]];
                    // Open edges stick out; one with two faces where they bend away from each other.
                    if (edges.TryGetValue((j, i), out var other))
                    {
                        double bend = Rotations.Degrees(Math.Acos(Math.Clamp(Vec3.Dot(normal, other.Normal), -1, 1)));
                        bool outwards = Vec3.Dot(other.Normal, corner[(k + 2) % 3] - corner[k]) < 0;
                        sticks[other.Slot] = bend > FlatDegrees && outwards;
                        sticks.Add(false);
                    }
                    else
                    {
                        edges[(i, j)] = (slot + k, normal);
                        sticks.Add(true);
                    }
                }
                a.Add(x);
                b.Add(y);
                c.Add(z);
                n.Add(normal);
                piece.Add(p);
            }
        }
        (_a, _b, _c, _n, _piece, _edge) = ([.. a], [.. b], [.. c], [.. n], [.. piece], [.. sticks]);
        _order = [.. Enumerable.Range(0, _a.Length)];
        var min = new List<Vec3>();
        var max = new List<Vec3>();
        var first = new List<int>();
        var count = new List<int>();
        void Node(int at, int from, int many)
        {
            Vec3 low = new(double.MaxValue, double.MaxValue, double.MaxValue),
                high = -low;
            for (int i = from; i < from + many; i++)
            {
                int t = _order[i];
                low = Vec3.Min(low, Vec3.Min(_a[t], Vec3.Min(_b[t], _c[t])));
                high = Vec3.Max(high, Vec3.Max(_a[t], Vec3.Max(_b[t], _c[t])));
            }
            (min[at], max[at]) = (low, high);
            if (many <= Leaf)
            {
                (first[at], count[at]) = (from, many);
                return;
            }
            Vec3 wide = high - low;
            double Key(int t)
            {
                Vec3 sum = _a[t] + _b[t] + _c[t];
                return wide.X >= wide.Y && wide.X >= wide.Z ? sum.X
                    : wide.Y >= wide.Z ? sum.Y
                    : sum.Z;
            }
            int[] own = [.. _order.AsSpan(from, many).ToArray().OrderBy(Key).ThenBy(t => t)];
            own.CopyTo(_order, from);
            int child = min.Count;
            for (int k = 0; k < 2; k++)
            {
                min.Add(default);
                max.Add(default);
                first.Add(0);
                count.Add(0);
            }
            (first[at], count[at]) = (child, -1);
            Node(child, from, many / 2);
            Node(child + 1, from + many / 2, many - many / 2);
        }
        min.Add(default);
        max.Add(default);
        first.Add(0);
        count.Add(0);
        Node(0, 0, _order.Length);
        (_min, _max, _first, _count) = ([.. min], [.. max], [.. first], [.. count]);
    }

    /// <summary>Triangles whose bounds meet a box.</summary>
    public void Near(Vec3 low, Vec3 high, List<int> found)
    {
        found.Clear();
        if (_order.Length == 0)
        {
            return;
        }
        Span<int> stack = stackalloc int[128];
        int top = 0;
        stack[top++] = 0;
        while (top > 0)
        {
            int at = stack[--top];
            Vec3 a = _min[at],
                b = _max[at];
            if (a.X > high.X || b.X < low.X || a.Y > high.Y || b.Y < low.Y || a.Z > high.Z || b.Z < low.Z)
            {
                continue;
            }
            if (_count[at] < 0)
            {
                stack[top++] = _first[at];
                stack[top++] = _first[at] + 1;
                continue;
            }
            for (int i = _first[at]; i < _first[at] + _count[at]; i++)
            {
                found.Add(_order[i]);
            }
        }
    }

    /// <summary>Where a way first meets a triangle, as a share of it (Möller and Trumbore 1997); null: nowhere.</summary>
    /// <param name="inset">So much of a triangle along its edges does not count, as a share.</param>
    public (double Share, int Triangle)? Meets(Vec3 from, Vec3 to, Func<int, bool> counts, List<int> near, double inset = 0)
    {
        Near(Vec3.Min(from, to), Vec3.Max(from, to), near);
        Vec3 d = to - from;
        (double, int)? best = null;
        foreach (int t in near)
        {
            if (!counts(t))
            {
                continue;
            }
            Vec3 e1 = _b[t] - _a[t],
                e2 = _c[t] - _a[t],
                p = Vec3.Cross(d, e2);
            double det = Vec3.Dot(e1, p);
            if (det == 0)
            {
                continue;
            }
            Vec3 s = from - _a[t],
                q = Vec3.Cross(s, e1);
            double u = Vec3.Dot(s, p) / det,
                v = Vec3.Dot(d, q) / det,
                share = Vec3.Dot(e2, q) / det;
            if (u >= inset && v >= inset && u + v <= 1 - inset && share is >= 0 and <= 1 && (best is not { } b || share < b.Item1))
            {
                best = (share, t);
            }
        }
        return best;
    }
}
