using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A part of the sheet that opens on a press and stays open.</summary>
[HtmlTargetElement("sheet-fold")]
public sealed class SheetFold : SheetHelper
{
    public string Title { get; set; } = "";
    public string Key { get; set; } = "";

    /// <summary>It stands open as long as nobody has shut it.</summary>
    public bool Begun { get; set; }

    /// <summary>A part that is drawn once somebody looks: its address.</summary>
    public string? Load { get; set; }

    public override async Task ProcessAsync(TagHelperContext context, TagHelperOutput output)
    {
        (output.TagName, output.TagMode) = ("details", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("data-fold", Key);
        if (Begun || Sheet.IsOpen(Key))
        {
            output.Attributes.SetAttribute("open", "");
        }
        TagBuilder summary = Tag("summary");
        summary.InnerHtml.Append(Title);
        output.Content.AppendHtml(summary);
        output.Content.AppendHtml(await output.GetChildContentAsync());
        if (!string.IsNullOrEmpty(Load))
        {
            TagBuilder part = Tag("div");
            part.Attributes["data-load"] = Load;
            output.Content.AppendHtml(part);
        }
    }
}
