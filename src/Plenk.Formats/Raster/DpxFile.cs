using System.Buffers.Binary;
using System.Text;
using Plenk.Core;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Formats.Raster;

/// <summary>A DPX frame's code values with what its header says of where it comes from.</summary>
/// <param name="Encoding">
/// By its transfer characteristic (table 5A), where that is printing density, logarithmic or linear; scanned film is what is logarithmic.
/// </param>
public sealed record DpxPicture(CodeImage Image, string? Timecode, string Clip, ColorEncoding? Encoding = null);

/// <summary>
/// DPX in and out (SMPTE 268M, version 1 and 2): RGB and RGBA of 8, 10, 12 and 16 bits, not run-length coded, either byte order.
/// </summary>
public static class DpxFile
{
    public static bool Is(ReadOnlySpan<byte> bytes) =>
        bytes.Length > 4 && (bytes[..4].SequenceEqual("SDPX"u8) || bytes[..4].SequenceEqual("XPDS"u8));

    public static DpxPicture Read(byte[] bytes, string name)
    {
        FormatFault Bad(string kind, string what, string mend = "Export the frame again.") => new(kind, $"{name} {what}", mend);
        if (!Is(bytes))
        {
            throw Bad("unreadable", "is not a DPX picture inside, whatever its name says");
        }
        if (bytes.Length < 2048)
        {
            throw Bad("truncated", $"stops after {bytes.Length:N0} bytes, within its header", "Copy the frame again from its source.");
        }
        bool big = bytes[0] == 'S';
        uint U32(int at) =>
            big ? BinaryPrimitives.ReadUInt32BigEndian(bytes.AsSpan(at)) : BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(at));
        ushort U16(int at) =>
            big ? BinaryPrimitives.ReadUInt16BigEndian(bytes.AsSpan(at)) : BinaryPrimitives.ReadUInt16LittleEndian(bytes.AsSpan(at));
        long width = U32(772),
            height = U32(776);
        int descriptor = bytes[800],
            bits = bytes[803],
            packing = U16(804),
            coded = U16(806);
        long offset = U32(808) is var own and not 0 and not uint.MaxValue ? own : U32(4);
        int channels = descriptor switch
        {
            50 => 3,
            51 => 4,
            6 => 1,
            _ => throw Bad("unreadable", $"holds a picture of another kind than RGB (descriptor {descriptor})", "Export the frame as RGB."),
        };
        PictureMemory.Check(width, height, 3, name);
        if (coded != 0)
        {
            throw Bad("unreadable", "is run-length coded", "Export the frame without compression.");
        }
        long row = bits switch
        {
            8 => (width * channels + 3) / 4 * 4,
            16 => (width * channels * 2 + 3) / 4 * 4,
            10 when packing is 1 or 2 => (width * channels + 2) / 3 * 4,
            12 when packing is 1 or 2 => (width * channels * 2 + 3) / 4 * 4,
            10 or 12 when packing == 0 => (width * channels * bits + 31) / 32 * 4,
            _ => throw Bad(
                "unreadable",
                $"has {bits} bits packed in a way that is not read (packing {packing})",
                "Export the frame as 10-bit filled or as 16-bit."
            ),
        };
        // Rows end on whole words; some writers do not keep to it.
        if (bits is 8 or 16 && offset + row * height > bytes.Length && offset + width * channels * (bits / 8) * height <= bytes.Length)
        {
            row = width * channels * (bits / 8);
        }
        if (offset + row * height > bytes.Length)
        {
            throw Bad(
                "truncated",
                $"stops after {bytes.Length:N0} of {offset + row * height:N0} bytes; the end of the picture is missing",
                "Copy the frame again from its source."
            );
        }
        var codes = new ushort[width * height * channels];
        int stride = (int)(width * channels);
        Parallel.For(0, (int)height, Cores.All, y =>
        {
            int at = (int)(offset + y * row);
            Span<ushort> to = codes.AsSpan(y * stride, stride);
            for (int i = 0; i < stride; i++)
            {
                to[i] = bits switch
                {
                    8 => bytes[at + i],
                    16 => U16(at + 2 * i),
                    _ when packing == 0 => Packed(at, i * bits),
                    // Three to a word, the first on top; filled with two bits below (method A) or above (method B).
                    10 => (ushort)(U32(at + i / 3 * 4) >> ((packing == 1 ? 22 : 20) - 10 * (i % 3)) & 1023),
                    _ => (ushort)(packing == 1 ? U16(at + 2 * i) >> 4 : U16(at + 2 * i) & 4095),
                };
            }
        });
        // Bit after bit, the lowest of a word first.
        ushort Packed(int at, int bit)
        {
            ulong two = U32(at + bit / 32 * 4) | (bit % 32 + bits > 32 ? (ulong)U32(at + bit / 32 * 4 + 4) << 32 : 0);
            return (ushort)(two >> (bit % 32) & ((1u << bits) - 1));
        }
        // SMPTE 12M, binary-coded: hours, minutes, seconds, frames.
        uint code = U32(1920);
        string? timecode = code is 0 or uint.MaxValue
            ? null
            : $"{code >> 24:x2}:{code >> 16 & 255:x2}:{code >> 8 & 255:x2}:{code & 255:x2}";
        string clip = Encoding.ASCII.GetString(bytes, 36, 100).Split('\0')[0].Trim();
        ColorEncoding? encoding = bytes[801] switch
        {
            1 or 3 => ColorEncoding.PrintingDensity,
            2 => ColorEncoding.Linear,
            _ => null,
        };
        return new(new((int)width, (int)height, channels, bits, codes), timecode, clip, encoding);
    }

    /// <summary>Big-endian, RGB, 10 bits filled to whole words (method A) or 16; codes of other depths are brought to these.</summary>
    /// <param name="transfer">SMPTE 268M table 5A: 0 user-defined, 2 linear, 3 logarithmic, 6 BT.709.</param>
    public static byte[] Write(CodeImage image, int bits, byte transfer, int frame, FrameRate rate)
    {
        if (bits is not (10 or 16) || image.Channels != 3)
        {
            throw new ArgumentException("DPX is written as RGB of 10 or 16 bits");
        }
        const int header = 2048;
        int row = bits == 10 ? image.Width * 4 : image.Width * 6,
            size = header + row * image.Height;
        var bytes = new byte[size];
        // What is not defined has all bits set.
        Array.Fill(bytes, (byte)0xff, 0, header);
        void U32(int at, uint v) => BinaryPrimitives.WriteUInt32BigEndian(bytes.AsSpan(at), v);
        void U16(int at, ushort v) => BinaryPrimitives.WriteUInt16BigEndian(bytes.AsSpan(at), v);
        void Words(int at, int length, string text)
        {
            bytes.AsSpan(at, length).Clear();
            Encoding.ASCII.GetBytes(text).AsSpan(0, Math.Min(length - 1, text.Length)).CopyTo(bytes.AsSpan(at));
        }
        "SDPX"u8.CopyTo(bytes);
        U32(4, header);
        Words(8, 8, "V2.0");
        U32(16, (uint)size);
        U32(20, 1);
        U32(24, 1664);
        U32(28, 384);
        U32(32, 0);
        Words(36, 100, "");
        Words(136, 24, "");
        Words(160, 100, "Plenk");
        Words(260, 400, "");
        (bytes[768], bytes[769]) = (0, 0);
        U16(770, 1);
        U32(772, (uint)image.Width);
        U32(776, (uint)image.Height);
        U32(780, 0);
        U32(784, 0);
        U32(792, (1u << bits) - 1);
        (bytes[800], bytes[801], bytes[802], bytes[803]) = (50, transfer, transfer, (byte)bits);
        U16(804, (ushort)(bits == 10 ? 1 : 0));
        U16(806, 0);
        U32(808, header);
        U32(812, 0);
        U32(816, 0);
        U32(1712, (uint)frame);
        float perSecond = (float)rate.PerSecond;
        U32(1724, BitConverter.SingleToUInt32Bits(perSecond));
        U32(1940, BitConverter.SingleToUInt32Bits(perSecond));
        double by = ((1 << bits) - 1) / (double)((1 << image.Bits) - 1);
        uint Code(int i) => image.Bits == bits ? image.Codes[i] : (uint)Math.Round(image.Codes[i] * by);
        for (int y = 0; y < image.Height; y++)
        {
            for (int x = 0; x < image.Width; x++)
            {
                int i = 3 * (y * image.Width + x),
                    at = header + y * row;
                if (bits == 10)
                {
                    U32(at + 4 * x, (Code(i) << 22) | (Code(i + 1) << 12) | (Code(i + 2) << 2));
                    continue;
                }
                for (int c = 0; c < 3; c++)
                {
                    U16(at + 6 * x + 2 * c, (ushort)Code(i + c));
                }
            }
        }
        return bytes;
    }
}
