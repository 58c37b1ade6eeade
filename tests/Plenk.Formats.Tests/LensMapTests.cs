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
    [InlineData("undistort.exr", false, "makes the plate straight, counted in shares from the bottom")]
    [InlineData("distort.exr", false, "makes straight pictures like the plate, counted in shares from the bottom")]
    [InlineData("undistort.exr", true, "makes the plate straight, counted in shares from the top")]
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

    // The equations of initUndistortRectifyMap in the OpenCV documentation (camera calibration and 3D reconstruction), R the identity, the new camera matrix the
    // old one: pixels counted by their middles, so that its principal point is ours less a half.
    [Fact]
    public void Maps_in_pixels_as_the_opencv_documentation_defines_them_give_the_lens()
    {
        const double cx = 97 - 0.5,
            cy = 53 - 0.5,
            f = 180,
            k1 = -0.12,
            k2 = 0.03,
            p1 = 0.001,
            p2 = -0.0005,
            k3 = 0.002;
        float[] mapX = new float[192 * 108],
            mapY = new float[192 * 108];
        for (int v = 0; v < 108; v++)
        {
            for (int u = 0; u < 192; u++)
            {
                double x = (u - cx) / f,
                    y = (v - cy) / f,
                    r2 = x * x + y * y,
                    radial = 1 + k1 * r2 + k2 * r2 * r2 + k3 * r2 * r2 * r2;
                mapX[192 * v + u] = (float)(f * (x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x)) + cx);
                mapY[192 * v + u] = (float)(f * (y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y) + cy);
            }
        }
        string path = At("pixels.exr");
        ExrFile.Write(path, 192, 108, [new("R", mapX), new("G", mapY)]);
        LensMapFile.Reading found = LensMapFile.Read(path, "pixels.exr", Camera with { Lens = Lens.None });
        Assert.Equal("makes the plate straight, counted in pixels from the top", found.How);
        Assert.InRange(found.RmsPx, 0, 1e-3);
        Assert.Equal(k1, found.Lens.K1, 3);
        Assert.Equal(p1, found.Lens.P1, 4);
        Assert.Equal(p2, found.Lens.P2, 4);
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
