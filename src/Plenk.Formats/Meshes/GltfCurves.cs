using System.Numerics;
using SharpGLTF.Schema2;

namespace Plenk.Formats.Meshes;

/// <summary>
/// Values of a glTF's animation at a time, by the specification's appendix C: steps, straight lines (rotations by slerp, the shorter way) and
/// cubic splines, whose tangents count by the length of their interval.
/// </summary>
internal sealed class GltfCurves
{
    private readonly Dictionary<
        Node,
        (AnimationChannel? Place, AnimationChannel? Turn, AnimationChannel? Size, AnimationChannel? Weights)
    > _of = [];

    public GltfCurves(Animation? animation)
    {
        foreach (AnimationChannel c in animation?.Channels ?? [])
        {
            if (c.TargetNode is not { } node)
            {
                continue;
            }
            var own = _of.GetValueOrDefault(node);
            _of[node] = c.TargetNodePath switch
            {
                PropertyPath.translation => own with { Place = c },
                PropertyPath.rotation => own with { Turn = c },
                PropertyPath.scale => own with { Size = c },
                PropertyPath.weights => own with { Weights = c },
                _ => own,
            };
        }
    }

    /// <summary>Row vectors: local by parent's.</summary>
    /// <param name="time">Seconds; null: at rest.</param>
    /// <param name="turned">Nodes by name that are turned before their own turn.</param>
    public Matrix4x4 World(Node node, float? time, IReadOnlyDictionary<string, Quaternion>? turned = null) =>
        node.VisualParent is { } parent ? Local(node, time, turned) * World(parent, time, turned) : Local(node, time, turned);

    private Matrix4x4 Local(Node node, float? asked, IReadOnlyDictionary<string, Quaternion>? turned)
    {
        bool moves = _of.TryGetValue(node, out var c) && (c.Place ?? c.Turn ?? c.Size) is not null && asked is not null;
        Quaternion by = default;
        bool isTurned = node.Name is { } name && turned?.TryGetValue(name, out by) == true;
        if (!moves)
        {
            return isTurned ? Matrix4x4.CreateFromQuaternion(by) * node.LocalMatrix : node.LocalMatrix;
        }
        float time = asked!.Value;
        var rest = node.LocalTransform.GetDecomposed();
        Vector3 place = c.Place?.GetTranslationSampler() is { } p ? At(p, time, Vector3.Lerp, Spline) : rest.Translation,
            size = c.Size?.GetScaleSampler() is { } s ? At(s, time, Vector3.Lerp, Spline) : rest.Scale;
        Quaternion turn = c.Turn?.GetRotationSampler() is { } r ? At(r, time, Quaternion.Slerp, Spline) : rest.Rotation;
        return Matrix4x4.CreateScale(size)
            * Matrix4x4.CreateFromQuaternion(Quaternion.Normalize(isTurned ? turn * by : turn))
            * Matrix4x4.CreateTranslation(place);
    }

    /// <summary>Of a node's morphs; null: they are not animated.</summary>
    public float[]? Weights(Node node, float time) =>
        _of.TryGetValue(node, out var c) && c.Weights?.GetMorphSampler() is { } m
            ? At(
                m,
                time,
                (a, b, t) => [.. a.Select((v, i) => v + t * (b[i] - v))],
                (s, a, o, b, i) => [.. a.Select((_, k) => Hermite(s, a[k], o[k], b[k], i[k]))]
            )
            : null;

    /// <summary>p(t) = (2t³ − 3t² + 1) a + td (t³ − 2t² + t) out + (−2t³ + 3t²) b + td (t³ − t²) in.</summary>
    private delegate T SplineOf<T>((float T, float Td) at, T a, T outOfA, T b, T intoB);

    private static float Hermite((float T, float Td) at, float a, float o, float b, float i)
    {
        float t = at.T,
            t2 = t * t,
            t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * a + at.Td * (t3 - 2 * t2 + t) * o + (-2 * t3 + 3 * t2) * b + at.Td * (t3 - t2) * i;
    }

    private static Vector3 Spline((float, float) t, Vector3 a, Vector3 o, Vector3 b, Vector3 i) =>
        new(Hermite(t, a.X, o.X, b.X, i.X), Hermite(t, a.Y, o.Y, b.Y, i.Y), Hermite(t, a.Z, o.Z, b.Z, i.Z));

    private static Quaternion Spline((float, float) t, Quaternion a, Quaternion o, Quaternion b, Quaternion i) =>
        Quaternion.Normalize(
            new(
                Hermite(t, a.X, o.X, b.X, i.X),
                Hermite(t, a.Y, o.Y, b.Y, i.Y),
                Hermite(t, a.Z, o.Z, b.Z, i.Z),
                Hermite(t, a.W, o.W, b.W, i.W)
            )
        );

    private static T At<T>(IAnimationSampler<T> sampler, float time, Func<T, T, float, T> straight, SplineOf<T> spline)
    {
        if (sampler.InterpolationMode == AnimationInterpolationMode.CUBICSPLINE)
        {
            var keys = sampler.GetCubicKeys().ToArray();
            int k = Before(keys.Select(q => q.Key), time);
            if (k < 0 || k == keys.Length - 1)
            {
                return keys[Math.Max(0, k)].Item2.Value;
            }
            float span = keys[k + 1].Key - keys[k].Key;
            return spline(
                ((time - keys[k].Key) / span, span),
                keys[k].Item2.Value,
                keys[k].Item2.TangentOut,
                keys[k + 1].Item2.Value,
                keys[k + 1].Item2.TangentIn
            );
        }
        (float Key, T Value)[] own = [.. sampler.GetLinearKeys()];
        int i = Before(own.Select(q => q.Key), time);
        return i < 0 || i == own.Length - 1 ? own[Math.Max(0, i)].Value
            : sampler.InterpolationMode == AnimationInterpolationMode.STEP ? own[i].Value
            : straight(own[i].Value, own[i + 1].Value, (time - own[i].Key) / (own[i + 1].Key - own[i].Key));
    }

    /// <summary>The last key at or before a time; −1: it is before all.</summary>
    private static int Before(IEnumerable<float> keys, float time) => keys.TakeWhile(k => k <= time).Count() - 1;
}
