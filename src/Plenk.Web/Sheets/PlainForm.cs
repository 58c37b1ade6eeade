using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Edits;
using Plenk.Core.Shots;
using Plenk.Web.Sheets.Fields;

namespace Plenk.Web.Sheets;

/// <summary>
/// Edits from a sheet's fields as a browser without script sends them. A field's name is its kind and its place, like
/// “number:elements/bell/scale”; beside it goes what it showed, so that those count whose text was changed.
/// </summary>
public static class PlainForm
{
    /// <summary>What a field showed.</summary>
    public const string Shown = "shown";

    /// <summary>Behind a kind: nothing typed leaves the place open.</summary>
    public const string MayBeOpen = "?";

    /// <summary>Behind “number”: zero leaves the place open.</summary>
    public const string ZeroIsOpen = "0";

    /// <summary>Behind “number”, with a factor: the document keeps the value divided by it.</summary>
    public const string Times = "*";

    /// <exception cref="EditFault">A text is not what its field stands for.</exception>
    public static IEnumerable<Edit> Read(IFormCollection form)
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
            .Keys.Select(key => (Key: key, Parts: key.Split(':', 2)))
            .Where(k => k.Parts.Length == 2)
            .Select(k => Typed(k.Parts[0], k.Parts[1], Texts(form, k.Key), form))
            .OfType<Edit>();
    }

    private static string[] Texts(IFormCollection form, string name) => [.. form[name].Select(t => (t ?? "").Trim())];

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

    /// <summary>Null: the text is as it was shown, or the name is no field's.</summary>
    private static Edit? Typed(string kind, string at, string[] texts, IFormCollection form)
    {
        string[] shown = Texts(form, $"{Shown}:{at}");
        if (kind == "tick" + Shown)
        {
            // An empty box sends nothing.
            string now = form.ContainsKey($"tick:{at}") ? "on" : "off";
            return now == texts[0] ? null : Edit.Set(at, now == "on");
        }
        if (shown.SequenceEqual(texts, StringComparer.Ordinal) || kind is Shown or "tick")
        {
            return null;
        }
        string text = texts[0];
        if (text.Length == 0 && (kind.EndsWith(MayBeOpen, StringComparison.Ordinal) || kind == "curve"))
        {
            return Edit.Set(at, null);
        }
        return kind.TrimEnd(MayBeOpen[0]).Split(Times) switch
        {
            ["number"] => Edit.Set(at, Number(at, text)),
            ["number" + ZeroIsOpen] => Edit.Set(at, Number(at, text) is > 0 and { } v ? v : null),
            ["number", { } by] when double.TryParse(by, CultureInfo.InvariantCulture, out double factor) && factor > 0 => Edit.Set(
                at,
                Number(at, text) / factor
            ),
            ["triple"] when texts.Length == 3 && shown.Length == 3 => Triple(at, texts, shown, form),
            ["text" or "choice"] => Edit.Set(at, text),
            ["json"] => new SetValue(Json(at, text)) { At = at },
            ["rate"] => Shape(at, TextShape.Rate, text),
            ["curve"] => Shape(at, TextShape.Curve, text),
            _ => null,
        };
    }

    private static double Number(string at, string text) =>
        Quantity.Read(text, EditWords.UnitOf(at[(at.LastIndexOf('/') + 1)..]))
        ?? throw new EditFault(at, $"“{text}” is no number that can stand there.");

    /// <summary>What was not typed anew keeps all its digits, not only those shown.</summary>
    private static Edit Triple(string at, string[] texts, string[] shown, IFormCollection form)
    {
        string[] exact = Texts(form, $"exact:{at}");
        return Edit.Set(at, texts.Select((t, i) => t == shown[i] && i < exact.Length ? Number(at, exact[i]) : Number(at, t)).ToArray());
    }

    private static JsonNode? Json(string at, string text)
    {
        try
        {
            return JsonNode.Parse(text);
        }
        catch (JsonException)
        {
            throw new EditFault(at, "What the choice sent cannot be read. Load the page again.");
        }
    }

    private static SetValue Shape(string at, TextShape shape, string text) =>
        TextShapes.TryRead(shape, text, out JsonNode? value)
            ? new SetValue(value) { At = at }
            : throw new EditFault(at, $"“{text}”: {TextShapes.Hint(shape)}.");
}
