using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Xml;
using System.Xml.Linq;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Layers;

/// <summary>
/// OpenRaster (the Create project's baseline, 0.0.5): a zip whose first member, stored, is its media type; stack.xml names the layers from the
/// front to the back; each is a PNG, here of 16 bits. Groups that only gather are opened; those with an opacity or a blend of their own
/// are merged within themselves first, as the specification isolates them.
/// </summary>
public static class OpenRasterFile
{
    private const string MediaType = "image/openraster",
        OwnVersion = "0.0.5";
    private const int MostXml = 4 << 20,
        MostDeep = 32,
        ThumbnailSide = 256;

    private static readonly Dictionary<string, (LayerBlend Blend, bool Clipped)> Operators = new(StringComparer.Ordinal)
    {
        ["svg:src-over"] = (LayerBlend.Normal, false),
        ["svg:src-atop"] = (LayerBlend.Normal, true),
        ["svg:multiply"] = (LayerBlend.Multiply, false),
        ["svg:screen"] = (LayerBlend.Screen, false),
        ["svg:overlay"] = (LayerBlend.Overlay, false),
        ["svg:darken"] = (LayerBlend.Darken, false),
        ["svg:lighten"] = (LayerBlend.Lighten, false),
        ["svg:color-dodge"] = (LayerBlend.ColorDodge, false),
        ["svg:color-burn"] = (LayerBlend.ColorBurn, false),
        ["svg:hard-light"] = (LayerBlend.HardLight, false),
        ["svg:soft-light"] = (LayerBlend.SoftLight, false),
        ["svg:difference"] = (LayerBlend.Difference, false),
        ["svg:exclusion"] = (LayerBlend.Exclusion, false),
        ["svg:plus"] = (LayerBlend.Plus, false),
        ["svg:hue"] = (LayerBlend.Hue, false),
        ["svg:saturation"] = (LayerBlend.Saturation, false),
        ["svg:color"] = (LayerBlend.Color, false),
        ["svg:luminosity"] = (LayerBlend.Luminosity, false),
    };

    internal static bool Is(ZipArchive zip) => zip.GetEntry("stack.xml") is not null || zip.GetEntry("mimetype") is not null;

    public static byte[] Write(LayeredPicture picture)
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            Put(zip, "mimetype", Encoding.ASCII.GetBytes(MediaType));
            var stack = new XElement("stack");
            var taken = new HashSet<string>(StringComparer.Ordinal);
            for (int i = picture.Layers.Count - 1; i >= 0; i--)
            {
                PaintLayer layer = picture.Layers[i];
                string source = string.Create(CultureInfo.InvariantCulture, $"data/{i:000}.png");
                Put(zip, source, RasterFile.ToPng(LayeredFile.Codes(layer.Picture)));
                stack.Add(
                    new XElement(
                        "layer",
                        new XAttribute("name", LayeredFile.Unique(layer.Name, taken)),
                        new XAttribute("src", source),
                        new XAttribute("x", layer.X),
                        new XAttribute("y", layer.Y),
                        new XAttribute("opacity", layer.Opacity.ToString("0.####", CultureInfo.InvariantCulture)),
                        new XAttribute("visibility", layer.Hidden ? "hidden" : "visible"),
                        new XAttribute(
                            "composite-op",
                            layer is { Clipped: true, Blend: LayerBlend.Normal }
                                ? "svg:src-atop"
                                : Operators.First(o => o.Value == (layer.Blend, false)).Key
                        )
                    )
                );
            }
            var image = new XElement(
                "image",
                new XAttribute("version", OwnVersion),
                new XAttribute("w", picture.Width),
                new XAttribute("h", picture.Height),
                stack
            );
            using (var xml = new MemoryStream())
            {
                new XDocument(image).Save(xml);
                Put(zip, "stack.xml", xml.ToArray());
            }
            byte[] merged = RasterFile.ToPng(LayeredFile.Codes(LayerMerge.Flat(picture, new FloatImage(picture.Width, picture.Height, 3))));
            Put(zip, "mergedimage.png", merged);
            Put(zip, "Thumbnails/thumbnail.png", RasterFile.SmallPng(merged, "mergedimage.png", ThumbnailSide));
        }
        return bytes.ToArray();
    }

    private static void Put(ZipArchive zip, string name, byte[] bytes)
    {
        // PNG is packed already; the media type must lie open.
        using Stream to = zip.CreateEntry(name, name == "stack.xml" ? CompressionLevel.Optimal : CompressionLevel.NoCompression).Open();
        to.Write(bytes);
    }

    internal static LayeredPicture Read(ZipArchive zip, string name, Func<string, bool>? wanted)
    {
        FormatFault Broken(string what) => new("unreadable", $"{name}: {what}", "Save it again from the paint program.");
        ZipArchiveEntry stack = zip.GetEntry("stack.xml") ?? throw Broken("it has no stack.xml, which names its layers");
        if (zip.GetEntry("mimetype") is { } type && Encoding.ASCII.GetString(ZipParts.Bytes(type, name)).Trim() != MediaType)
        {
            throw Broken("its media type is not that of OpenRaster");
        }
        if (stack.Length > MostXml)
        {
            throw Broken("its list of layers is larger than any painting's");
        }
        XElement image;
        try
        {
            using var reader = XmlReader.Create(
                new MemoryStream(ZipParts.Bytes(stack, name)),
                new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, MaxCharactersInDocument = MostXml }
            );
            image = XDocument.Load(reader).Root!;
        }
        catch (XmlException e)
        {
            throw Broken($"its list of layers, stack.xml, breaks off at line {e.LineNumber}");
        }
        if (
            image.Name.LocalName != "image"
            || !int.TryParse((string?)image.Attribute("w"), NumberStyles.Integer, CultureInfo.InvariantCulture, out int width)
            || !int.TryParse((string?)image.Attribute("h"), NumberStyles.Integer, CultureInfo.InvariantCulture, out int height)
            || image.Element("stack") is not { } root
        )
        {
            throw Broken("its stack.xml says neither how large it is nor which layers it has");
        }
        LayeredFile.Check(width, height, root.Descendants("layer").Take(LayeredFile.MostLayers * 50).LongCount(), 0, name);
        var reading = new Reading(zip, name, width, height, wanted);
        List<PaintLayer> layers = reading.Stack(root, "", 0);
        return new(width, height, layers, Linear: false, reading.Bits);
    }

    private sealed class Reading(ZipArchive zip, string file, int width, int height, Func<string, bool>? wanted)
    {
        private double _pixels;
        private int _layers;

        public int Bits { get; private set; } = 8;

        /// <summary>From the back.</summary>
        public List<PaintLayer> Stack(XElement stack, string within, int deep)
        {
            if (deep > MostDeep)
            {
                throw new FormatFault(
                    "unreadable",
                    $"{file}: groups lie more than {MostDeep} deep in one another",
                    "Open some of them up."
                );
            }
            var layers = new List<PaintLayer>();
            foreach (XElement e in stack.Elements().Reverse())
            {
                string name = (string?)e.Attribute("name") is { Length: > 0 } given ? given : $"layer {_layers + 1}";
                double opacity = Math.Clamp(Number(e, "opacity", 1, name), 0, 1);
                bool hidden = (string?)e.Attribute("visibility") == "hidden";
                string op = (string?)e.Attribute("composite-op") ?? "svg:src-over";
                if (!Operators.TryGetValue(op, out var how))
                {
                    throw new FormatFault(
                        "blend",
                        $"{file}: the layer “{name}” is laid over the others as “{op}”, which is not known here",
                        "Merge that layer down in the paint program, or blend it in one of the usual ways."
                    );
                }
                if (e.Name.LocalName == "layer")
                {
                    layers.Add(
                        new(
                            within + name,
                            wanted?.Invoke(name) == false ? new(1, 1, 4) : Picture(e, name),
                            (int)Number(e, "x", 0, name),
                            (int)Number(e, "y", 0, name),
                            opacity,
                            how.Blend
                        )
                        {
                            Hidden = hidden,
                            Clipped = how.Clipped,
                        }
                    );
                }
                else if (e.Name.LocalName == "stack")
                {
                    bool gathers = opacity == 1 && op == "svg:src-over" && (string?)e.Attribute("isolation") != "isolate";
                    List<PaintLayer> inside = Stack(e, gathers ? $"{within}{name}/" : "", deep + 1);
                    layers.AddRange(
                        gathers
                            ? inside.Select(l => l with { Hidden = l.Hidden || hidden })
                            : [Merged(inside, within + name, opacity, how.Blend) with { Hidden = hidden, Clipped = how.Clipped }]
                    );
                }
            }
            return layers;
        }

        private PaintLayer Merged(List<PaintLayer> inside, string name, double opacity, LayerBlend blend)
        {
            var none = new FloatImage(width, height, 3);
            // Within a group there is no plate: what changes nothing of its own changes nothing.
            IReadOnlyList<PaintLayer> standing = LayerMerge.Standing(new(width, height, inside, false, Bits), none, []);
            var made = new FloatImage(width, height, 4);
            foreach (
                PaintLayer l in standing.Where(l => inside.Any(i => i.Name == l.Name && i is { Blend: LayerBlend.Normal, Clipped: false }))
            )
            {
                for (int i = 0; i < width * height; i++)
                {
                    float a = l.Picture.Data[4 * i + 3],
                        b = made.Data[4 * i + 3],
                        whole = a + b * (1 - a);
                    for (int c = 0; c < 3 && whole > 0; c++)
                    {
                        ref float v = ref made.Data[4 * i + c];
                        v = (a * l.Picture.Data[4 * i + c] + b * (1 - a) * v) / whole;
                    }
                    made.Data[4 * i + 3] = whole;
                }
            }
            return new(name, made, 0, 0, opacity, blend);
        }

        private double Number(XElement e, string attribute, double otherwise, string layer) =>
            (string?)e.Attribute(attribute) is not { } text ? otherwise
            : double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out double v) && Math.Abs(v) < 1e6 ? v
            : throw new FormatFault(
                "unreadable",
                $"{file}: the layer “{layer}” has “{text}” as its {attribute}, which is no number",
                "Save it again from the paint program."
            );

        private FloatImage Picture(XElement e, string layer)
        {
            string source = (string?)e.Attribute("src") ?? "";
            ZipArchiveEntry entry = zip.GetEntry(source)
                ?? throw new FormatFault(
                    "missing",
                    $"{file}: the picture of the layer “{layer}” ({source}) is not in the file",
                    "Save it again from the paint program."
                );
            byte[] bytes = ZipParts.Bytes(entry, file);
            string named = $"{file}, layer “{layer}”";
            RasterFile.Header head = RasterFile.ReadHeader(bytes, named);
            _pixels += (double)head.Width * head.Height;
            LayeredFile.Check(width, height, ++_layers, _pixels, file);
            CodeImage codes = RasterFile.Read(bytes, named);
            Bits = Math.Max(Bits, codes.Bits);
            return LayeredFile.Straight(codes);
        }
    }
}
