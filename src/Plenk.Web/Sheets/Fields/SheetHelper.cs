using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A part of a sheet that is drawn by what is saved and by where its artist looks.</summary>
public abstract class SheetHelper : TagHelper
{
    /// <summary>Where a page keeps the sheet that it draws.</summary>
    public const string Item = "sheet";

    [ViewContext, HtmlAttributeNotBound]
    public ViewContext ViewContext { get; set; } = null!;

    protected SheetView Sheet => (SheetView)ViewContext.HttpContext.Items[Item]!;

    protected static TagBuilder Tag(string name, string? css = null, string? text = null)
    {
        var tag = new TagBuilder(name);
        if (name == "input")
        {
            tag.TagRenderMode = TagRenderMode.SelfClosing;
        }
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
}
