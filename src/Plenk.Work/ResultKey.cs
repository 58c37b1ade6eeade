using System.Text;
using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>The hash of what a computation reads; results are kept under it.</summary>
public static class ResultKey
{
    /// <summary>Parts of documents are immutable: each is hashed once, however often it is part of a key.</summary>
    private static readonly System.Runtime.CompilerServices.ConditionalWeakTable<object, string> Hashes = [];

    private static string HashOf(object? part)
    {
        string Make(object? p) =>
            p is ShotDocument document ? HashOf(document) : MediaStore.HashOf(JsonSerializer.SerializeToUtf8Bytes(p, ShotJson.Options));
        return part is null || part.GetType().IsValueType || part is string
            ? JsonSerializer.Serialize(part, ShotJson.Options)
            : Hashes.GetValue(part, Make);
    }

    /// <summary>Of a whole document, part by part: parts that two documents share are hashed once.</summary>
    private static string HashOf(ShotDocument document)
    {
        var text = new StringBuilder().Append(document.StoodAt?.ToString("R", System.Globalization.CultureInfo.InvariantCulture));
        foreach (var property in ShotJson.Options.GetTypeInfo(typeof(ShotDocument)).Properties)
        {
            if (property.Get is { } get)
            {
                text.Append('\n').Append(property.Name).Append(' ').Append(HashOf(get(document)));
            }
        }
        return MediaStore.HashOf(Encoding.UTF8.GetBytes(text.ToString()));
    }

    /// <summary>
    /// Hash of what a computation reads: its name, its version, and a reduced document (<see cref="Reduced"/>) or parts of one.
    /// </summary>
    public static string Of(string computation, int version, params object?[] parts)
    {
        var text = new StringBuilder(computation).Append('/').Append(version);
        foreach (object? part in parts)
        {
            text.Append('\n').Append(HashOf(part));
        }
        return MediaStore.HashOf(Encoding.UTF8.GetBytes(text.ToString()));
    }
}
