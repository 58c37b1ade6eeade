using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Core.Edits;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Web.Api;
using Plenk.Web.Sheets;
using Plenk.Web.Sheets.Fields;
using Plenk.Work;

namespace Plenk.Web.Pages.Shot;

/// <summary>
/// A shot's page, whole; its sheet alone; and what is saved from it without script. Pages of other origins are kept out by <see
/// cref="Doors"/>.
/// </summary>
[IgnoreAntiforgeryToken]
public sealed class IndexModel(ShotStore shots, MediaStore media, ShotEngine engine) : PageModel
{
    public ShotRow Row { get; private set; } = null!;
    public SheetView Sheet { get; private set; } = null!;

    /// <summary>What was wrong with what was sent without script.</summary>
    public string? Told { get; private set; }

    public async Task<IActionResult> OnGet(long id) => await Find(id) ? Page() : NotFound();

    /// <summary>The sheet alone, as the page asks for it after a change.</summary>
    public async Task<IActionResult> OnGetSheet(long id)
    {
        if (!await Find(id))
        {
            return NotFound();
        }
        Response.Headers.CacheControl = "no-store";
        return Partial("_Sheet", this);
    }

    /// <summary>Fields that were typed anew and a button's edits, from a page without script.</summary>
    public async Task<IActionResult> OnPost(long id)
    {
        if (!await Find(id))
        {
            return NotFound();
        }
        try
        {
            List<Edit> edits = [.. PlainForm.Read(Request.Form)];
            if (edits.Count > 0)
            {
                await shots.Edit(id, ShotApi.Who(HttpContext), newest =>
                {
                    EditedShot made = Edits.Apply(newest, edits);
                    ShotSaving.Check(newest, made.Document, media, engine);
                    return made;
                });
            }
            return Redirect(Request.Path + Request.QueryString);
        }
        catch (Exception e) when (e is EditFault or ShotFault or RefusedException or MissingMediaException)
        {
            Told = e.Message;
            Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
            return Page();
        }
    }

    private async Task<bool> Find(long id)
    {
        if (await shots.Find(id) is not { } row || await shots.Read(id) is not { } read)
        {
            return false;
        }
        Row = row;
        Sheet = new(id, read.Revision.Number, read.Document, Request.Query);
        HttpContext.Items[SheetHelper.Item] = Sheet;
        return true;
    }
}
