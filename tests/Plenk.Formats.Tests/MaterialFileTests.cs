using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>
/// Materials beside a Wavefront mesh (the material text's 1995 description; Pm and Pr are a later convention of several programs).
/// </summary>
public sealed class MaterialFileTests
{
    private static (IReadOnlyList<Material> Materials, List<string> Told) Read(string text, Func<string, byte[]?>? beside = null)
    {
        var told = new List<string>();
        return (MtlFile.Read(Encoding.UTF8.GetBytes(text), "a.mtl", beside, told), told);
    }

    [Fact]
    public void Colours_shine_and_own_light_come_in()
    {
        var (m, told) = Read(
            "# a comment\nnewmtl dull paint\nKd 0.6 0.1 0.05\nKs 0.5 0.5 0.5\nillum 1\n\nnewmtl gloss\r\nKd 0.2\r\nKs 0.8 0.4 0.4\r\nNs 126\r\nillum 2\r\nKe 2 1 0.5\nnewmtl metal\n\tKd 0.9 0.7 0.3\n  Pm 1\nPr 0.35\n"
        );
        Assert.Empty(told);
        Assert.Equal(["dull paint", "gloss", "metal"], m.Select(x => x.Name));
        Assert.Equal((new Vector3(0.6f, 0.1f, 0.05f), 0f, 1f), (m[0].BaseColor, m[0].Specular, m[0].Roughness));
        // One number is grey. Walter et al. 2007: α = √(2 ÷ (126 + 2)) = 0.125, roughness its root.
        Assert.Equal((new Vector3(0.2f), 0.8f, new Vector3(2, 1, 0.5f)), (m[1].BaseColor, m[1].Specular, m[1].Emission));
        Assert.Equal(MathF.Sqrt(0.125f), m[1].Roughness, 1e-6f);
        Assert.Equal((1f, 0.35f, 1f), (m[2].Metallic, m[2].Roughness, m[2].Specular));
    }

    [Theory]
    [InlineData("map_Kd tile.png", "tile.png")]
    [InlineData("map_Kd my tiles 01.png", "my tiles 01.png")]
    [InlineData("map_Kd -s 2 2 1 -bm 0.5 my tiles.png", "my tiles.png")]
    [InlineData("map_Kd -clamp on -o 0.1 tile.png", "tile.png")]
    public void A_picture_is_found_by_its_name(string line, string name)
    {
        byte[] png = RasterFile.ToPng(new CodeImage(2, 1, 4, 8, [188, 0, 0, 255, 255, 255, 255, 0]));
        string? asked = null;
        var (m, told) = Read($"newmtl a\nKd 1 1 1\n{line}\n", n =>
        {
            asked = n;
            return png;
        });
        Assert.Equal(name, asked);
        Assert.Empty(told);
        // sRGB code 188 is half the light (IEC 61966-2-1); where alpha is 0 nothing is left.
        Assert.Equal(0.5029f, m[0].Picture!.Pixel(0, 0)[0], 1e-4f);
        Assert.Equal([0f, 0, 0, 0], m[0].Picture!.Pixel(1, 0).ToArray());
        Assert.True(m[0].SeeThrough);
    }

    [Fact]
    public void What_is_missing_or_not_followed_is_told()
    {
        var (m, told) = Read("newmtl a\nKd 0.3 0.3 0.3\nmap_Kd gone.png\nd 0.25\nnewmtl b\nTr 0.1\n", _ => null);
        Assert.Null(m[0].Picture);
        Assert.Contains(
            "The picture gone.png of material “a” is not there; its flat colour is used. Bring it in together with the mesh.",
            told
        );
        Assert.Contains(told, t => t.StartsWith("Material “a” is 75 % transparent", StringComparison.Ordinal));
        Assert.Contains(told, t => t.StartsWith("Material “b” is 10 % transparent", StringComparison.Ordinal));
        Assert.Empty(Read("Kd 1 0 0\n").Materials);
    }

    [Theory]
    [InlineData("newmtl a\nKd 1 x 1\n", "line 2: “Kd 1 x 1” lacks a number")]
    [InlineData("newmtl a\n\nNs\n", "line 3: “Ns” lacks a number")]
    [InlineData("newmtl a\nKe 1 NaN 0\n", "line 2")]
    public void A_line_without_its_number_is_named(string text, string said) =>
        Assert.Contains(said, Assert.Throws<FormatFault>(() => Read(text)).Message);

    // ACEScct codes (S-2016-001) of ACEScg's (0.6130974, 0.0701937, 0.0206156) are BT.709's pure red; half covered it is half as bright.
    [Fact]
    public void A_picture_of_other_primaries_comes_in_as_meant()
    {
        double[] red = [0.6130974, 0.07019372, 0.02061559];
        var codes = new CodeImage(
            1,
            1,
            4,
            16,
            [.. red.Select(v => (ushort)ColorEncodings.ToCode(ColorEncoding.AcesCct, (float)v, 16)), 32768]
        );
        FloatImage picture = MaterialPicture.Premultiplied(codes, ColorSpace.Usual(ColorEncoding.AcesCct), premultiplied: false);
        Assert.Equal(0.5f, picture.Data[0], 1e-3f);
        Assert.Equal(0, picture.Data[1], 1e-3f);
        Assert.Equal(0, picture.Data[2], 1e-3f);
        Assert.Equal(0.5f, picture.Data[3], 1e-4f);
    }

    [Fact]
    public void Alpha_as_a_mask_is_whole_or_nothing()
    {
        // glTF 2.0, 3.9.4: at the cutoff and above it whole; colours are un-premultiplied by it.
        var image = new FloatImage(3, 1, 4, [0.2f, 0.1f, 0, 0.4f, 0.25f, 0.5f, 0.5f, 0.5f, 0.9f, 0.8f, 0.7f, 1]);
        MaterialPicture.Cut(image, 0.5f);
        Assert.Equal([0f, 0, 0, 0, 0.5f, 1, 1, 1, 0.9f, 0.8f, 0.7f, 1], image.Data);
    }
}
