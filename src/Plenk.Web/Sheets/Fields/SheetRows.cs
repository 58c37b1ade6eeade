using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <param name="Aside">At the right end of the line.</param>
public sealed record SheetRow(string Id, string Name, string Aside = "");

/// <summary>Things of one kind, one of which may be chosen.</summary>
[HtmlTargetElement("sheet-rows")]
public sealed class SheetRows : TagHelper
{
    [ViewContext, HtmlAttributeNotBound]
    public ViewContext ViewContext { get; set; } = null!;

    /// <summary>What is chosen, as the address names it: piece, element, light.</summary>
    public string Kind { get; set; } = "";
    public IEnumerable<SheetRow> Rows { get; set; } = [];

    /// <summary>The list rolls within itself.</summary>
    public bool Long { get; set; }

    /// <summary>The first one is chosen where none is, and one is always chosen.</summary>
    public bool First { get; set; }

    /// <summary>Several may be chosen.</summary>
    public bool Many { get; set; }

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        var sheet = (SheetView)ViewContext.HttpContext.Items["sheet"]!;
        SheetRow[] rows = [.. Rows];
        string[] chosen = Many ? (sheet.Chosen(Kind) ?? "").Split(',') : [sheet.Chosen(Kind) ?? ""];
        if (First && rows.Length > 0 && !rows.Any(r => r.Id == chosen[0]))
        {
            chosen = [rows[0].Id];
        }
        if (rows.Length == 0)
        {
            output.SuppressOutput();
            return;
        }
        (output.TagName, output.TagMode) = ("ul", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("class", Long ? "rows long" : "rows");
        foreach (SheetRow row in rows)
        {
            bool own = chosen.Contains(row.Id, StringComparer.Ordinal);
            var link = new TagBuilder("a");
            link.Attributes["role"] = "button";
            link.Attributes["href"] = sheet.Address(Kind, own && !First ? null : row.Id);
            link.Attributes["aria-pressed"] = own ? "true" : "false";
            link.Attributes["data-row"] = row.Id;
            link.Attributes["data-choose"] = own && !First ? $"{Kind}:" : $"{Kind}:{row.Id}";
            if (Many)
            {
                link.Attributes["data-many"] = "";
            }
            var name = new TagBuilder("span");
            name.InnerHtml.Append(row.Name);
            var aside = new TagBuilder("span");
            aside.AddCssClass("num quiet");
            aside.InnerHtml.Append(row.Aside);
            link.InnerHtml.AppendHtml(name);
            link.InnerHtml.AppendHtml(aside);
            var item = new TagBuilder("li");
            item.InnerHtml.AppendHtml(link);
            output.Content.AppendHtml(item);
        }
    }
}
