using System.Numerics;

namespace Plenk.Formats.Meshes.Usd;

/// <summary>
/// A value of USD text: its numbers and its words one after another, whatever brackets they stand in. A file's name, a path and a token are
/// words.
/// </summary>
internal sealed record UsdValue(double[] Numbers, string[] Words)
{
    public static readonly UsdValue Empty = new([], []);
}

/// <summary>An attribute or a relationship: what it is by itself, at times, and what it is connected to.</summary>
internal sealed class UsdAttribute
{
    public UsdValue? Own { get; set; }
    public SortedList<double, UsdValue> Samples { get; } = [];
    public string? Connected { get; set; }

    /// <summary>What is written in parentheses behind it (interpolation).</summary>
    public Dictionary<string, UsdValue> Told { get; set; } = [];

    public bool Changes => Samples.Count > 1;

    /// <summary>
    /// Its numbers at a time code: straight between its samples, held before the first and after the last; held, too, where their count
    /// differs (USD's own rule for arrays). Null time: its own value, or its first sample.
    /// </summary>
    public double[] NumbersAt(double? time)
    {
        if (Samples.Count == 0 || (time is null && Own is not null))
        {
            return Own?.Numbers ?? [];
        }
        if (time is not { } t || t <= Samples.Keys[0])
        {
            return Samples.Values[0].Numbers;
        }
        int after = 0,
            last = Samples.Count;
        while (after < last)
        {
            int middle = (after + last) / 2;
            (after, last) = Samples.Keys[middle] < t ? (middle + 1, last) : (after, middle);
        }
        if (after == Samples.Count)
        {
            return Samples.Values[^1].Numbers;
        }
        double[] b = Samples.Values[after].Numbers;
        if (after == 0 || Samples.Keys[after] == t)
        {
            return b;
        }
        double[] a = Samples.Values[after - 1].Numbers;
        if (a.Length != b.Length)
        {
            return a;
        }
        double share = (t - Samples.Keys[after - 1]) / (Samples.Keys[after] - Samples.Keys[after - 1]);
        return [.. a.Zip(b, (u, v) => u + (v - u) * share)];
    }

    public string? Word => (Own ?? (Samples.Count > 0 ? Samples.Values[0] : null))?.Words.FirstOrDefault();
}

/// <summary>A thing of USD text, with those below it.</summary>
internal sealed class UsdPrim(string type, string name, UsdPrim? above)
{
    public string Type { get; } = type;
    public string Name { get; } = name;
    public UsdPrim? Above { get; } = above;
    public string Path { get; } = above is null ? "" : $"{above.Path}/{name}";
    public Dictionary<string, UsdAttribute> Attributes { get; } = [];
    public Dictionary<string, UsdValue> Told { get; set; } = [];
    public List<UsdPrim> Below { get; } = [];

    public IEnumerable<UsdPrim> All() => Below.SelectMany(p => p.All().Prepend(p));

    public UsdAttribute? Of(string name) => Attributes.GetValueOrDefault(name);

    public UsdPrim? Find(string path) => All().FirstOrDefault(p => p.Path == path);

    public bool MovesItself => Attributes.Any(a => a.Key.StartsWith("xformOp:", StringComparison.Ordinal) && a.Value.Changes);

    /// <summary>
    /// Its place in the one above it, for row vectors: the first op of <c>xformOpOrder</c> is the outermost (the schema's own
    /// documentation, UsdGeomXformable).
    /// </summary>
    /// <param name="told">Gets what is left out.</param>
    public Matrix4x4 Local(double? time, out bool resets, Action<string> told)
    {
        var result = Matrix4x4.Identity;
        resets = false;
        foreach (string op in Of("xformOpOrder")?.Own?.Words ?? [])
        {
            if (op == "!resetXformStack!")
            {
                (resets, result) = (true, Matrix4x4.Identity);
                continue;
            }
            bool inverse = op.StartsWith("!invert!", StringComparison.Ordinal);
            string name = inverse ? op["!invert!".Length..] : op;
            double[] v = Of(name)?.NumbersAt(time) ?? [];
            if (Op(name.Split(':').ElementAtOrDefault(1) ?? "", v) is not { } m)
            {
                told($"“{op}” of {Path} says no place and was left out.");
                continue;
            }
            result = (inverse && Matrix4x4.Invert(m, out Matrix4x4 back) ? back : m) * result;
        }
        return result;
    }

    private static Matrix4x4? Op(string kind, double[] v)
    {
        float F(int i) => (float)v[i];
        float Turn(int i) => (float)(v[i] * Math.PI / 180);
        Matrix4x4 Axis(char axis, int i) =>
            axis switch
            {
                'X' => Matrix4x4.CreateRotationX(Turn(i)),
                'Y' => Matrix4x4.CreateRotationY(Turn(i)),
                _ => Matrix4x4.CreateRotationZ(Turn(i)),
            };
        return (kind, v.Length) switch
        {
            ("transform", 16) => new(F(0), F(1), F(2), F(3), F(4), F(5), F(6), F(7), F(8), F(9), F(10), F(11), F(12), F(13), F(14), F(15)),
            ("translate", 3) => Matrix4x4.CreateTranslation(F(0), F(1), F(2)),
            ("scale", 3) => Matrix4x4.CreateScale(F(0), F(1), F(2)),
            ("rotateX" or "rotateY" or "rotateZ", 1) => Axis(kind[^1], 0),
            // About its first axis first; each angle stands at its axis, in whatever order they are turned.
            ("rotateXYZ" or "rotateXZY" or "rotateYXZ" or "rotateYZX" or "rotateZXY" or "rotateZYX", 3) => Axis(kind[6], kind[6] - 'X')
                * Axis(kind[7], kind[7] - 'X')
                * Axis(kind[8], kind[8] - 'X'),
            // Written with its real part first.
            ("orient", 4) => Matrix4x4.CreateFromQuaternion(Quaternion.Normalize(new(F(1), F(2), F(3), F(0)))),
            _ => null,
        };
    }
}
