using Plenk.Core.Shots;

namespace Plenk.Core.Checks;

/// <summary>What is wrong with values that are keyed over frames: where they lie, how they are keyed, and what they come to.</summary>
public static class CurveChecks
{
    private const int MostKeys = 10_000;

    /// <param name="still">What is wrong with a document as it stands, its curves left aside.</param>
    public static IEnumerable<string> Faults(ShotDocument d, Func<ShotDocument, IReadOnlyList<string>> still)
    {
        if (d.Curves.Count == 0)
        {
            yield break;
        }
        string[] known = [.. still(d)];
        var frames = new SortedSet<double>();
        foreach (IGrouping<string, ValueCurve> twice in d.Curves.GroupBy(c => c.Id).Where(g => g.Count() > 1))
        {
            yield return $"{ShotCurves.Name(twice.Key)}: they are there twice. One value has one curve.";
        }
        foreach (ValueCurve c in d.Curves)
        {
            string name = ShotCurves.Name(c.Id);
            if (ShotCurves.Fault(d, c.Id) is { } fault)
            {
                yield return $"{name}: {fault}.";
                continue;
            }
            if (KeyFault(d, c) is { } wrong)
            {
                yield return $"{name}: {wrong}";
                continue;
            }
            frames.UnionWith(Extremes(c));
        }
        foreach (double frame in frames)
        {
            foreach (string fault in still(ShotCurves.At(d, frame)).Except(known))
            {
                yield return FormattableString.Invariant($"At {frame:0.##}, as it is keyed: {fault}");
            }
        }
    }

    private static string? KeyFault(ShotDocument d, ValueCurve c)
    {
        CurveShape shape = ShotCurves.KindOf(PlacedValue.Get(d, c.Id)!.Value.Type)!.Value;
        string meant = shape switch
        {
            CurveShape.Triple => "three numbers (triple)",
            CurveShape.Name => "a name",
            CurveShape.Tick => "1 or 0 for yes or no",
            _ => "a number (value)",
        };
        if (c.Keys.Count is 0 or > MostKeys)
        {
            return $"there are {c.Keys.Count} keys; there must be 1 to {MostKeys:N0}. Take the curve away to have none.";
        }
        if (c.Keys.GroupBy(k => k.Frame).FirstOrDefault(g => g.Count() > 1) is { } two)
        {
            return $"two keys stand at {two.Key}. Take one of them away.";
        }
        foreach (CurveKey k in c.Keys)
        {
            bool right = shape switch
            {
                CurveShape.Triple => k is { Triple: { IsFinite: true }, Value: null, Name: null },
                CurveShape.Name => k is { Name: not null, Value: null, Triple: null } && Named(d, c, k),
                CurveShape.Tick => k is { Value: 0 or 1, Triple: null, Name: null },
                _ => k is { Value: { } v, Triple: null, Name: null } && double.IsFinite(v),
            };
            if (!right)
            {
                return $"its key at {k.Frame} must hold {meant} and nothing else.";
            }
            if (k is { Handle: KeyHandle.Free } && shape is not (CurveShape.Number or CurveShape.Triple))
            {
                return $"its key at {k.Frame} is free; only numbers have handles of their own.";
            }
            if (
                (k.Before is { } b && !(double.IsFinite(b.Value) && b.Triple is not { IsFinite: false } && b.Frames is <= 0 and > -1e6))
                || (k.After is { } a && !(double.IsFinite(a.Value) && a.Triple is not { IsFinite: false } && a.Frames is >= 0 and < 1e6))
            )
            {
                return $"a handle of its key at {k.Frame} points the wrong way: the one before ends at or before its key, the other at or after.";
            }
        }
        return null;
    }

    private static bool Named(ShotDocument d, ValueCurve c, CurveKey k) =>
        PlacedValue.Get(d, c.Id)!.Value.Type is var type
        && Enum.GetNames(Nullable.GetUnderlyingType(type) ?? type).Contains(k.Name, StringComparer.Ordinal);

    /// <summary>Frames at which a curve is lowest and highest; between keys with handles of their own, sixteen places.</summary>
    private static IEnumerable<double> Extremes(ValueCurve c)
    {
        CurveKey[] keys = [.. c.Keys.OrderBy(k => k.Frame)];
        Func<CurveKey, double>[] parts = keys[0].Triple is null
            ? [k => k.Value ?? 0]
            : [k => k.Triple!.Value.X, k => k.Triple!.Value.Y, k => k.Triple!.Value.Z];
        foreach (Func<CurveKey, double> part in parts)
        {
            yield return keys.MinBy(part)!.Frame;
            yield return keys.MaxBy(part)!.Frame;
        }
        foreach (string? name in keys.Select(k => k.Name).OfType<string>().Distinct())
        {
            yield return keys.First(k => k.Name == name).Frame;
        }
        for (int i = 0; i + 1 < keys.Length; i++)
        {
            for (int s = 1; s < 16 && (keys[i].Handle == KeyHandle.Free || keys[i + 1].Handle == KeyHandle.Free); s++)
            {
                yield return keys[i].Frame + s / 16.0 * (keys[i + 1].Frame - keys[i].Frame);
            }
        }
    }
}
