using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <param name="Aside">At the right end of the line.</param>
public sealed record SheetRow(string Id, string Name, string Aside = "");

/// <summary>Things of one kind, one of which may be chosen.</summary>
[HtmlTargetElement("sheet-rows")]
public sealed class SheetRows : SheetHelper
{
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
        SheetRow[] rows = [.. Rows];
        string[] chosen = (Sheet.Chosen(Kind) ?? "").Split(Many ? ',' : '\0', StringSplitOptions.RemoveEmptyEntries);
        if (First && rows.Length > 0 && !rows.Any(r => chosen.Contains(r.Id, StringComparer.Ordinal)))
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
            bool own = chosen.Contains(row.Id, StringComparer.Ordinal),
                letsGo = own && !First;
            string? then =
                Many ? string.Join(',', own ? chosen.Where(c => c != row.Id) : chosen.Append(row.Id))
                : letsGo ? null
                : row.Id;
            TagBuilder link = Tag("a");
            link.Attributes["role"] = "button";
            link.Attributes["href"] = Sheet.Address(Kind, then);
            link.Attributes["aria-pressed"] = own ? "true" : "false";
            link.Attributes["data-row"] = row.Id;
            link.Attributes["data-choose"] = $"{Kind}:{(letsGo && !Many ? "" : row.Id)}";
            link.InnerHtml.AppendHtml(Tag("span", null, row.Name));
            link.InnerHtml.AppendHtml(Tag("span", "num quiet", row.Aside));
            TagBuilder item = Tag("li");
            item.InnerHtml.AppendHtml(link);
            output.Content.AppendHtml(item);
        }
    }
}
