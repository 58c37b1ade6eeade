using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>Panoramas as they come: EXR, linear; or an 8- or 16-bit picture in sRGB, whose light ends at 1.</summary>
public static class PanoramaFile
{
    public static Panorama Read(byte[] bytes, string name)
    {
        FloatImage image = bytes.AsSpan(0, Math.Min(4, bytes.Length)).SequenceEqual((ReadOnlySpan<byte>)[0x76, 0x2f, 0x31, 0x01]) ? Exr(bytes, name) : RasterFile.Read(bytes, name).ToLinear(ColorEncoding.Srgb);
        if (image.Width != 2 * image.Height) { throw new FormatFault("shape", $"{name} is {image.Width} × {image.Height}; a lat-long panorama is twice as wide as high", "Export the full sphere, lat-long."); }
        return new(image);
    }

    private static FloatImage Exr(byte[] bytes, string name)
    {
        ExrPicture picture = ExrFile.Read(bytes, name);
        float[][] rgb = [.. ((string[])["R", "G", "B"]).Select(c => (picture.Channels.FirstOrDefault(p => p.Name == c || p.Name.EndsWith($".{c}", StringComparison.Ordinal)) ?? throw new FormatFault("unreadable", $"{name} has no channel {c}", "Export it as RGB.")).Values)];
        var image = new FloatImage(picture.Width, picture.Height, 3);
        for (int i = 0; i < picture.Width * picture.Height; i++) { for (int c = 0; c < 3; c++) { image.Data[3 * i + c] = rgb[c][i]; } }
        return image;
    }
}
