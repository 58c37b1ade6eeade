using System.Buffers.Binary;
using System.IO.Compression;
using System.Numerics;
using System.Text;

namespace Plenk.Formats;

/// <summary>
/// An OpenType font (ISO/IEC 14496-22) as its tables: what it is called, which characters it has, and the file under a name of our own, so
/// that no other font of the machine is taken for it.
/// </summary>
public sealed class OpenTypeFont
{
    /// <summary>Larger ones are no font of letters.</summary>
    public const int MostBytes = 32 << 20;

    private const int MostTables = 64,
        MostCharacters = 1 << 20;
    private static readonly string[] Needed = ["cmap", "head", "hhea", "hmtx", "maxp", "name"];
    private readonly uint _flavour;
    private readonly IReadOnlyList<(string Tag, byte[] Bytes)> _tables;
    private readonly List<(int From, int To)> _characters;

    /// <summary>Family and style, as the font says.</summary>
    public string Name { get; }

    private OpenTypeFont(uint flavour, IReadOnlyList<(string, byte[])> tables)
    {
        (_flavour, _tables) = (flavour, tables);
        Name = NameIn(Table("name"));
        _characters = CharactersIn(Table("cmap"));
    }

    /// <param name="file">What the file is called.</param>
    /// <exception cref="FormatFault">It is no OpenType font, is cut short, or has no map of characters.</exception>
    public static OpenTypeFont Read(byte[] bytes, string file)
    {
        FormatFault Fault(string what) => new("font", $"{file} {what}", "Bring a font in as .ttf, .otf or .woff.");
        if (bytes.Length > MostBytes)
        {
            throw Fault($"is {bytes.Length >> 20} MB large; a font may have {MostBytes >> 20}");
        }
        OpenTypeFont font;
        try
        {
            font = bytes.AsSpan(0, 4).SequenceEqual("wOFF"u8) ? OfWoff(bytes) : OfTables(bytes);
        }
        catch (Exception e)
            when (e is ArgumentException or IndexOutOfRangeException or InvalidDataException or EndOfStreamException or OverflowException)
        {
            throw Fault("is no OpenType font, or is cut short");
        }
        return font._characters.Count > 0 ? font : throw Fault("says of no character which letter stands for it");
    }

    /// <summary>It has a letter for each of a text's characters; else those that it lacks.</summary>
    public IReadOnlyList<string> Lacks(string text) =>
        [
            .. text.EnumerateRunes()
                .Where(r => !Rune.IsWhiteSpace(r) && !Rune.IsControl(r) && !_characters.Any(c => r.Value >= c.From && r.Value <= c.To))
                .Select(r => r.ToString())
                .Distinct(),
        ];

    /// <summary>The font's file with this for its family.</summary>
    public byte[] Named(string family) => Assembled([.. _tables.Select(t => t.Tag == "name" ? (t.Tag, NameTable(family)) : t)]);

    private byte[] Table(string tag) => _tables.First(t => t.Tag == tag).Bytes;

    private static ushort Short(ReadOnlySpan<byte> b, int at) => BinaryPrimitives.ReadUInt16BigEndian(b[at..]);

    private static uint Long(ReadOnlySpan<byte> b, int at) => BinaryPrimitives.ReadUInt32BigEndian(b[at..]);

    private static OpenTypeFont Checked(uint flavour, IReadOnlyList<(string Tag, byte[] Bytes)> tables) =>
        flavour is 0x00010000 or 0x4F54544F && Needed.All(n => tables.Any(t => t.Tag == n))
            ? new(flavour, tables)
            : throw new InvalidDataException();

    private static OpenTypeFont OfTables(ReadOnlySpan<byte> file)
    {
        int count = Short(file, 4);
        var tables = new List<(string, byte[])>();
        long whole = 0;
        for (int i = 0; i < count && count <= MostTables; i++)
        {
            ReadOnlySpan<byte> entry = file.Slice(12 + 16 * i, 16);
            // Tables that lie over one another would be many times the file.
            whole += Long(entry, 12);
            if (whole > MostBytes)
            {
                throw new InvalidDataException();
            }
            tables.Add(
                (Encoding.ASCII.GetString(entry[..4]), file.Slice(checked((int)Long(entry, 8)), checked((int)Long(entry, 12))).ToArray())
            );
        }
        return Checked(Long(file, 0), tables);
    }

    /// <summary>WOFF 1.0 (W3C Recommendation 2012): each table perhaps deflated.</summary>
    private static OpenTypeFont OfWoff(ReadOnlySpan<byte> file)
    {
        int count = Short(file, 12);
        var tables = new List<(string, byte[])>();
        long whole = 0;
        for (int i = 0; i < count && count <= MostTables; i++)
        {
            ReadOnlySpan<byte> entry = file.Slice(44 + 20 * i, 20);
            int length = checked((int)Long(entry, 12));
            ReadOnlySpan<byte> packed = file.Slice(checked((int)Long(entry, 4)), checked((int)Long(entry, 8)));
            whole += length;
            if (length < 0 || whole > MostBytes)
            {
                throw new InvalidDataException();
            }
            var own = new byte[length];
            if (packed.Length == length)
            {
                packed.CopyTo(own);
            }
            else
            {
                using var inflate = new ZLibStream(new MemoryStream(packed.ToArray()), CompressionMode.Decompress);
                inflate.ReadExactly(own);
            }
            tables.Add((Encoding.ASCII.GetString(entry[..4]), own));
        }
        return Checked(Long(file, 4), tables);
    }

    private byte[] Assembled(IReadOnlyList<(string Tag, byte[] Bytes)> tables)
    {
        int count = tables.Count,
            power = BitOperations.Log2((uint)count),
            at = 12 + 16 * count;
        var font = new byte[at + tables.Sum(t => (t.Bytes.Length + 3) & ~3)];
        BinaryPrimitives.WriteUInt32BigEndian(font, _flavour);
        foreach (var (place, value) in ((int, int)[])[(4, count), (6, 16 << power), (8, power), (10, 16 * count - (16 << power))])
        {
            BinaryPrimitives.WriteUInt16BigEndian(font.AsSpan(place), (ushort)value);
        }
        for (int i = 0; i < count; i++)
        {
            var (tag, bytes) = tables[i];
            Span<byte> entry = font.AsSpan(12 + 16 * i, 16);
            Encoding.ASCII.GetBytes(tag, entry);
            bytes.CopyTo(font, at);
            uint sum = 0;
            for (int k = at; k < at + bytes.Length; k += 4)
            {
                sum += Long(font, k);
            }
            BinaryPrimitives.WriteUInt32BigEndian(entry[4..], sum);
            BinaryPrimitives.WriteUInt32BigEndian(entry[8..], (uint)at);
            BinaryPrimitives.WriteUInt32BigEndian(entry[12..], (uint)bytes.Length);
            at += (bytes.Length + 3) & ~3;
        }
        return font;
    }

    // Records: platform, encoding, language, name, length, offset. Windows' are UTF-16; 16 and 17 stand before 1 and 2.
    private static string NameIn(ReadOnlySpan<byte> t)
    {
        int count = Short(t, 2),
            strings = Short(t, 4);
        var names = new Dictionary<int, string>();
        for (int i = 0; i < count; i++)
        {
            ReadOnlySpan<byte> r = t.Slice(6 + 12 * i, 12);
            int number = Short(r, 6);
            if (Short(r, 0) == 3 && number is 1 or 2 or 16 or 17)
            {
                names.TryAdd(number, Encoding.BigEndianUnicode.GetString(t.Slice(strings + Short(r, 10), Short(r, 8))));
            }
        }
        string family = names.GetValueOrDefault(16) ?? names.GetValueOrDefault(1) ?? "unnamed",
            style = names.GetValueOrDefault(17) ?? names.GetValueOrDefault(2) ?? "";
        return style is "" or "Regular" ? family : $"{family} {style}";
    }

    private static byte[] NameTable(string family)
    {
        (int Number, string Text)[] names = [(1, family), (2, "Regular"), (4, family), (6, family)];
        byte[][] texts = [.. names.Select(n => Encoding.BigEndianUnicode.GetBytes(n.Text))];
        var table = new byte[6 + 12 * names.Length + texts.Sum(s => s.Length)];
        void Write(int at, int value) => BinaryPrimitives.WriteUInt16BigEndian(table.AsSpan(at), (ushort)value);
        int strings = 6 + 12 * names.Length,
            offset = 0;
        Write(2, names.Length);
        Write(4, strings);
        for (int i = 0; i < names.Length; i++)
        {
            int at = 6 + 12 * i,
                k = 0;
            foreach (int value in (int[])[3, 1, 0x409, names[i].Number, texts[i].Length, offset])
            {
                Write(at + 2 * k++, value);
            }
            texts[i].CopyTo(table, strings + offset);
            offset += texts[i].Length;
        }
        return table;
    }

    /// <summary>Ranges of characters by the Unicode tables of formats 4 and 12.</summary>
    private static List<(int From, int To)> CharactersIn(ReadOnlySpan<byte> t)
    {
        var ranges = new List<(int, int)>();
        int count = Short(t, 2),
            left = MostCharacters;
        for (int i = 0; i < count; i++)
        {
            ReadOnlySpan<byte> r = t.Slice(4 + 8 * i, 8);
            if (Short(r, 0) is not (0 or 3) || (Short(r, 0) == 3 && Short(r, 2) is not (1 or 10)))
            {
                continue;
            }
            ReadOnlySpan<byte> own = t[checked((int)Long(r, 4))..];
            switch (Short(own, 0))
            {
                case 4:
                    Segments(own, ranges, ref left);
                    break;
                case 12:
                    uint groups = Math.Min(Long(own, 12), (uint)(own.Length - 16) / 12);
                    for (int g = 0; g < groups; g++)
                    {
                        ranges.Add((checked((int)Long(own, 16 + 12 * g)), checked((int)Long(own, 20 + 12 * g))));
                    }
                    break;
            }
        }
        return ranges;
    }

    /// <param name="left">So many characters may still be asked for: segments of a font do not lie over one another.</param>
    private static void Segments(ReadOnlySpan<byte> t, List<(int From, int To)> ranges, ref int left)
    {
        int n = Short(t, 6) / 2;
        for (int s = 0; s < n; s++)
        {
            int to = Short(t, 14 + 2 * s),
                from = Short(t, 16 + 2 * n + 2 * s),
                delta = Short(t, 16 + 4 * n + 2 * s),
                place = 16 + 6 * n + 2 * s,
                offset = Short(t, place);
            left -= Math.Max(0, to - from);
            if (left < 0)
            {
                throw new InvalidDataException();
            }
            for (int c = from; c <= to && c != 0xFFFF; c++)
            {
                int at = place + offset + 2 * (c - from),
                    letter = offset == 0 ? (c + delta) & 0xFFFF
                    : at + 2 > t.Length ? 0
                    : Short(t, at) is var g and not 0 ? (g + delta) & 0xFFFF
                    : 0;
                if (letter == 0)
                {
                    continue;
                }
                if (ranges.Count > 0 && ranges[^1].To == c - 1)
                {
                    ranges[^1] = (ranges[^1].From, c);
                }
                else
                {
                    ranges.Add((c, c));
                }
            }
        }
    }
}
