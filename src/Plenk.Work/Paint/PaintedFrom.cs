using System.Globalization;
using System.Text.RegularExpressions;

namespace Plenk.Work.Paint;

/// <summary>Where a painting was painted from: it stands in its plate's layer's name and in its file's, which every paint program keeps.</summary>
public sealed partial record PaintedFrom(string Code, int Frame, string? Camera, bool OwnColour)
{
    public override string ToString() =>
        string.Create(CultureInfo.InvariantCulture, $"{Code} at {Frame}")
        + (Camera is null ? "" : $" through {Camera}")
        + (OwnColour ? ", own colour" : "");

    /// <summary>As a file's name without its ending.</summary>
    public string FileName =>
        $"{Code}{(Camera is null ? "" : $"_{Camera}")}{(OwnColour ? ".own-colour" : "")}.layers.{Frame.ToString(CultureInfo.InvariantCulture)}";

    /// <summary>Null: the text does not say.</summary>
    public static PaintedFrom? Of(string text) =>
        Written().Match(text) is not { Success: true } m
            ? null
            : new(
                m.Groups[1].Value,
                int.Parse(m.Groups[2].Value, CultureInfo.InvariantCulture),
                m.Groups[3].Success ? m.Groups[3].Value : null,
                m.Groups[4].Success
            );

    [GeneratedRegex(@"plate of (\S+) at (\d{1,7})(?: through ([^\s,]+))?(, own colour)?")]
    private static partial Regex Written();
}
