using System.Globalization;

namespace Plenk.Formats;

/// <summary>
/// How much memory pictures may take: what is kept of them to be looked at again, and any one that is worked on. A quarter of the
/// machine's, at most 4 GiB; PLENK_MEMORY says otherwise, like 2G or 512M.
/// </summary>
public static class PictureMemory
{
    private const long Most = 4L << 30;

    public static long Bytes { get; } =
        Chosen(Environment.GetEnvironmentVariable("PLENK_MEMORY")) ?? Math.Min(Most, GC.GetGCMemoryInfo().TotalAvailableMemoryBytes / 4);

    /// <summary>A number with K, M or G behind it; null where it is none.</summary>
    public static long? Chosen(string? text)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return null;
        }
        text = text.Trim().ToUpperInvariant().TrimEnd('B').TrimEnd('I');
        int shift = text[^1] switch
        {
            'K' => 10,
            'M' => 20,
            'G' => 30,
            _ => 0,
        };
        return
            double.TryParse(shift == 0 ? text : text[..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out double v)
            && v > 0
            && v * (1L << shift) < long.MaxValue
            ? (long)(v * (1L << shift))
            : null;
    }

    /// <summary>A picture is held as codes (2 bytes a value), as linear light (4) and for a moment as what it is made from.</summary>
    private const int BytesAValue = 8;

    /// <summary>
    /// Before anything is allocated: refuses a picture that has no size, or would take more than there is, with both numbers.
    /// </summary>
    /// <param name="channels">Values a pixel, or planes.</param>
    public static void Check(long width, long height, long channels, string name)
    {
        if (width < 1 || height < 1)
        {
            throw new FormatFault("too_large", $"{name} says it is {width} × {height} pixels", "Write the file at its real size.");
        }
        // What a header says may be beyond any whole number.
        double values = (double)width * height * Math.Max(1, channels),
            needs = values * BytesAValue;
        if (needs > Bytes || values > Array.MaxLength)
        {
            throw new FormatFault(
                "too_large",
                FormattableString.Invariant(
                    $"{name} says it is {width} × {height} pixels of {channels} channels: worked on it takes {needs / (1 << 30):0.0} GiB, and this server has {Bytes / (double)(1 << 30):0.0} GiB for pictures"
                ),
                "Export it at the size that is needed, or have PLENK_MEMORY raised."
            );
        }
    }
}
