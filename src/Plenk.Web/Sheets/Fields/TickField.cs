using System.Text.Json;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>Yes or no.</summary>
[HtmlTargetElement("tick-field")]
public sealed class TickField : FieldHelper
{
    /// <summary>Where the field is no single place of the document: whether it is ticked, and what a press does to the document.</summary>
    public bool? Value { get; set; }
    public object? Edits { get; set; }

    /// <summary>At the right end of the line.</summary>
    public string? Aside { get; set; }

    protected override string PlainKind => "tick";

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        bool ticked = Value ?? Stands?.GetValueKind() == JsonValueKind.True;
        TagBuilder input = Tag("input");
        input.Attributes["type"] = "checkbox";
        input.Attributes["data-shape"] = "tick";
        if (ticked)
        {
            input.Attributes["checked"] = "";
        }
        if ((Edits ?? (Keyed is { IsKeyed: true } keyed ? keyed.Turned(!ticked) : null)) is { } edits)
        {
            input.Attributes["data-edits"] = SheetView.Json(edits);
        }
        Mark(input);
        (output.TagName, output.TagMode) = ("label", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("class", "tick");
        output.Content.AppendHtml(input);
        output.Content.Append(Label);
        // An empty box sends nothing: what it was goes beside it.
        Tell(output, "tick" + PlainForm.Shown, ticked ? "on" : "off");
        if (Aside is not null)
        {
            output.Content.AppendHtml(Tag("span", "num quiet", Aside));
        }
        if (Edits is null && Value is null)
        {
            AppendKey(output);
        }
    }
}
