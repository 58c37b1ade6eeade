using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Plenk.Core.Tracing;

/// <summary>
/// One mesh made ready for rays: a <see cref="WideTree"/> whose leaves are packs of eight triangles. The triangle test is
/// watertight (Woop, Benthin &amp; Wald, "Watertight ray/triangle intersection", JCGT 2013): a ray through a closed mesh
/// never slips between two triangles. Immutable; safe from any number of threads.
/// </summary>
public sealed unsafe class MeshTree
{
    // Per pack: 3 corners × 3 coordinates × 8 lanes of floats, then the triangles' 8 numbers: five cache lines. Empty lanes hold NaN, which never hits.
    private const int PackFloats = 80,
        NumbersAt = 72;
    private readonly AlignedFloats _packs;
    private readonly float* _pack;
    private readonly WideTree _tree;

    public TriangleMesh Mesh { get; }
    public Vector3 Min { get; }
    public Vector3 Max { get; }

    private (Vector3 Middle, float Radius)[]? _balls;

    /// <summary>Balls that together hold it.</summary>
    public IReadOnlyList<(Vector3 Middle, float Radius)> Balls => _balls ??= PartBalls.Of(Mesh);

    public MeshTree(TriangleMesh mesh)
    {
        Mesh = mesh;
        int count = mesh.TriangleCount;
        if (count == 0)
        {
            throw new ArgumentException("a mesh without triangles cannot be traced");
        }
        (Min, Max) = mesh.Bounds();
        var min = new Vector3[count];
        var max = new Vector3[count];
        for (int i = 0; i < count; i++)
        {
            var (a, b, c) = mesh.Triangle(i);
            min[i] = Vector3.Min(a, Vector3.Min(b, c));
            max[i] = Vector3.Max(a, Vector3.Max(b, c));
        }
        _tree = WideTree.Build(min, max, WideTree.Width);
        _packs = new(_tree.Leaves.Length * PackFloats);
        _pack = _packs.Pointer;
        for (int leaf = 0; leaf < _tree.Leaves.Length; leaf++)
        {
            var (first, n) = _tree.Leaves[leaf];
            float* pack = _pack + (long)leaf * PackFloats;
            new Span<float>(pack, NumbersAt).Fill(float.NaN);
            new Span<int>(pack + NumbersAt, 8).Clear();
            for (int lane = 0; lane < n; lane++)
            {
                int triangle = _tree.Order[first + lane];
                ((int*)(pack + NumbersAt))[lane] = triangle;
                var (a, b, c) = mesh.Triangle(triangle);
                for (int axis = 0; axis < 3; axis++)
                {
                    int at = axis * 8 + lane;
                    pack[at] = a[axis];
                    pack[at + 24] = b[axis];
                    pack[at + 48] = c[axis];
                }
            }
        }
    }

    /// <summary>Nearest crossing; of several at equal distance the triangle with the lowest number. Instance is left at 0.</summary>
    public Hit Intersect(in Ray ray)
    {
        Hit best = Hit.None with { T = ray.TMax };
        if (ray.IsFinite)
        {
            Walk(ray, any: false, ref best);
        }
        return best.IsHit ? best : Hit.None;
    }

    public bool Occluded(in Ray ray)
    {
        Hit best = Hit.None with { T = ray.TMax };
        return ray.IsFinite && WalkAny(ray, ref best);
    }

    internal bool Walk(in Ray ray, bool any, ref Hit best) => any ? WalkAny(ray, ref best) : WalkNearest(ray, ref best);

    /// <summary>Whether anything is met at all: leaves are tested as they are found, nothing is sorted.</summary>
    [SkipLocalsInit]
    private bool WalkAny(in Ray ray, ref Hit best)
    {
        var slabs = new SlabRay(ray.Origin, ray.Direction);
        var shear = new ShearedRay(ray.Origin, ray.Direction);
        int* stack = stackalloc int[256];
        int top = 0,
            node = 0;
        while (true)
        {
            float* at = _tree.Nodes + (long)node * WideTree.NodeFloats;
            uint mask = slabs.Cross(at, ray.TMin, best.T, out _);
            int* children = WideTree.ChildrenOf(at);
            while (mask != 0)
            {
                int child = children[BitOperations.TrailingZeroCount(mask)];
                mask &= mask - 1;
                if (child >= 0)
                {
                    stack[top++] = child;
                    float* next = _tree.Nodes + (long)child * WideTree.NodeFloats;
                    AlignedFloats.Fetch(next);
                    AlignedFloats.Fetch(next + 16);
                    AlignedFloats.Fetch(next + 32);
                    continue;
                }
                float* pack = _pack + (long)~child * PackFloats;
                if (shear.Cross(pack, (int*)(pack + NumbersAt), ray.TMin, ref best))
                {
                    return true;
                }
            }
            if (top == 0)
            {
                return false;
            }
            node = stack[--top];
        }
    }

    /// <summary>Rays that a packet holds.</summary>
    public const int PacketRays = 8;

    // A byte of bits as a byte for each bit.
    private static readonly ulong[] s_spread =
    [
        .. Enumerable.Range(0, 256).Select(m => Enumerable.Range(0, 8).Aggregate(0UL, (sum, k) => sum | ((ulong)(m >> k & 1) << (8 * k)))),
    ];

    /// <summary>
    /// Nearest crossings of up to eight rays that go together through the tree (Wald, Slusallek, Benthin and Wagner 2001): a node is
    /// fetched once for all of them. The same hits as one by one.
    /// </summary>
    [SkipLocalsInit]
    public void IntersectPacket(ReadOnlySpan<Ray> rays, Span<Hit> hits)
    {
        int count = rays.Length;
        if (count > PacketRays || hits.Length < count)
        {
            throw new ArgumentException($"a packet holds up to {PacketRays} rays, and a hit for each");
        }
        SlabRay* slabs = stackalloc SlabRay[PacketRays];
        ShearedRay* shears = stackalloc ShearedRay[PacketRays];
        uint all = 0;
        for (int r = 0; r < count; r++)
        {
            if (rays[r].IsFinite)
            {
                all |= 1u << r;
            }
            slabs[r] = new(rays[r].Origin, rays[r].Direction);
            shears[r] = new(rays[r].Origin, rays[r].Direction);
            hits[r] = Hit.None with { T = rays[r].TMax };
        }
        const int depth = 512;
        int* stackNode = stackalloc int[depth];
        uint* stackRays = stackalloc uint[depth];
        float* stackNear = stackalloc float[depth];
        float* nearOf = stackalloc float[8];
        int top = 1;
        (stackNode[0], stackRays[0], stackNear[0]) = (0, all, 0);
        while (top > 0)
        {
            int node = stackNode[--top];
            uint active = stackRays[top];
            if (node < 0)
            {
                for (; active != 0; active &= active - 1)
                {
                    int r = BitOperations.TrailingZeroCount(active);
                    Leaf(~node, shears[r], rays[r].TMin, ref hits[r]);
                }
                continue;
            }
            float* here = _tree.Nodes + (long)node * WideTree.NodeFloats;
            ulong byChild = 0;
            uint met = 0;
            bool first = true;
            for (; active != 0; active &= active - 1)
            {
                int r = BitOperations.TrailingZeroCount(active);
                uint mask = slabs[r].Cross(here, rays[r].TMin, hits[r].T, out Vector256<float> near);
                if (mask == 0)
                {
                    continue;
                }
                byChild |= s_spread[mask] << r;
                met |= mask;
                // The first ray's way tells the order for all.
                if (first)
                {
                    near.Store(nearOf);
                    first = false;
                }
            }
            int* children = WideTree.ChildrenOf(here);
            int start = top;
            for (; met != 0; met &= met - 1)
            {
                int lane = BitOperations.TrailingZeroCount(met);
                float t = nearOf[lane];
                int at = top++;
                while (at > start && stackNear[at - 1] < t)
                {
                    (stackNear[at], stackNode[at], stackRays[at]) = (stackNear[at - 1], stackNode[at - 1], stackRays[at - 1]);
                    at--;
                }
                (stackNear[at], stackNode[at], stackRays[at]) = (t, children[lane], (uint)(byChild >> (8 * lane)) & 0xff);
            }
        }
        for (int r = 0; r < count; r++)
        {
            if (!hits[r].IsHit)
            {
                hits[r] = Hit.None;
            }
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Leaf(int leaf, in ShearedRay shear, float tMin, ref Hit best)
    {
        float* pack = _pack + (long)leaf * PackFloats;
        shear.Cross(pack, (int*)(pack + NumbersAt), tMin, ref best);
    }

    [SkipLocalsInit]
    private bool WalkNearest(in Ray ray, ref Hit best)
    {
        var slabs = new SlabRay(ray.Origin, ray.Direction);
        var shear = new ShearedRay(ray.Origin, ray.Direction);
        const int depth = 256;
        int* stackNode = stackalloc int[depth];
        float* stackNear = stackalloc float[depth];
        float* nearOf = stackalloc float[8];
        int top = 0;
        int node = 0;
        while (true)
        {
            float* here = _tree.Nodes + (long)node * WideTree.NodeFloats;
            uint mask = slabs.Cross(here, ray.TMin, best.T, out Vector256<float> near);
            if (mask != 0)
            {
                int* children = WideTree.ChildrenOf(here);
                if ((mask & (mask - 1)) == 0)
                {
                    // One child only: no way round by the stack.
                    node = children[BitOperations.TrailingZeroCount(mask)];
                    if (node >= 0)
                    {
                        continue;
                    }
                    Leaf(~node, shear, ray.TMin, ref best);
                    goto next;
                }
                near.Store(nearOf);
                int start = top;
                do
                {
                    int lane = BitOperations.TrailingZeroCount(mask);
                    mask &= mask - 1;
                    float t = nearOf[lane];
                    int child = children[lane];
                    int at = top++;
                    // Kept sorted, nearest last, so that it is taken first.
                    while (at > start && stackNear[at - 1] < t)
                    {
                        stackNear[at] = stackNear[at - 1];
                        stackNode[at] = stackNode[at - 1];
                        at--;
                    }
                    stackNear[at] = t;
                    stackNode[at] = child;
                } while (mask != 0);
            }
            next:
            while (true)
            {
                if (top == 0)
                {
                    return best.IsHit;
                }
                top--;
                if (stackNear[top] > best.T)
                {
                    continue;
                }
                node = stackNode[top];
                if (node >= 0)
                {
                    break;
                }
                Leaf(~node, shear, ray.TMin, ref best);
            }
        }
    }
}

/// <summary>A ray sheared so that it runs along +z from the origin, as the watertight test wants it.</summary>
internal readonly unsafe struct ShearedRay
{
    private readonly int _kx,
        _ky,
        _kz;
    private readonly float _sx,
        _sy,
        _sz;
    private readonly Vector256<float> _ox,
        _oy,
        _oz,
        _vsx,
        _vsy,
        _vsz;

    public ShearedRay(Vector3 origin, Vector3 direction)
    {
        Vector3 a = Vector3.Abs(direction);
        _kz =
            a.X >= a.Y && a.X >= a.Z ? 0
            : a.Y >= a.Z ? 1
            : 2;
        _kx = (_kz + 1) % 3;
        _ky = (_kx + 1) % 3;
        float* d = (float*)&direction;
        float* o = (float*)&origin;
        if (d[_kz] < 0)
        {
            (_kx, _ky) = (_ky, _kx);
        }
        _sx = d[_kx] / d[_kz];
        _sy = d[_ky] / d[_kz];
        _sz = 1 / d[_kz];
        (_ox, _oy, _oz) = (Vector256.Create(o[_kx]), Vector256.Create(o[_ky]), Vector256.Create(o[_kz]));
        (_vsx, _vsy, _vsz) = (Vector256.Create(_sx), Vector256.Create(_sy), Vector256.Create(_sz));
    }

    /// <summary>Tests a pack of eight and improves <paramref name="best"/>. True when something nearer was found.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public bool Cross(float* pack, int* ids, float tMin, ref Hit best)
    {
        float* x = pack + _kx * 8;
        float* y = pack + _ky * 8;
        float* z = pack + _kz * 8;
        Vector256<float> az = Vector256.Load(z) - _oz;
        Vector256<float> bz = Vector256.Load(z + 24) - _oz;
        Vector256<float> cz = Vector256.Load(z + 48) - _oz;
        Vector256<float> ax = Vector256.Load(x) - _ox - _vsx * az;
        Vector256<float> ay = Vector256.Load(y) - _oy - _vsy * az;
        Vector256<float> bx = Vector256.Load(x + 24) - _ox - _vsx * bz;
        Vector256<float> by = Vector256.Load(y + 24) - _oy - _vsy * bz;
        Vector256<float> cx = Vector256.Load(x + 48) - _ox - _vsx * cz;
        Vector256<float> cy = Vector256.Load(y + 48) - _oy - _vsy * cz;
        Vector256<float> u = cx * by - cy * bx;
        Vector256<float> v = ax * cy - ay * cx;
        Vector256<float> w = bx * ay - by * ax;
        Vector256<float> zero = Vector256<float>.Zero;
        Vector256<float> edge = Vector256.Equals(u, zero) | Vector256.Equals(v, zero) | Vector256.Equals(w, zero);
        if (edge.ExtractMostSignificantBits() != 0)
        {
            Refine(ax, ay, bx, by, cx, cy, ref u, ref v, ref w);
        }
        Vector256<float> negative = Vector256.LessThan(u, zero) | Vector256.LessThan(v, zero) | Vector256.LessThan(w, zero);
        Vector256<float> positive = Vector256.GreaterThan(u, zero) | Vector256.GreaterThan(v, zero) | Vector256.GreaterThan(w, zero);
        // Lanes with both signs are outside; lanes with neither are empty or degenerate.
        uint mask = (negative ^ positive).ExtractMostSignificantBits();
        if (mask == 0)
        {
            return false;
        }
        Vector256<float> det = u + v + w;
        Vector256<float> t = (u * (_vsz * az) + v * (_vsz * bz) + w * (_vsz * cz)) / det;
        mask &= (
            Vector256.GreaterThan(t, Vector256.Create(tMin)) & Vector256.LessThanOrEqual(t, Vector256.Create(best.T))
        ).ExtractMostSignificantBits();
        bool found = false;
        while (mask != 0)
        {
            int lane = BitOperations.TrailingZeroCount(mask);
            mask &= mask - 1;
            float distance = t.GetElement(lane);
            int id = ids[lane];
            if (distance < best.T || (distance == best.T && best.IsHit && best.Instance == 0 && id < best.Triangle))
            {
                float inverse = 1 / det.GetElement(lane);
                best = new Hit(distance, v.GetElement(lane) * inverse, w.GetElement(lane) * inverse, id, 0);
                found = true;
            }
        }
        return found;
    }

    /// <summary>Edge functions of lanes that fell on zero, again in double precision, as the paper prescribes.</summary>
    private static void Refine(
        Vector256<float> ax,
        Vector256<float> ay,
        Vector256<float> bx,
        Vector256<float> by,
        Vector256<float> cx,
        Vector256<float> cy,
        ref Vector256<float> u,
        ref Vector256<float> v,
        ref Vector256<float> w
    )
    {
        for (int i = 0; i < 8; i++)
        {
            if (u[i] == 0 || v[i] == 0 || w[i] == 0)
            {
                u = u.WithElement(i, (float)((double)cx[i] * by[i] - (double)cy[i] * bx[i]));
                v = v.WithElement(i, (float)((double)ax[i] * cy[i] - (double)ay[i] * cx[i]));
                w = w.WithElement(i, (float)((double)bx[i] * ay[i] - (double)by[i] * ax[i]));
            }
        }
    }
}
