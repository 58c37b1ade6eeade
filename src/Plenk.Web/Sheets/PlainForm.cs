using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
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
            .Keys.Where(k => k.StartsWith("at:", StringComparison.Ordinal))
            .Concat(form.Keys.Where(k => k.StartsWith("was:", StringComparison.Ordinal) && !form.ContainsKey($"at:{k[4..]}")))
            .Select(key => Typed(key[(key.IndexOf(':', StringComparison.Ordinal) + 1)..], form, sheet))
            .OfType<Edit>();
    }

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

    private static SetValue? Typed(string at, IFormCollection form, SheetView sheet)
    {
        JsonNode? stands = sheet.Value(at);
        string[] texts = [.. form[$"at:{at}"].Select(t => (t ?? "").Trim())];
        if (form.TryGetValue($"was:{at}", out var was))
        {
            bool ticked = texts.Length > 0;
            bool no = ticked == (was == "on");
            return no ? null : new SetValue(JsonValue.Create(stands?.GetValueKind() != JsonValueKind.True)) { At = at };
        }
        JsonNode? to = stands switch
        {
            JsonArray { Count: 3 } three when texts.Length == 3 => Three(at, texts, three),
            JsonArray or JsonObject => stands,
            JsonValue v when v.GetValueKind() == JsonValueKind.Number => Number(at, texts[0], v.GetValue<double>()),
            JsonValue v when v.GetValueKind() == JsonValueKind.String && texts[0].Length > 0 => JsonValue.Create(texts[0]),
            _ when texts[0].Length == 0 => null,
            null when double.TryParse(texts[0], CultureInfo.InvariantCulture, out double n) && n != 0 => JsonValue.Create(n),
            null when double.TryParse(texts[0], CultureInfo.InvariantCulture, out _) => null,
            _ => JsonValue.Create(texts[0]),
        };
        return JsonNode.DeepEquals(to, stands) ? null : new SetValue(to?.DeepClone()) { At = at };
    }

    private static JsonArray Three(string at, string[] texts, JsonArray stands) =>
        new([.. texts.Select((t, i) => Number(at, t, stands[i]!.GetValue<double>()))]);

    /// <summary>A text that shows what stands there keeps all of its digits.</summary>
    private static JsonNode Number(string at, string text, double stands)
    {
        double v = Quantity.Read(text, EditWords.UnitOf(at[(at.LastIndexOf('/') + 1)..]))
            ?? throw new EditFault(at, $"“{text}” is no number that can stand there.");
        int digits = text.Contains('.', StringComparison.Ordinal) ? text.Length - text.IndexOf('.', StringComparison.Ordinal) - 1 : 0;
        return JsonValue.Create(Math.Abs(v - stands) <= 0.51 * Math.Pow(10, -Math.Max(3, digits)) ? stands : v);
    }
}
