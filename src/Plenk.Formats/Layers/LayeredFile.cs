using System.Globalization;
using System.IO.Compression;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Layers;

/// <summary>The files that paint goes out and comes back in.</summary>
public enum LayeredKind
{
    /// <summary>One file, .ora.</summary>
    OpenRaster,

    /// <summary>One file, a page a layer.</summary>
    Tiff,

    /// <summary>One file, a part a layer, linear.</summary>
    Exr,

    /// <summary>Numbered PNG files, one a layer; packed as .zip where one file is asked for.</summary>
    Folder,
}

/// <summary>Paintings in layers, whatever file they come in. From the back to the front; straight alpha.</summary>
public static class LayeredFile
{
    /// <summary>More layers than that are no depth but a way of working: they are merged where they were painted.</summary>
    public const int MostLayers = 200;

    public static readonly string[] Extensions = [".ora", ".tif", ".tiff", ".exr", ".zip"];

    public static string Extension(LayeredKind kind) =>
        kind switch
        {
            LayeredKind.OpenRaster => ".ora",
            LayeredKind.Tiff => ".tif",
            LayeredKind.Exr => ".exr",
            _ => ".zip",
        };

    public static byte[] Write(LayeredPicture picture, LayeredKind kind) =>
        kind switch
        {
            LayeredKind.OpenRaster => OpenRasterFile.Write(picture),
            LayeredKind.Tiff => TiffLayers.Write(picture),
            LayeredKind.Exr => ExrLayers.Write(picture),
            _ => LayerFolder.Zipped(picture),
        };

    /// <summary>It is one of ours by its inside: an .ora, a .zip of pictures, a TIFF of several pages, an EXR of several layers.</summary>
    public static bool Is(byte[] bytes, string name) =>
        bytes.AsSpan().StartsWith("PK"u8)
        || (TiffLayers.IsTiff(bytes) && TiffLayers.Pages(bytes, name) > 1)
        || (ExrFile.Is(bytes) && ExrLayers.Layers(bytes, name) > 1);

    /// <param name="wanted">By a layer's name: its pixels are read; else it comes with none. Null: all are.</param>
    /// <exception cref="FormatFault">It is none, is damaged, or asks for what is not done here; all of it by name.</exception>
    public static LayeredPicture Read(byte[] bytes, string name, Func<string, bool>? wanted = null)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Save it again from the paint program.");
        }
        if (bytes.AsSpan().StartsWith("PK"u8))
        {
            try
            {
                using var zip = new ZipArchive(new MemoryStream(bytes), ZipArchiveMode.Read);
                return OpenRasterFile.Is(zip)
                    ? OpenRasterFile.Read(zip, name, wanted)
                    : LayerFolder.Read([
                        .. zip
                            .Entries.Where(e => e.Name.Length > 0 && LayerFolder.Takes(e.Name))
                            .Select(e => (e.Name, ZipParts.Bytes(e, name))),
                    ]);
            }
            catch (InvalidDataException)
            {
                throw new FormatFault("truncated", $"{name} is cut off or damaged inside", "Save it again from the paint program.");
            }
        }
        if (TiffLayers.IsTiff(bytes))
        {
            return TiffLayers.Read(bytes, name);
        }
        if (ExrFile.Is(bytes))
        {
            return ExrLayers.Read(bytes, name);
        }
        throw new FormatFault(
            "unreadable",
            $"{name} is no painting in layers: neither OpenRaster, TIFF nor EXR inside",
            "Save it as one of these, or as numbered PNG files, one a layer."
        );
    }

    /// <summary>Before its pixels are read: so many layers of that size can be held.</summary>
    internal static void Check(int width, int height, long layers, double pixels, string name)
    {
        PictureMemory.Check(width, height, 4, name);
        if (layers > MostLayers)
        {
            throw new FormatFault(
                "too_many",
                $"{name} has {layers:N0} layers; at most {MostLayers} are taken",
                "Merge in the paint program what stands at one distance."
            );
        }
        // Straight values as floats, once as they come and once on the canvas.
        double needs = 16 * (pixels + (double)width * height * Math.Max(1, layers));
        if (needs > PictureMemory.Bytes)
        {
            throw new FormatFault(
                "too_large",
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{name} has {layers:N0} layers on {width} × {height} pixels: worked on they take {needs / (1 << 30):0.0} GiB, and this server has {PictureMemory.Bytes / (double)(1 << 30):0.0} GiB for pictures"
                ),
                "Merge in the paint program what stands at one distance, or have PLENK_MEMORY raised."
            );
        }
    }

    /// <summary>A picture's codes as straight RGBA from 0 to 1; what has no alpha is opaque.</summary>
    internal static FloatImage Straight(CodeImage codes, bool premultiplied = false)
    {
        float top = (1 << codes.Bits) - 1;
        var made = new FloatImage(codes.Width, codes.Height, 4);
        int n = codes.Channels,
            g = n >= 3 ? 1 : 0,
            b = n >= 3 ? 2 : 0;
        for (int i = 0; i < codes.Width * codes.Height; i++)
        {
            ReadOnlySpan<ushort> from = codes.Codes.AsSpan(n * i, n);
            float a = n is 2 or 4 ? from[n - 1] / top : 1,
                by = premultiplied ? (a > 0 ? 1 / a : 0) : 1;
            (made.Data[4 * i], made.Data[4 * i + 1], made.Data[4 * i + 2], made.Data[4 * i + 3]) = (
                from[0] / top * by,
                from[g] / top * by,
                from[b] / top * by,
                a
            );
        }
        return made;
    }

    /// <summary>The same the other way, four channels of 16 bits.</summary>
    public static CodeImage Codes(FloatImage straight)
    {
        int n = straight.Channels;
        ushort[] codes = [.. straight.Data.Select(v => (ushort)Math.Round(Math.Clamp(v, 0, 1) * 65535))];
        return new(straight.Width, straight.Height, n, 16, codes);
    }

    internal static string Unique(string name, HashSet<string> taken)
    {
        name = name.Length == 0 ? "layer" : name;
        string made = name;
        for (int k = 2; !taken.Add(made); k++)
        {
            made = $"{name} {k}";
        }
        return made;
    }
}
