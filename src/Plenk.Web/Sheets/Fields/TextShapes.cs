using System.Globalization;
using System.Text.Json.Nodes;

namespace Plenk.Web.Sheets.Fields;

/// <summary>What a text stands for.</summary>
public enum TextShape
{
    Text,

    /// <summary>Frames a second: whole, or a fraction.</summary>
    Rate,

    /// <summary>Points of a curve, as in:out.</summary>
    Curve,

    /// <summary>The number of a frame.</summary>
    Frame,
}

/// <summary>Values that are written as texts, and read from them.</summary>
public static class TextShapes
{
    public static string? Hint(TextShape shape) =>
        shape switch
        {
            TextShape.Rate => "Whole, like 25, or a fraction, like 24000/1001",
            TextShape.Curve => "Points as in:out, like 0:0 0.18:0.2 1:1; nothing for none",
            TextShape.Frame => "The number of a frame",
            _ => null,
        };

    public static string Write(TextShape shape, JsonNode? value) =>
        (shape, value) switch
        {
            (_, null) => "",
            (TextShape.Rate, JsonObject rate) => Rate((int?)rate["num"] ?? 0, (int?)rate["den"] ?? 1),
            (TextShape.Curve, JsonArray points) => string.Join(' ', points.Select(p => $"{p!["in"]}:{p["out"]}")),
            _ => value.ToString(),
        };

    public static string Rate(int num, int den) =>
        den == 1
            ? num.ToString(CultureInfo.InvariantCulture)
            : $"{num.ToString(CultureInfo.InvariantCulture)}/{den.ToString(CultureInfo.InvariantCulture)}";

    /// <summary>False: the text is none of these.</summary>
    public static bool TryRead(TextShape shape, string text, out JsonNode? value)
    {
        value = null;
        switch (shape)
        {
            case TextShape.Rate:
                string[] parts = text.Split('/', StringSplitOptions.TrimEntries);
                if (
                    parts.Length > 2
                    || !int.TryParse(parts[0], CultureInfo.InvariantCulture, out int num)
                    || !int.TryParse(parts.Length == 2 ? parts[1] : "1", CultureInfo.InvariantCulture, out int den)
                    || num < 1
                    || den < 1
                )
                {
                    return false;
                }
                value = new JsonObject { ["num"] = num, ["den"] = den };
                return true;
            case TextShape.Curve:
                var points = new JsonArray();
                foreach (string point in text.Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries))
                {
                    string[] pair = point.Split(':');
                    if (
                        pair.Length != 2
                        || !double.TryParse(pair[0], CultureInfo.InvariantCulture, out double x)
                        || !double.TryParse(pair[1], CultureInfo.InvariantCulture, out double y)
                    )
                    {
                        return false;
                    }
                    points.Add(new JsonObject { ["in"] = x, ["out"] = y });
                }
                value = points.Count == 0 ? null : points;
                return points.Count != 1;
            default:
                value = text;
                return true;
        }
    }
}
