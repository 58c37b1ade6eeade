using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A text, or something that is written as one: a rate, a curve.</summary>
[HtmlTargetElement("text-field")]
public sealed class TextField : FieldHelper
{
    public string Unit { get; set; } = "";
    public string? Placeholder { get; set; }

    /// <summary>How it is read: text, rate or curve.</summary>
    public TextShape Shape { get; set; }

    /// <summary>Shown in the place of what stands in the document.</summary>
    public string? Value { get; set; }

    /// <summary>Nothing typed leaves the place open.</summary>
    public bool MayBeNone { get; set; }

    /// <summary>It cannot be empty.</summary>
    public bool Required { get; set; }

    /// <summary>The label is for readers of the page's text alone.</summary>
    public bool Bare { get; set; }

    protected override string PlainKind =>
        Shape.ToString().ToLowerInvariant() + (MayBeNone && Shape == TextShape.Text ? PlainForm.MayBeOpen : "");

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        TagBuilder input = Tag("input", Shape == TextShape.Frame ? null : "wide");
        input.Attributes["type"] = "text";
        string shown = Value ?? TextShapes.Write(Shape, Stands);
        input.Attributes["value"] = Typed(shown);
        input.Attributes["data-shape"] = Shape.ToString().ToLowerInvariant();
        if (Required)
        {
            input.Attributes["required"] = "";
        }
        if ((Required ? "It cannot be empty" : TextShapes.Hint(Shape)) is { } hint)
        {
            input.Attributes["data-hint"] = hint;
        }
        if (MayBeNone)
        {
            input.Attributes["data-none"] = "empty";
        }
        if (Placeholder is not null)
        {
            input.Attributes["placeholder"] = Placeholder;
        }
        Mark(input);
        if (Bare)
        {
            input.AddCssClass("blank");
            input.Attributes["aria-label"] = Label;
            output.TagName = null;
            output.Content.AppendHtml(input);
            return;
        }
        Row(output, input, Unit);
        TellShown(output, shown);
    }
}
