using NetVips;
using Plenk.Core.Images;
using Plenk.Formats.Exr;

namespace Plenk.Formats.Raster;

/// <summary>A frame as the media store keeps it, and what its own file said.</summary>
/// <param name="Encoding">What its codes stand for where the file itself tells; null: as the artist says.</param>
public sealed record TakenFrame(byte[] Bytes, ColorEncoding? Encoding = null, string? Timecode = null, string? Clip = null);

/// <summary>
/// Frames of any kind that is taken. PNG and JPEG are kept as they came. TIFF and DPX keep their code values, written as PNG
/// (10 and 12 bits spread over 16, which is exact both ways). Scene-linear EXR is kept as 16-bit ACEScct codes (S-2016-001): a
/// step of them is 0.019 % of the light, under half a step of half floats, from −0.006 to 222; pages and encoders read no floats.
/// </summary>
public static class FrameIntake
{
    public static readonly string[] Extensions = [".png", ".jpg", ".jpeg", ".tif", ".tiff", ".dpx", ".exr"];

    public static TakenFrame Take(byte[] bytes, string name) => Path.GetExtension(name).ToLowerInvariant() switch
    {
        ".tif" or ".tiff" => new(RasterFile.ToPng(Tiff(bytes, name))),
        ".dpx" => Dpx(bytes, name),
        ".exr" => new(RasterFile.ToPng(Exr(bytes, name)), ColorEncoding.AcesCct),
        _ => new(bytes),
    };

    private static TakenFrame Dpx(byte[] bytes, string name)
    {
        DpxPicture d = DpxFile.Read(bytes, name);
        CodeImage p = d.Image;
        if (p.Bits is 10 or 12)
        {
            int top = (1 << p.Bits) - 1;
            p = p with { Bits = 16, Codes = Array.ConvertAll(p.Codes, c => (ushort)((c * 65535 + top / 2) / top)) };
        }
        return new(RasterFile.ToPng(p), null, d.Timecode, d.Clip.Length > 0 ? d.Clip : null);
    }

    private static CodeImage Tiff(byte[] bytes, string name)
    {
        if (bytes.Length == 0) { throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Copy the frame again from its source."); }
        bool tiff = bytes.Length > 8 && (bytes.AsSpan(0, 4).SequenceEqual((ReadOnlySpan<byte>)[0x49, 0x49, 0x2A, 0]) || bytes.AsSpan(0, 4).SequenceEqual((ReadOnlySpan<byte>)[0x4D, 0x4D, 0, 0x2A]));
        if (!tiff) { throw new FormatFault("unreadable", $"{name} is not a TIFF picture inside, whatever its name says", "Export the frame again."); }
        return RasterFile.Decode(bytes, name);
    }

    private static CodeImage Exr(byte[] bytes, string name)
    {
        if (bytes.Length == 0) { throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Copy the frame again from its source."); }
        ExrPicture picture = ExrFile.Read(bytes, name);
        float[] Channel(string letter) => picture.Any(letter) ?? throw new FormatFault("unreadable", $"{name} has no channel {letter}", "Export the frame as RGB.");
        float[][] rgb = [Channel("R"), Channel("G"), Channel("B")];
        int count = picture.Width * picture.Height;
        var codes = new ushort[3 * count];
        for (int c = 0; c < 3; c++)
        {
            for (int i = 0; i < count; i++)
            {
                float v = rgb[c][i];
                if (float.IsNaN(v)) { throw new FormatFault("nan", $"{name} holds a value that is not a number at x {i % picture.Width}, y {i / picture.Width}", "Render or export the frame again; or paint that spot over."); }
                codes[3 * i + c] = (ushort)ColorEncodings.ToCode(ColorEncoding.AcesCct, float.IsPositiveInfinity(v) ? 222 : v, 16);
            }
        }
        return new(picture.Width, picture.Height, 3, 16, codes);
    }
}
