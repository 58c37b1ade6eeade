using System.Text;
using Plenk.Core.Images;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Ward, "Real Pixels" (Graphics Gems II), and Debian's image tool.</summary>
public sealed class RadianceTests : FileTests
{
    private static byte[] File(string header, params byte[] pixels) => [.. Encoding.ASCII.GetBytes(header), .. pixels];

    private const string Head = "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n";

    // (1, 0.5, 0.25) is 128 64 32 129; .18 is 184 at 126 and reads as 0.1796875; an exponent of 0 is black.
    [Fact]
    public void Shared_exponents_are_the_published_ones()
    {
        FloatImage p = RadianceFile.Read(
            File(Head + "-Y 1 +X 5\n", 128, 64, 32, 129, 184, 184, 184, 126, 250, 2, 0, 138, 0, 0, 0, 0, 196, 131, 65, 120),
            "five.hdr"
        );
        float[] expected =
        [
            1,
            0.5f,
            0.25f,
            0.1796875f,
            0.1796875f,
            0.1796875f,
            1000,
            8,
            0,
            0,
            0,
            0,
            196 / 65536f,
            131 / 65536f,
            65 / 65536f,
        ];
        Assert.Equal(expected, p.Data);
        // What an exposure multiplied in is taken out.
        Assert.Equal(
            0.5f,
            RadianceFile.Read(File("#?RADIANCE\nEXPOSURE=2\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 1\n", 128, 64, 32, 129), "one.hdr").Data[0]
        );
    }

    [Fact]
    public void Runs_of_both_kinds_are_followed()
    {
        FloatImage eight = RadianceFile.Read(
            File(Head + "-Y 1 +X 8\n", 2, 2, 0, 8, 0x88, 0x80, 0x88, 0x40, 0x88, 0x20, 0x88, 0x81),
            "run.hdr"
        );
        for (int x = 0; x < 8; x++)
        {
            Assert.Equal((1f, 0.5f, 0.25f), (eight[x, 0, 0], eight[x, 0, 1], eight[x, 0, 2]));
        }
        FloatImage old = RadianceFile.Read(File(Head + "-Y 1 +X 5\n", 128, 0, 0, 129, 1, 1, 1, 4), "old.hdr");
        Assert.All(Enumerable.Range(0, 5), x => Assert.Equal(1, old[x, 0, 0]));
        // From the bottom up, and from right to left.
        FloatImage turned = RadianceFile.Read(File(Head + "+Y 2 -X 1\n", 128, 0, 0, 129, 0, 128, 0, 129), "turned.hdr");
        Assert.Equal((1f, 1f), (turned[0, 1, 0], turned[0, 0, 1]));
    }

    [Fact]
    public void A_foreign_file_is_read_to_its_precision()
    {
        var random = new Random(4);
        var picture = new FloatImage(
            40,
            20,
            3,
            [.. Enumerable.Range(0, 2400).Select(_ => (float)Math.Pow(10, 5 * random.NextDouble() - 3))]
        );
        Exr.ExrFile.Write(At("in.exr"), 40, 20, [.. Exr.ExrChannel.Of(picture, "RGB")]);
        Tool("oiiotool", "in.exr", "-o", "out.hdr");
        FloatImage back = RadianceFile.Read(System.IO.File.ReadAllBytes(At("out.hdr")), "out.hdr");
        for (int i = 0; i < picture.Data.Length; i += 3)
        {
            float most = Math.Max(picture.Data[i], Math.Max(picture.Data[i + 1], picture.Data[i + 2]));
            for (int c = 0; c < 3; c++)
            {
                Assert.InRange(Math.Abs(back.Data[i + c] - picture.Data[i + c]), 0, most / 127);
            }
        }
    }

    [Theory]
    [InlineData("-Y 4 +X 4\n", "cut off")]
    [InlineData("-Y 40000 +X 40000\n", "says it is")]
    [InlineData("-Y 4 +Y 4\n", "line for its size")]
    [InlineData("-Y 0 +X 4\n", "line for its size")]
    public void A_damaged_file_says_what_is_wrong(string size, string told) =>
        Assert.Contains(told, Assert.Throws<FormatFault>(() => RadianceFile.Read(File(Head + size, 128, 64, 32, 129), "bad.hdr")).Message);

    [Fact]
    public void A_header_without_end_or_of_another_kind_is_refused()
    {
        Assert.Contains(
            "header",
            Assert.Throws<FormatFault>(() => RadianceFile.Read("#?RADIANCE\nFORMAT=32-bit"u8.ToArray(), "bad.hdr")).Message
        );
        Assert.Contains(
            "not read",
            Assert
                .Throws<FormatFault>(() => RadianceFile.Read("#?RADIANCE\nFORMAT=something\n\n-Y 1 +X 1\n1234"u8.ToArray(), "bad.hdr"))
                .Message
        );
        Assert.Contains("inside", Assert.Throws<FormatFault>(() => RadianceFile.Read("P6 1 1 255"u8.ToArray(), "bad.hdr")).Message);
        // A run that is longer than its line.
        Assert.Throws<FormatFault>(() => RadianceFile.Read(File(Head + "-Y 1 +X 8\n", 2, 2, 0, 8, 0x90, 0x80, 0x90, 0x40), "bad.hdr"));
        Assert.Throws<FormatFault>(() => RadianceFile.Read(File(Head + "-Y 1 +X 4\n", 1, 1, 1, 4), "bad.hdr"));
    }
}
