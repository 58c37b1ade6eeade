using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Web.Sheets.Fields;

namespace Plenk.Web.Sheets;

/// <summary>What stands around the picture.</summary>
public static class HeadSheet
{
    public static string Facts(ShotDocument d)
    {
        string facts = $"{d.Range.First}–{d.Range.Last}";
        if (d.Cut is { } cut)
        {
            facts += $" (cut {cut.First}–{cut.Last})";
        }
        facts += $" · {TextShapes.Rate(d.Rate.Num, d.Rate.Den)} fps";
        if (d.Plate is { FullWidth: { } w, FullHeight: { } h })
        {
            facts += $" · proxy of {w}×{h}";
        }
        if (d.Plate is { FocalMm: { } focal } p)
        {
            facts += $" · {Quantity.Show(focal)} mm on {Quantity.Show(p.SensorWidthMm)} × {Quantity.Show(p.SensorHeightMm)}";
        }
        return facts;
    }

    /// <summary>What the plate's own codes are, and of which primaries.</summary>
    public static string OwnSpace(ShotDocument d)
    {
        string own = PlateSheet.Encoding(d.Plate) is { Length: > 0 } e ? PlateSheet.Encodings.First(x => x.Value == e).Text : "sRGB";
        return d.Plate?.Primaries is { } key ? $"{own} of {PlateSheet.Primaries.FirstOrDefault(p => p.Value == key).Text ?? key}" : own;
    }

    public static IEnumerable<(string Way, string Text)> Ways(ShotDocument shot, int step)
    {
        if (step == 4)
        {
            (string, string)[] own =
            [
                ("before", "Plate"),
                ("projection", "Projected"),
                ("projection-difference", "Difference"),
                ("texels", "Texels"),
                ("stretch", "Stretch"),
                ("source", "Source"),
            ];
            return
            [
                .. own,
                .. shot.Lights.Any(l => !l.Off) ? [("own-colour", "Own colour")] : Array.Empty<(string, string)>(),
                .. shot.CleanPlate.Frames.Count > 0 ? [("clean", "Clean plate"), ("given", "What gave")] : Array.Empty<(string, string)>(),
            ];
        }
        if (step == 1 && shot.Plate?.GrainFree is not null)
        {
            return [("before", "Plate"), ("grain-free", "Grain-free")];
        }
        (string, string)[] ways = [("before", "Before"), ("after", "After"), ("wipe", "Wipe"), ("difference", "Difference")];
        return step == 5 && shot.Lights.Any(l => l is { Off: false, InPlate: true })
            ? [.. ways, ("set-lit", "Set lit"), ("light-left", "Left over")]
            : ways;
    }

    /// <summary>What the picture can be seen through, those that the shot has.</summary>
    public static IEnumerable<(string Way, string Text)> SeenThrough(ShotDocument shot)
    {
        yield return ("display", "Display");
        if (shot.Look.Cdl is not null || shot.Look.LutMedia is not null)
        {
            yield return ("look", "Look");
        }
        if (shot.Look.Curve is not null)
        {
            yield return ("curve", "Curve");
        }
        if (shot.Plate is { } plate && (plate.Encoding != Core.Images.ColorEncoding.Srgb || plate.Primaries is not null))
        {
            yield return ("codes", "Codes");
        }
    }

    /// <summary>A time to wait, as one says it.</summary>
    public static string Time(double seconds) =>
        seconds < 90 ? $"{Math.Ceiling(seconds)} s"
        : seconds < 5400 ? $"{Math.Round(seconds / 60)} min"
        : string.Create(CultureInfo.InvariantCulture, $"{seconds / 3600:F1} h");
}
