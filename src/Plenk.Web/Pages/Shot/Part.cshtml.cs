using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Store;
using Plenk.Web.Sheets;
using Plenk.Web.Sheets.Fields;

namespace Plenk.Web.Pages.Shot;

/// <summary>
/// Parts of sheets that take a while, or that are drawn once somebody looks: each is a partial in Parts that asks for what it shows.
/// </summary>
public sealed class PartModel(ShotStore shots, Microsoft.AspNetCore.Mvc.ViewEngines.ICompositeViewEngine views) : PageModel
{
    public SheetView Sheet { get; private set; } = null!;
    public string Part { get; private set; } = "";

    public async Task<IActionResult> OnGet(long id, string part)
    {
        if (
            !part.All(char.IsAsciiLetter)
            || !views.GetView(null, $"/Pages/Shot/Parts/_{part}.cshtml", isMainPage: false).Success
            || await shots.Read(id) is not { } read
        )
        {
            return NotFound();
        }
        Part = part;
        Sheet = new(id, read.Revision.Number, read.Document, Request.Query);
        HttpContext.Items[SheetHelper.Item] = Sheet;
        Response.Headers.CacheControl = "no-store";
        return Page();
    }
}
