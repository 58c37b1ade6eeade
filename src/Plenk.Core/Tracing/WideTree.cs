using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Plenk.Core.Tracing;

/// <summary>
/// A bounding volume hierarchy with eight children a node: built as a binary tree with the binned surface area
/// heuristic (Wald, "On fast construction of SAH-based bounding volume hierarchies", 2007), then each node takes in
/// the largest of its grandchildren until it has eight. Lane count is fixed at 8 whatever the machine, so results
/// are equal everywhere.
/// </summary>
public sealed unsafe class WideTree
{
    public const int Width = 8;

    /// <summary>
    /// A node is four cache lines: 6 × 8 floats (min x, min y, min z, max x, max y, max z; empty lanes hold an inverted box), then 8
    /// numbers of children (≥ 0 a node, &lt; 0 the complement of a leaf number), then nothing.
    /// </summary>
    internal const int NodeFloats = 64;
    private const int ChildrenAt = 48;

    private readonly AlignedFloats _nodes;
    internal readonly float* Nodes;

    /// <summary>Primitive numbers in leaf order.</summary>
    public int[] Order { get; }

    /// <summary>Leaf i holds Order[Leaves[i].First ..+ Count].</summary>
    public (int First, int Count)[] Leaves { get; }

    public int NodeCount { get; }

    /// <summary>The eight children of a node.</summary>
    internal static int* ChildrenOf(float* node) => (int*)(node + ChildrenAt);

    private WideTree(float[] bounds, int[] children, int[] order, (int, int)[] leaves)
    {
        NodeCount = children.Length / Width;
        _nodes = new(NodeCount * NodeFloats);
        Nodes = _nodes.Pointer;
        for (int i = 0; i < NodeCount; i++)
        {
            float* node = Nodes + i * NodeFloats;
            bounds.AsSpan(i * ChildrenAt, ChildrenAt).CopyTo(new Span<float>(node, ChildrenAt));
            children.AsSpan(i * Width, Width).CopyTo(new Span<int>(ChildrenOf(node), Width));
        }
        Order = order;
        Leaves = leaves;
    }

    private sealed class BinaryNode
    {
        public Vector3 Min,
            Max;
        public BinaryNode? Left,
            Right;
        public int First,
            Count;
        public bool IsLeaf => Left is null;
    }

    /// <summary>Builds over primitive boxes; a leaf holds at most <paramref name="leafSize"/> primitives.</summary>
    public static WideTree Build(Vector3[] min, Vector3[] max, int leafSize)
    {
        int count = min.Length;
        int[] order = Enumerable.Range(0, count).ToArray();
        var centres = new Vector3[count];
        for (int i = 0; i < count; i++)
        {
            centres[i] = (min[i] + max[i]) * 0.5f;
        }

        BinaryNode root = Split(0, count, 0);
        var bounds = new List<float>();
        var children = new List<int>();
        var leaves = new List<(int, int)>();
        Collapse(root);
        return new WideTree([.. bounds], [.. children], order, [.. leaves]);

        BinaryNode Split(int first, int n, int depth)
        {
            var node = new BinaryNode
            {
                First = first,
                Count = n,
                Min = new(float.PositiveInfinity),
                Max = new(float.NegativeInfinity),
            };
            Vector3 cMin = node.Min,
                cMax = node.Max;
            for (int i = first; i < first + n; i++)
            {
                int p = order[i];
                node.Min = Vector3.Min(node.Min, min[p]);
                node.Max = Vector3.Max(node.Max, max[p]);
                cMin = Vector3.Min(cMin, centres[p]);
                cMax = Vector3.Max(cMax, centres[p]);
            }
            if (n <= 1)
            {
                return node;
            }

            const int bins = 16;
            Vector3 extent = cMax - cMin;
            float bestCost = float.PositiveInfinity;
            int bestAxis = -1,
                bestBin = 0;
            Span<int> counts = stackalloc int[bins];
            Span<Vector3> lows = stackalloc Vector3[bins];
            Span<Vector3> highs = stackalloc Vector3[bins];
            Span<float> rightCost = stackalloc float[bins];
            for (int axis = 0; axis < 3; axis++)
            {
                if (!(extent[axis] > 0))
                {
                    continue;
                }
                counts.Clear();
                lows.Fill(new(float.PositiveInfinity));
                highs.Fill(new(float.NegativeInfinity));
                float scale = bins / extent[axis];
                for (int i = first; i < first + n; i++)
                {
                    int p = order[i];
                    int b = Math.Min(bins - 1, (int)((centres[p][axis] - cMin[axis]) * scale));
                    counts[b]++;
                    lows[b] = Vector3.Min(lows[b], min[p]);
                    highs[b] = Vector3.Max(highs[b], max[p]);
                }
                Vector3 lo = new(float.PositiveInfinity),
                    hi = new(float.NegativeInfinity);
                int c = 0;
                for (int b = bins - 1; b > 0; b--)
                {
                    c += counts[b];
                    lo = Vector3.Min(lo, lows[b]);
                    hi = Vector3.Max(hi, highs[b]);
                    rightCost[b] = c == 0 ? 0 : HalfArea(lo, hi) * Packs(c);
                }
                (lo, hi, c) = (new(float.PositiveInfinity), new(float.NegativeInfinity), 0);
                for (int b = 0; b < bins - 1; b++)
                {
                    c += counts[b];
                    if (c == 0 || c == n)
                    {
                        continue;
                    }
                    lo = Vector3.Min(lo, lows[b]);
                    hi = Vector3.Max(hi, highs[b]);
                    float cost = HalfArea(lo, hi) * Packs(c) + rightCost[b + 1];
                    if (cost < bestCost)
                    {
                        (bestCost, bestAxis, bestBin) = (cost, axis, b);
                    }
                }
            }
            if (
                n <= leafSize
                && (bestAxis < 0 || n <= 2 || bestCost + 0.3f * HalfArea(node.Min, node.Max) >= HalfArea(node.Min, node.Max) * Packs(n))
            )
            {
                return node;
            }
            int middle;
            if (bestAxis < 0 || depth > 60)
            {
                middle = first + n / 2;
            }
            else
            {
                float scale = bins / extent[bestAxis];
                middle = first;
                for (int i = first; i < first + n; i++)
                {
                    int p = order[i];
                    if (Math.Min(bins - 1, (int)((centres[p][bestAxis] - cMin[bestAxis]) * scale)) <= bestBin)
                    {
                        (order[i], order[middle]) = (order[middle], order[i]);
                        middle++;
                    }
                }
            }
            node.Left = Split(first, middle - first, depth + 1);
            node.Right = Split(middle, first + n - middle, depth + 1);
            return node;
        }

        // A leaf's cost in pack tests: part-filled packs cost a little less because fewer rays reach them usefully.
        float Packs(int n) => MathF.Ceiling(n / (float)leafSize) * 0.5f + 0.5f * n / leafSize;

        int Collapse(BinaryNode node)
        {
            int index = children.Count / Width;
            var kids = new List<BinaryNode>();
            if (node.IsLeaf)
            {
                kids.Add(node);
            }
            else
            {
                kids.Add(node.Left!);
                kids.Add(node.Right!);
            }
            while (kids.Count < Width)
            {
                int largest = -1;
                float area = 0;
                for (int i = 0; i < kids.Count; i++)
                {
                    float a = HalfArea(kids[i].Min, kids[i].Max);
                    if (!kids[i].IsLeaf && a >= area)
                    {
                        (largest, area) = (i, a);
                    }
                }
                if (largest < 0)
                {
                    break;
                }
                BinaryNode opened = kids[largest];
                kids[largest] = opened.Left!;
                kids.Add(opened.Right!);
            }
            for (int dimension = 0; dimension < 6; dimension++)
            {
                for (int lane = 0; lane < Width; lane++)
                {
                    bounds.Add(
                        lane >= kids.Count ? (dimension < 3 ? float.PositiveInfinity : float.NegativeInfinity)
                        : dimension < 3 ? kids[lane].Min[dimension]
                        : kids[lane].Max[dimension - 3]
                    );
                }
            }
            for (int lane = 0; lane < Width; lane++)
            {
                children.Add(0);
            }
            for (int lane = 0; lane < kids.Count; lane++)
            {
                if (kids[lane].IsLeaf)
                {
                    children[index * Width + lane] = ~leaves.Count;
                    leaves.Add((kids[lane].First, kids[lane].Count));
                }
                else
                {
                    children[index * Width + lane] = Collapse(kids[lane]);
                }
            }
            return index;
        }
    }

    private static float HalfArea(Vector3 min, Vector3 max)
    {
        Vector3 d = max - min;
        return d.X * d.Y + d.Y * d.Z + d.Z * d.X;
    }
}

/// <summary>Floats that begin at a cache line and are not moved while their owner lives.</summary>
internal sealed unsafe class AlignedFloats
{
    private const int Line = 16; // floats
    private readonly float[] _data;

    public readonly float* Pointer;

    public AlignedFloats(int count)
    {
        _data = GC.AllocateArray<float>(count + Line, pinned: true);
        var at = (nuint)Unsafe.AsPointer(ref _data[0]);
        Pointer = (float*)((at + 63) & ~(nuint)63);
    }

    /// <summary>Asks for a line before it is needed; changes nothing but the time.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public static void Fetch(void* line)
    {
        if (System.Runtime.Intrinsics.X86.Sse.IsSupported)
        {
            System.Runtime.Intrinsics.X86.Sse.Prefetch0(line);
        }
    }
}

/// <summary>A ray made ready for slab tests against eight boxes at once (Kay &amp; Kajiya 1986).</summary>
internal readonly unsafe struct SlabRay
{
    private readonly Vector256<float> _ox,
        _oy,
        _oz,
        _ix,
        _iy,
        _iz;
    private readonly int _nearX,
        _nearY,
        _nearZ;

    public SlabRay(Vector3 origin, Vector3 direction)
    {
        _ox = Vector256.Create(origin.X);
        _oy = Vector256.Create(origin.Y);
        _oz = Vector256.Create(origin.Z);
        _ix = Vector256.Create(Reciprocal(direction.X));
        _iy = Vector256.Create(Reciprocal(direction.Y));
        _iz = Vector256.Create(Reciprocal(direction.Z));
        _nearX = float.IsNegative(direction.X) ? 24 : 0;
        _nearY = float.IsNegative(direction.Y) ? 32 : 8;
        _nearZ = float.IsNegative(direction.Z) ? 40 : 16;
    }

    // A zero component becomes tiny instead: the slab test then never meets 0 × infinity.
    private static float Reciprocal(float d) => 1 / (MathF.Abs(d) > 1e-18f ? d : MathF.CopySign(1e-18f, d));

    /// <summary>
    /// One bit for each box the ray may cross between tMin and tMax, and the distances of entry. The far side is widened
    /// by 4 ulp so that rounding never loses a box (Ize, "Robust BVH ray traversal", JCGT 2013).
    /// </summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public uint Cross(float* box, float tMin, float tMax, out Vector256<float> near)
    {
        Vector256<float> nx = (Vector256.Load(box + _nearX) - _ox) * _ix;
        Vector256<float> ny = (Vector256.Load(box + _nearY) - _oy) * _iy;
        Vector256<float> nz = (Vector256.Load(box + _nearZ) - _oz) * _iz;
        Vector256<float> fx = (Vector256.Load(box + (24 - _nearX)) - _ox) * _ix;
        Vector256<float> fy = (Vector256.Load(box + (40 - _nearY)) - _oy) * _iy;
        Vector256<float> fz = (Vector256.Load(box + (56 - _nearZ)) - _oz) * _iz;
        near = Vector256.MaxNative(Vector256.MaxNative(nx, ny), Vector256.MaxNative(nz, Vector256.Create(tMin)));
        Vector256<float> far = Vector256.MinNative(Vector256.MinNative(fx, fy), fz) * Vector256.Create(1.0000005f);
        far = Vector256.MinNative(far, Vector256.Create(tMax));
        return Vector256.LessThanOrEqual(near, far).ExtractMostSignificantBits();
    }
}
