using System.Numerics;
using Plenk.Core.Images;
using Xunit;

namespace Plenk.Core.Tests;

public class ColourTests
{
    // IEC 61966-2-1.
    [Theory]
    [InlineData(0.001f, 0.012920000)]
    [InlineData(0.01f, 0.099852823)]
    [InlineData(0.18f, 0.46135613)]
    [InlineData(0.5f, 0.73535698)]
    public void Srgb(float linear, double encoded)
    {
        Assert.Equal(encoded, ColorEncodings.LinearToSrgb(linear), 6);
        Assert.Equal(linear, ColorEncodings.SrgbToLinear((float)encoded), 6);
    }

    // ACES S-2016-001.
    [Theory]
    [InlineData(0.001, 0.0834457719)]
    [InlineData(0.18, 0.413588402)]
    [InlineData(16, 0.783105023)]
    public void AcesCct(double linear, double encoded) => Assert.Equal(encoded, ColorEncodings.LinearToAcesCct(linear), 8);

    [Theory]
    [InlineData(8)]
    [InlineData(16)]
    public void Every_code_survives_the_way_to_linear_and_back(int bits)
    {
        float[] table = ColorEncodings.LinearTable(ColorEncoding.Srgb, bits);
        for (int i = 0; i < table.Length; i++) { Assert.Equal(i, ColorEncodings.ToCode(ColorEncoding.Srgb, table[i], bits)); }
    }

    // Porter & Duff 1984.
    [Fact]
    public void Over_and_out()
    {
        var a = new Vector4(.3f, .15f, .06f, .6f);
        var b = new Vector4(.15f, .3f, .6f, .75f);
        Vector4 over = Compositing.Over(a, b), held = Compositing.Out(b, a);
        Assert.Equal(0.36, over.X, 6);
        Assert.Equal(0.90, over.W, 6);
        Assert.Equal(0.24, held.Z, 6);
        Assert.Equal(0.5, Compositing.Unpremultiply(a).X, 6);
    }
}
