using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>One of several, from a list that opens. An empty value leaves the place open.</summary>
[HtmlTargetElement("choice-field")]
public sealed class ChoiceField : FieldHelper
{
    /// <summary>Values and what they are called.</summary>
    public IEnumerable<(string Value, string Text)> Options { get; set; } = [];

    /// <summary>Chosen where the document leaves it open, or where the field is no place of the document.</summary>
    public string? Value { get; set; }

    /// <summary>The values are JSON: yes and no, numbers, objects.</summary>
    public bool Json { get; set; }

    /// <summary>The label is for readers of the page's text alone.</summary>
    public bool Bare { get; set; }

    protected override bool MayKey => !Json;

    protected override string PlainKind =>
        Json ? "json"
        : Options.Any(o => o.Value.Length == 0) ? "choice" + PlainForm.MayBeOpen
        : "choice";

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        TagBuilder select = Tag("select", "blank");
        string chosen = Stands is { } stands ? (Json ? stands.ToJsonString() : stands.ToString()) : Value ?? "";
        string now = Typed(chosen);
        select.Attributes["data-shape"] = Json ? "json" : "choice";
        Mark(select);
        foreach (var (value, text) in Options)
        {
            TagBuilder option = Tag("option", null, text);
            option.Attributes["value"] = value;
            if (value == now)
            {
                option.Attributes["selected"] = "";
            }
            select.InnerHtml.AppendHtml(option);
        }
        if (Bare)
        {
            select.Attributes["aria-label"] = Label;
            select.Attributes["form"] = "plain";
            select.Attributes["id"] = Id;
            output.TagName = null;
            output.Content.AppendHtml(select);
            TellShown(output, chosen);
            return;
        }
        Row(output, select, "");
        TellShown(output, chosen);
    }
}
