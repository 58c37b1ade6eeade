using Plenk.Core.Edits;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What a piece, an element or a lamp hangs on, looks at, and how it trembles: what its sheet offers.</summary>
/// <param name="At">Its place in the document.</param>
public sealed record HangSheet(SheetView Sheet, string At, Carrier? On, Aim? Aims, Shake? Shake, bool MayHang = true, bool MayAim = false)
{
    public static HangSheet Of(SheetView sheet, Piece p) => new(sheet, ShotCurves.PlaceOf("pieces", p.Id), p.HangsOn, null, p.Shake);

    public static HangSheet Of(SheetView sheet, Element e) =>
        new(sheet, ShotCurves.PlaceOf("elements", e.Id), e.HangsOn, e.AimsAt, e.Shake, MayAim: e.Kind != ElementKind.Rendered);

    public static HangSheet Of(SheetView sheet, Light l) =>
        new(
            sheet,
            ShotCurves.PlaceOf("lights", l.Id),
            l.HangsOn,
            l.AimsAt,
            l.Shake,
            l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle,
            l.Kind is LightKind.Spot or LightKind.Rectangle
        );

    public static HangSheet Of(SheetView sheet, HandCamera h) =>
        new(sheet, HandPath.At, null, h.AimsAt, h.Shake, MayHang: false, MayAim: true);

    public bool IsUsed => On is not null || Aims is not null || Shake is not null;

    /// <summary>All that it may hang on or look at: things, elements, pieces and lamps but itself and what hangs on it already.</summary>
    public IEnumerable<(string, string)> Others
    {
        get
        {
            ShotDocument shot = Sheet.Shot;
            var ups = new Dictionary<string, string?[]>(StringComparer.Ordinal);
            List<(string At, string Name)> all =
            [
                .. shot
                    .MovingObjects.Where(t => t.Frames.Count > 0 || On?.On == ShotCurves.PlaceOf("movingObjects", t.Id))
                    .Select(t => (ShotCurves.PlaceOf("movingObjects", t.Id), t.Name)),
            ];
            foreach (Element e in shot.Elements.Where(e => e.Kind != ElementKind.Rendered))
            {
                string at = ShotCurves.PlaceOf("elements", e.Id);
                ups[at] = [e.HangsOn?.On, e.AimsAt?.On];
                all.Add((at, e.Name));
                foreach (ElementSpot spot in e.Spots)
                {
                    string place = ShotCurves.PlaceOf($"{at}/spots", spot.Id);
                    ups[place] = [at];
                    all.Add((place, spot.Name));
                }
            }
            foreach (Light l in shot.Lights.Where(l => l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle))
            {
                string at = ShotCurves.PlaceOf("lights", l.Id);
                ups[at] = [l.HangsOn?.On, l.AimsAt?.On];
                all.Add((at, $"{l.Name}, a lamp"));
            }
            foreach (Piece p in shot.Pieces)
            {
                string at = ShotCurves.PlaceOf("pieces", p.Id);
                ups[at] = [p.HangsOn?.On];
                all.Add((at, $"{p.Name}, of the set"));
            }
            bool HangsOnMe(string at, int depth = 0) =>
                at == At || (depth < 50 && ups.TryGetValue(at, out string?[]? on) && on.OfType<string>().Any(o => HangsOnMe(o, depth + 1)));
            return all.Where(o => !HangsOnMe(o.At)).Select(o => (o.At, o.Name));
        }
    }

    public string Spans =>
        On is not { During.Count: > 0 } on
            ? "It hangs there in all frames."
            : $"It hangs there {string.Join(", and ", on.During.Select(Says))}; between and after these it stays where it was let go.";

    private static string Says(CarrierSpan s) =>
        (s.From, s.To) switch
        {
            (null, { } to) => $"up to {to}",
            ({ } from, null) => $"from {from} on",
            ({ } from, { } to) => $"from {from} to {to}",
            _ => "in all frames",
        };

    public Edit[] Switch => [Edit.Set($"{At}/hangsOn/during", On!.Switched(Sheet.Frame).During)];
}
