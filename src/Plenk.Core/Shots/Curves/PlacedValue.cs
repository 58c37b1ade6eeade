using System.Collections;
using System.Collections.Concurrent;
using System.Reflection;
using System.Text.Json.Serialization.Metadata;

namespace Plenk.Core.Shots;

/// <summary>Values of a document by their places, as edits name them: members of lists by id, name or frame. Nothing is written as text.</summary>
internal static class PlacedValue
{
    private static readonly ConcurrentDictionary<Type, Dictionary<string, PropertyInfo>> Members = new();
    private static readonly ConcurrentDictionary<Type, MethodInfo?> Clones = new();

    private static Dictionary<string, PropertyInfo> Of(Type type) =>
        Members.GetOrAdd(type, t =>
            ShotJson
                .Options.GetTypeInfo(t)
                .Properties.Where(p => !p.IsExtensionData && p.AttributeProvider is PropertyInfo { CanWrite: true })
                .ToDictionary(p => p.Name, p => (PropertyInfo)p.AttributeProvider!)
        );

    // Written as in JSON Pointer (RFC 6901, section 3).
    private static string[] Path(string at) => [.. at.Split('/').Select(Name)];

    /// <summary>What a part of a path names.</summary>
    internal static string Name(string part) =>
        part.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);

    /// <summary>What stands at a place, and of which type it is; null: there is no such place.</summary>
    public static (object? Value, Type Type)? Get(ShotDocument shot, string at)
    {
        string[] path = Path(at);
        object? node = shot;
        for (int i = 0; node is not null; i++)
        {
            bool last = i == path.Length - 1;
            if (node is IList list)
            {
                int k = IndexIn(list, path[i]);
                node = k < 0 || last ? null : list[k];
            }
            else if (!Of(node.GetType()).TryGetValue(path[i], out PropertyInfo? own))
            {
                return null;
            }
            else if (last)
            {
                return (own.GetValue(node), own.PropertyType);
            }
            else
            {
                node = own.GetValue(node);
            }
        }
        return null;
    }

    /// <summary>The document with another value at a place; null: there is no such place.</summary>
    /// <param name="to">From the type that the place has.</param>
    public static ShotDocument? Put(ShotDocument shot, string at, Func<Type, object?> to) =>
        (ShotDocument?)Change(shot, Path(at), 0, (_, type) => to(type));

    private static object? Change(object node, string[] path, int i, Func<object?, Type, object?> to)
    {
        if (node is IList list)
        {
            int at = IndexIn(list, path[i]);
            if (at < 0 || i == path.Length - 1 || Change(list[at]!, path, i + 1, to) is not { } changed)
            {
                return null;
            }
            var copy = Array.CreateInstance(list[at]!.GetType(), list.Count);
            list.CopyTo(copy, 0);
            copy.SetValue(changed, at);
            return copy;
        }
        Type type = node.GetType();
        if (Clone(type) is not { } clone || !Of(type).TryGetValue(path[i], out PropertyInfo? own))
        {
            return null;
        }
        object? inner = own.GetValue(node),
            value = i == path.Length - 1 ? to(inner, own.PropertyType)
            : inner is null ? null
            : Change(inner, path, i + 1, to);
        if (i < path.Length - 1 && value is null)
        {
            return null;
        }
        object made = clone.Invoke(node, null)!;
        own.SetValue(made, value);
        return made;
    }

    /// <summary>What a record's “with” begins as.</summary>
    private static MethodInfo? Clone(Type type) => Clones.GetOrAdd(type, t => t.GetMethod("<Clone>$"));

    private static int IndexIn(IList list, string key)
    {
        for (int k = 0; k < list.Count; k++)
        {
            if (list[k] is { } item && KeyOf(item) == key)
            {
                return k;
            }
        }
        return -1;
    }

    private static string? KeyOf(object item)
    {
        Dictionary<string, PropertyInfo> own = Of(item.GetType());
        return (own.GetValueOrDefault("id") ?? own.GetValueOrDefault("name") ?? own.GetValueOrDefault("frame"))?.GetValue(item)?.ToString();
    }
}
