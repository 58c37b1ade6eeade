using System.Globalization;
using System.IO.Compression;
using System.Text.RegularExpressions;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Layers;

/// <summary>
/// Numbered pictures, one a layer, for any paint program: “03 haze (Multiply, 60 %).png” is the fourth from the back. All as large as the
/// canvas.
/// </summary>
public static partial class LayerFolder
{
    public static readonly string[] Extensions = [".png", ".tif", ".tiff"];

    internal static bool Takes(string name) => Extensions.Contains(Path.GetExtension(name).ToLowerInvariant());

    /// <summary>A file is one layer of several: a picture, and not a file of pages.</summary>
    public static bool Takes(string name, byte[] bytes) => Takes(name) && !(TiffLayers.IsTiff(bytes) && TiffLayers.Pages(bytes, name) > 1);

    public static IEnumerable<(string Name, byte[] Bytes)> Write(LayeredPicture picture)
    {
        var taken = new HashSet<string>(StringComparer.Ordinal);
        return picture.Layers.Select(
            (l, i) =>
            {
                string[] how =
                [
                    .. l.Blend == LayerBlend.Normal ? Array.Empty<string>() : [l.Blend.ToString()],
                    .. l.Opacity == 1 ? Array.Empty<string>() : [string.Create(CultureInfo.InvariantCulture, $"{100 * l.Opacity:0.##} %")],
                    .. l.Clipped ? ["cut"] : Array.Empty<string>(),
                    .. l.Hidden ? ["hidden"] : Array.Empty<string>(),
                ];
                string name = LayeredFile.Unique(Plain().Replace(l.Name, "-"), taken);
                return (
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"{i:00} {name}{(how.Length > 0 ? $" ({string.Join(", ", how)})" : "")}.png"
                    ),
                    RasterFile.ToPng(LayeredFile.Codes(LayerMerge.OnCanvas(l with { Opacity = 1 }, picture.Width, picture.Height)))
                );
            }
        );
    }

    internal static byte[] Zipped(LayeredPicture picture)
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, file) in Write(picture))
            {
                using Stream to = zip.CreateEntry(name, CompressionLevel.NoCompression).Open();
                to.Write(file);
            }
        }
        return bytes.ToArray();
    }

    /// <summary>In the order of their numbers, whatever order they came in.</summary>
    public static LayeredPicture Read(IReadOnlyList<(string Name, byte[] Bytes)> files)
    {
        if (files.Count == 0)
        {
            throw new FormatFault(
                "empty",
                "There is no picture among these files",
                "Choose PNG or TIFF files, one a layer, numbered from the back."
            );
        }
        var numbered = files.Select(f => (File: f, Match: Numbered().Match(Path.GetFileNameWithoutExtension(f.Name)))).ToArray();
        if (Array.Find(numbered, n => !n.Match.Success).File.Name is { } odd)
        {
            throw new FormatFault(
                "number",
                $"{odd} does not begin with a number, so it is not known where it lies among the layers",
                "Number the files from the back: “00 plate.png”, “01 sky.png”."
            );
        }
        var twice = numbered
            .GroupBy(n => int.Parse(n.Match.Groups[1].Value, CultureInfo.InvariantCulture))
            .FirstOrDefault(g => g.Count() > 1);
        if (twice is not null)
        {
            throw new FormatFault(
                "number",
                $"{string.Join(" and ", twice.Take(2).Select(t => t.File.Name))} have the same number",
                "Number the files from the back, each with its own."
            );
        }
        var layers = new List<PaintLayer>();
        int bits = 8,
            width = 0,
            height = 0;
        string first = "";
        foreach (var (file, match) in numbered.OrderBy(n => int.Parse(n.Match.Groups[1].Value, CultureInfo.InvariantCulture)))
        {
            CodeImage codes = RasterFile.Read(FrameIntake.Take(file.Bytes, file.Name).Bytes, file.Name);
            if (layers.Count == 0)
            {
                (width, height, first) = (codes.Width, codes.Height, file.Name);
            }
            else if (codes.Width != width || codes.Height != height)
            {
                throw new FormatFault(
                    "size",
                    $"{file.Name} is {codes.Width} × {codes.Height}, and {first} {width} × {height}",
                    "Save all layers at the canvas’s size, uncropped."
                );
            }
            LayeredFile.Check(width, height, files.Count, (double)width * height * files.Count, file.Name);
            bits = Math.Max(bits, codes.Bits);
            layers.Add(How(new(match.Groups[2].Value, LayeredFile.Straight(codes)), match.Groups[3].Value, file.Name));
        }
        return new(width, height, layers, Linear: false, bits);
    }

    private static PaintLayer How(PaintLayer layer, string how, string file)
    {
        foreach (string word in how.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
        {
            if (word.EndsWith('%') && double.TryParse(word[..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out double percent))
            {
                layer = layer with { Opacity = Math.Clamp(percent / 100, 0, 1) };
            }
            else if (Enum.TryParse(word, ignoreCase: true, out LayerBlend blend) && !char.IsAsciiDigit(word[0]))
            {
                layer = layer with { Blend = blend };
            }
            else if (word is "cut" or "hidden")
            {
                layer = word == "cut" ? layer with { Clipped = true } : layer with { Hidden = true };
            }
            else
            {
                throw new FormatFault(
                    "blend",
                    $"{file}: “{word}” is neither a blend that is known here nor an opacity in %",
                    $"Write one of {string.Join(", ", Enum.GetNames<LayerBlend>())}, or leave the brackets out."
                );
            }
        }
        return layer;
    }

    /// <summary>A number, a name, and in brackets how it is blended.</summary>
    [GeneratedRegex(@"^\s*(\d{1,6})[\s._-]*(.*?)(?:\s*\(([^()]*)\))?\s*$")]
    private static partial Regex Numbered();

    /// <summary>What no file name may hold, and what would be read as its blend.</summary>
    [GeneratedRegex("""[\\/:*?"<>|()\p{C}]""")]
    private static partial Regex Plain();
}
