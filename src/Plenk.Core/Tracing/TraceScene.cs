using System.Numerics;
using System.Runtime.CompilerServices;
using Plenk.Core.Geometry;

namespace Plenk.Core.Tracing;

/// <summary>What a ray asks for; instances answer to any of the kinds they carry.</summary>
[Flags]
public enum RayKinds
{
    None = 0,

    /// <summary>Set pieces that the camera sees.</summary>
    CameraSet = 1,

    /// <summary>Set pieces that block light.</summary>
    LightSet = 2,

    /// <summary>Elements, for the camera and for light.</summary>
    Element = 4,

    /// <summary>Set pieces that hide elements behind them.</summary>
    Hide = 8,

    /// <summary>Set pieces that send light to elements: by the footage they wear, or by a colour that they bounce.</summary>
    Shine = 16,

    /// <summary>Surfaces that throw shadows as elements do, and are not seen.</summary>
    Casts = 32,

    /// <summary>Pieces that were not there when the plate was shot throw theirs likewise.</summary>
    CastsNew = 64,

    /// <summary>Elements that are blended with what is behind them: seen by the camera, hiding nothing and keeping no light.</summary>
    Blended = 128,
}

/// <summary>A mesh placed in the world. Moving one makes a new instance; the mesh's tree is kept.</summary>
public sealed class TraceInstance
{
    public MeshTree Tree { get; }
    public Similarity ObjectToWorld { get; }
    public RayKinds Kinds { get; }
    internal readonly bool IsPlaced;
    internal readonly Matrix4x4 ToObject;
    internal readonly Matrix3x3 Turn;
    internal readonly Vector3 Min,
        Max;

    public TraceInstance(MeshTree tree, Similarity objectToWorld, RayKinds kinds)
    {
        (Tree, ObjectToWorld, Kinds) = (tree, objectToWorld, kinds);
        IsPlaced = objectToWorld != Similarity.Identity;
        Similarity inverse = objectToWorld.Inverse();
        Matrix3 m = inverse.Rotation * inverse.Scale;
        ToObject = new Matrix4x4(
            (float)m.M11,
            (float)m.M21,
            (float)m.M31,
            0,
            (float)m.M12,
            (float)m.M22,
            (float)m.M32,
            0,
            (float)m.M13,
            (float)m.M23,
            (float)m.M33,
            0,
            (float)inverse.Translation.X,
            (float)inverse.Translation.Y,
            (float)inverse.Translation.Z,
            1
        );
        Turn = new Matrix3x3(objectToWorld.Rotation);
        if (!IsPlaced)
        {
            (Min, Max) = (tree.Min, tree.Max);
            return;
        }
        Min = new(float.PositiveInfinity);
        Max = new(float.NegativeInfinity);
        for (int corner = 0; corner < 8; corner++)
        {
            var p = new Vec3(
                (corner & 1) == 0 ? tree.Min.X : tree.Max.X,
                (corner & 2) == 0 ? tree.Min.Y : tree.Max.Y,
                (corner & 4) == 0 ? tree.Min.Z : tree.Max.Z
            );
            Vector3 w = objectToWorld.Apply(p).ToSingle();
            Min = Vector3.Min(Min, w);
            Max = Vector3.Max(Max, w);
        }
        // Room for the rounding of the corners and of the ray's own transformation.
        Vector3 pad = new(1e-5f * (1 + Vector3.Max(Vector3.Abs(Min), Vector3.Abs(Max)).Length()));
        Min -= pad;
        Max += pad;
    }

    /// <summary>World normal of a hit on this instance, unit length, on the side the mesh says is its front.</summary>
    public Vector3 Normal(in Hit hit) => Turn.Apply(Tree.Mesh.Normal(hit.Triangle, hit.U, hit.V));

    public Vector3 FaceNormal(in Hit hit) => Turn.Apply(Tree.Mesh.FaceNormal(hit.Triangle));

    internal readonly struct Matrix3x3(Matrix3 m)
    {
        private readonly Vector3 _x = m.Column(0).ToSingle(),
            _y = m.Column(1).ToSingle(),
            _z = m.Column(2).ToSingle();

        public Vector3 Apply(Vector3 v) => _x * v.X + _y * v.Y + _z * v.Z;
    }
}

/// <summary>
/// The upper of the two levels: instances under a small tree of their own. Changing one element costs a new upper tree
/// over a handful of boxes, never a rebuild of the set. Immutable; safe from any number of threads.
/// </summary>
public sealed unsafe class TraceScene
{
    private readonly WideTree? _tree;
    private readonly TraceInstance[] _instances;
    private readonly Vector3 _middle;
    private readonly float _radiusSquared;

    public IReadOnlyList<TraceInstance> Instances { get; }

    public TraceScene(IReadOnlyList<TraceInstance> instances)
    {
        Instances = instances;
        _instances = [.. instances];
        if (instances.Count > 0)
        {
            _tree = WideTree.Build([.. instances.Select(i => i.Min)], [.. instances.Select(i => i.Max)], leafSize: 1);
            Vector3 min = instances.Select(i => i.Min).Aggregate(Vector3.Min),
                max = instances.Select(i => i.Max).Aggregate(Vector3.Max);
            _middle = (min + max) / 2;
            _radiusSquared = 1.0001f * Vector3.DistanceSquared(max, _middle);
        }
    }

    /// <summary>
    /// Whether a ray can meet the ball around everything in here: a few operations that spare most rays of a frame the
    /// walk where the scene is one element in a large set. Never false for a ray that would hit.
    /// </summary>
    public bool MayMeet(Vector3 origin, Vector3 direction)
    {
        Vector3 to = _middle - origin;
        float along = Vector3.Dot(to, direction),
            distance = to.LengthSquared();
        if (distance <= _radiusSquared)
        {
            return true;
        }
        // Rounding of the squared distance to the line grows with the distance to the ball.
        return along > 0 && distance - along * along / direction.LengthSquared() <= _radiusSquared + 1e-6f * distance;
    }

    /// <summary>Whether anything in here can lie within a distance of a point, by the ball around all of it.</summary>
    public bool MayReach(Vector3 point, float distance)
    {
        if (_tree is null)
        {
            return false;
        }
        float reach = MathF.Sqrt(_radiusSquared) + distance;
        return Vector3.DistanceSquared(point, _middle) <= reach * reach;
    }

    /// <summary>Nearest crossing with any instance of the asked kinds.</summary>
    public Hit Intersect(in Ray ray, RayKinds kinds)
    {
        Hit best = Hit.None with { T = ray.TMax };
        Walk(ray, kinds, any: false, ref best);
        return best.IsHit ? best : Hit.None;
    }

    /// <summary>
    /// A place lies within a closed surface: every way out crosses it an odd number of times (the Jordan curve theorem). An open one encloses
    /// nothing.
    /// </summary>
    public bool Encloses(Vector3 place, RayKinds kinds)
    {
        // Ways that run along no edge of upright things.
        foreach (Vector3 way in (ReadOnlySpan<Vector3>)[new(0.31f, 0.87f, 0.38f), new(-0.63f, 0.21f, 0.74f), new(0.52f, -0.44f, -0.73f)])
        {
            var ray = new Ray(place, Vector3.Normalize(way));
            int crossed = 0;
            for (Hit hit; crossed < MostCrossings && (hit = Intersect(ray, kinds)).IsHit; crossed++)
            {
                ray = ray.Beyond(hit);
            }
            if (crossed % 2 == 0)
            {
                return false;
            }
        }
        return true;
    }

    private const int MostCrossings = 1000;

    public bool Occluded(in Ray ray, RayKinds kinds)
    {
        Hit best = Hit.None with { T = ray.TMax };
        return Walk(ray, kinds, any: true, ref best);
    }

    [SkipLocalsInit]
    private bool Walk(in Ray ray, RayKinds kinds, bool any, ref Hit best)
    {
        if (_tree is null || !ray.IsFinite)
        {
            return false;
        }
        // Most sets are one mesh that stands where it is: no upper level to walk.
        if (_instances.Length == 1 && !_instances[0].IsPlaced)
        {
            return (_instances[0].Kinds & kinds) != 0 && _instances[0].Tree.Walk(ray, any, ref best);
        }
        var slabs = new SlabRay(ray.Origin, ray.Direction);
        int* stack = stackalloc int[256];
        int top = 0;
        stack[top++] = 0;
        while (top > 0)
        {
            int node = stack[--top];
            float* at = _tree.Nodes + node * WideTree.NodeFloats;
            uint mask = slabs.Cross(at, ray.TMin, best.T, out _);
            int* children = WideTree.ChildrenOf(at);
            while (mask != 0)
            {
                int child = children[BitOperations.TrailingZeroCount(mask)];
                mask &= mask - 1;
                if (child >= 0)
                {
                    stack[top++] = child;
                    continue;
                }
                var (first, count) = _tree.Leaves[~child];
                for (int i = first; i < first + count; i++)
                {
                    int number = _tree.Order[i];
                    TraceInstance instance = _instances[number];
                    if ((instance.Kinds & kinds) == 0)
                    {
                        continue;
                    }
                    Hit local = Hit.None with { T = best.T };
                    Ray inner = instance.IsPlaced
                        ? new Ray(
                            Vector3.Transform(ray.Origin, instance.ToObject),
                            Vector3.TransformNormal(ray.Direction, instance.ToObject),
                            ray.TMin,
                            best.T
                        )
                        : ray with
                        {
                            TMax = best.T,
                        };
                    if (!instance.Tree.Walk(inner, any, ref local))
                    {
                        continue;
                    }
                    if (any)
                    {
                        return true;
                    }
                    best = local with { Instance = number };
                }
            }
        }
        return best.IsHit;
    }
}
