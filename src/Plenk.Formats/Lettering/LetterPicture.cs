using System.Buffers.Binary;
using System.IO.Compression;
using System.Numerics;
using System.Reflection;
using NetVips;

namespace Plenk.Formats;

/// <summary>A line of text in a shipped font as coverage, cut to its ink.</summary>
public static class LetterPicture
{
    private const int Dpi = 72;

    /// <param name="size">Of the line, pixels.</param>
    /// <returns>Coverage 0..1, row by row from the top; nothing for a text without letters.</returns>
    public static (float[] Values, int Width, int Height) Of(string text, bool serif, int size)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return ([], 0, 0);
        }
        // The comma ends the name: else its last word would be taken for a weight, and another font for it.
        using Image set = Image.Text(
            System.Net.WebUtility.HtmlEncode(text),
            font: serif ? $"Source Serif 4 SemiBold, {size}" : $"IBM Plex Sans SemiBold, {size}",
            fontfile: File(serif),
            dpi: Dpi
        );
        byte[] codes = set.WriteToMemory<byte>();
        return ([.. codes.Select(c => c / 255f)], set.Width, set.Height);
    }

    private static readonly Lock Writing = new();

    /// <summary>The font as a file of its own, unpacked: the text engine takes it from one, and passes over packed ones.</summary>
    private static string File(bool serif)
    {
        string name = serif ? "serif" : "sans";
        using Stream from = Assembly.GetExecutingAssembly().GetManifestResourceStream($"Plenk.Formats.Lettering.{name}.woff")!;
        string path = Path.Combine(Path.GetTempPath(), $"plenk-{from.Length}-{name}.ttf");
        lock (Writing)
        {
            if (System.IO.File.Exists(path))
            {
                return path;
            }
            var packed = new byte[from.Length];
            from.ReadExactly(packed);
            string half = $"{path}.{Guid.NewGuid():N}";
            System.IO.File.WriteAllBytes(half, Unpacked(packed));
            System.IO.File.Move(half, path, overwrite: true);
        }
        return path;
    }

    /// <summary>
    /// The font within a WOFF 1.0 file (W3C Recommendation 2012): its tables, each perhaps deflated, behind a directory of their own.
    /// </summary>
    private static byte[] Unpacked(ReadOnlySpan<byte> woff)
    {
        static uint At(ReadOnlySpan<byte> bytes, int i) => BinaryPrimitives.ReadUInt32BigEndian(bytes[i..]);
        int count = BinaryPrimitives.ReadUInt16BigEndian(woff[12..]),
            power = BitOperations.Log2((uint)count),
            head = 12 + 16 * count;
        var font = new byte[At(woff, 16)];
        woff.Slice(4, 4).CopyTo(font); // flavour
        foreach (var (at, value) in ((int, int)[])[(4, count), (6, 16 << power), (8, power), (10, 16 * count - (16 << power))])
        {
            BinaryPrimitives.WriteUInt16BigEndian(font.AsSpan(at), (ushort)value);
        }
        for (int i = 0, to = head; i < count; i++)
        {
            ReadOnlySpan<byte> entry = woff.Slice(44 + 20 * i, 20);
            int offset = (int)At(entry, 4),
                packed = (int)At(entry, 8),
                length = (int)At(entry, 12);
            Span<byte> own = font.AsSpan(12 + 16 * i);
            entry[..4].CopyTo(own);
            entry.Slice(16, 4).CopyTo(own[4..]); // checksum
            BinaryPrimitives.WriteUInt32BigEndian(own[8..], (uint)to);
            BinaryPrimitives.WriteUInt32BigEndian(own[12..], (uint)length);
            if (packed == length)
            {
                woff.Slice(offset, length).CopyTo(font.AsSpan(to));
            }
            else
            {
                using var inflate = new ZLibStream(new MemoryStream(woff.Slice(offset, packed).ToArray()), CompressionMode.Decompress);
                inflate.ReadExactly(font.AsSpan(to, length));
            }
            to = (to + length + 3) & ~3;
        }
        return font;
    }
}
