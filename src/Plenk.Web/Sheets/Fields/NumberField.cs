using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A number in a blank, with its unit; what is typed may have another unit behind it.</summary>
[HtmlTargetElement("number-field")]
public sealed class NumberField : FieldHelper
{
    public string Unit { get; set; } = "";
    public double? Min { get; set; }
    public double? Max { get; set; }
    public int Digits { get; set; } = 3;

    /// <summary>Shown where the document leaves it open, or where the field is no place of the document.</summary>
    public double? Value { get; set; }

    /// <summary>0 leaves the place open.</summary>
    public bool ZeroIsNone { get; set; }

    /// <summary>Nothing typed leaves the place open.</summary>
    public bool MayBeNone { get; set; }

    /// <summary>What is typed is rounded to a whole number.</summary>
    public bool Whole { get; set; }

    /// <summary>The document keeps the value divided by this.</summary>
    public double Per { get; set; } = 1;
    public string? Placeholder { get; set; }

    protected override string PlainKind =>
        MayBeNone ? "number" + PlainForm.MayBeOpen
        : ZeroIsNone ? "number" + PlainForm.ZeroIsOpen
        : Per != 1 ? "number" + PlainForm.Times + Per.ToString(CultureInfo.InvariantCulture)
        : "number";

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        double? value =
            Stands is { } v && v.GetValueKind() == JsonValueKind.Number ? v.GetValue<double>() * Per
            : ZeroIsNone && At is not null ? 0
            : Value;
        TagBuilder input = Tag("input");
        input.Attributes["type"] = "text";
        input.Attributes["data-shape"] = "number";
        input.Attributes["value"] = Typed(Quantity.Show(value, Digits));
        if (value is { } exact)
        {
            input.Attributes["data-value"] = exact.ToString("R", CultureInfo.InvariantCulture);
        }
        input.Attributes["data-unit"] = Unit;
        void Bound(string name, double? bound)
        {
            if (bound is { } b)
            {
                input.Attributes[name] = b.ToString(CultureInfo.InvariantCulture);
            }
        }
        Bound("data-min", Min);
        Bound("data-max", Max);
        Bound("data-per", Per == 1 ? null : Per);
        if (ZeroIsNone || MayBeNone)
        {
            input.Attributes["data-none"] = ZeroIsNone ? "zero" : "empty";
        }
        if (Whole)
        {
            input.Attributes["data-whole"] = "";
        }
        if (Placeholder is not null)
        {
            input.Attributes["placeholder"] = Placeholder;
        }
        Mark(input);
        Row(output, input, Unit);
        TellShown(output, Quantity.Show(value, Digits));
    }
}
