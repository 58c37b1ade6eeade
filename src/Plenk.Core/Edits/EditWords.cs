using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Finishing;
using Plenk.Core.Sets.Kinds;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>
/// What places of a document and values are called. Names that tell by themselves are read off the property's; the others stand here.
/// </summary>
public static class EditWords
{
    /// <summary>Endings of property names that are units.</summary>
    private static readonly (string Ending, string Unit)[] Units =
    [
        ("Metres", "m"),
        ("Millimetres", "mm"),
        ("Mm", "mm"),
        ("Degrees", "°"),
        ("Pixels", "px"),
        ("Px", "px"),
        ("Kelvin", "K"),
        ("Stops", "stops"),
        ("Seconds", "s"),
    ];

    /// <summary>Properties that are lengths in metres without saying so.</summary>
    private static readonly HashSet<string> Metres = ["position", "size", "width", "height", "halfU", "halfV"];

    private static readonly Dictionary<string, string> Words = new(StringComparer.Ordinal)
    {
        ["off"] = "switched off",
        ["at"] = "place",
        ["position"] = "place",
        ["of"] = "part",
        ["lit"] = "light",
        ["new"] = "not there when this was shot",
        ["rotationYxzDegrees"] = "turn",
        ["turnDegrees"] = "turn",
        ["hangsOn"] = "hangs on",
        ["textures"] = "pictures",
        ["surveyPoints"] = "survey points",
        ["otherCameras"] = "cameras beside the shot's",
        ["projections"] = "projected footage",
        ["standIns"] = "stand-ins",
        ["movingObjects"] = "moving things",
        ["knownLengths"] = "known lengths",
        ["fNumber"] = "f-number",
        ["color"] = "colour",
        ["tolerances"] = "tolerance",
    };

    private static readonly Dictionary<string, string> One = new(StringComparer.Ordinal)
    {
        ["surveyPoints"] = "point",
        ["projections"] = "footage",
        ["movingObjects"] = "thing",
        ["standIns"] = "stand-in",
        ["otherCameras"] = "camera",
        ["knownLengths"] = "known length",
        ["keys"] = "key at",
        ["clicks"] = "click at",
        ["materials"] = "material",
    };

    /// <summary>A property's name as words, its unit left off.</summary>
    public static string Plain(string property)
    {
        if (Words.TryGetValue(property, out string? own))
        {
            return own;
        }
        foreach (var (ending, _) in Units)
        {
            if (property.Length > ending.Length && property.EndsWith(ending, StringComparison.Ordinal))
            {
                property = property[..^ending.Length];
                break;
            }
        }
        var words = new StringBuilder();
        foreach (char c in property)
        {
            words.Append(char.IsUpper(c) ? $" {char.ToLowerInvariant(c)}" : c.ToString());
        }
        return words.ToString();
    }

    /// <summary>Unit of the value at a place; empty: it has none that is known.</summary>
    public static string UnitOf(string property, KindField? field = null)
    {
        if (field is not null)
        {
            return field.Unit;
        }
        foreach (var (ending, unit) in Units)
        {
            if (property.EndsWith(ending, StringComparison.Ordinal) || property.Equals(ending, StringComparison.OrdinalIgnoreCase))
            {
                return unit;
            }
        }
        return Metres.Contains(property) ? "m" : "";
    }

    /// <summary>Steps and pieces have fields that their kinds describe; null: the place is none of these.</summary>
    internal static KindField? FieldAt(JsonObject document, string[] path)
    {
        string rest = string.Join('.', path.Skip(path[0] == "finish" ? 3 : 2));
        JsonNode? Item(JsonNode? list, int at) =>
            list is JsonArray items && path.Length > at ? DocumentPlace.ItemIn(items, path[at]) : null;
        return path[0] switch
        {
            "finish" when Item(document["finish"]?["steps"], 2) is { } step => StepKinds
                .Of(KindOf<FinishKind>(step))
                .Fields.FirstOrDefault(f => f.Path == rest),
            "pieces" when Item(document["pieces"], 1) is { } piece => PieceForms
                .Of(KindOf<PieceKind>(piece))
                .Fields.FirstOrDefault(f => f.Path == rest),
            _ => null,
        };
    }

    private static T KindOf<T>(JsonNode? item)
        where T : struct, Enum => Enum.TryParse(item?["kind"]?.ToString(), out T kind) ? kind : default;

    /// <summary>What a member of a list is called: by its own name, else by its kind and what it is known by.</summary>
    /// <param name="place">Its place in the list, of one that is known by nothing else.</param>
    public static string Called(string list, JsonNode? item, string place = "")
    {
        string last = list[(list.LastIndexOf('/') + 1)..],
            key = DocumentPlace.KeyOf(item) ?? place;
        if (list == "finish/steps")
        {
            return StepKinds.Of(KindOf<FinishKind>(item)).Title;
        }
        if (list == "curves")
        {
            return ShotCurves.Name(key);
        }
        if (item?["name"] is JsonValue named && named.ToString() is { Length: > 0 } name)
        {
            return last == "surveyPoints" ? $"Point {name}" : name;
        }
        return $"{Begin(One.GetValueOrDefault(last) ?? Plain(last).TrimEnd('s'))} {key}";
    }

    /// <summary>What is changed: whose it is, then what of it.</summary>
    internal static string Join(IReadOnlyList<string> words) =>
        words.Count == 1 ? Begin(words[0]) : $"{Begin(words[0])}: {string.Join(", ", words.Skip(1).Select(Small))}";

    private static string Small(string text) =>
        text.Length > 1 && char.IsUpper(text[0]) && char.IsLower(text[1]) ? char.ToLowerInvariant(text[0]) + text[1..] : text;

    internal static string Begin(string text) => text.Length == 0 ? text : char.ToUpperInvariant(text[0]) + text[1..];

    /// <summary>A value as it is read.</summary>
    public static string Say(JsonNode? value, string unit)
    {
        string behind = unit.Length == 0 ? "" : $" {unit}";
        return value switch
        {
            null => "none",
            JsonArray { Count: 0 } => "none",
            JsonArray { Count: <= 4 } list when list.All(i => i?.GetValueKind() == JsonValueKind.Number) => string.Join(
                ", ",
                list.Select(i => Number(i!))
            ) + behind,
            JsonArray list => $"{list.Count} of them",
            JsonObject o when DocumentPlace.KeyOf(o) is { } key => key,
            JsonObject { Count: <= 4 } o when o.All(p => p.Value is JsonValue or null) => string.Join(
                ", ",
                o.Where(p => p.Value is not null).Select(p => $"{Plain(p.Key)} {Say(p.Value, UnitOf(p.Key))}")
            ),
            JsonObject => "as set",
            _ => value.GetValueKind() switch
            {
                JsonValueKind.Number => Number(value) + behind,
                JsonValueKind.True => "yes",
                JsonValueKind.False => "no",
                _ => Text(value.ToString()),
            },
        };
    }

    private static string Text(string text) =>
        text.Length == 0 ? "none"
        : text.Length > 40 ? $"“{text[..39]}…”"
        : $"“{text}”";

    private static string Number(JsonNode value) =>
        double.TryParse(value.ToJsonString(), CultureInfo.InvariantCulture, out double v)
            ? v.ToString(Math.Abs(v) is >= 1e6 or (> 0 and < 1e-3) ? "0.###E0" : "0.####", CultureInfo.InvariantCulture)
                .Replace("-", "−", StringComparison.Ordinal)
            : value.ToJsonString();
}
