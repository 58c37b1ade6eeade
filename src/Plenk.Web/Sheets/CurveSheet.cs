using System.Text.Json;
using Plenk.Core.Edits;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Web.Sheets.Fields;

namespace Plenk.Web.Sheets;

/// <summary>What the sheet says of values that are keyed over frames.</summary>
public static class CurveSheet
{
    private static readonly string[][] Roots =
    [
        [],
        ["camera"],
        ["pieces"],
        ["mattes"],
        ["lights"],
        ["elements", "contact", "background"],
        ["finish"],
        [],
    ];

    /// <summary>Those that a step's sheet sets.</summary>
    public static IEnumerable<ValueCurve> Of(SheetView sheet) =>
        sheet.Shot.Curves.Where(c =>
            Roots[sheet.Step - 1].Contains(c.Id.Split('/')[0])
            || (c.Id.StartsWith("mattes/", StringComparison.Ordinal) && sheet.Step is 5 or 6 or 7)
        );

    public static IReadOnlyList<(string, string)> Handles { get; } =
    [
        (nameof(KeyHandle.Smooth), "smooth"),
        (nameof(KeyHandle.Flat), "flat"),
        (nameof(KeyHandle.Straight), "straight"),
        (nameof(KeyHandle.Held), "held"),
        (nameof(KeyHandle.Free), "free"),
    ];

    /// <summary>Whose value it is, and which.</summary>
    public static string Name(SheetView sheet, ValueCurve curve)
    {
        string[] path = curve.Id.Split('/');
        string of =
            path[0] == "finish" && sheet.Shot.Finish.Steps.FirstOrDefault(s => s.Id == path[2]) is { } step ? StepKinds.Of(step).Title
            : path.Length > 2 && sheet.Value($"{path[0]}/{path[1]}/name")?.ToString() is { Length: > 0 } name ? name
            : path[0] == "camera" ? "camera"
            : path.Length > 2 ? path[1]
            : "";
        string which = Field(sheet, path)?.Label ?? EditWords.Plain(path[^1] == "degrees" ? path[^2] : path[^1]);
        return of.Length == 0 ? which : $"{of}: {char.ToLowerInvariant(which[0])}{which[1..]}";
    }

    public static string Unit(SheetView sheet, ValueCurve curve)
    {
        string[] path = curve.Id.Split('/');
        return EditWords.UnitOf(path[^1], Field(sheet, path));
    }

    private static KindField? Field(SheetView sheet, string[] path) =>
        path[0] == "finish" && sheet.Shot.Finish.Steps.FirstOrDefault(s => s.Id == path[2]) is { } step
            ? StepKinds.Of(step).Fields.FirstOrDefault(f => f.Path == string.Join('.', path.Skip(3)))
            : null;

    /// <summary>It is keyed no longer, and stays as it is at this frame.</summary>
    public static IReadOnlyList<Edit> Off(SheetView sheet, ValueCurve curve) =>
        [Edit.Remove(PlaceOf(curve.Id)), Edit.Set(curve.Id, sheet.Value(curve.Id))];

    /// <summary>Without one of its keys; with the last one it is keyed no longer.</summary>
    public static IReadOnlyList<Edit> Without(SheetView sheet, ValueCurve curve, int frame) =>
        curve.Keys.Count > 1 ? [Edit.Remove($"{PlaceOf(curve.Id)}/keys/{frame}")] : Off(sheet, curve);

    /// <summary>One of its keys becomes another of the same frame.</summary>
    public static Edit[] Eased(ValueCurve curve, CurveKey? key) =>
        key is null ? [] : [Edit.Set($"{PlaceOf(curve.Id)}/keys/{key.Frame}", key)];

    /// <summary>Several values get a key of this frame, those that have none there.</summary>
    public static Edit[] KeyAll(SheetView sheet, IEnumerable<string> places) =>
        [.. places.Select(at => CurveField.Of(sheet, at)).OfType<CurveField>().Where(f => !f.HasKey).SelectMany(f => f.Press)];

    /// <summary>Of three numbers the one that the rail shows, and what each of them is called.</summary>
    public static IReadOnlyList<(string, string)> Parts(ValueCurve curve) =>
        curve.IsTurn ? [("0", "tilt"), ("1", "heading"), ("2", "roll")]
        : curve.Id.EndsWith("olor", StringComparison.Ordinal) ? [("0", "red"), ("1", "green"), ("2", "blue")]
        : curve.Id.EndsWith("position", StringComparison.Ordinal) ? [("0", "x"), ("1", "height"), ("2", "z")]
        : [("0", "x"), ("1", "y"), ("2", "z")];

    public static bool IsTriple(ValueCurve curve) => curve.Keys.Any(k => k.Triple is not null);

    /// <summary>Where the curve of a place stands in the document.</summary>
    public static string PlaceOf(string at) => $"curves/{EditPath.Escape(at)}";

    /// <summary>For the rail: the curve over the shot's frames, an axis each, and its keys.</summary>
    public static string Drawn(SheetView sheet, ValueCurve curve)
    {
        FrameRange range = sheet.Shot.Range;
        // A long shot is drawn at so many places.
        double step = Math.Max(1, range.Count / 600.0);
        var frames = new List<double>();
        for (double f = range.First; f < range.Last; f += step)
        {
            frames.Add(f);
        }
        frames.Add(range.Last);
        object Line(string axis, Func<double, double?> at) =>
            new { axis, points = frames.Select(f => new { frame = f, value = at(f) ?? 0 }) };
        int? part =
            !IsTriple(curve) ? null
            : sheet.Chosen("keyedPart") == "1" ? 1
            : sheet.Chosen("keyedPart") == "2" ? 2
            : 0;
        double Of(Vec3 t) =>
            part switch
            {
                0 => t.X,
                1 => t.Y,
                _ => t.Z,
            };
        object Handle(CurveHandle? h, int side) =>
            new
            {
                frames = h?.Frames ?? 4 * side,
                value = part is null ? h?.Value ?? 0
                : h?.Triple is { } t ? Of(t)
                : 0,
            };
        return JsonSerializer.Serialize(
            new
            {
                name = Name(sheet, curve)
                    + (part is { } p ? $", {Parts(curve)[p].Item2}" : "")
                    + (Unit(sheet, curve) is { Length: > 0 } unit ? $", {unit}" : ""),
                at = $"{PlaceOf(curve.Id)}/keys",
                part,
                curves = new[] { Line("", f => part is null ? curve.NumberAt(f)
                        : curve.TripleAt(f) is { } t ? Of(t)
                        : null) },
                keys = curve
                    .Keys.Where(k => k.Name is null)
                    .OrderBy(k => k.Frame)
                    .Select(k => new
                    {
                        k.Frame,
                        value = k.Triple is { } t ? Of(t) : k.Value ?? 0,
                        free = k.Handle == KeyHandle.Free,
                        before = Handle(k.Before, -1),
                        after = Handle(k.After, 1),
                    }),
            },
            ShotJson.Options
        );
    }

    public static string Says(CurveKey key) =>
        key.Name is { } name ? EditWords.Plain(name).Trim()
        : key.Triple is { } t ? $"{Quantity.Show(t.X, 3)} {Quantity.Show(t.Y, 3)} {Quantity.Show(t.Z, 3)}"
        : Quantity.Show(key.Value, 4);
}
