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
    // Per pack: 3 corners × 3 coordinates × 8 lanes of floats. Empty lanes hold NaN, which never hits.
    private const int PackFloats = 72;
    private readonly float[] _packs;
    private readonly int[] _ids;
    private readonly float* _pack;
    private readonly int* _id;
    private readonly WideTree _tree;

    public TriangleMesh Mesh { get; }
    public Vector3 Min { get; }
    public Vector3 Max { get; }

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
        _packs = GC.AllocateUninitializedArray<float>(_tree.Leaves.Length * PackFloats, pinned: true);
        _ids = GC.AllocateArray<int>(_tree.Leaves.Length * 8, pinned: true);
        Array.Fill(_packs, float.NaN);
        for (int leaf = 0; leaf < _tree.Leaves.Length; leaf++)
        {
            var (first, n) = _tree.Leaves[leaf];
            for (int lane = 0; lane < n; lane++)
            {
                int triangle = _tree.Order[first + lane];
                _ids[leaf * 8 + lane] = triangle;
                var (a, b, c) = mesh.Triangle(triangle);
                for (int axis = 0; axis < 3; axis++)
                {
                    int at = leaf * PackFloats + axis * 8 + lane;
                    _packs[at] = a[axis];
                    _packs[at + 24] = b[axis];
                    _packs[at + 48] = c[axis];
                }
            }
        }
        _pack = (float*)Unsafe.AsPointer(ref _packs[0]);
        _id = (int*)Unsafe.AsPointer(ref _ids[0]);
    }

    /// <summary>Nearest crossing; of several at equal distance the triangle with the lowest number. Instance is left at 0.</summary>
    public Hit Intersect(in Ray ray)
    {
        Hit best = Hit.None with { T = ray.TMax };
        Walk(ray, any: false, ref best);
        return best.IsHit ? best : Hit.None;
    }

    public bool Occluded(in Ray ray)
    {
        Hit best = Hit.None with { T = ray.TMax };
        return Walk(ray, any: true, ref best);
    }

    [SkipLocalsInit]
    internal bool Walk(in Ray ray, bool any, ref Hit best)
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
            uint mask = slabs.Cross(_tree.Bounds + node * 48, ray.TMin, best.T, out Vector256<float> near);
            if (mask != 0)
            {
                near.Store(nearOf);
                int* children = _tree.Children + node * 8;
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
                }
                while (mask != 0);
            }
            while (true)
            {
                if (top == 0) { return best.IsHit; }
                top--;
                if (stackNear[top] > best.T) { continue; }
                node = stackNode[top];
                if (node >= 0) { break; }
                int leaf = ~node;
                if (shear.Cross(_pack + leaf * PackFloats, _id + leaf * 8, ray.TMin, ref best) && any)
                {
                    return true;
                }
            }
        }
    }
}

/// <summary>A ray sheared so that it runs along +z from the origin, as the watertight test wants it.</summary>
internal readonly unsafe struct ShearedRay
{
    private readonly int _kx, _ky, _kz;
    private readonly float _sx, _sy, _sz;
    private readonly Vector256<float> _ox, _oy, _oz, _vsx, _vsy, _vsz;

    public ShearedRay(Vector3 origin, Vector3 direction)
    {
        Vector3 a = Vector3.Abs(direction);
        _kz = a.X >= a.Y && a.X >= a.Z ? 0 : a.Y >= a.Z ? 1 : 2;
        _kx = (_kz + 1) % 3;
        _ky = (_kx + 1) % 3;
        if (direction[_kz] < 0) { (_kx, _ky) = (_ky, _kx); }
        _sx = direction[_kx] / direction[_kz];
        _sy = direction[_ky] / direction[_kz];
        _sz = 1 / direction[_kz];
        (_ox, _oy, _oz) = (Vector256.Create(origin[_kx]), Vector256.Create(origin[_ky]), Vector256.Create(origin[_kz]));
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
        if (mask == 0) { return false; }
        Vector256<float> det = u + v + w;
        Vector256<float> t = (u * (_vsz * az) + v * (_vsz * bz) + w * (_vsz * cz)) / det;
        mask &= (Vector256.GreaterThan(t, Vector256.Create(tMin)) & Vector256.LessThanOrEqual(t, Vector256.Create(best.T))).ExtractMostSignificantBits();
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
        Vector256<float> ax, Vector256<float> ay, Vector256<float> bx, Vector256<float> by, Vector256<float> cx, Vector256<float> cy,
        ref Vector256<float> u, ref Vector256<float> v, ref Vector256<float> w)
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
