using System.Globalization;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;
using Plenk.Core.Images;

namespace Plenk.Web.Sheets.Fields;

/// <summary>Three numbers of one unit: a place, a size, a colour.</summary>
[HtmlTargetElement("triple-field")]
public sealed class TripleField : FieldHelper
{
    public string Unit { get; set; } = "";
    public int Digits { get; set; } = 3;
    public double? Min { get; set; }
    public IReadOnlyList<double>? Value { get; set; }

    /// <summary>It is a colour, linear: shown beside its numbers, and taken from the picture by a press there and a click.</summary>
    public bool Colour { get; set; }

    protected override string PlainKind => "triple";

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        double[] values = Stands is JsonArray { Count: 3 } stands
            ? [.. stands.Select(v => v!.GetValue<double>())]
            : [.. Value ?? [0, 0, 0]];
        (output.TagName, output.TagMode) = ("div", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("class", "field of-three");
        TagBuilder box = Tag("span", "triple");
        for (int i = 0; i < 3; i++)
        {
            TagBuilder input = Tag("input");
            input.Attributes["type"] = "text";
            input.Attributes["data-shape"] = "triple";
            input.Attributes["data-part"] = i.ToString(CultureInfo.InvariantCulture);
            input.Attributes["aria-label"] = $"{Label} {"XYZ"[i]}";
            input.Attributes["value"] = Typed(Quantity.Show(values[i], Digits), i);
            input.Attributes["data-value"] = values[i].ToString("R", CultureInfo.InvariantCulture);
            input.Attributes["data-unit"] = Unit;
            if (Min is { } min)
            {
                input.Attributes["data-min"] = min.ToString(CultureInfo.InvariantCulture);
            }
            Mark(input);
            box.InnerHtml.AppendHtml(input);
        }
        output.Content.AppendHtml(Tag("span", null, Label));
        output.Content.AppendHtml(box);
        output.Content.AppendHtml(Colour ? Swatch(values) : Tag("span", "unit", Unit));
        AppendKey(output);
        TellShown(output, [.. values.Select(v => Quantity.Show(v, Digits))]);
        Tell(output, "exact", [.. values.Select(v => v.ToString("R", CultureInfo.InvariantCulture))]);
    }

    private TagBuilder Swatch(double[] linear)
    {
        string words = $"Take {char.ToLowerInvariant(Label[0])}{Label[1..]} from the picture";
        TagBuilder button = Tag("button", "swatch");
        button.Attributes["type"] = "button";
        button.Attributes["data-hand"] = "takeColour";
        button.Attributes["aria-label"] = words;
        button.Attributes["title"] = words;
        // As a display shows it; what is brighter than white shows as white.
        IEnumerable<int> codes = linear.Select(v =>
            (int)Math.Round(255 * Math.Clamp(ColorEncodings.FromLinear(ColorEncoding.Srgb, (float)v), 0, 1))
        );
        button.Attributes["style"] = $"background: rgb({string.Join(' ', codes)})";
        return button;
    }
}
