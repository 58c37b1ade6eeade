using NetVips;
using Plenk.Core.Images;
using Plenk.Formats.Exr;

namespace Plenk.Formats.Raster;

/// <summary>A frame as the media store keeps it, and what its own file said.</summary>
/// <param name="Encoding">What its codes stand for where the file itself tells; null: as the artist says.</param>
/// <param name="Says">What its header says of them; many write what is not so, so it is believed only where nobody says otherwise.</param>
/// <param name="Note">What was done to it on its way in that an artist should know.</param>
public sealed record TakenFrame(
    byte[] Bytes,
    ColorEncoding? Encoding = null,
    string? Timecode = null,
    string? Clip = null,
    string? Note = null,
    ColorEncoding? Says = null
);

/// <summary>
/// Frames of any kind that is taken. PNG and JPEG are kept as they came. TIFF and DPX keep their code values, written as PNG (10 and 12
/// bits spread over 16, which is exact both ways). Scene-linear EXR is kept as 16-bit ACEScct codes (S-2016-001): a step of them is 0.019 %
/// of the light, under half a step of half floats, from −0.006 to 222; pages and encoders read no floats. Its colours are taken into the
/// working primaries, and its display window is the frame: what lies beyond it is left, what it lacks is black.
/// </summary>
public static class FrameIntake
{
    public static readonly string[] Extensions = [".png", ".jpg", ".jpeg", ".tif", ".tiff", ".dpx", ".exr"];

    public static TakenFrame Take(byte[] bytes, string name) =>
        Path.GetExtension(name).ToLowerInvariant() switch
        {
            ".tif" or ".tiff" => new(RasterFile.ToPng(Tiff(bytes, name))),
            ".dpx" => Dpx(bytes, name),
            ".exr" => Exr(bytes, name),
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
        return new(RasterFile.ToPng(p), null, d.Timecode, d.Clip.Length > 0 ? d.Clip : null, Says: d.Encoding);
    }

    private static CodeImage Tiff(byte[] bytes, string name)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Copy the frame again from its source.");
        }
        bool tiff =
            bytes.Length > 8
            && (
                bytes.AsSpan(0, 4).SequenceEqual((ReadOnlySpan<byte>)[0x49, 0x49, 0x2A, 0])
                || bytes.AsSpan(0, 4).SequenceEqual((ReadOnlySpan<byte>)[0x4D, 0x4D, 0, 0x2A])
            );
        if (!tiff)
        {
            throw new FormatFault("unreadable", $"{name} is not a TIFF picture inside, whatever its name says", "Export the frame again.");
        }
        return RasterFile.Decode(bytes, name);
    }

    private static TakenFrame Exr(byte[] bytes, string name)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Copy the frame again from its source.");
        }
        ExrPicture picture = ExrFile.Read(bytes, name);
        FloatImage colour = picture.Colour(
            picture.Picture(alpha: false, "comp", "beauty", "rgb")
                ?? throw new FormatFault("unreadable", $"{name} has no channel R", "Export the frame as RGB.")
        );
        int width = picture.DisplayWidth,
            height = picture.DisplayHeight;
        PictureMemory.Check(width, height, 3, name);
        if (picture.DataX >= width || picture.DataY >= height || picture.DataX + picture.Width <= 0 || picture.DataY + picture.Height <= 0)
        {
            throw new FormatFault(
                "window",
                $"{name} has no pixel within its picture: its data window lies outside its display window",
                "Export the frame anew, uncropped."
            );
        }
        var codes = new ushort[3 * width * height];
        ushort black = (ushort)ColorEncodings.ToCode(ColorEncoding.AcesCct, 0, 16);
        for (int y = 0; y < height; y++)
        {
            for (int x = 0; x < width; x++)
            {
                int u = x - picture.DataX,
                    v = y - picture.DataY;
                for (int c = 0; c < 3; c++)
                {
                    ref ushort code = ref codes[3 * (y * width + x) + c];
                    if (u < 0 || v < 0 || u >= picture.Width || v >= picture.Height)
                    {
                        code = black;
                        continue;
                    }
                    float value = colour[u, v, c];
                    if (float.IsNaN(value))
                    {
                        throw new FormatFault(
                            "nan",
                            $"{name} holds a value that is not a number at x {x}, y {y}",
                            "Render or export the frame again; or paint that spot over."
                        );
                    }
                    code = (ushort)ColorEncodings.ToCode(ColorEncoding.AcesCct, float.IsPositiveInfinity(value) ? 222 : value, 16);
                }
            }
        }
        string[] notes =
        [
            .. picture.Primaries == Primaries.Bt709
                ? Array.Empty<string>()
                : [$"its colours are {picture.Primaries.Name}; they are worked on as BT.709"],
            .. picture.DataX <= 0
            && picture.DataY <= 0
            && picture.DataX + picture.Width >= width
            && picture.DataY + picture.Height >= height
                ? Array.Empty<string>()
                : ["its data covers a part of the picture only; the rest is black"],
        ];
        return new(
            RasterFile.ToPng(new CodeImage(width, height, 3, 16, codes)),
            ColorEncoding.AcesCct,
            Note: notes.Length == 0 ? null : string.Join("; ", notes)
        );
    }
}
