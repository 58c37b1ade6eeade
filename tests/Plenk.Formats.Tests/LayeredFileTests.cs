using System.Diagnostics;
using System.IO.Compression;
using System.Numerics;
using System.Text;
using NetVips;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Layers;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Paintings in layers, out and in: pixels, names, order, opacity, blends; and files that are none.</summary>
public sealed class LayeredFileTests
{
    private const int Width = 40,
        Height = 24;

    private static FloatImage Filled(int width, int height, Func<int, int, Vector4> at)
    {
        var made = new FloatImage(width, height, 4);
        for (int i = 0; i < width * height; i++)
        {
            Vector4 v = at(i % width, i / width);
            // Codes of 16 bits, so that a file of those keeps it as it is.
            for (int c = 0; c < 4; c++)
            {
                made.Data[4 * i + c] = MathF.Round(v[c] * 65535) / 65535;
            }
        }
        return made;
    }

    private static LayeredPicture Painting(bool linear) =>
        new(
            Width,
            Height,
            [
                new("guide plate of BTH_0040 at 1012", Filled(Width, Height, (x, y) => new(x / 40f, y / 24f, 0.25f, 1))),
                new("Türme, fern", Filled(Width, Height, (x, y) => new(0.2f, 0.3f, 0.4f, x % 7 / 7f)), Opacity: 0.75),
                new("haze", Filled(Width, Height, (x, y) => new(0.9f, 0.8f, 0.7f, y / 24f)), Blend: LayerBlend.Multiply),
                new("small", Filled(Width, Height, (x, y) => x is > 4 and < 9 && y > 20 ? new(1, 0.5f, 0, 1) : default)) { Hidden = true },
                new("grime", Filled(Width, Height, (x, y) => new(0.1f, 0.1f, 0.05f, 0.5f))) { Clipped = true },
            ],
            linear,
            linear ? 32 : 16
        );

    [Theory]
    [InlineData(LayeredKind.OpenRaster)]
    [InlineData(LayeredKind.Tiff)]
    [InlineData(LayeredKind.Exr)]
    [InlineData(LayeredKind.Folder)]
    public void Goes_out_and_comes_back_with_its_names_order_opacities_blends_and_pixels(LayeredKind kind)
    {
        LayeredPicture sent = Painting(kind == LayeredKind.Exr);
        byte[] bytes = LayeredFile.Write(sent, kind);
        LayeredPicture back = LayeredFile.Read(bytes, "painting" + LayeredFile.Extension(kind));
        Assert.Equal((Width, Height, sent.Linear), (back.Width, back.Height, back.Linear));
        Assert.Equal(
            sent.Layers.Select(l => (l.Name, l.Opacity, l.Blend, l.Hidden, l.Clipped)),
            back.Layers.Select(l => (l.Name, l.Opacity, l.Blend, l.Hidden, l.Clipped))
        );
        foreach (var (a, b) in sent.Layers.Zip(back.Layers))
        {
            // Half floats of an EXR hold 11 bits, and no colour where nothing is covered.
            float within = kind == LayeredKind.Exr ? 1f / 1024 : 0;
            for (int i = 0; i < a.Picture.Data.Length; i++)
            {
                if (kind != LayeredKind.Exr || a.Picture.Data[i | 3] > 0)
                {
                    Assert.Equal(a.Picture.Data[i], b.Picture.Data[i], within);
                }
            }
        }
    }

    /// <summary>Reference: libvips' own blends (its PDF 1.7 / W3C compositing), over an opaque backdrop.</summary>
    [Theory]
    [InlineData(LayerBlend.Multiply, Enums.BlendMode.Multiply)]
    [InlineData(LayerBlend.Screen, Enums.BlendMode.Screen)]
    [InlineData(LayerBlend.Overlay, Enums.BlendMode.Overlay)]
    [InlineData(LayerBlend.Darken, Enums.BlendMode.Darken)]
    [InlineData(LayerBlend.Lighten, Enums.BlendMode.Lighten)]
    [InlineData(LayerBlend.ColorDodge, Enums.BlendMode.ColourDodge)]
    [InlineData(LayerBlend.ColorBurn, Enums.BlendMode.ColourBurn)]
    [InlineData(LayerBlend.HardLight, Enums.BlendMode.HardLight)]
    [InlineData(LayerBlend.SoftLight, Enums.BlendMode.SoftLight)]
    [InlineData(LayerBlend.Difference, Enums.BlendMode.Difference)]
    [InlineData(LayerBlend.Exclusion, Enums.BlendMode.Exclusion)]
    public void Blends_are_those_of_the_reference(LayerBlend blend, Enums.BlendMode reference)
    {
        const int n = 64;
        FloatImage under = Filled(n, n, (x, y) => new((x + 0.5f) / n, 1 - (x + 0.5f) / n, 0.3f, 1)),
            over = Filled(n, n, (x, y) => new((y + 0.5f) / n, 0.6f, 1 - (y + 0.5f) / n, 1));
        // Its values go to 255 there.
        static Image Bands(FloatImage p) =>
            Image
                .NewFromMemory<float>([.. p.Data.Select(v => 255 * v)], n, n, 4, Enums.BandFormat.Float)
                .Copy(interpretation: Enums.Interpretation.Srgb);
        using Image a = Bands(under),
            b = Bands(over),
            composed = a.Composite2(b, reference, compositingSpace: Enums.Interpretation.Srgb);
        float[] told = [.. composed.Cast(Enums.BandFormat.Float).WriteToMemory<float>().Select(v => v / 255)];
        FloatImage ours = LayerMerge.Flat(new(n, n, [new("over", over, Blend: blend)], false, 16), under.Colours());
        double worst = 0;
        for (int i = 0; i < n * n; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                worst = Math.Max(worst, Math.Abs(told[4 * i + c] - ours.Data[3 * i + c]));
            }
        }
        Assert.True(worst < 2e-3, $"{blend}: {worst:0.0000} off");
    }

    /// <summary>By an independent reader: the image tools of Debian's openimageio.</summary>
    [Theory]
    [InlineData(LayeredKind.Tiff)]
    [InlineData(LayeredKind.Exr)]
    public void An_independent_reader_finds_every_layer(LayeredKind kind)
    {
        string file = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}{LayeredFile.Extension(kind)}");
        try
        {
            File.WriteAllBytes(file, LayeredFile.Write(Painting(kind == LayeredKind.Exr), kind));
            string told = Told("oiiotool", "--info", "-v", "-a", file);
            Assert.Contains("5 subimages", told);
            Assert.Contains("haze", told);
            Assert.Contains("Multiply", told);
            Assert.Contains($"{Width} x   {Height}, 4 channel", told);
        }
        finally
        {
            File.Delete(file);
        }
    }

    private static string Told(string tool, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(tool, arguments) { RedirectStandardOutput = true })!;
        string told = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        Assert.Equal(0, process.ExitCode);
        return told;
    }

    private static byte[] Ora(string stack, params (string Name, byte[] Bytes)[] pictures)
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (
                var (name, content) in pictures
                    .Prepend(("stack.xml", Encoding.UTF8.GetBytes(stack)))
                    .Prepend(("mimetype", "image/openraster"u8.ToArray()))
            )
            {
                using Stream to = zip.CreateEntry(name).Open();
                to.Write(content);
            }
        }
        return bytes.ToArray();
    }

    private static byte[] Png(int width, int height, ushort value) =>
        RasterFile.ToPng(new CodeImage(width, height, 4, 8, [.. Enumerable.Repeat(value, width * height * 4)]));

    [Fact]
    public void Groups_are_opened_or_merged_within_themselves()
    {
        // By hand, as the specification's baseline describes a stack: the first is the front.
        byte[] bytes = Ora(
            """
            <?xml version='1.0' encoding='UTF-8'?>
            <image w="8" h="4" version="0.0.3"><stack>
              <stack name="near"><layer name="tree" src="data/a.png" x="2" y="-1"/><layer name="bush" src="data/a.png" visibility="hidden"/></stack>
              <stack name="far" opacity="0.5"><layer name="top" src="data/b.png" opacity="0.5"/><layer name="foot" src="data/a.png"/></stack>
              <layer name="sky" src="data/b.png" composite-op="svg:screen"/>
            </stack></image>
            """,
            ("data/a.png", Png(4, 2, 255)),
            ("data/b.png", Png(8, 4, 51))
        );
        LayeredPicture read = LayeredFile.Read(bytes, "hand.ora");
        Assert.Equal(["sky", "far", "near/bush", "near/tree"], read.Layers.Select(l => l.Name));
        Assert.Equal([LayerBlend.Screen, LayerBlend.Normal, LayerBlend.Normal, LayerBlend.Normal], read.Layers.Select(l => l.Blend));
        Assert.Equal([false, false, true, false], read.Layers.Select(l => l.Hidden));
        Assert.Equal((2, -1), (read.Layers[3].X, read.Layers[3].Y));
        // The foot, white and whole, under a tenth of grey 0.2 (its own 0.2 · 0.5): 0.1 · 0.2 + 0.9 · 1.
        Assert.Equal(0.5, read.Layers[1].Opacity);
        Assert.Equal(0.92f, read.Layers[1].Picture[0, 0, 0], 1e-3f);
        Assert.Equal(1, read.Layers[1].Picture[0, 0, 3], 1e-6f);
        Assert.Equal(0.1f, read.Layers[1].Picture[7, 3, 3], 1e-3f);
    }

    [Theory]
    [InlineData("""<layer name="a" src="data/a.png" composite-op="svg:glow"/>""", "glow")]
    [InlineData("""<layer name="lost" src="data/none.png"/>""", "“lost”")]
    [InlineData("""<layer name="a" src="data/a.png" opacity="much"/>""", "much")]
    [InlineData("""<layer name="a" src="data/a.png" """, "breaks off")]
    public void A_file_with_faults_is_refused_by_what_is_wrong(string layer, string says)
    {
        byte[] bytes = Ora($"""<image w="4" h="4"><stack>{layer}</stack></image>""", ("data/a.png", Png(4, 4, 9)));
        FormatFault fault = Assert.Throws<FormatFault>(() => LayeredFile.Read(bytes, "bad.ora"));
        Assert.Contains(says, fault.Message);
        Assert.Contains("bad.ora", fault.Message);
    }

    [Fact]
    public void Hostile_files_are_refused_before_they_are_held()
    {
        string thousand = string.Concat(Enumerable.Range(0, 1000).Select(i => $"<layer name=\"l{i}\" src=\"data/a.png\"/>"));
        Assert.Contains(
            "1,000 layers",
            Assert
                .Throws<FormatFault>(() => LayeredFile.Read(Ora($"<image w=\"4\" h=\"4\"><stack>{thousand}</stack></image>"), "many.ora"))
                .Message
        );
        Assert.Contains(
            "GiB",
            Assert.Throws<FormatFault>(() => LayeredFile.Read(Ora("<image w=\"200000\" h=\"200000\"><stack/></image>"), "huge.ora")).Message
        );
        // A document type that would unfold into gigabytes.
        Assert.Throws<FormatFault>(() =>
            LayeredFile.Read(
                Ora("<!DOCTYPE image [<!ENTITY a \"aaaa\">]><image w=\"4\" h=\"4\"><stack name=\"&a;\"/></image>"),
                "entity.ora"
            )
        );
        string deep = string.Concat(Enumerable.Repeat("<stack>", 60)) + string.Concat(Enumerable.Repeat("</stack>", 60));
        Assert.Contains(
            "deep",
            Assert
                .Throws<FormatFault>(() => LayeredFile.Read(Ora($"<image w=\"4\" h=\"4\"><stack>{deep}</stack></image>"), "deep.ora"))
                .Message
        );
        foreach (LayeredKind kind in Enum.GetValues<LayeredKind>())
        {
            byte[] whole = LayeredFile.Write(Painting(kind == LayeredKind.Exr), kind);
            foreach (int length in (int[])[0, 3, whole.Length / 3, whole.Length - 40])
            {
                Assert.Throws<FormatFault>(() => LayeredFile.Read(whole[..length], $"cut.{length}"));
            }
        }
    }

    [Fact]
    public void A_folder_is_told_by_its_numbers()
    {
        (string, byte[])[] files = [("10 house.png", Png(4, 4, 255)), ("02_sky (Multiply, 40 %).png", Png(4, 4, 20))];
        LayeredPicture read = LayerFolder.Read(files);
        Assert.Equal(
            [("sky", 0.4, LayerBlend.Multiply), ("house", 1.0, LayerBlend.Normal)],
            read.Layers.Select(l => (l.Name, l.Opacity, l.Blend))
        );
        string Refused(params (string, byte[])[] f) => Assert.Throws<FormatFault>(() => LayerFolder.Read(f)).Message;
        Assert.Contains("does not begin with a number", Refused(("sky.png", Png(4, 4, 1))));
        Assert.Contains("same number", Refused(("1 a.png", Png(4, 4, 1)), ("01 b.png", Png(4, 4, 1))));
        Assert.Contains("4 × 4", Refused(("1 a.png", Png(4, 4, 1)), ("2 b.png", Png(5, 4, 1))));
        Assert.Contains("“glow”", Refused(("1 a (glow).png", Png(4, 4, 1))));
    }
}
