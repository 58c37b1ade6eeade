using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.Primitives;
using Plenk.Core.Edits;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>Edits from a sheet's fields as a browser without script sends them: all of them, of which those count that say something else than the document.</summary>
public static class PlainForm
{
    /// <exception cref="EditFault">A text is not what its field stands for.</exception>
    public static IEnumerable<Edit> Read(IFormCollection form, SheetView sheet)
    {
        if (form["edits-of"] is { Count: > 0 } choice)
        {
            return Parsed(form[choice.ToString()].ToString());
        }
        if (form["edits"] is { Count: > 0 } edits)
        {
            return Parsed(edits.ToString());
        }
        return form
            .Keys.Select(key =>
                (
                    Prefix: key[..Math.Max(0, key.IndexOf(':', StringComparison.Ordinal))],
                    At: key[(key.IndexOf(':', StringComparison.Ordinal) + 1)..]
                )
            )
            .Where(k =>
                k.Prefix == "at"
                || k.Prefix.StartsWith("per", StringComparison.Ordinal)
                || (k.Prefix == "was" && !form.ContainsKey($"at:{k.At}"))
            )
            .Select(k => Typed(k.Prefix, k.At, form, sheet))
            .OfType<Edit>();
    }

    /// <summary>Choices of which one may be none.</summary>
    private static readonly HashSet<string> MayBeOpen = ["matte", "shadeMatte", "group", "camera", "origin", "light"];

    private static Edit[] Parsed(string json)
    {
        try
        {
            JsonNode? node = JsonNode.Parse(json);
            return ((node as JsonObject)?["edits"] ?? node).Deserialize<Edit[]>(ShotJson.Options) ?? [];
        }
        catch (Exception e) when (e is JsonException or NotSupportedException)
        {
            throw new EditFault("", "What the button sent cannot be read. Load the page again.");
        }
    }

    private static SetValue? Typed(string prefix, string at, IFormCollection form, SheetView sheet)
    {
        JsonNode? stands = sheet.Value(at);
        string[] texts = [.. form[$"{(prefix == "was" ? "at" : prefix)}:{at}"].Select(t => (t ?? "").Trim())];
        StringValues shown = form[$"shown:{at}"];
        if (shown.Count > 0 && shown.SequenceEqual(texts, StringComparer.Ordinal))
        {
            return null;
        }
        double per = prefix.StartsWith("per", StringComparison.Ordinal) ? double.Parse(prefix[3..], CultureInfo.InvariantCulture) : 1;
        if (form.TryGetValue($"was:{at}", out var was))
        {
            bool ticked = texts.Length > 0;
            bool no = ticked == (was == "on");
            return no ? null : new SetValue(JsonValue.Create(stands?.GetValueKind() != JsonValueKind.True)) { At = at };
        }
        if (
            stands is JsonValue text
            && text.GetValueKind() == JsonValueKind.String
            && texts is [var typed]
            && text.GetValue<string>() == typed
        )
        {
            return null;
        }
        JsonNode? to = stands switch
        {
            JsonArray { Count: 3 } three when texts.Length == 3 => Three(at, texts, [.. shown.Select(t => t ?? "")], three),
            JsonArray or JsonObject => stands,
            JsonValue v when v.GetValueKind() == JsonValueKind.Number && texts[0].Length == 0 => null,
            JsonValue v when v.GetValueKind() == JsonValueKind.Number => Number(at, texts[0], v.GetValue<double>(), per),
            JsonValue v when v.GetValueKind() is JsonValueKind.True or JsonValueKind.False => JsonValue.Create(texts[0] == "true"),
            JsonValue v when v.GetValueKind() == JsonValueKind.String => texts[0].Length == 0
            && MayBeOpen.Contains(at[(at.LastIndexOf('/') + 1)..])
                ? null
                : JsonValue.Create(texts[0]),
            _ when texts[0].Length == 0 => null,
            null when double.TryParse(texts[0], CultureInfo.InvariantCulture, out double n) && n != 0 => JsonValue.Create(n),
            null when double.TryParse(texts[0], CultureInfo.InvariantCulture, out _) => null,
            _ => JsonValue.Create(texts[0]),
        };
        return JsonNode.DeepEquals(to, stands) ? null : new SetValue(to?.DeepClone()) { At = at };
    }

    /// <summary>What was not typed anew keeps all its digits, not only those shown.</summary>
    private static JsonArray Three(string at, string[] texts, string[] shown, JsonArray stands) =>
        new([
            .. texts.Select(
                (t, i) => i < shown.Length && shown[i] == t ? stands[i]!.DeepClone() : Number(at, t, stands[i]!.GetValue<double>(), 1)
            ),
        ]);

    private static JsonNode Number(string at, string text, double stands, double per)
    {
        double v = Quantity.Read(text, EditWords.UnitOf(at[(at.LastIndexOf('/') + 1)..]))
            ?? throw new EditFault(at, $"“{text}” is no number that can stand there.");
        return JsonValue.Create(v / per == stands ? stands : v / per);
    }
}
