using System.Diagnostics;
using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Images;
using Plenk.Formats.Looks;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>What a picture is seen through: CDL, LUT, contrast curve.</summary>
public sealed class LookTests : FileTests
{
    // ASC CDL v1.2, worked with a colour-management library.
    [Fact]
    public void A_cdl_is_the_standards()
    {
        var cdl = new Cdl(new(1.1f, 1, 0.9f), new(0.02f, 0, -0.01f), new(1.2f, 1, 0.8f), 0.8f);
        Vector3 v = cdl.Apply(new(0.2f, 0.5f, 0.8f));
        Assert.Equal(0.234495823, v.X, 1e-6);
        Assert.Equal(0.490170188, v.Y, 1e-6);
        Assert.Equal(0.698440564, v.Z, 1e-6);
        Vector3 sop = (cdl with { Saturation = 1 }).Apply(new(0.2f, 0.5f, 0.8f));
        Assert.Equal(0.180407044, sop.X, 1e-6);
        Assert.Equal(0.760337970, sop.Z, 1e-6);
        Assert.Equal(new Vector3(0, 1, 0.5f), Cdl.Identity.Apply(new(-0.1f, 1.3f, 0.5f)));
        Assert.Equal(0, (cdl with { Offset = new(-1) }).Apply(new(0.1f)).X);
    }

    [Fact]
    public void A_cdl_goes_out_and_comes_back_and_bad_ones_are_told()
    {
        var cdl = new Cdl(new(1.1f, 1, 0.9f), new(0.02f, 0, -0.01f), new(1.2f, 1, 0.8f), 0.8f);
        Assert.Equal(cdl, CdlFile.Read(CdlFile.Write(cdl, "a"), "a.cc"));
        static Cdl Read(string text, string? id = null) => CdlFile.Read(Encoding.UTF8.GetBytes(text), "b.ccc", id);
        const string two =
            """<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.2"><ColorCorrection id="one"><SOPNode><Slope>2 2 2</Slope></SOPNode></ColorCorrection><ColorCorrection id="two"><SatNode><Saturation>0.5</Saturation></SatNode></ColorCorrection></ColorCorrectionCollection>""";
        Assert.Equal(new Vector3(2), Read(two).Slope);
        Assert.Equal(0.5f, Read(two, "two").Saturation);
        Assert.Contains("no correction “three”", Assert.Throws<FormatFault>(() => Read(two, "three")).Message);
        Assert.Contains("line 1", Assert.Throws<FormatFault>(() => Read("<x")).Message);
        Assert.Contains("holds no ColorCorrection", Assert.Throws<FormatFault>(() => Read("<x/>")).Message);
        Assert.Contains(
            "“nan”",
            Assert.Throws<FormatFault>(() => Read("<ColorCorrection><Slope>1 nan 1</Slope></ColorCorrection>")).Message
        );
        Assert.Contains(
            "instead of three",
            Assert.Throws<FormatFault>(() => Read("<ColorCorrection><Offset>1 1</Offset></ColorCorrection>")).Message
        );
        Assert.Contains(
            "above 0",
            Assert.Throws<FormatFault>(() => Read("<ColorCorrection><Power>1 0 1</Power></ColorCorrection>")).Message
        );
        // A file that wants to read other files is refused.
        Assert.Throws<FormatFault>(() =>
            Read("<!DOCTYPE a [<!ENTITY x SYSTEM \"file:///etc/hostname\">]><ColorCorrection><Slope>&x;</Slope></ColorCorrection>")
        );
    }

    private static string CubeText(int size, Func<float, float, float, Vector3> of)
    {
        var text = new StringBuilder($"TITLE \"made up\"\n# red runs fastest\nLUT_3D_SIZE {size}\n");
        for (int b = 0; b < size; b++)
        {
            for (int g = 0; g < size; g++)
            {
                for (int r = 0; r < size; r++)
                {
                    Vector3 v = of(r / (size - 1f), g / (size - 1f), b / (size - 1f));
                    text.Append(CultureInfo.InvariantCulture, $"{v.X:F6} {v.Y:F6} {v.Z:F6}\n");
                }
            }
        }
        return text.ToString();
    }

    // The same table and picture through the reference video tool's own tetrahedral interpolation, 16 bits.
    [Fact]
    public void A_cube_is_read_between_its_places_as_the_reference_tool_does()
    {
        var random = new Random(3);
        string cube = CubeText(9, (r, g, b) =>
            new(0.8f * r + 0.1f * (float)random.NextDouble(), 0.9f * g * g + 0.05f * b, 0.7f * b + 0.2f * r * g)
        );
        File.WriteAllText(At("a.cube"), cube);
        var codes = new ushort[64 * 32 * 3];
        for (int i = 0; i < codes.Length; i++)
        {
            codes[i] = (ushort)random.Next(65536);
        }
        var source = new CodeImage(64, 32, 3, 16, codes);
        File.WriteAllBytes(At("a.png"), RasterFile.ToPng(source));
        using (
            Process p = Process.Start(
                new ProcessStartInfo(
                    "ffmpeg",
                    "-loglevel error -y -i a.png -vf format=gbrp16le,lut3d=a.cube:interp=tetrahedral,format=rgb48be b.png"
                )
                {
                    WorkingDirectory = Folder,
                }
            )!
        )
        {
            p.WaitForExit();
            Assert.Equal(0, p.ExitCode);
        }
        CodeImage theirs = RasterFile.Read(File.ReadAllBytes(At("b.png")), "b.png");
        CodeImage ours = source.Through(
            new PlateView(SeenThrough.Look, ColorEncoding.Srgb, null, CubeFile.Read(Encoding.UTF8.GetBytes(cube), "a.cube"), null)
        );
        Assert.InRange(theirs.Codes.Zip(ours.Codes).Max(c => Math.Abs(c.First - c.Second)), 0, 2);
    }

    [Fact]
    public void Curves_and_domains_are_followed_and_faults_told()
    {
        static Lut Read(string text) => CubeFile.Read(Encoding.UTF8.GetBytes(text), "a.cube");
        Lut curve = Read("LUT_1D_SIZE 3\nDOMAIN_MIN -1 -1 -1\nDOMAIN_MAX 1 1 1\n0 0 0\n0.5 0.25 0\n1 1 1\n");
        Vector3 at = curve.Apply(new(0.5f, 0.5f, 0.5f));
        Assert.Equal(0.75, at.X, 1e-6);
        Assert.Equal(0.625, at.Y, 1e-6);
        Assert.Equal(0.5, at.Z, 1e-6);
        Assert.Equal(1, curve.Apply(new(7)).X);
        Assert.Equal(0, curve.Apply(new(-7)).X);
        Assert.Equal("2 places", $"{Read("LUT_1D_SIZE 2\nLUT_1D_INPUT_RANGE 0 2\n0 0 0\n1 1 1").Size} places");
        void Told(string text, string what) => Assert.Contains(what, Assert.Throws<FormatFault>(() => Read(text)).Message);
        Told("LUT_3D_SIZE 2\n0 0 0\n", "holds 1 colours; its size asks for 8");
        Told("LUT_3D_SIZE 900\n", "between 2 and 129");
        Told("hello", "line 1");
        Told("LUT_1D_SIZE 2\n0 0 NaN\n1 1 1", "line 2");
        Told("LUT_1D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n1 1 1", "ends before it begins");
        Told("# only words\n", "no LUT_1D_SIZE");
    }

    [Fact]
    public void A_contrast_curve_spreads_what_a_flat_picture_has()
    {
        ContrastCurve c = ContrastCurve.For([.. Enumerable.Range(0, 1001).Select(i => 0.3f + 0.2f * i / 1000)]);
        Assert.Equal(0.302, c.Black, 1e-4);
        Assert.Equal(0.498, c.White, 1e-4);
        Assert.Equal(0.5, c.Apply(0.4f), 0.01);
        Assert.Equal(0, c.Apply(0.1f));
        Assert.Equal(1, c.Apply(0.9f));
        // A middle that is dark is brought to the middle.
        Assert.Equal(0.5, ContrastCurve.For([.. Enumerable.Range(0, 1001).Select(i => i * i / 1e6f)]) is var d ? d.Apply(0.25f) : 0, 0.01);
        // Each view leaves the codes alone where there is nothing to see through.
        Assert.True(new PlateView(SeenThrough.Curve, ColorEncoding.AcesCct, null, null, null).IsIdentity);
        Assert.False(new PlateView(SeenThrough.Display, ColorEncoding.AcesCct, null, null, null).IsIdentity);
        // 18 % grey in ACEScct is 0.4135884; on an sRGB display 0.4613561 (S-2016-001; IEC 61966-2-1).
        Assert.Equal(0.4613561, new PlateView(SeenThrough.Display, ColorEncoding.AcesCct, null, null, null).Apply(new(0.4135884f)).X, 1e-5);
    }
}
