using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Web.Sheets;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>What pages show of numbers.</summary>
public sealed class ShownTests
{
    // CIE 15: lightness L* = 116 (Y)^(1/3) − 16, from sRGB codes (IEC 61966-2-1).
    private static double Lightness(CodeImage image, int pixel)
    {
        double Linear(int c) => ColorEncodings.SrgbToLinear(image.Codes[3 * pixel + c] / 255f);
        double y = 0.2126 * Linear(0) + 0.7152 * Linear(1) + 0.0722 * Linear(2);
        return y > 0.008856 ? 116 * Math.Cbrt(y) - 16 : 903.3 * y;
    }

    [Fact]
    public void False_colours_grow_lighter_evenly()
    {
        // From six stops below middle grey to four above it.
        var picture = new FloatImage(101, 1, 3);
        for (int x = 0; x <= 100; x++)
        {
            picture.Pixel(x, 0).Fill((float)(0.18 * Math.Pow(2, -6 + x / 10.0)));
        }
        CodeImage shown = FalseColour.OfExposure(picture);
        double[] lightness = [.. Enumerable.Range(0, 101).Select(x => Lightness(shown, x))];
        double whole = lightness[100] - lightness[0];
        Assert.InRange(whole, 70, 85);
        for (int x = 1; x <= 100; x++)
        {
            Assert.True(lightness[x] > lightness[x - 1], $"at {x}");
        }
        // A fifth of the way is a fifth of the lightness, to a quarter of a step.
        for (int k = 1; k < 5; k++)
        {
            Assert.Equal(lightness[0] + whole * k / 5, lightness[20 * k], whole / 20);
        }
        picture.Pixel(0, 0).Fill(1e-9f);
        picture.Pixel(100, 0).Fill(1000);
        Assert.Equal(
            [.. shown.Codes.Take(3), .. shown.Codes.TakeLast(3)],
            [.. FalseColour.OfExposure(picture).Codes.Take(3), .. FalseColour.OfExposure(picture).Codes.TakeLast(3)]
        );
    }

    [Fact]
    public void Stops_are_shown_about_their_middle_and_what_is_unknown_is_hatched()
    {
        CodeImage shown = FalseColour.OfStops(
            [
                -1,
                -0.5f,
                0,
                0.5f,
                1,
                3,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
                float.NaN,
            ],
            16
        );
        for (int i = 1; i < 5; i++)
        {
            Assert.True(Lightness(shown, i) > Lightness(shown, i - 1));
        }
        Assert.Equal(Lightness(shown, 4), Lightness(shown, 5));
        Assert.Equal([30, 119], Enumerable.Range(6, 10).Select(i => (int)shown.Codes[3 * i]).Distinct().Order());
    }

    // The lists that pages choose from are the ones that files and commands know.
    [Fact]
    public void Pages_name_encodings_and_primaries_as_commands_do()
    {
        Assert.Equal(
            ColorEncodings.Named.Select(n => (n.Key, n.Name)),
            PlateSheet.Encodings.Select(p => (p.Value.ToLowerInvariant(), p.Text))
        );
        Assert.Equal(Primaries.Known.Select(p => (p.Key, p.Name)), PlateSheet.Primaries);
        // And so are the primaries that go without saying.
        foreach (var (_, encoding, _) in ColorEncodings.Named)
        {
            var plate = new PlateSource { Encoding = encoding, Primaries = ColorSpace.Usual(encoding).Primaries.Key };
            Assert.Equal("", PlateSheet.OddPrimaries(plate));
        }
    }
}
