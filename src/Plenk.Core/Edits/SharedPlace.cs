using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>
/// Shots that are taken of one place share what stands in it: pieces, lights, elements, and their keys. What one of them changes the
/// others change as well, value by value, where they have not set something else themselves.
/// </summary>
public static class SharedPlace
{
    private static readonly string[] Lists = ["pieces", "lights", "elements", "curves"];

    /// <summary>What a change of one shot comes to in another of the same place; null: nothing.</summary>
    /// <remarks>
    /// A world that is laid anew (another camera, floor or scale) is not carried over: the other's camera stands where it stood. What would
    /// make the other unfit is left out.
    /// </remarks>
    public static ShotDocument? Follow(ShotDocument before, ShotDocument after, ShotDocument other)
    {
        JsonObject was = Node(before),
            now = Node(after),
            own = Node(other);
        if (new[] { "orientation", "camera", "still" }.Any(k => !DocumentPlace.Same(was[k], now[k])))
        {
            return null;
        }
        var changes = new List<Action<JsonObject>>();
        foreach (string list in Lists)
        {
            Changes(list, was[list] as JsonArray ?? [], now[list] as JsonArray ?? [], changes);
        }
        if (changes.Count == 0)
        {
            return null;
        }
        string[] known = [.. ShotChecks.Faults(other)];
        ShotDocument? Made(IEnumerable<Action<JsonObject>> some)
        {
            var node = (JsonObject)own.DeepClone();
            foreach (Action<JsonObject> change in some)
            {
                change(node);
            }
            ShotDocument made = ShotCurves.Pruned(node.Deserialize<ShotDocument>(ShotJson.Options)!);
            return ShotChecks.Faults(made).Except(known).Any() ? null : made;
        }
        if (Made(changes) is not { } whole)
        {
            // One after the other: what the other shot cannot have is left out.
            var good = new List<Action<JsonObject>>();
            foreach (Action<JsonObject> change in changes)
            {
                if (Made([.. good, change]) is not null)
                {
                    good.Add(change);
                }
            }
            whole = Made(good)!;
        }
        return DocumentPlace.Same(Node(whole), own) ? null : whole;
    }

    private static JsonObject Node(ShotDocument shot) => JsonSerializer.SerializeToNode(shot, ShotJson.Options)!.AsObject();

    private static void Changes(string list, JsonArray was, JsonArray now, List<Action<JsonObject>> changes)
    {
        // Keys of a step or a matte are the shot's own.
        bool IsShared(string key) => list != "curves" || Lists.Contains(key.Split('/')[0]);
        string? before = null;
        foreach (JsonNode? item in now)
        {
            string key = DocumentPlace.KeyOf(item)!;
            if (!IsShared(key))
            {
                continue;
            }
            string? place = before;
            before = key;
            if (DocumentPlace.ItemIn(was, key) is not { } old)
            {
                changes.Add(node =>
                {
                    JsonArray to = ListOf(node, list);
                    if (DocumentPlace.ItemIn(to, key) is null)
                    {
                        int at = place is null ? -1 : to.IndexOf(DocumentPlace.ItemIn(to, place));
                        to.Insert(at < 0 ? to.Count : at + 1, item!.DeepClone());
                    }
                });
            }
            else if (!DocumentPlace.Same(old, item))
            {
                changes.Add(node =>
                {
                    if (DocumentPlace.ItemIn(ListOf(node, list), key) is JsonObject own)
                    {
                        Lay((JsonObject)old, (JsonObject)item!, own);
                    }
                });
            }
        }
        foreach (JsonNode? item in was)
        {
            string key = DocumentPlace.KeyOf(item)!;
            if (IsShared(key) && DocumentPlace.ItemIn(now, key) is null)
            {
                changes.Add(node =>
                {
                    JsonArray from = ListOf(node, list);
                    if (DocumentPlace.ItemIn(from, key) is { } own && DocumentPlace.Same(own, item))
                    {
                        from.Remove(own);
                    }
                });
            }
        }
    }

    private static JsonArray ListOf(JsonObject node, string list) => (JsonArray)(node[list] ??= new JsonArray());

    /// <summary>Values that changed, where the other still has what they were.</summary>
    private static void Lay(JsonObject was, JsonObject now, JsonObject own)
    {
        foreach (string key in was.Select(p => p.Key).Union(now.Select(p => p.Key)).ToArray())
        {
            if (DocumentPlace.Same(was[key], now[key]))
            {
                continue;
            }
            if (was[key] is JsonObject a && now[key] is JsonObject b && own[key] is JsonObject c)
            {
                Lay(a, b, c);
            }
            else if (DocumentPlace.Same(own[key], was[key]))
            {
                if (now[key] is { } value)
                {
                    own[key] = value.DeepClone();
                }
                else
                {
                    own.Remove(key);
                }
            }
        }
    }
}
