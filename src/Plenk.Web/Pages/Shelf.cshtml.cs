using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Store;

namespace Plenk.Web.Pages;

/// <summary>Everything on the shelf, with its pictures.</summary>
public sealed class ShelfModel(ShelfStore shelf, ShotStore shots) : PageModel
{
    public string Words { get; private set; } = "";
    public string? Production { get; private set; }
    public IReadOnlyList<string> Productions { get; private set; } = [];
    public IReadOnlyList<ShelfRow> Rows { get; private set; } = [];

    public async Task OnGet(string? words, string? production)
    {
        Words = words ?? "";
        Production = string.IsNullOrWhiteSpace(production) ? null : production;
        Productions = [.. (await shots.List()).Select(s => s.Production).Distinct().Order(StringComparer.Ordinal)];
        Rows = await shelf.List(Words, Production, []);
    }
}
