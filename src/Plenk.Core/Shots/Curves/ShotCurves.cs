using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Values of a shot that change over its frames.</summary>
public static class ShotCurves
{
    private static readonly string[] Roots = ["finish/steps/", "lights/", "elements/", "pieces/", "mattes/", "contact/", "camera/hand/"];

    private static readonly string[] OfPieces = ["position", "rotationYxzDegrees", "size", "scale", "hinge", "mirror"];

    /// <summary>What is brought in, counted or drawn point by point is no value over frames.</summary>
    private static readonly string[] Never =
    [
        "keys",
        "frames",
        "passFrames",
        "pins",
        "motion",
        "frozen",
        "region",
        "figure",
        "clicks",
        "broke",
        "hangsOn",
        "letGo",
        "rectangle",
        "spots",
    ];

    /// <summary>A value at this place can be keyed over frames, if the document has it.</summary>
    public static bool May(string at)
    {
        string[] path = at.Split('/');
        return at == "background"
            || (
                Roots.Any(r => at.StartsWith(r, StringComparison.Ordinal))
                && !path.Any(Never.Contains)
                // What a piece is and does is the same in all frames; where it is, and how it looks, may change.
                && !(path[0] == "pieces" && path.Length > 2 && !OfPieces.Contains(path[2]))
            );
    }

    /// <summary>The place of a member of a list, as edits name it.</summary>
    public static string PlaceOf(string list, string id) =>
        $"{list}/{id.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}";

    /// <summary>A value of a member of a list is keyed.</summary>
    public static bool AnyOf(ShotDocument shot, string list, string id, string value) => AnyOf(shot, $"{PlaceOf(list, id)}/{value}");

    /// <summary>What a curve is called by its place: “Keys of f number of defocus_1”.</summary>
    public static string Name(string at)
    {
        string[] path = at.Split('/');
        string value = string.Concat(path[^1].Select(c => char.IsUpper(c) ? $" {char.ToLowerInvariant(c)}" : c.ToString()));
        return $"Keys of {value}{(path.Length > 2 ? $" of {(path[0] == "camera" ? "the camera" : path[path[0] == "finish" ? 2 : 1])}" : "")}";
    }

    /// <summary>
    /// Why a place cannot be keyed in a document, in the artist's terms; null: it can.
    /// </summary>
    public static string? Fault(ShotDocument shot, string at) =>
        !May(at) ? "it is no value that changes over frames here"
        : PlacedValue.Get(shot, at) is not { } found ? "there is no such value in the shot"
        : KindOf(found.Type) is null ? "it is neither a number, three of them, yes or no, nor one of several"
        : null;

    internal static CurveShape? KindOf(Type type)
    {
        Type t = Nullable.GetUnderlyingType(type) ?? type;
        return t == typeof(double) || t == typeof(float) || t == typeof(int) ? CurveShape.Number
            : t == typeof(bool) ? CurveShape.Tick
            : t == typeof(Vec3) ? CurveShape.Triple
            : t.IsEnum ? CurveShape.Name
            : null;
    }

    /// <summary>
    /// The shot with each keyed value as it is at a frame, or between two. The curves stay in it: it may be taken to another frame as well.
    /// </summary>
    public static ShotDocument At(ShotDocument shot, double frame)
    {
        foreach (ValueCurve curve in shot.Curves)
        {
            shot = PlacedValue.Put(shot, curve.Id, type => Made(curve, type, frame) ?? Stands(shot, curve.Id)) ?? shot;
        }
        return shot;
    }

    private static object? Stands(ShotDocument shot, string at) => PlacedValue.Get(shot, at)?.Value;

    private static object? Made(ValueCurve curve, Type type, double frame)
    {
        Type t = Nullable.GetUnderlyingType(type) ?? type;
        if (t == typeof(Vec3))
        {
            return curve.TripleAt(frame);
        }
        if (t.IsEnum)
        {
            return curve.NameAt(frame) is { } name && Enum.TryParse(t, name, out object? one) ? one : null;
        }
        return curve.NumberAt(frame) is not { } v ? null
            : t == typeof(double) ? v
            : t == typeof(float) ? (float)v
            : t == typeof(int) ? (int)Math.Round(v, MidpointRounding.AwayFromZero)
            : t == typeof(bool) ? v >= 0.5
            : null;
    }

    /// <summary>The value at a place is keyed.</summary>
    public static bool AnyOf(ShotDocument shot, string at) => shot.Curves.Any(c => c.Id == at);

    /// <summary>A key of what stands at a place now; null: it cannot be keyed.</summary>
    public static CurveKey? KeyOf(ShotDocument shot, string at, int frame) =>
        !May(at) || PlacedValue.Get(shot, at) is not { Value: { } value } found || KindOf(found.Type) is null
            ? null
            : value switch
            {
                double v => new(frame, v),
                float v => new(frame, v),
                int v => new(frame, v),
                bool v => new(frame, v ? 1 : 0, Handle: KeyHandle.Held),
                Vec3 v => new(frame, Triple: v),
                Enum v => new(frame, Name: v.ToString(), Handle: KeyHandle.Held),
                _ => null,
            };

    /// <summary>Without curves of what is no longer there.</summary>
    /// <param name="of">Of these alone; null: of all.</param>
    public static ShotDocument Pruned(ShotDocument shot, IReadOnlyList<ValueCurve>? of = null)
    {
        bool Stays(ValueCurve c) => PlacedValue.Get(shot, c.Id) is not null || (of is not null && of.All(o => o.Id != c.Id));
        return shot.Curves.All(Stays) ? shot : shot with { Curves = [.. shot.Curves.Where(Stays)] };
    }

    /// <summary>The curves of what a reduced document still holds.</summary>
    /// <param name="roots">First members of places, like “pieces”.</param>
    internal static ShotDocument Within(ShotDocument to, ShotDocument shot, params ReadOnlySpan<string> roots)
    {
        if (shot.Curves.Count == 0)
        {
            return to;
        }
        List<ValueCurve> curves = [.. to.Curves];
        foreach (ValueCurve c in shot.Curves)
        {
            if (roots.Contains(c.Id.Split('/')[0]) && curves.All(o => o.Id != c.Id))
            {
                curves.Add(c);
            }
        }
        return to with { Curves = curves };
    }

    /// <summary>A change of the whole shot done to what is keyed as well: what it does to a value it does to each of its keys.</summary>
    public static ShotDocument Along(ShotDocument shot, Func<ShotDocument, ShotDocument> change)
    {
        ShotDocument changed = change(shot);
        if (shot.Curves.Count == 0)
        {
            return changed;
        }
        var at = shot.Curves.SelectMany(c => c.Keys.Select(k => k.Frame)).Distinct().ToDictionary(f => f, f => change(At(shot, f)));
        CurveKey Key(ValueCurve c, CurveKey key)
        {
            if (KeyOf(at[key.Frame], c.Id, key.Frame) is not { } now)
            {
                return key;
            }
            // A handle goes along as the value at its end does.
            CurveHandle? Handle(CurveHandle? h) =>
                h is null ? null
                : key is { Triple: { } t }
                    ? h.Triple is { } by && End(new(0, Triple: t + by)) is { Triple: { } to } && !c.IsTurn
                            ? h with
                            {
                                Triple = to - now.Triple,
                            }
                        : h
                : key.Value is { } v && End(new(0, v + h.Value)) is { Value: { } high } ? h with { Value = high - now.Value!.Value }
                : h;
            CurveKey? End(CurveKey end) =>
                PlacedValue.Put(At(shot, key.Frame), c.Id, t => Made(new() { Id = "", Keys = [end] }, t, 0)) is { } there
                    ? KeyOf(change(there), c.Id, 0)
                    : null;
            return now with { Handle = key.Handle, Before = Handle(key.Before), After = Handle(key.After) };
        }
        // What turned so far from one key to the next goes on doing so: angles are told no further than a turn apart.
        IReadOnlyList<CurveKey> Wound(ValueCurve was, CurveKey[] keys)
        {
            if (!was.IsTurn)
            {
                return keys;
            }
            Vec3? last = null,
                old = null;
            for (int i = 0; i < keys.Length; i++)
            {
                if (keys[i].Triple is not { } t || was.Keys[i].Triple is not { } o)
                {
                    continue;
                }
                Vec3 to = last is { } l && old is { } p ? l + (o - p) : o,
                    near = new(Rotations.NearDegrees(t.X, to.X), Rotations.NearDegrees(t.Y, to.Y), Rotations.NearDegrees(t.Z, to.Z));
                keys[i] = keys[i] with { Triple = near };
                (last, old) = (near, o);
            }
            return keys;
        }
        return changed with { Curves = [.. shot.Curves.Select(c => c with { Keys = Wound(c, [.. c.Keys.Select(k => Key(c, k))]) })] };
    }
}
