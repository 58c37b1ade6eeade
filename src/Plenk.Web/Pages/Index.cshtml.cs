using System.Text.Json;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Pages;

/// <summary>Productions, their sequences, and each shot with its worst reading.</summary>
public sealed class IndexModel(ShotStore shots, ResultStore results) : PageModel
{
    public sealed record Shot(ShotRow Row, string? Thumbnail, string Facts, Reading? Worst, int Measured, string Why);

    public sealed record Sequence(string Name, IReadOnlyList<Shot> Shots);

    public sealed record Production(string Name, IReadOnlyList<Sequence> Sequences);

    public IReadOnlyList<Production> Productions { get; private set; } = [];

    public async Task OnGet()
    {
        var all = new List<Shot>();
        foreach (ShotRow row in await shots.List())
        {
            var (document, _) = (await shots.Read(row.Id))!.Value;
            List<Reading> readings = [.. (await ReadingsJob.Kept(document, results)).OfType<Reading>()];
            // Worst by verdict, then by how far it is beyond its tolerance.
            Reading? worst = readings.Where(r => r.Verdict != Verdict.Nothing)
                .MaxBy(r => ((int)r.Verdict, r.Over ? r.Tolerance / Math.Max(r.Value!.Value, 1e-9) : Math.Abs(r.Value!.Value) / Math.Max(r.Tolerance, 1e-9)));
            string facts = document.Plate is { } p
                ? $"{document.Range.First}–{document.Range.Last} · {document.Rate} fps · {p.Width}×{p.Height}{(p.FocalMm is { } f ? $" · {f:0.#} mm" : "")}" : "no plate yet";
            all.Add(new(row, document.Plate?.Frames.Count > 0 ? document.Plate.Frames[document.Plate.Frames.Count / 2].Media : null, facts, worst,
                readings.Count(r => r.Verdict != Verdict.Nothing), readings.Count == 0 ? "not measured yet" : "nothing to measure yet"));
        }
        Productions = [.. all.GroupBy(s => s.Row.Production).Select(p => new Production(p.Key,
            [.. p.GroupBy(s => s.Row.Sequence).Select(q => new Sequence(q.Key, [.. q]))]))];
    }

    public static string Number(Reading r) => FormattableString.Invariant($"{r.Value:0.###} {r.Unit}, {(r.Over ? "over" : "within")} {r.Tolerance:0.###}");
}
