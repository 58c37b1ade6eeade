using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>What the plate's sheet offers and says.</summary>
public static class PlateSheet
{
    /// <summary>Something lies on the plate's pixels or frames that another plate would leave behind.</summary>
    public static bool HasWork(ShotDocument shot) =>
        shot.Camera is not null
        || shot.Mattes.Count > 0
        || shot.SurveyPoints.Count > 0
        || shot.Elements.Count > 0
        || shot.Pieces.Count > 0
        || shot.Still is not null
        || shot.Finish.Steps.Count > 0;

    /// <summary>How codes stand for light, as the document and its standards name them.</summary>
    public static IReadOnlyList<(string Value, string Text)> Encodings { get; } =
    [
        ("srgb", "sRGB"),
        ("bt1886", "BT.1886"),
        ("bt709", "BT.709 camera"),
        ("pq", "BT.2100 PQ"),
        ("hlg", "BT.2100 HLG"),
        ("acesCct", "ACEScct"),
        ("printingDensity", "printing density"),
        ("linear", "linear light"),
    ];

    /// <summary>The primaries of that light.</summary>
    public static IReadOnlyList<(string Value, string Text)> Primaries { get; } =
    [("bt709", "BT.709"), ("bt2020", "BT.2020"), ("acescg", "ACEScg"), ("aces2065-1", "ACES2065-1")];

    private static string Usual(ColorEncoding encoding) =>
        encoding switch
        {
            ColorEncoding.AcesCct => "acescg",
            ColorEncoding.Pq or ColorEncoding.Hlg => "bt2020",
            _ => "bt709",
        };

    public static string Encoding(PlateSource? plate) => plate is null ? "" : Encoding(plate.Encoding);

    public static string Encoding(ColorEncoding encoding) => JsonNamingPolicy.CamelCase.ConvertName(encoding.ToString());

    /// <summary>Those that do not go with the encoding; empty: the usual ones.</summary>
    public static string OddPrimaries(PlateSource? plate) =>
        plate is not null && (plate.Primaries ?? "bt709") != Usual(plate.Encoding) ? plate.Primaries ?? "bt709" : "";

    public static string Facts(PlateSource p) =>
        $"{p.Name} · {p.Width}×{p.Height}, {p.Bits} bit, {p.Frames.Count} frames"
        + (p.Clip is { Length: > 0 } clip ? $" · {clip}" : "")
        + (p.Timecode is { Length: > 0 } code ? $" · {code}" : "");

    public static string Three(Vec3 v) => $"{Quantity.Show(v.X)} {Quantity.Show(v.Y)} {Quantity.Show(v.Z)}";

    public static IEnumerable<(string, string)> Folders() => PlateFolders.Offered().Select(f => (f.Path, $"{f.Name}, {f.Frames} files"));
}
