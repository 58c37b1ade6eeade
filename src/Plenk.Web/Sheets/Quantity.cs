using System.Globalization;
using System.Text.RegularExpressions;

namespace Plenk.Web.Sheets;

/// <summary>Numbers with units as they are typed and shown. The page's script reads them in the same way (js/quantity.js).</summary>
public static partial class Quantity
{
    private static readonly Dictionary<string, Dictionary<string, double>> Units = new()
    {
        ["m"] = new()
        {
            ["m"] = 1,
            ["cm"] = 0.01,
            ["mm"] = 0.001,
            ["km"] = 1000,
            ["ft"] = 0.3048,
            ["in"] = 0.0254,
        },
        ["mm"] = new()
        {
            ["mm"] = 1,
            ["cm"] = 10,
            ["m"] = 1000,
            ["in"] = 25.4,
        },
        ["°"] = new()
        {
            ["°"] = 1,
            ["deg"] = 1,
            ["rad"] = 180 / Math.PI,
        },
        ["px"] = new() { ["px"] = 1 },
    };

    /// <summary>A text's value in the field's own unit; null: it is no number, or of no unit that goes into that one.</summary>
    public static double? Read(string text, string unit)
    {
        if (Typed().Match(text.Replace('−', '-')) is not { Success: true } m)
        {
            return null;
        }
        double value = double.Parse(m.Groups[1].Value, CultureInfo.InvariantCulture);
        string typed = m.Groups[2].Value.ToLowerInvariant();
        return typed.Length == 0 ? value
            : Units.TryGetValue(unit, out var known) && known.TryGetValue(typed, out double factor) ? value * factor
            : null;
    }

    /// <summary>As many digits after the point as are asked for, without zeros that say nothing.</summary>
    public static string Show(double? value, int digits = 3)
    {
        if (value is not { } v || !double.IsFinite(v))
        {
            return "";
        }
        string text = v.ToString($"F{digits}", CultureInfo.InvariantCulture);
        text = text.Contains('.', StringComparison.Ordinal) ? text.TrimEnd('0').TrimEnd('.') : text;
        return text is "-0" or "" ? "0" : text;
    }

    [GeneratedRegex(@"^\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*([a-z°%]*)\s*$", RegexOptions.IgnoreCase)]
    private static partial Regex Typed();
}
