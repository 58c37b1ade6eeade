using Plenk.Core.Images;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Meshes;

/// <summary>Pictures of materials: sRGB codes to linear RGBA, premultiplied.</summary>
public static class MaterialPicture
{
    public static FloatImage Read(byte[] bytes, string name) =>
        Premultiplied(RasterFile.Read(bytes, name), ColorEncoding.Srgb, premultiplied: false);

    /// <param name="premultiplied">Its colours are so already.</param>
    public static FloatImage Premultiplied(CodeImage codes, ColorSpace space, bool premultiplied)
    {
        FloatImage rgb = codes.ToLinear(space);
        var image = new FloatImage(codes.Width, codes.Height, 4);
        bool alpha = codes.Channels is 2 or 4;
        float top = (1 << codes.Bits) - 1;
        for (int i = 0; i < codes.Width * codes.Height; i++)
        {
            float a = alpha ? codes.Codes[(i + 1) * codes.Channels - 1] / top : 1,
                by = premultiplied ? 1 : a;
            for (int c = 0; c < 3; c++)
            {
                image.Data[4 * i + c] = rgb.Data[3 * i + c] * by;
            }
            image.Data[4 * i + 3] = a;
        }
        return image;
    }

    /// <summary>Alpha as a mask: whole from a cutoff on, else nothing (glTF 2.0, 3.9.4).</summary>
    public static void Cut(FloatImage image, float cutoff)
    {
        for (int i = 0; i < image.Data.Length; i += 4)
        {
            float a = image.Data[i + 3],
                by = a >= cutoff && a > 0 ? 1 / a : 0;
            for (int c = 0; c < 4; c++)
            {
                image.Data[i + c] *= by;
            }
        }
    }

    public static bool HasAlpha(FloatImage image)
    {
        for (int i = 3; i < image.Data.Length; i += 4)
        {
            if (image.Data[i] < 1)
            {
                return true;
            }
        }
        return false;
    }
}
