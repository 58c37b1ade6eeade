using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Store;

namespace Plenk.Web.Pages;

public sealed class ShotModel(ShotStore shots) : PageModel
{
    public ShotRow Row { get; private set; } = null!;

    public async Task<IActionResult> OnGet(long id)
    {
        if (await shots.Find(id) is not { } row)
        {
            return NotFound();
        }
        Row = row;
        return Page();
    }
}
