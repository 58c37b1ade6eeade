using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>Whose a thing of the shot is, and what the shelf has of it.</summary>
/// <param name="At">Its place: “elements/bell”.</param>
/// <param name="Shelves">It can be put on the shelf.</param>
public sealed record CreditSheet(SheetView Sheet, string At, string Name, AssetCredit? Credit, ShelfOrigin? Origin, bool Shelves)
{
    public static CreditSheet Of(SheetView sheet, Element e) =>
        new(
            sheet,
            ShotCurves.PlaceOf("elements", e.Id),
            e.Name,
            e.Credit,
            e.FromShelf,
            e.Kind != ElementKind.Rendered && e.Broke is null && e.DustOf is null
        );

    public static CreditSheet Of(SheetView sheet, Piece p) =>
        new(sheet, ShotCurves.PlaceOf("pieces", p.Id), p.Name, p.Credit, p.FromShelf, p.Kind != PieceKind.Figure);

    public static CreditSheet Of(SheetView sheet, Light l) =>
        new(sheet, ShotCurves.PlaceOf("lights", l.Id), l.Name, l.Credit, l.FromShelf, true);
}
