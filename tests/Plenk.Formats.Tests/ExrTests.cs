using System.Text;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>EXR to the byte, in other primaries, and with windows that do not cover one another.</summary>
public sealed class ExrTests : FileTests
{
    private static readonly byte[] Header = Minimal();

    /// <summary>By the OpenEXR file layout document: 2 × 1, G half (0.5, 1), Z float (2.5, 10000), no compression.</summary>
    private static byte[] Minimal()
    {
        var b = new List<byte>();
        void Text(string s)
        {
            b.AddRange(Encoding.ASCII.GetBytes(s));
            b.Add(0);
        }
        void Int(int v) => b.AddRange(BitConverter.GetBytes(v));
        void Attribute(string name, string type, params byte[] value)
        {
            Text(name);
            Text(type);
            Int(value.Length);
            b.AddRange(value);
        }
        static byte[] Ints(params int[] all) => [.. all.SelectMany(BitConverter.GetBytes)];
        b.AddRange([0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0]);
        Attribute(
            "channels",
            "chlist",
            [.. "G\0"u8, .. Ints(1), 0, 0, 0, 0, .. Ints(1, 1), .. "Z\0"u8, .. Ints(2), 0, 0, 0, 0, .. Ints(1, 1), 0]
        );
        Attribute("compression", "compression", 0);
        Attribute("dataWindow", "box2i", Ints(0, 0, 1, 0));
        Attribute("displayWindow", "box2i", Ints(0, 0, 1, 0));
        Attribute("lineOrder", "lineOrder", 0);
        Attribute("pixelAspectRatio", "float", BitConverter.GetBytes(1f));
        Attribute("screenWindowCenter", "v2f", new byte[8]);
        Attribute("screenWindowWidth", "float", BitConverter.GetBytes(1f));
        b.Add(0);
        return [.. b];
    }

    private static readonly byte[] Line = [0, 0, 0, 0, 12, 0, 0, 0, 0, 0x38, 0, 0x3c, 0, 0, 0x20, 0x40, 0, 0x40, 0x1c, 0x46];

    [Fact]
    public void A_file_written_by_hand_is_read_and_ours_ends_in_the_same_bytes()
    {
        Assert.Equal(295, Header.Length);
        byte[] file = [.. Header, 0x2f, 1, 0, 0, 0, 0, 0, 0, .. Line];
        Assert.Equal(323, file.Length);
        ExrPicture p = ExrFile.Read(file, "hand.exr");
        Assert.Equal([0.5f, 1], p.Channels.Single(c => c.Name == "G").Values);
        Assert.Equal([2.5f, 10000], p.Channels.Single(c => c.Name == "Z").Values);
        ExrFile.Write(At("ours.exr"), 2, 1, [new("G", [0.5f, 1], Half: true), new("Z", [2.5f, 10000])], ExrCompression.None);
        byte[] ours = File.ReadAllBytes(At("ours.exr"));
        Assert.Equal([0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0], ours[..8]);
        Assert.Equal(Line, ours[^20..]);
        // Cut anywhere it is refused in words.
        foreach (int length in (int[])[0, 3, 40, 200, 300, 310])
        {
            Assert.NotEmpty(Assert.Throws<FormatFault>(() => ExrFile.Read(file[..length], "cut.exr")).Mend);
        }
    }

    // IEEE 754 binary16: what a half channel keeps of a float; beyond its range we write its end, never infinity.
    [Theory]
    [InlineData(0.18f, 0x31c3)]
    [InlineData(0.1f, 0x2e66)]
    [InlineData(0.3333333f, 0x3555)]
    [InlineData(2049f, 0x6800)]
    [InlineData(65519f, 0x7bff)]
    [InlineData(1e9f, 0x7bff)]
    [InlineData(-1e9f, 0xfbff)]
    [InlineData(1e-8f, 0x0000)]
    [InlineData(6.103515625e-05f, 0x0400)]
    [InlineData(-2f, 0xc000)]
    public void Halves_are_rounded_to_nearest(float value, int bits)
    {
        ExrFile.Write(At("half.exr"), 1, 1, [new("R", [value], Half: true)], ExrCompression.None);
        byte[] file = File.ReadAllBytes(At("half.exr"));
        Assert.Equal(bits, file[^2] | file[^1] << 8);
        Assert.Equal((float)BitConverter.UInt16BitsToHalf((ushort)bits), ExrFile.Read(At("half.exr")).Channels[0].Values[0]);
    }

    [Fact]
    public void Not_a_number_and_infinity_pass_through_float_channels()
    {
        float[] values = [float.NaN, float.PositiveInfinity, float.NegativeInfinity, -0f, 1e38f];
        foreach (ExrCompression c in Enum.GetValues<ExrCompression>())
        {
            ExrFile.Write(At("odd.exr"), 5, 1, [new("depth.Z", values)], c);
            Assert.Equal(values, ExrFile.Read(At("odd.exr")).Channels[0].Values);
        }
    }

    [Fact]
    public void Primaries_stand_in_the_header_and_colours_come_into_the_working_ones()
    {
        // Pure red of BT.709 in AP1 (ACES S-2014-004).
        ExrChannel[] red = [new("R", [0.6130974f]), new("G", [0.07019372f]), new("B", [0.02061559f]), new("A", [1])];
        ExrFile.Write(At("ap1.exr"), 1, 1, red, new ExrHead { Primaries = Primaries.AcesCg });
        string head = Tool("exrheader", At("ap1.exr"));
        Assert.Matches(@"red\s+\(0\.713 0\.293\)", head);
        Assert.Matches(@"white\s+\(0\.32168 0\.33767\)", head);
        ExrPicture p = ExrFile.Read(At("ap1.exr"));
        Assert.Same(Primaries.AcesCg, p.Primaries);
        float[] colour = p.Colour([.. red.Select(c => c.Values)]).Data;
        Assert.Equal(1, colour[0], 2e-6);
        Assert.Equal(0, colour[1], 2e-6);
        Assert.Equal(1, colour[3]);
        // A plate's frame: linear light, kept as ACEScct codes, in the working primaries; and that is told.
        TakenFrame taken = FrameIntake.Take(File.ReadAllBytes(At("ap1.exr")), "ap1.exr");
        Assert.Contains("ACEScg", taken.Note);
        FloatImage plate = RasterFile.Read(taken.Bytes, "ap1").ToLinear(ColorEncoding.AcesCct);
        Assert.Equal(1, plate.Data[0], 3e-4);
        Assert.Equal(0, plate.Data[2], 3e-4);
        // Without the entry it is BT.709, as the format has it.
        ExrFile.Write(At("bare.exr"), 1, 1, red);
        Assert.Same(Primaries.Bt709, ExrFile.Read(At("bare.exr")).Primaries);
        Assert.Null(FrameIntake.Take(File.ReadAllBytes(At("bare.exr")), "bare.exr").Note);
    }

    [Fact]
    public void Primaries_on_a_line_are_refused()
    {
        ExrFile.Write(
            At("line.exr"),
            1,
            1,
            [new("R", [1])],
            new ExrHead { Primaries = new("odd", (0.3, 0.3), (0.4, 0.4), (0.5, 0.5), (0.31, 0.33)) }
        );
        FormatFault fault = Assert.Throws<FormatFault>(() => ExrFile.Read(At("line.exr")));
        Assert.Equal("primaries", fault.Kind);
    }

    // A frame is what its display window shows: overscan is left, what is cropped away is black, and nothing at all is a fault.
    [Fact]
    public void A_plates_frame_is_its_display_window()
    {
        ExrChannel[] Even(int n, float v) =>
            [new("R", [.. Enumerable.Repeat(v, n)]), new("G", [.. Enumerable.Repeat(v, n)]), new("B", [.. Enumerable.Repeat(v, n)])];
        ExrFile.Write(At("over.exr"), 8, 6, Even(48, 0.5f), new ExrHead { DataCorner = (-2, -2), Display = (4, 2) });
        CodeImage over = RasterFile.Read(FrameIntake.Take(File.ReadAllBytes(At("over.exr")), "over.exr").Bytes, "over");
        Assert.Equal((4, 2), (over.Width, over.Height));
        Assert.All(over.ToLinear(ColorEncoding.AcesCct).Data, v => Assert.Equal(0.5f, v, 2e-4f));
        ExrFile.Write(At("crop.exr"), 2, 1, Even(2, 0.5f), new ExrHead { DataCorner = (1, 1), Display = (4, 2) });
        TakenFrame crop = FrameIntake.Take(File.ReadAllBytes(At("crop.exr")), "crop.exr");
        Assert.Contains("black", crop.Note);
        FloatImage picture = RasterFile.Read(crop.Bytes, "crop").ToLinear(ColorEncoding.AcesCct);
        Assert.Equal(0.5f, picture[1, 1, 0], 2e-4f);
        Assert.Equal(0, picture[0, 0, 0], 2e-4f);
        ExrFile.Write(At("away.exr"), 2, 1, Even(2, 0.5f), new ExrHead { DataCorner = (9, 9), Display = (4, 2) });
        Assert.Equal("window", Assert.Throws<FormatFault>(() => FrameIntake.Take(File.ReadAllBytes(At("away.exr")), "away.exr")).Kind);
        ExrFile.Write(At("nan.exr"), 2, 1, [new("R", [0, float.NaN]), new("G", [0, 0]), new("B", [0, 0])]);
        Assert.Contains(
            "x 1, y 0",
            Assert.Throws<FormatFault>(() => FrameIntake.Take(File.ReadAllBytes(At("nan.exr")), "nan.exr")).Message
        );
    }
}
