using System.Globalization;
using System.Text.Json;
using BitMiracle.LibTiff.Classic;
using NetVips;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Layers;

/// <summary>
/// TIFF 6.0 with a page a layer, the first the back. A layer's name is its page's (tag 285), its corner that of the page (286, 287 in units
/// of the resolution); opacity and blend stand as JSON in its description (270): {"name":…,"opacity":0.6,"blend":"Multiply","cut":true,
/// "hidden":true}. Alpha is unassociated (338 = 2) as written; associated is read too.
/// </summary>
public static class TiffLayers
{
    private sealed record Told(string? Name, double? Opacity, string? Blend, bool Cut, bool Hidden);

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    internal static bool IsTiff(ReadOnlySpan<byte> bytes) =>
        bytes.StartsWith((ReadOnlySpan<byte>)[0x49, 0x49, 0x2A, 0]) || bytes.StartsWith((ReadOnlySpan<byte>)[0x4D, 0x4D, 0, 0x2A]);

    internal static int Pages(byte[] bytes, string name)
    {
        using Tiff tiff = Open(bytes, name);
        return tiff.NumberOfDirectories();
    }

    public static byte[] Write(LayeredPicture picture)
    {
        using var bytes = new MemoryStream();
        using (Tiff tiff = Tiff.ClientOpen("layers", "w", bytes, new KeptStream()))
        {
            var taken = new HashSet<string>(StringComparer.Ordinal);
            foreach (PaintLayer layer in picture.Layers)
            {
                string name = LayeredFile.Unique(layer.Name, taken);
                CodeImage codes = LayeredFile.Codes(LayerMerge.OnCanvas(layer with { Opacity = 1 }, picture.Width, picture.Height));
                tiff.SetField(TiffTag.IMAGEWIDTH, codes.Width);
                tiff.SetField(TiffTag.IMAGELENGTH, codes.Height);
                tiff.SetField(TiffTag.BITSPERSAMPLE, 16);
                tiff.SetField(TiffTag.SAMPLESPERPIXEL, 4);
                tiff.SetField(TiffTag.EXTRASAMPLES, 1, new[] { (short)ExtraSample.UNASSALPHA });
                tiff.SetField(TiffTag.PHOTOMETRIC, Photometric.RGB);
                tiff.SetField(TiffTag.PLANARCONFIG, PlanarConfig.CONTIG);
                tiff.SetField(TiffTag.COMPRESSION, Compression.ADOBE_DEFLATE);
                tiff.SetField(TiffTag.ROWSPERSTRIP, 64);
                tiff.SetField(TiffTag.XRESOLUTION, 72.0);
                tiff.SetField(TiffTag.YRESOLUTION, 72.0);
                tiff.SetField(TiffTag.RESOLUTIONUNIT, ResUnit.INCH);
                tiff.SetField(TiffTag.PAGENAME, string.Concat(name.Select(c => char.IsAscii(c) ? c : '?')));
                tiff.SetField(
                    TiffTag.IMAGEDESCRIPTION,
                    JsonSerializer.Serialize(new Told(name, layer.Opacity, layer.Blend.ToString(), layer.Clipped, layer.Hidden), Json)
                );
                var row = new byte[8 * codes.Width];
                for (int y = 0; y < codes.Height; y++)
                {
                    Buffer.BlockCopy(codes.Codes, 8 * y * codes.Width, row, 0, row.Length);
                    if (!tiff.WriteScanline(row, y))
                    {
                        throw new IOException($"The layer {name} could not be written as TIFF.");
                    }
                }
                tiff.WriteDirectory();
            }
        }
        return bytes.ToArray();
    }

    public static LayeredPicture Read(byte[] bytes, string name)
    {
        var heads = new List<(PaintLayer Layer, bool Associated, int Width, int Height)>();
        int width = 0,
            height = 0;
        using (Tiff tiff = Open(bytes, name))
        {
            int pages = tiff.NumberOfDirectories();
            LayeredFile.Check(1, 1, pages, 0, name);
            for (short p = 0; p < pages; p++)
            {
                if (!tiff.SetDirectory(p))
                {
                    throw Cut(name, p);
                }
                int Whole(TiffTag tag) => tiff.GetField(tag) is { } f ? f[0].ToInt() : 0;
                double Real(TiffTag tag, double otherwise) => tiff.GetField(tag) is { } f ? f[0].ToDouble() : otherwise;
                var (w, h) = (Whole(TiffTag.IMAGEWIDTH), Whole(TiffTag.IMAGELENGTH));
                int x = (int)Math.Round(Real(TiffTag.XPOSITION, 0) * Real(TiffTag.XRESOLUTION, 1)),
                    y = (int)Math.Round(Real(TiffTag.YPOSITION, 0) * Real(TiffTag.YRESOLUTION, 1));
                // A reduced picture beside a page (bit 0 of tag 254) is no layer.
                if ((Whole(TiffTag.SUBFILETYPE) & 1) != 0)
                {
                    heads.Add((new("", new(1, 1, 4)), false, -1, 0));
                    continue;
                }
                bool associated =
                    tiff.GetField(TiffTag.EXTRASAMPLES) is { Length: > 1 } extra
                    && extra[1].ToShortArray() is [(short)ExtraSample.ASSOCALPHA, ..];
                heads.Add((How(tiff, p, name) with { X = x, Y = y }, associated, w, h));
                (width, height) = (Math.Max(width, x + w), Math.Max(height, y + h));
            }
        }
        LayeredFile.Check(width, height, heads.Count, heads.Sum(h => (double)h.Width * h.Height), name);
        int bits = 8;
        var layers = new List<PaintLayer>();
        for (int p = 0; p < heads.Count; p++)
        {
            if (heads[p].Width < 0)
            {
                continue;
            }
            CodeImage codes = RasterFile.Decode(bytes, name, p);
            bits = Math.Max(bits, codes.Bits);
            layers.Add(heads[p].Layer with { Picture = LayeredFile.Straight(codes, heads[p].Associated) });
        }
        return new(width, height, layers, Linear: false, bits);
    }

    private static PaintLayer How(Tiff tiff, int page, string file)
    {
        string? Text(TiffTag tag) => tiff.GetField(tag) is { } f ? f[0].ToString()?.Trim('\0', ' ') : null;
        Told told = new(null, null, null, false, false);
        if (Text(TiffTag.IMAGEDESCRIPTION) is { } text && text.StartsWith('{'))
        {
            try
            {
                told = JsonSerializer.Deserialize<Told>(text, Json) ?? told;
            }
            catch (JsonException)
            {
                // Another program's description: it says nothing of layers.
            }
        }
        string name = told.Name ?? Text(TiffTag.PAGENAME) ?? string.Create(CultureInfo.InvariantCulture, $"layer {page + 1}");
        LayerBlend blend = LayerBlend.Normal;
        if (told.Blend is { } named && (!Enum.TryParse(named, out blend) || !Enum.IsDefined(blend)))
        {
            throw new FormatFault(
                "blend",
                $"{file}: the layer “{name}” is blended as “{named}”, which is not known here",
                $"Write one of {string.Join(", ", Enum.GetNames<LayerBlend>())} into its page’s description."
            );
        }
        return new(name, new(1, 1, 4), 0, 0, told.Opacity is { } o && double.IsFinite(o) ? Math.Clamp(o, 0, 1) : 1, blend)
        {
            Clipped = told.Cut,
            Hidden = told.Hidden,
        };
    }

    private static Tiff Open(byte[] bytes, string name)
    {
        Tiff.SetErrorHandler(new Silent());
        try
        {
            return Tiff.ClientOpen(name, "r", new MemoryStream(bytes), new KeptStream()) ?? throw Cut(name, 0);
        }
        catch (Exception e) when (e is not FormatFault)
        {
            throw Cut(name, 0);
        }
    }

    private static FormatFault Cut(string name, int page) =>
        new("truncated", $"{name} is cut off or damaged at page {page + 1}", "Save it again from the paint program.");

    /// <summary>The bytes are ours to keep when the file is closed.</summary>
    private sealed class KeptStream : TiffStream
    {
        public override void Close(object clientData) { }
    }

    /// <summary>What it says stands in the faults that are made of it.</summary>
    private sealed class Silent : TiffErrorHandler
    {
        public override void WarningHandler(Tiff tif, string method, string format, params object[] args) { }

        public override void WarningHandlerExt(Tiff tif, object clientData, string method, string format, params object[] args) { }

        public override void ErrorHandler(Tiff tif, string method, string format, params object[] args) { }

        public override void ErrorHandlerExt(Tiff tif, object clientData, string method, string format, params object[] args) { }
    }
}
