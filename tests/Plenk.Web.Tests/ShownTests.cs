using System.Text.RegularExpressions;
using Plenk.Core.Images;
using Plenk.Formats.Raster;
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
        string script = File.ReadAllText(Path.Combine(Repository(), "src", "Plenk.Web", "wwwroot", "js", "build.js"));
        string Of(string list, string end) =>
            script[script.IndexOf(list, StringComparison.Ordinal)..] is var rest ? rest[..rest.IndexOf(end, StringComparison.Ordinal)] : "";
        IEnumerable<(string, string)> Pairs(string name) =>
            Regex
                .Matches(Of($"export const {name} = [", "];"), "\\['([^']+)', '([^']+)'\\]")
                .Select(m => (m.Groups[1].Value, m.Groups[2].Value));
        Assert.Equal(
            ColorEncodings.Named.Select(n => (n.Key, n.Name)),
            Pairs("encodings").Select(p => (p.Item1.ToLowerInvariant(), p.Item2))
        );
        Assert.Equal(Primaries.Known.Select(p => (p.Key, p.Name)), Pairs("primaries"));
        // And so are the primaries that go without saying.
        var usual = Regex
            .Matches(Of("export const usualPrimaries", "})"), "(\\w+): '([^']+)'")
            .ToDictionary(m => m.Groups[1].Value.ToLowerInvariant(), m => m.Groups[2].Value);
        foreach (var (key, encoding, _) in ColorEncodings.Named)
        {
            Assert.Equal(ColorSpace.Usual(encoding).Primaries.Key, usual.GetValueOrDefault(key, "bt709"));
        }
    }

    private static string Repository()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at)!;
        }
        return at;
    }
}
