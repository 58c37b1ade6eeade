using System.Globalization;
using System.Net;
using System.Text;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Readings;
using Plenk.Core.Shots;

namespace Plenk.Work;

/// <summary>What an element was made from, and by whom.</summary>
public sealed record BorrowedAsset(string Element, string Author, string Licence, string Source);

public sealed record SheetReading(string Name, int Step, double? Value, string Unit, double Tolerance, string Verdict, string Note);

/// <summary>The shot sheet: what was handed over, how it goes together again, what it was measured at.</summary>
public sealed record HandOverSheet(
    string Production,
    string Sequence,
    string Shot,
    int Version,
    int? Revision,
    DateTimeOffset Made,
    IReadOnlyList<int> Frames,
    FrameRate Rate,
    string Plate,
    string Camera,
    string Lens,
    string Colour,
    IReadOnlyList<string> Recombine,
    IReadOnlyList<string> Steps,
    IReadOnlyList<SheetReading> Readings,
    IReadOnlyList<BorrowedAsset> Borrowed,
    IReadOnlyList<HandedFile> Files
)
{
    public static HandOverSheet Of(
        ShotDocument shot,
        int? revision,
        HandOverChoice choice,
        int version,
        IReadOnlyList<int> frames,
        IReadOnlyList<HandedFile> files,
        IReadOnlyList<Reading> readings
    )
    {
        PlateSource plate = shot.Plate!;
        FormattableString lens =
            $"k1 {shot.Camera?.Lens.K1:0.######} k2 {shot.Camera?.Lens.K2:0.######} p1 {shot.Camera?.Lens.P1:0.######} p2 {shot.Camera?.Lens.P2:0.######} k3 {shot.Camera?.Lens.K3:0.######} (Brown–Conrady, undistorted to distorted)";
        double focal = shot.Camera?.Samples is { Count: > 0 } samples
            ? samples[0].FocalPx * plate.SensorWidthMm / shot.Camera.Width
            : plate.FocalMm ?? 0;
        FormattableString camera =
            $"{focal:0.###} mm on {plate.SensorWidthMm:0.###} × {plate.SensorHeightMm:0.###} mm, {shot.Camera?.Samples.Count ?? 0} samples, shutter {shot.ShutterDegrees:0.#}°{(shot.Camera?.Hand is null ? "" : ", set by hand")}";
        string primaries = Primaries.Named(choice.Primaries)!.Name;
        FormattableString colour = $"EXR scene-linear, primaries of {primaries}, alpha premultiplied; comp pictures in {plate.Space.Name}";
        return new(
            shot.Production,
            shot.Sequence,
            shot.Code,
            version,
            revision,
            DateTimeOffset.UtcNow,
            frames,
            shot.Rate,
            FormattableString.Invariant(
                $"{plate.Name}, {plate.Width} × {plate.Height}, {plate.Bits} bit, {plate.Space.Name}, frames {shot.Range.First} to {shot.Range.Last}"
            ),
            camera.ToString(CultureInfo.InvariantCulture),
            lens.ToString(CultureInfo.InvariantCulture),
            colour.ToString(CultureInfo.InvariantCulture),
            Recombining(shot, primaries),
            [
                .. shot
                    .Finish.InOrder()
                    .Select(s =>
                        $"{StepKinds.Of(s).Name}{(s.Strength < 1 ? FormattableString.Invariant($", {100 * s.Strength:0} %") : "")}{(StepKinds.Of(s).AfterMerge ? " (after the merge)" : "")}"
                    ),
            ],
            [.. readings.Select(r => new SheetReading(r.Name, r.Step, r.Value, r.Unit, r.Tolerance, r.Verdict.ToString(), r.Note))],
            [
                .. shot
                    .Elements.Where(e => !e.Off && (e.Media.Length > 0 || e.Frames is not null || e.FromShelf is not null))
                    .Select(e => (e.Name.Length > 0 ? e.Name : e.Id, e.Credit))
                    .Concat(shot.Pieces.Where(p => !p.Off && p.FromShelf is not null).Select(p => (p.Name, p.Credit)))
                    .Concat(shot.Lights.Where(l => !l.Off && l.FromShelf is not null).Select(l => (l.Name, l.Credit)))
                    .Select(b => new BorrowedAsset(b.Item1, b.Credit?.Author ?? "", b.Credit?.Licence ?? "", b.Credit?.Source ?? "")),
            ],
            files
        );
    }

    private static IReadOnlyList<string> Recombining(ShotDocument shot, string primaries)
    {
        int seen = shot.Pieces.Count(p => p.IsSeen);
        string under =
            "background × shadow"
            + (shot.Contact.Strength > 0 ? " × touch" : "")
            + " + added"
            + (shot.Pieces.Any(p => p.Mirror is not null) ? " + mirror" : "");
        IEnumerable<string> gone = shot.Mattes.Where(m => shot.CleanPlate.Mattes.Contains(m.Id)).Select(m => m.Name);
        IReadOnlyList<FinishStep> steps = shot.Finish.InOrder();
        List<string> lines =
        [
            shot.Background == BackgroundKind.Nothing
                ? "The background is nothing: the comp has alpha in the EXR; PNG, DPX and what is for review stand over black."
            : shot.Background == BackgroundKind.Clean ? $"The background is the clean plate: without {string.Join(", ", gone)}."
            : shot.Background == BackgroundKind.Frames
                ? $"The background is pictures of their own, {shot.BackgroundFrames?.Frames[0].File} and on; the plate is seen in mattes alone."
            : "The background is the plate.",
            .. seen > 0
                ? [$"Before it {(seen == 1 ? "one piece is" : $"{seen} pieces are")} seen, in what they wear."]
                : Array.Empty<string>(),
            .. shot
                .Mattes.Where(m => m.IsLaid)
                .Select(m => $"It has {m.Name} in it, filmed in {shot.OtherCameras.FirstOrDefault(c => c.Id == m.Footage?.Camera)?.Name}."),
            steps.Any(s => s.Kind == FinishKind.Reframe)
                ? "The comp is framed anew: the layers are as they were before that, and do not add up to it."
                : $"comp = elements + (1 − elements.A) × ({under}), all linear, pixel by pixel",
            "elements are held out; before that they are element, of which holdout.A is hidden",
            .. primaries == Primaries.Bt709.Name
                ? Array.Empty<string>()
                : [$"The plate is converted to {primaries} first; the shadow is made for it there."],
            shot.Background == BackgroundKind.Clean
                ? "Where an element touches nothing, no piece is seen and nothing was taken out, the comp's codes are the plate's."
            : shot.Background is BackgroundKind.Frames or BackgroundKind.Nothing
                ? "Where nothing lies before the background, the comp is that."
            : shot.ShowsPlate || seen > 0 ? "Where an element touches nothing, and no piece is seen, the comp's codes are the plate's."
            : "Where an element touches nothing, and nothing filmed elsewhere lies, the comp's codes are the plate's.",
        ];
        string[] after = [.. steps.Select(s => StepKinds.Of(s)).Where(k => k is { AfterMerge: true, OfWhole: false }).Select(k => k.Name)];
        if (WholeGrade.Says(shot) is { } whole)
        {
            lines.Add(whole);
        }
        if (after.Length > 0)
        {
            lines.Add($"After the merge, in comp and elements alone: {string.Join(", ", after)}.");
        }
        lines.Add("depth, P, N, uv, motion and the ID mattes are data: never filtered, never colour-transformed.");
        return lines;
    }

    /// <summary>A page to print; nothing on it comes from elsewhere.</summary>
    public string Html()
    {
        static string E(string? s) => WebUtility.HtmlEncode(s ?? "");
        var t = new StringBuilder();
        t.Append(
            CultureInfo.InvariantCulture,
            $"<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{E(Shot)} version {Version}</title><style>\nbody {{ font: 14px/1.45 serif; color: #1E2328; background: #F8F6F0; max-width: 62em; margin: 2em auto; padding: 0 1.5em }}\nh1 {{ font-size: 1.6em; border-bottom: 1px solid #CFC9BA }}\nh2 {{ font-size: 1.1em; margin: 1.6em 0 .4em }}\ntable {{ border-collapse: collapse; width: 100% }}\ntd, th {{ border-bottom: 1px solid #CFC9BA; padding: .15em .8em .15em 0; text-align: left; vertical-align: top }}\n.n {{ font-family: monospace; font-size: .9em }}\n.outside {{ font-weight: bold; color: #A63A2B }}\n@media print {{ body {{ background: none; margin: 0 }} }}\n</style></head><body>\n"
        );
        t.Append(CultureInfo.InvariantCulture, $"<h1>{E(Production)} · {E(Sequence)} · {E(Shot)}, version {Version}</h1>\n<table>\n");
        void Row(string name, string value) => t.Append(CultureInfo.InvariantCulture, $"<tr><th>{E(name)}</th><td>{E(value)}</td></tr>\n");
        Row("Frames", FrameList.Write(Frames));
        Row("Rate", $"{Rate} frames a second");
        Row("Plate", Plate);
        Row("Camera", Camera);
        Row("Lens", Lens);
        Row("Colour", Colour);
        if (Revision is { } r)
        {
            Row("Ledger", $"revision {r}");
        }
        Row("Made", Made.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture));
        t.Append("</table>\n<h2>How the layers go together</h2>\n<ul>")
            .AppendJoin("", Recombine.Select(l => $"<li>{E(l)}</li>"))
            .Append("</ul>\n");
        t.Append("<h2>Steps of the finish, in their order</h2>\n")
            .Append(Steps.Count == 0 ? "<p>None.</p>\n" : $"<ol>{string.Concat(Steps.Select(s => $"<li>{E(s)}</li>"))}</ol>\n");
        if (Readings.Count > 0)
        {
            t.Append(
                "<h2>Readings</h2>\n<table><tr><th>Step</th><th>Reading</th><th>Value</th><th>Held against</th><th>Verdict</th><th></th></tr>\n"
            );
            foreach (SheetReading q in Readings)
            {
                t.Append(
                    CultureInfo.InvariantCulture,
                    $"<tr><td>{q.Step}</td><td>{E(q.Name)}</td><td class=\"n\">{(q.Value is { } v ? v.ToString("0.####", CultureInfo.InvariantCulture) : "–")} {E(q.Unit)}</td><td class=\"n\">{q.Tolerance.ToString("0.####", CultureInfo.InvariantCulture)}</td><td class=\"{E(q.Verdict.ToLowerInvariant())}\">{E(q.Verdict == "Nothing" ? "nothing measured" : q.Verdict.ToLowerInvariant())}</td><td>{E(q.Note)}</td></tr>\n"
                );
            }
            t.Append("</table>\n");
        }
        if (Borrowed.Count > 0)
        {
            t.Append("<h2>Borrowed</h2>\n<table><tr><th>Element</th><th>By</th><th>Licence</th><th>From</th></tr>\n");
            foreach (BorrowedAsset b in Borrowed)
            {
                t.Append(
                    CultureInfo.InvariantCulture,
                    $"<tr><td>{E(b.Element)}</td><td>{E(b.Author.Length > 0 ? b.Author : "not said")}</td><td>{E(b.Licence.Length > 0 ? b.Licence : "not said")}</td><td>{E(b.Source)}</td></tr>\n"
                );
            }
            t.Append("</table>\n");
        }
        t.Append("<h2>Files</h2>\n<table><tr><th>File</th><th>What</th><th>Bytes</th><th>SHA-256</th></tr>\n");
        foreach (HandedFile f in Files)
        {
            t.Append(
                CultureInfo.InvariantCulture,
                $"<tr><td class=\"n\">{E(f.Name)}</td><td>{E(f.What)}</td><td class=\"n\">{f.Bytes}</td><td class=\"n\">{f.Sha256[..16]}…</td></tr>\n"
            );
        }
        return t.Append("</table>\n</body></html>\n").ToString();
    }
}
