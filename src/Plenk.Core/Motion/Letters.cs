using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion;

/// <summary>A text's letters, each moved by itself.</summary>
public static class Letters
{
    /// <summary>Parts that share more than this of the narrower one's width are one letter: the dot on an i, the bars of an E's stroke.</summary>
    private const float Above = 0.5f;

    /// <summary>
    /// By vertex, the letter that it belongs to, counted along the line: what hangs together, and what stands above one another.
    /// </summary>
    public static int[] Of(TriangleMesh mesh, out int count)
    {
        int[] place = mesh.Welded(out int places),
            parent = [.. Enumerable.Range(0, places)];
        int Root(int i)
        {
            while (parent[i] != i)
            {
                i = parent[i] = parent[parent[i]];
            }
            return i;
        }
        for (int t = 0; t < mesh.Indices.Length; t += 3)
        {
            int a = Root(place[mesh.Indices[t]]);
            parent[Root(place[mesh.Indices[t + 1]])] = a;
            parent[Root(place[mesh.Indices[t + 2]])] = a;
        }
        var extents = new Dictionary<int, (float Left, float Right)>();
        for (int v = 0; v < mesh.Positions.Length; v++)
        {
            float x = mesh.Positions[v].X;
            int root = Root(place[v]);
            extents[root] = extents.TryGetValue(root, out var e) ? (MathF.Min(e.Left, x), MathF.Max(e.Right, x)) : (x, x);
        }
        // From the left: what lies above what is there already joins it.
        var letters = new List<(float Left, float Right, List<int> Roots)>();
        foreach (var (root, (left, right)) in extents.OrderBy(e => e.Value.Left).ThenBy(e => e.Key))
        {
            int at = letters.FindIndex(l =>
                MathF.Min(l.Right, right) - MathF.Max(l.Left, left) > Above * MathF.Min(l.Right - l.Left, right - left)
            );
            if (at < 0)
            {
                letters.Add((left, right, [root]));
            }
            else
            {
                letters[at].Roots.Add(root);
                letters[at] = (MathF.Min(letters[at].Left, left), MathF.Max(letters[at].Right, right), letters[at].Roots);
            }
        }
        letters.Sort((a, b) => (a.Left + a.Right).CompareTo(b.Left + b.Right));
        var of = new Dictionary<int, int>();
        for (int i = 0; i < letters.Count; i++)
        {
            foreach (int root in letters[i].Roots)
            {
                of[root] = i;
            }
        }
        count = letters.Count;
        return [.. place.Select(p => of[Root(p)])];
    }

    /// <summary>How many frames after the first each of them starts.</summary>
    public static double[] Starts(LetterMotion motion, int count) =>
        Staggered.Starts(
            motion.Order switch
            {
                LetterOrder.Backwards => [.. Enumerable.Range(0, count).Select(i => count - 1 - i)],
                LetterOrder.FromMiddle => Staggered.Turns(count, i => Math.Abs(2 * i - (count - 1))),
                LetterOrder.ToMiddle => Staggered.Turns(count, i => -Math.Abs(2 * i - (count - 1))),
                LetterOrder.BySeed => Staggered.Turns(count, i => Staggered.Random(motion.Seed, i, 0)),
                _ => [.. Enumerable.Range(0, count)],
            },
            motion.LaterFrames,
            motion.UnevenFrames,
            motion.Seed
        );

    /// <summary>The text with each letter where its motion has it at a frame: the same faces, other places.</summary>
    /// <param name="shot">With the curves of the motion's values.</param>
    public static TriangleMesh At(TriangleMesh mesh, ShotDocument shot, Element element, double frame)
    {
        int[] letter = Of(mesh, out int count);
        IReadOnlyList<Similarity> moved = Moved(mesh, letter, count, shot, element, frame);
        return mesh with
        {
            Positions = [.. mesh.Positions.Select((p, v) => moved[letter[v]].Apply(Vec3.From(p)).ToSingle())],
            Normals = mesh.Normals is { } n ? [.. n.Select((q, v) => (moved[letter[v]].Rotation * Vec3.From(q)).ToSingle())] : null,
        };
    }

    /// <summary>Each letter by itself, as it stands in its line.</summary>
    public static IReadOnlyList<TriangleMesh> Apart(TriangleMesh mesh)
    {
        int[] letter = Of(mesh, out int count);
        return [.. Enumerable.Range(0, count).Select(i => mesh.Part(t => letter[mesh.Indices[3 * t]] == i))];
    }

    /// <summary>What takes each letter from its line to where it is at a frame; of one that has no motion nothing.</summary>
    /// <param name="letter">By vertex, of <see cref="Of"/>.</param>
    public static IReadOnlyList<Similarity> Moved(
        TriangleMesh mesh,
        int[] letter,
        int count,
        ShotDocument shot,
        Element element,
        double frame
    )
    {
        if (element.Letters is not { } motion)
        {
            return [.. Enumerable.Repeat(Similarity.Identity, count)];
        }
        double[] starts = Starts(motion, count);
        var bounds = new (Vector3 Min, Vector3 Max)[count];
        Array.Fill(bounds, (new(float.PositiveInfinity), new(float.NegativeInfinity)));
        for (int v = 0; v < letter.Length; v++)
        {
            ref var b = ref bounds[letter[v]];
            b = (Vector3.Min(b.Min, mesh.Positions[v]), Vector3.Max(b.Max, mesh.Positions[v]));
        }
        string at = $"elements/{element.Id}/letters";
        ValueCurve? Curve(string value) => shot.Curves.FirstOrDefault(c => c.Id == $"{at}/{value}");
        ValueCurve? shift = Curve("shiftMetres"),
            turn = Curve("rotationYxzDegrees"),
            scale = Curve("scale");
        return
        [
            .. bounds.Select(
                (b, i) =>
                {
                    double then = frame - starts[i],
                        far = 1 + motion.UnevenShare * Staggered.Random(motion.Seed, i, 2),
                        much = 1 + motion.UnevenShare * Staggered.Random(motion.Seed, i, 3);
                    Vec3 by = far * (shift?.TripleAt(then) ?? motion.ShiftMetres),
                        angles = much * (turn?.TripleAt(then) ?? motion.RotationYxzDegrees),
                        pivot = Pivot(b, motion.Pivot);
                    double size = scale?.NumberAt(then) ?? motion.Scale;
                    Matrix3 r = Rotations.FromEulerYxzDegrees(angles.X, angles.Y, angles.Z);
                    return new Similarity(size, r, pivot + by - size * (r * pivot));
                }
            ),
        ];
    }

    private static Vec3 Pivot((Vector3 Min, Vector3 Max) b, LetterPivot at)
    {
        Vector3 mid = (b.Min + b.Max) / 2;
        return Vec3.From(
            at switch
            {
                LetterPivot.Foot => mid with { Y = b.Min.Y },
                LetterPivot.Head => mid with { Y = b.Max.Y },
                LetterPivot.Left => mid with { X = b.Min.X },
                LetterPivot.Right => mid with { X = b.Max.X },
                _ => mid,
            }
        );
    }
}
