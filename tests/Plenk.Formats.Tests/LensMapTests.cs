using Plenk.Core.Cameras;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Lens maps come in: whichever way they go and are counted, the lens is the same.</summary>
public sealed class LensMapTests : FileTests
{
    private static readonly Pinhole Camera = new(192, 108, 180, 180, 97, 53, new Lens(-0.12, 0.03, 0.001, -0.0005, 0.002));

    [Theory]
    [InlineData("undistort.exr", false, "makes the plate straight, counted from the bottom")]
    [InlineData("distort.exr", false, "makes straight pictures like the plate, counted from the bottom")]
    [InlineData("undistort.exr", true, "makes the plate straight, counted from the top")]
    public void Both_ways_and_both_counts_give_the_lens(string file, bool turned, string how)
    {
        CameraExport.LensMaps(Camera, Folder);
        string path = At(file);
        if (turned)
        {
            ExrPicture map = ExrFile.Read(path);
            ExrFile.Write(
                path,
                map.Width,
                map.Height,
                [new("R", map.Find("", "R")!.Values), new("G", Array.ConvertAll(map.Find("", "G")!.Values, v => v < 0 ? v : 1 - v))]
            );
        }
        LensMapFile.Reading found = LensMapFile.Read(path, file, Camera with { Lens = Lens.None });
        Assert.Equal(how, found.How);
        Assert.InRange(found.RmsPx, 0, 1e-3);
        // The same lens: everywhere in the frame it sends pixels to the same places.
        for (int y = 4; y < 108; y += 20)
        {
            for (int x = 4; x < 192; x += 20)
            {
                double u = (x - 97) / 180.0,
                    v = (y - 53) / 180.0;
                Camera.Lens.TryDistort(u, v, out double ax, out double ay);
                found.Lens.TryDistort(u, v, out double bx, out double by);
                Assert.InRange(180 * (Math.Abs(ax - bx) + Math.Abs(ay - by)), 0, 5e-3);
            }
        }
    }

    [Fact]
    public void What_is_no_lens_map_is_told()
    {
        string path = At("noise.exr");
        var random = new Random(1);
        float[] Noise() => [.. Enumerable.Range(0, 192 * 108).Select(_ => random.NextSingle())];
        ExrFile.Write(path, 192, 108, [new("R", Noise()), new("G", Noise())]);
        Assert.Contains("no map of a lens", Assert.Throws<FormatFault>(() => LensMapFile.Read(path, "noise.exr", Camera)).Message);
        ExrFile.Write(path, 100, 100, [new("R", new float[10000]), new("G", new float[10000])]);
        Assert.Contains("another shape", Assert.Throws<FormatFault>(() => LensMapFile.Read(path, "square.exr", Camera)).Message);
        ExrFile.Write(path, 192, 108, [new("Z", Noise())]);
        Assert.Contains("no channel R", Assert.Throws<FormatFault>(() => LensMapFile.Read(path, "depth.exr", Camera)).Message);
        float[] outside = [.. Enumerable.Repeat(-1f, 192 * 108)];
        ExrFile.Write(path, 192, 108, [new("R", outside), new("G", outside)]);
        Assert.Contains("only 0 spots", Assert.Throws<FormatFault>(() => LensMapFile.Read(path, "outside.exr", Camera)).Message);
    }
}
