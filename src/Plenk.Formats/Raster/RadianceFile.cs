using System.Globalization;
using System.Text;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Formats.Raster;

/// <summary>
/// Radiance pictures in (Ward, "Real Pixels", Graphics Gems II): shared-exponent pixels, plain or run-length coded, scene-linear.
/// </summary>
public static class RadianceFile
{
    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith("#?RADIANCE"u8) || bytes.StartsWith("#?RGBE"u8);

    /// <summary>
    /// RGB in the working primaries, the first row on top. Exposures that the header says were multiplied in are taken out.
    /// </summary>
    public static FloatImage Read(byte[] bytes, string name)
    {
        FormatFault Bad(string kind, string what, string mend = "Export the picture again.") => new(kind, $"{name} {what}", mend);
        if (!Is(bytes))
        {
            throw Bad("unreadable", "is not a Radiance picture inside, whatever its name says");
        }
        int at = 0;
        string Line()
        {
            int end = Array.IndexOf(bytes, (byte)'\n', at);
            if (end < 0 || end - at > 4096)
            {
                throw Bad("truncated", "stops within its header", "Copy the file again from its source.");
            }
            string line = Encoding.Latin1.GetString(bytes, at, end - at).TrimEnd('\r');
            at = end + 1;
            return line;
        }
        double exposure = 1;
        bool xyz = false;
        Primaries primaries = Primaries.Bt709;
        Line();
        for (string line = Line(); line.Length > 0; line = Line())
        {
            string[] parts = line.Split('=', 2);
            string value = parts.Length > 1 ? parts[1].Trim() : "";
            switch (parts[0])
            {
                case "FORMAT":
                    xyz =
                        value == "32-bit_rle_xyze"
                        || (
                            value == "32-bit_rle_rgbe"
                                ? false
                                : throw Bad("unreadable", $"holds {value}, which is not read", "Export it as RGBE.")
                        );
                    break;
                case "EXPOSURE"
                    when double.TryParse(value, NumberStyles.Float, CultureInfo.InvariantCulture, out double e)
                        && e > 0
                        && double.IsFinite(e):
                    exposure *= e;
                    break;
                case "PRIMARIES":
                {
                    float[] xy =
                    [
                        .. value
                            .Split(' ', StringSplitOptions.RemoveEmptyEntries)
                            .Select(v => float.TryParse(v, NumberStyles.Float, CultureInfo.InvariantCulture, out float f) ? f : float.NaN),
                    ];
                    primaries = (xy.Length == 8 ? Primaries.Of(xy) : null)
                        ?? throw Bad("primaries", "names primaries that make no colour space");
                    break;
                }
            }
        }
        // Which axis comes first, and which way each runs: -Y 512 +X 1024 is the usual one.
        string[] size = Line().Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (
            size.Length != 4
            || size[0].Length != 2
            || size[2].Length != 2
            || size[0][1] == size[2][1]
            || !(size[0][1] is 'X' or 'Y')
            || !(size[2][1] is 'X' or 'Y')
            || !int.TryParse(size[1], out int outer)
            || !int.TryParse(size[3], out int inner)
            || outer < 1
            || inner < 1
        )
        {
            throw Bad("unreadable", $"has a line for its size that cannot be read");
        }
        bool rows = size[0][1] == 'Y';
        var (width, height) = rows ? (inner, outer) : (outer, inner);
        PictureMemory.Check(width, height, 3, name);
        // A run of 127 takes two bytes, so no line is shorter than a 64th of its values: a short file that claims to be huge is not given room first.
        if ((long)width * height / 64 * 4 > (long)bytes.Length - at + 64 && (long)width * height > 1 << 22)
        {
            throw Bad("truncated", "is cut off", "Copy the file again from its source.");
        }
        bool up = size[rows ? 0 : 2][0] == '+',
            left = size[rows ? 2 : 0][0] == '-';
        var image = new FloatImage(width, height, 3);
        var scan = new byte[4 * inner];
        for (int o = 0; o < outer; o++)
        {
            Scan(bytes, ref at, scan, inner, Bad);
            for (int i = 0; i < inner; i++)
            {
                var (x, y) = rows ? (i, o) : (o, i);
                int e = scan[4 * i + 3];
                float by = e == 0 ? 0 : (float)(Math.ScaleB(1, e - 136) / exposure);
                Span<float> p = image.Pixel(left ? width - 1 - x : x, up ? height - 1 - y : y);
                for (int c = 0; c < 3; c++)
                {
                    p[c] = scan[4 * i + c] * by;
                }
            }
        }
        Matrix3 to = xyz ? Primaries.Bt709.ToXyz().Inverse() : primaries.To(Primaries.Bt709);
        return Primaries.Convert(image, to);
    }

    /// <summary>One line of pixels, R G B E by pixel.</summary>
    private static void Scan(byte[] bytes, ref int at, byte[] scan, int width, Func<string, string, string, FormatFault> bad)
    {
        FormatFault Cut() => bad("truncated", "is cut off or damaged", "Copy the file again from its source.");
        if (at + 4 > bytes.Length)
        {
            throw Cut();
        }
        if (width is >= 8 and <= 32767 && bytes[at] == 2 && bytes[at + 1] == 2 && (bytes[at + 2] & 128) == 0)
        {
            if ((bytes[at + 2] << 8 | bytes[at + 3]) != width)
            {
                throw Cut();
            }
            at += 4;
            for (int c = 0; c < 4; c++)
            {
                for (int i = 0; i < width; )
                {
                    if (at + 2 > bytes.Length)
                    {
                        throw Cut();
                    }
                    int count = bytes[at++];
                    bool run = count > 128;
                    if (run)
                    {
                        count -= 128;
                    }
                    if (count == 0 || i + count > width || (!run && at + count > bytes.Length))
                    {
                        throw Cut();
                    }
                    for (int k = 0; k < count; k++)
                    {
                        scan[4 * i++ + c] = run ? bytes[at] : bytes[at + k];
                    }
                    at += run ? 1 : count;
                }
            }
            return;
        }
        // Flat, or the older runs: 1 1 1 n repeats the pixel before n times, several of them by further powers of 256.
        int shift = 0;
        for (int i = 0; i < width; )
        {
            if (at + 4 > bytes.Length)
            {
                throw Cut();
            }
            if (bytes[at] == 1 && bytes[at + 1] == 1 && bytes[at + 2] == 1)
            {
                long count = (long)bytes[at + 3] << shift;
                if (i == 0 || i + count > width || shift > 16)
                {
                    throw Cut();
                }
                for (long k = 0; k < count; k++, i++)
                {
                    scan.AsSpan(4 * (i - 1), 4).CopyTo(scan.AsSpan(4 * i));
                }
                shift += 8;
            }
            else
            {
                bytes.AsSpan(at, 4).CopyTo(scan.AsSpan(4 * i++));
                shift = 0;
            }
            at += 4;
        }
    }
}
