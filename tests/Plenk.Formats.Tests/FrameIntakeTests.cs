using System.Diagnostics;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Frames of other kinds, written by Debian's image and video tools, come in with the values those tools say they have.</summary>
public sealed class FrameIntakeTests : FileTests
{
    private string Source()
    {
        var codes = new ushort[67 * 31 * 3];
        var random = new Random(5);
        for (int i = 0; i < codes.Length; i++)
        {
            codes[i] = (ushort)random.Next(65536);
        }
        File.WriteAllBytes(At("source.png"), RasterFile.ToPng(new CodeImage(67, 31, 3, 16, codes)));
        return At("source.png");
    }

    private CodeImage Taken(string file) => RasterFile.Read(FrameIntake.Take(File.ReadAllBytes(At(file)), file).Bytes, file);

    [Theory]
    [InlineData("uint8", 8)]
    [InlineData("uint10", 10)]
    [InlineData("uint12", 12)]
    [InlineData("uint16", 16)]
    public void Dpx_comes_in_code_by_code(string depth, int bits)
    {
        CodeImage source = RasterFile.Read(File.ReadAllBytes(Source()), "source");
        Tool("oiiotool", "source.png", "-d", depth, "--attrib", "dpx:Transfer", "User defined", "-o", "frame.dpx");
        CodeImage read = DpxFile.Read(File.ReadAllBytes(At("frame.dpx")), "frame.dpx").Image;
        Assert.Equal((67, 31, 3, bits), (read.Width, read.Height, read.Channels, read.Bits));
        int top = (1 << bits) - 1;
        for (int i = 0; i < read.Codes.Length; i++)
        {
            Assert.InRange(read.Codes[i] - source.Codes[i] * (double)top / 65535, -1.01, 1.01);
        }
        // Spread over 16 bits and brought back, every code is the same.
        CodeImage kept = Taken("frame.dpx");
        if (bits is 10 or 12)
        {
            Assert.All(Enumerable.Range(0, read.Codes.Length), i =>
                Assert.Equal(read.Codes[i], (int)Math.Round(kept.Codes[i] * (double)top / 65535))
            );
        }
        Assert.Contains(
            "stops after",
            Assert.Throws<FormatFault>(() => DpxFile.Read(File.ReadAllBytes(At("frame.dpx"))[..3000], "cut.dpx")).Message
        );
    }

    [Fact]
    public void Tiff_keeps_its_codes_and_linear_exr_its_light()
    {
        CodeImage source = RasterFile.Read(File.ReadAllBytes(Source()), "source");
        Tool("oiiotool", "source.png", "-d", "uint16", "--compression", "lzw", "-o", "frame.tif");
        Assert.Equal(source.Codes, Taken("frame.tif").Codes);
        Tool("oiiotool", "source.png", "-d", "float", "-o", "float.tif");
        Assert.Contains("floats", Assert.Throws<FormatFault>(() => Taken("float.tif")).Message);

        float[] light = [0, 0.18f, 1, 16.3f, 180, 0.0005f, -0.003f, 3.2f];
        ExrFile.Write(At("frame.exr"), 8, 1, [.. "RGB".Select(c => new ExrChannel(c.ToString(), light))]);
        TakenFrame taken = FrameIntake.Take(File.ReadAllBytes(At("frame.exr")), "frame.exr");
        Assert.Equal(ColorEncoding.AcesCct, taken.Encoding);
        FloatImage back = RasterFile.Read(taken.Bytes, "frame").ToLinear(ColorEncoding.AcesCct);
        for (int i = 0; i < 8; i++)
        {
            Assert.Equal(light[i], back.Data[3 * i], 2e-4 * Math.Abs(light[i]) + 2e-6);
        }
        light[2] = float.NaN;
        ExrFile.Write(At("nan.exr"), 8, 1, [.. "RGB".Select(c => new ExrChannel(c.ToString(), light))]);
        Assert.Contains("x 2, y 0", Assert.Throws<FormatFault>(() => Taken("nan.exr")).Message);
    }

    [Fact]
    public void A_delivery_of_dpx_is_checked_and_says_its_encoding_and_repeats()
    {
        Source();
        foreach (int f in (int[])[1001, 1002])
        {
            Tool("oiiotool", "source.png", "-d", "uint10", "-o", $"plate.{f}.dpx");
        }
        PlateCheckResult check = PlateCheck.Check([
            .. Directory.GetFiles(Folder, "*.dpx").Select(f => new DeliveredFile(f, () => File.ReadAllBytes(f))),
        ]);
        Assert.Equal([1001, 1002], check.Frames.Select(f => f.Frame));
        Assert.Equal(16, check.Frames[0].Bits);
        Assert.Equal("repeated", Assert.Single(check.Faults).Kind);
        Assert.Null(check.Says);
    }

    // SMPTE 268M, table 5A, byte 801: 1 printing density, 2 linear, 3 logarithmic; 6 is BT.709, 255 not defined.
    [Theory]
    [InlineData(1, ColorEncoding.PrintingDensity)]
    [InlineData(2, ColorEncoding.Linear)]
    [InlineData(3, ColorEncoding.PrintingDensity)]
    [InlineData(6, null)]
    [InlineData(255, null)]
    public void A_dpx_says_what_its_codes_are(byte transfer, ColorEncoding? says)
    {
        byte[] dpx = DpxFile.Write(
            new CodeImage(16, 9, 3, 10, [.. Enumerable.Range(0, 16 * 9 * 3).Select(i => (ushort)(i % 1024))]),
            10,
            transfer,
            1001,
            new(24, 1)
        );
        Assert.Equal(says, DpxFile.Read(dpx, "a.dpx").Encoding);
        Assert.Equal(says, FrameIntake.Take(dpx, "a.1001.dpx").Says);
    }

    // Debian's ffmpeg makes a test picture at 24000/1001; every frame comes back at that rate. A variable rate is told.
    [Fact]
    public void Video_comes_in_with_its_real_times()
    {
        Tool(
            "ffmpeg",
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            "testsrc=size=64x48:rate=24000/1001",
            "-frames:v",
            "13",
            "-pix_fmt",
            "yuv420p",
            "a.mp4"
        );
        VideoFrames even = VideoFile.Decode(At("a.mp4"), "a.mp4", At("even"), 1001);
        Assert.Equal((13, 24000, 1001), (even.Files.Count, even.Rate.Num, even.Rate.Den));
        Assert.EndsWith("frame.0001001.png", even.Files[0]);
        Assert.Empty(even.Notes);
        Tool(
            "ffmpeg",
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            "testsrc=size=64x48:rate=24",
            "-vf",
            "select='not(eq(n,5))'",
            "-frames:v",
            "12",
            "-fps_mode",
            "vfr",
            "-pix_fmt",
            "yuv420p",
            "b.mp4"
        );
        VideoFrames uneven = VideoFile.Decode(At("b.mp4"), "b.mp4", At("uneven"), 1);
        Assert.Equal(12, uneven.Files.Count);
        Assert.Contains("variable rate: after frame 5", Assert.Single(uneven.Notes));
        File.WriteAllBytes(At("c.mp4"), [1, 2, 3]);
        Assert.Contains("no video", Assert.Throws<FormatFault>(() => VideoFile.Decode(At("c.mp4"), "c.mp4", At("none"), 1)).Message);
    }
}
