using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>Panoramas as they come: EXR or Radiance, linear; or an 8- or 16-bit picture in sRGB, whose light ends at 1.</summary>
public static class PanoramaFile
{
    public static Panorama Read(byte[] bytes, string name)
    {
        FloatImage image =
            ExrFile.Is(bytes) ? Exr(bytes, name)
            : RadianceFile.Is(bytes) ? RadianceFile.Read(bytes, name)
            : RasterFile.Read(bytes, name).ToLinear(ColorEncoding.Srgb);
        if (image.Width != 2 * image.Height)
        {
            throw new FormatFault(
                "shape",
                $"{name} is {image.Width} × {image.Height}; a lat-long panorama is twice as wide as high",
                "Export the full sphere, lat-long."
            );
        }
        return new(image);
    }

    /// <summary>What an artist should know of a panorama: samples that were clamped, light that ends too early.</summary>
    public static IReadOnlyList<string> Told(Panorama panorama, string name)
    {
        var told = new List<string>();
        if (panorama.Clamped > 0)
        {
            told.Add($"{name}: {panorama.Clamped:N0} samples were below 0 or no number; they are 0 here.");
        }
        float most = 0;
        foreach (float v in panorama.Image.Data)
        {
            most = MathF.Max(most, v);
        }
        // A sun or a lamp is hundreds of times brighter than what it lights.
        if (most <= 1.0001f)
        {
            told.Add(
                $"{name}: nothing in it is brighter than 1. It is no HDR, and its sun and lamps are clipped: lift them out as lights, or bring exposures."
            );
        }
        else
        {
            int at = panorama.Image.Data.Count(v => v >= most * 0.9999f);
            if (at > 50 * 3)
            {
                told.Add(
                    $"{name}: {at / 3:N0} pixels stand at its highest value, {most:0.###}: its sun is clipped. Set the sun as a light of its own."
                );
            }
        }
        return told;
    }

    private static FloatImage Exr(byte[] bytes, string name)
    {
        ExrPicture picture = ExrFile.Read(bytes, name);
        return picture.Colour(
            picture.Picture(alpha: false, "rgb", "beauty")
                ?? throw new FormatFault("unreadable", $"{name} has no channel R", "Export it as RGB.")
        );
    }
}
