using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>What must go out with the shot.</summary>
public static class HandOverReadings
{
    public static readonly Reading CreditsBlank = new()
    {
        Id = "handover.credits",
        Step = 8,
        Name = "Borrowed things without whose they are",
        Unit = "",
        Tolerance = 0,
        How =
            "Elements, pieces and lights that are from the shelf, or whose credits were begun, and lack who made them, under which licence, "
            + "or where they are from; what is switched off is not counted.",
    };

    /// <summary>What alone the reading is taken of: names and credits of what is borrowed.</summary>
    public static ShotDocument Borrowed(ShotDocument into, ShotDocument shot) =>
        into with
        {
            Elements =
            [
                .. shot
                    .Elements.Where(e => !e.Off && (e.FromShelf ?? (object?)e.Credit) is not null)
                    .Select(e => new Element
                    {
                        Id = e.Id,
                        Name = e.Name,
                        Credit = e.Credit,
                        FromShelf = e.FromShelf,
                    }),
            ],
            Pieces =
            [
                .. shot
                    .Pieces.Where(p => !p.Off && (p.FromShelf ?? (object?)p.Credit) is not null)
                    .Select(p => new Piece
                    {
                        Id = p.Id,
                        Name = p.Name,
                        Credit = p.Credit,
                        FromShelf = p.FromShelf,
                    }),
            ],
            Lights =
            [
                .. shot
                    .Lights.Where(l => !l.Off && (l.FromShelf ?? (object?)l.Credit) is not null)
                    .Select(l => new Light
                    {
                        Id = l.Id,
                        Name = l.Name,
                        Credit = l.Credit,
                        FromShelf = l.FromShelf,
                    }),
            ],
        };

    public static Reading Credits(ShotDocument shot)
    {
        (string Name, string Place, AssetCredit? Credit)[] borrowed =
        [
            .. shot
                .Elements.Where(e => !e.Off)
                .Select(e => (e.Name, ShotCurves.PlaceOf("elements", e.Id), e.Credit, e.FromShelf))
                .Concat(shot.Pieces.Where(p => !p.Off).Select(p => (p.Name, ShotCurves.PlaceOf("pieces", p.Id), p.Credit, p.FromShelf)))
                .Concat(shot.Lights.Where(l => !l.Off).Select(l => (l.Name, ShotCurves.PlaceOf("lights", l.Id), l.Credit, l.FromShelf)))
                .Where(b => b.FromShelf is not null || b.Credit is { } c && c.Author.Length + c.Licence.Length + c.Source.Length > 0)
                .Select(b => (b.Name, b.Item2, b.Credit)),
        ];
        if (borrowed.Length == 0)
        {
            return CreditsBlank with { Note = "nothing in the shot is borrowed" };
        }
        var lacking = borrowed.Where(b => b.Credit is not { Author.Length: > 0, Licence.Length: > 0, Source.Length: > 0 }).ToArray();
        return (
            CreditsBlank with
            {
                Value = lacking.Length,
                Note =
                    lacking.Length == 0
                        ? $"{borrowed.Length} borrowed, each with who made it, its licence and where it is from"
                        : $"{string.Join(", ", lacking.Take(4).Select(b => b.Name))}: say whose they are at “Whose it is, shelf”",
                Worst = lacking.Length == 0 ? null : new(Words: lacking[0].Name),
                Thing = lacking
                    .Select(b => b.Place)
                    .FirstOrDefault(p => p.StartsWith("elements/", StringComparison.Ordinal))
                    ?["elements/".Length..],
            }
        ).Judged();
    }
}
