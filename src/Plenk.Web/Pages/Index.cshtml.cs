using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Pages;

/// <summary>Productions, their sequences, and each shot with its worst reading; so many shots a page.</summary>
public sealed class IndexModel(ShotStore shots, ResultStore results, DemoProduction demo) : PageModel
{
    /// <summary>What is still to come of the demo production, in words.</summary>
    public string? Coming => demo.Coming;

    public const int ShotsOnPage = 24;

    public sealed record Shot(ShotRow Row, string? Thumbnail, string Facts, Reading? Worst, int Measured, string Why);

    public sealed record Sequence(string Name, IReadOnlyList<Shot> Shots);

    public sealed record Production(string Name, IReadOnlyList<Sequence> Sequences);

    public IReadOnlyList<Production> Productions { get; private set; } = [];

    /// <summary>From 1; and how many pages there are.</summary>
    [BindProperty(SupportsGet = true, Name = "page-number")]
    public int PageNumber { get; set; } = 1;
    public int Pages { get; private set; } = 1;

    public async Task OnGet()
    {
        Pages = Math.Max(1, (await shots.Count() + ShotsOnPage - 1) / ShotsOnPage);
        PageNumber = Math.Clamp(PageNumber, 1, Pages);
        var heads = await shots.Heads((PageNumber - 1) * ShotsOnPage, ShotsOnPage);
        // The readings of all of them in one query.
        string[][] keys = [.. heads.Select(h => ReadingKind.All.Select(k => k.Key(h.Document)).ToArray())];
        IReadOnlyList<string?> kept = await results.Read([.. keys.SelectMany(k => k)]);
        int count = ReadingKind.All.Count;
        Productions =
        [
            .. heads
                .Select(
                    (h, i) =>
                        Told(
                            h.Row,
                            h.Document,
                            [.. kept.Skip(i * count).Take(count).Select(json => Measuring.Of(h.Document, json)).OfType<Reading>()]
                        )
                )
                .GroupBy(s => s.Row.Production)
                .Select(p => new Production(p.Key, [.. p.GroupBy(s => s.Row.Sequence).Select(q => new Sequence(q.Key, [.. q]))])),
        ];
    }

    private static Shot Told(ShotRow row, ShotDocument document, IReadOnlyList<Reading> readings)
    {
        Reading[] judged = [.. readings.Where(r => r is { Verdict: not Verdict.Nothing, Value: not null })];
        // Worst by verdict, then by how far it is beyond its tolerance.
        Reading? worst = judged.MaxBy(r =>
            ((int)r.Verdict, r.Over ? r.Tolerance / Math.Max(r.Value!.Value, 1e-9) : Math.Abs(r.Value!.Value) / Math.Max(r.Tolerance, 1e-9))
        );
        string facts = document.Plate is { } p
            ? $"{document.Range.First}–{document.Range.Last} · {document.Rate} fps · {p.Width}×{p.Height}{(p.FocalMm is { } f ? $" · {f:0.#} mm" : "")}"
            : "no plate yet";
        return new(
            row,
            document.Plate?.Frames.Count > 0 ? document.Plate.Frames[document.Plate.Frames.Count / 2].Media : null,
            facts,
            worst,
            judged.Length,
            readings.Count < ReadingKind.All.Count ? "not measured yet" : "nothing to measure yet"
        );
    }

    public static string Number(Reading r) =>
        FormattableString.Invariant($"{r.Value:0.###} {r.Unit}, {(r.Over ? "over" : "within")} {r.Tolerance:0.###}");
}
