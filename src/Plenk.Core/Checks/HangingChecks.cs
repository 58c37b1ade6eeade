using Plenk.Core.Shots;

namespace Plenk.Core.Checks;

/// <summary>What is wrong with how things hang on others, look at them and tremble.</summary>
public static class HangingChecks
{
    public static IEnumerable<string> Faults(ShotDocument d)
    {
        var all = new Dictionary<string, (string Name, Carrier? On, Aim? Aim, Shake? Shake)>(StringComparer.Ordinal);
        foreach (MovingObject o in d.MovingObjects)
        {
            all[ShotCurves.PlaceOf("movingObjects", o.Id)] = (o.Name, null, null, null);
        }
        foreach (Piece p in d.Pieces)
        {
            all[ShotCurves.PlaceOf("pieces", p.Id)] = (p.Name, p.HangsOn, null, p.Shake);
        }
        foreach (Element e in d.Elements)
        {
            string at = ShotCurves.PlaceOf("elements", e.Id);
            all[at] = (e.Name, e.HangsOn, e.AimsAt, e.Shake);
            foreach (ElementSpot s in e.Spots)
            {
                all[ShotCurves.PlaceOf($"{at}/spots", s.Id)] = (s.Name, new() { On = at }, null, null);
                if (s.Poses.Any(p => p.Length != 7 || !p.All(double.IsFinite)))
                {
                    yield return $"{s.Name} of {e.Name}: its way is broken. Take the spot away and click it anew.";
                }
            }
        }
        foreach (Light l in d.Lights)
        {
            all[ShotCurves.PlaceOf("lights", l.Id)] = (l.Name, l.HangsOn, l.AimsAt, l.Shake);
        }
        if (d.Camera?.Hand is { } hand)
        {
            all["camera"] = ("The camera", null, hand.AimsAt, hand.Shake);
        }
        foreach (var (id, (name, on, aim, shake)) in all)
        {
            foreach (string other in new[] { on?.On, aim?.On }.OfType<string>().Where(o => !all.ContainsKey(o)))
            {
                yield return other == aim?.On
                    ? $"{name} looks at “{other}”, which is no longer in the shot. Let it look nowhere first."
                    : $"{name} hangs on “{other}”, which is no longer in the shot. Let it stand in the world first.";
            }
            if (Circle(id) is { } round)
            {
                yield return $"{name} would hang on itself: {string.Join(" on ", round)}. Let one of them stand in the world.";
            }
            if (on is { During: var during } && SpanFault(during) is { } fault)
            {
                yield return $"{name}: {fault}";
            }
            if (aim is { Place.IsFinite: false })
            {
                yield return $"{name}: where it looks is no place.";
            }
            if (
                shake is not null
                && !(
                    shake is { Metres.IsFinite: true, Degrees.IsFinite: true, PerSecond: > 0 and <= 1000 }
                    && shake.Metres.Length < 1000
                    && shake.Degrees.Length <= 36_000
                )
            )
            {
                yield return $"{name}: it trembles by a number of metres and degrees, more than 0 and up to 1000 times a second.";
            }
        }

        // Its way up the chain until it meets itself; null: it ends. Every member of a circle would tell it: the first alone does.
        IReadOnlyList<string>? Circle(string from)
        {
            var seen = new List<string> { from };
            var open = new Stack<(string At, List<string> Way)>([(from, [from])]);
            while (open.TryPop(out var top))
            {
                foreach (
                    string next in all.TryGetValue(top.At, out var thing) ? new[] { thing.On?.On, thing.Aim?.On }.OfType<string>() : []
                )
                {
                    if (next == from)
                    {
                        return top.Way.Min(StringComparer.Ordinal) == from ? [.. top.Way.Append(from).Select(Name)] : null;
                    }
                    if (!seen.Contains(next))
                    {
                        seen.Add(next);
                        open.Push((next, [.. top.Way, next]));
                    }
                }
            }
            return null;
        }
        string Name(string id) => all.TryGetValue(id, out var thing) && thing.Name.Length > 0 ? thing.Name : id.Split('/')[^1];
    }

    private static string? SpanFault(IReadOnlyList<CarrierSpan> during)
    {
        for (int i = 0; i < during.Count; i++)
        {
            if (during[i] is { From: { } from, To: { } to } && from > to)
            {
                return $"it is let go of at {to}, before it is taken up at {from}.";
            }
            if (i > 0 && (during[i].From is not { } next || during[i - 1].To is not { } before || next <= before))
            {
                return "when it hangs is told twice for some frames, or out of order.";
            }
        }
        return null;
    }
}
