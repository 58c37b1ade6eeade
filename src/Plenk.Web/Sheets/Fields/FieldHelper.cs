using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>
/// A field of a sheet. With <see cref="At"/> it shows the document's value at that place, and what is typed becomes an edit of it; with <see cref="Name"/> alone it
/// belongs to the form or the button that asks for it.
/// </summary>
public abstract class FieldHelper : TagHelper
{
    [ViewContext, HtmlAttributeNotBound]
    public ViewContext ViewContext { get; set; } = null!;

    /// <summary>A place in the document, as edits name it.</summary>
    public string? At { get; set; }
    public string? Name { get; set; }
    public string Label { get; set; } = "";

    /// <summary>A member of a list that the place lies in and that is not there yet: it begins as this, known by its frame or id.</summary>
    public object? Begins { get; set; }

    /// <summary>The same text for the page alone: what it is told of when the field changes, like “view:metres”.</summary>
    public string? Tells { get; set; }

    /// <summary>What the page's hand works on.</summary>
    public string? On { get; set; }

    /// <summary>The same as a value, written as JSON.</summary>
    public object? OnValue { get; set; }
    public bool Disabled { get; set; }

    protected SheetView Sheet => (SheetView)ViewContext.HttpContext.Items["sheet"]!;

    protected JsonNode? Stands => At is null ? null : Sheet.Value(At);

    protected string Id => $"f-{At ?? Name ?? Label}".Replace('/', '-').Replace(' ', '-');

    /// <summary>How the field is told apart where it is sent without script.</summary>
    protected virtual string PlainPrefix => "at";

    /// <summary>What a field shows is not to be saved as if it were typed: numbers are rounded, and a place that is open shows what counts in its stead.</summary>
    protected void TellShown(TagHelperOutput output, params string[] texts)
    {
        if (At is null || (Begins is not null && Stands is null))
        {
            return;
        }
        foreach (string text in texts.Where(t => t.Length > 0))
        {
            TagBuilder shown = Tag("input");
            shown.TagRenderMode = TagRenderMode.SelfClosing;
            shown.Attributes["type"] = "hidden";
            shown.Attributes["name"] = $"shown:{At}";
            shown.Attributes["value"] = text;
            shown.Attributes["form"] = "plain";
            output.Content.AppendHtml(shown);
        }
    }

    /// <summary>What all inputs of the field say of themselves.</summary>
    protected void Mark(TagBuilder input)
    {
        if (At is not null)
        {
            input.Attributes["data-at"] = At;
            // What begins with a key that is not there yet is the script's alone.
            if (Begins is null || Stands is not null)
            {
                input.Attributes["name"] = $"{PlainPrefix}:{At}";
                input.Attributes["form"] = "plain";
            }
        }
        else if (Name is not null)
        {
            input.Attributes["name"] = Name;
        }
        if (Begins is not null)
        {
            input.Attributes["data-begins"] = SheetView.Json(Begins);
        }
        if (Tells is not null)
        {
            input.Attributes["data-tells"] = Tells;
        }
        if ((OnValue is null ? On : SheetView.Json(OnValue)) is { } on)
        {
            input.Attributes["data-on"] = on;
        }
        if (Disabled)
        {
            input.Attributes["disabled"] = "";
        }
    }

    protected static TagBuilder Tag(string name, string? css = null, string? text = null)
    {
        var tag = new TagBuilder(name);
        if (css is not null)
        {
            tag.AddCssClass(css);
        }
        if (text is not null)
        {
            tag.InnerHtml.Append(text);
        }
        return tag;
    }

    /// <summary>Label, input and unit side by side.</summary>
    protected void Row(TagHelperOutput output, TagBuilder input, string unit)
    {
        (output.TagName, output.TagMode) = ("div", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("class", "field");
        TagBuilder label = Tag("label", null, Label);
        label.Attributes["for"] = Id;
        input.Attributes["id"] = Id;
        output.Content.AppendHtml(label);
        output.Content.AppendHtml(input);
        output.Content.AppendHtml(Tag("span", "unit", unit));
    }
}
