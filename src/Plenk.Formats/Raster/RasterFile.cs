using System.Numerics;
using NetVips;
using Plenk.Core;
using Plenk.Core.Images;

namespace Plenk.Formats.Raster;

/// <summary>Integer pictures as code values. Samples are interleaved, row by row from the top, 0 .. 2^Bits − 1.</summary>
public sealed record CodeImage(int Width, int Height, int Channels, int Bits, ushort[] Codes)
{
    /// <summary>The inner part, without so many pixels on every side.</summary>
    public CodeImage Within(int margin) =>
        margin == 0
            ? this
            : new(Width - 2 * margin, Height - 2 * margin, Channels, Bits, FloatImage.Within(Codes, Width, Height, Channels, margin));

    /// <summary>Linear light in the working primaries.</summary>
    public FloatImage ToLinear(ColorSpace space)
    {
        float[] table = ColorEncodings.LinearTable(space.Encoding, Bits);
        var image = new FloatImage(Width, Height, 3);
        int g = Channels >= 3 ? 1 : 0,
            b = Channels >= 3 ? 2 : 0;
        Parallel.For(0, Height, Cores.All, y =>
        {
            Span<float> light = image.Data.AsSpan(3 * y * Width, 3 * Width);
            ReadOnlySpan<ushort> codes = Codes.AsSpan(y * Width * Channels, Width * Channels);
            for (int to = 0, from = 0; to < light.Length; to += 3, from += Channels)
            {
                (light[to], light[to + 1], light[to + 2]) = (table[codes[from]], table[codes[from + g]], table[codes[from + b]]);
            }
        });
        return space.ToWorking(image);
    }

    /// <summary>As it is seen, 16 bits, three channels.</summary>
    public CodeImage Through(PlateView view)
    {
        float top = (1 << Bits) - 1;
        var codes = new ushort[Width * Height * 3];
        Parallel.For(0, Height, Cores.All, y =>
        {
            for (int i = y * Width; i < (y + 1) * Width; i++)
            {
                int at = i * Channels,
                    g = Channels >= 3 ? 1 : 0,
                    b = Channels >= 3 ? 2 : 0;
                Vector3 v =
                    Vector3.Clamp(view.Apply(new Vector3(Codes[at], Codes[at + g], Codes[at + b]) / top), Vector3.Zero, Vector3.One) * 65535
                    + new Vector3(0.5f);
                (codes[3 * i], codes[3 * i + 1], codes[3 * i + 2]) = ((ushort)v.X, (ushort)v.Y, (ushort)v.Z);
            }
        });
        return new(Width, Height, 3, 16, codes);
    }

    public static CodeImage FromLinear(FloatImage image, ColorSpace space, int bits)
    {
        image = space.FromWorking(image);
        var codes = new ushort[image.Data.Length];
        Parallel.For(0, image.Height, Cores.All, y =>
        {
            int from = y * image.Width * image.Channels;
            for (int i = from; i < from + image.Width * image.Channels; i++)
            {
                codes[i] = (ushort)ColorEncodings.ToCode(space.Encoding, image.Data[i], bits);
            }
        });
        return new(image.Width, image.Height, image.Channels, bits, codes);
    }
}

/// <summary>PNG and JPEG in and out, through libvips.</summary>
public static class RasterFile
{
    static RasterFile()
    {
        // Files are replaced under the same name; nothing may be remembered by name.
        Cache.Max = 0;
        NetVips.NetVips.Concurrency = 1;
    }

    /// <summary>Size and depth from the header alone.</summary>
    public sealed record Header(int Width, int Height, int Channels, int Bits, bool Cmyk, int Pages);

    public static Header ReadHeader(byte[] bytes, string name)
    {
        Guard(bytes, name);
        using Image image = Open(bytes, name);
        return Describe(image);
    }

    /// <summary>
    /// Decodes all pixels; a file that ends early, is damaged, animated, CMYK or too large is refused by a <see cref="FormatFault"/>.
    /// </summary>
    public static CodeImage Read(byte[] bytes, string name)
    {
        Guard(bytes, name);
        return Decode(bytes, name);
    }

    /// <summary>All pixels of a picture whose kind is known already; of a file of several pages those of one.</summary>
    internal static CodeImage Decode(byte[] bytes, string name, int? page = null)
    {
        try
        {
            using Image opened = Open(bytes, name, page);
            Header header = Describe(opened);
            PictureMemory.Check(header.Width, header.Height, header.Channels, name);
            if (header.Cmyk)
            {
                throw new FormatFault("unreadable", $"{name} is a CMYK picture, made for print", "Export the frame as RGB.");
            }
            if (header.Pages > 1 && page is null)
            {
                throw new FormatFault("unreadable", $"{name} holds {header.Pages} pictures (an animation)", "Export one picture a frame.");
            }
            if (opened.Format is not (Enums.BandFormat.Uchar or Enums.BandFormat.Ushort))
            {
                throw new FormatFault(
                    "unreadable",
                    $"{name} holds {(opened.Format is Enums.BandFormat.Float or Enums.BandFormat.Double ? "floats" : "signed or very deep values")}",
                    "Export the frame with 8 or 16 bits a channel, or as EXR."
                );
            }
            int channels = header.Channels;
            if (channels > 4)
            {
                throw new FormatFault("unreadable", $"{name} has {channels} channels", "Export the frame as RGB.");
            }
            ushort[] codes =
                header.Bits == 16 ? opened.WriteToMemory<ushort>() : Array.ConvertAll(opened.WriteToMemory<byte>(), c => (ushort)c);
            return new(header.Width, header.Height, channels, header.Bits, codes);
        }
        catch (VipsException e)
        {
            throw Broken(name, e);
        }
    }

    /// <summary>A JPEG of that width, decoded no larger than it need be.</summary>
    public static byte[] Thumbnail(byte[] bytes, string name, int width)
    {
        Guard(bytes, name);
        try
        {
            Header header = ReadHeader(bytes, name);
            PictureMemory.Check(header.Width, header.Height, header.Channels, name);
            using Image small = Image.ThumbnailBuffer(bytes, width),
                eight = small.Format == Enums.BandFormat.Ushort ? small.Cast(Enums.BandFormat.Uchar, shift: true) : small.Copy();
            return eight.JpegsaveBuffer(q: 82);
        }
        catch (VipsException e)
        {
            throw Broken(name, e);
        }
    }

    /// <summary>A picture of ours no larger than that on either side, 8 bits, as PNG.</summary>
    internal static byte[] SmallPng(byte[] bytes, string name, int side)
    {
        try
        {
            using Image small = Image.ThumbnailBuffer(bytes, side, height: side),
                eight = small.Format == Enums.BandFormat.Ushort ? small.Cast(Enums.BandFormat.Uchar, shift: true) : small.Copy();
            return eight.PngsaveBuffer();
        }
        catch (VipsException e)
        {
            throw Broken(name, e);
        }
    }

    public static byte[] ToPng(CodeImage picture)
    {
        using Image image = Wrap(picture);
        return image.PngsaveBuffer(compression: 4);
    }

    public static byte[] ToJpeg(CodeImage picture, int quality)
    {
        using Image image = Wrap(picture);
        return image.JpegsaveBuffer(q: quality, subsampleMode: Enums.ForeignSubsample.Off, optimizeCoding: quality > 90);
    }

    private static Image Wrap(CodeImage picture)
    {
        if (picture.Bits == 16)
        {
            using Image raw = Image.NewFromMemory<ushort>(
                picture.Codes,
                picture.Width,
                picture.Height,
                picture.Channels,
                Enums.BandFormat.Ushort
            );
            return raw.Copy(interpretation: picture.Channels < 3 ? Enums.Interpretation.Grey16 : Enums.Interpretation.Rgb16);
        }
        byte[] bytes = Array.ConvertAll(picture.Codes, c => (byte)c);
        using Image eight = Image.NewFromMemory(bytes, picture.Width, picture.Height, picture.Channels, Enums.BandFormat.Uchar);
        return eight.Copy(interpretation: picture.Channels < 3 ? Enums.Interpretation.Bw : Enums.Interpretation.Srgb);
    }

    private static void Guard(byte[] bytes, string name)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Copy the frame again from its source.");
        }
        bool png =
            bytes.Length > 8 && bytes.AsSpan(0, 8).SequenceEqual((ReadOnlySpan<byte>)[0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A]);
        bool jpeg = bytes.Length > 3 && bytes[0] == 0xFF && bytes[1] == 0xD8 && bytes[2] == 0xFF;
        if (!png && !jpeg)
        {
            throw new FormatFault(
                "unreadable",
                $"{name} is neither a PNG nor a JPEG picture inside, whatever its name says",
                "Export the frame as PNG or JPEG."
            );
        }
        if (png && bytes.AsSpan().IndexOf("acTL"u8) is > 0 and < 4096)
        {
            throw new FormatFault("unreadable", $"{name} is an animated PNG", "Export one picture a frame.");
        }
        // Both formats say where they end; a file without its end was cut off.
        bool ended = png
            ? bytes.AsSpan(Math.Max(0, bytes.Length - 4096)).IndexOf("IEND"u8) >= 0
            : bytes.AsSpan(Math.Max(0, bytes.Length - 4096)).IndexOf((ReadOnlySpan<byte>)[0xFF, 0xD9]) >= 0;
        if (!ended)
        {
            throw new FormatFault(
                "truncated",
                $"{name} stops after {bytes.Length:N0} bytes; the end of the picture is missing",
                "Copy the frame again from its source."
            );
        }
    }

    private static Image Open(byte[] bytes, string name, int? page = null)
    {
        try
        {
            return page is { } p
                ? Image.TiffloadBuffer(bytes, page: p, failOn: Enums.FailOn.Warning, access: Enums.Access.Sequential)
                : Image.NewFromBuffer(bytes, failOn: Enums.FailOn.Warning, access: Enums.Access.Sequential);
        }
        catch (VipsException e)
        {
            throw Broken(name, e);
        }
    }

    private static FormatFault Broken(string name, VipsException e)
    {
        bool cut =
            e.Message.Contains("truncated", StringComparison.OrdinalIgnoreCase)
            || e.Message.Contains("premature", StringComparison.OrdinalIgnoreCase)
            || e.Message.Contains("end of", StringComparison.OrdinalIgnoreCase);
        return cut
            ? new FormatFault("truncated", $"{name} is cut off; part of the picture is missing", "Copy the frame again from its source.")
            : new FormatFault("unreadable", $"{name} is damaged and cannot be read", "Export the frame again.");
    }

    private static Header Describe(Image image)
    {
        int bits = image.Format is Enums.BandFormat.Ushort or Enums.BandFormat.Short ? 16 : 8;
        int pages = image.GetTypeOf("n-pages") != 0 ? (int)image.Get("n-pages") : 1;
        return new(image.Width, image.Height, image.Bands, bits, image.Interpretation == Enums.Interpretation.Cmyk, pages);
    }
}
