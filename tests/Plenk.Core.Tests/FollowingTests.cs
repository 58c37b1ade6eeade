using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Patches and windows followed in pictures whose motion is exact: a sum of waves can be moved, turned and enlarged by any amount.
/// </summary>
public sealed class FollowingTests
{
    private const int Size = 160;

    private static double Waves(double x, double y) =>
        0.5
        + 0.11 * Math.Sin(0.31 * x + 0.12 * y)
        + 0.1 * Math.Cos(0.17 * x - 0.28 * y + 1)
        + 0.08 * Math.Sin(0.05 * x + 0.41 * y + 2)
        + 0.07 * Math.Cos(0.38 * x + 0.22 * y + 0.4);

    private static GrayImage Picture(Func<double, double, double> at) =>
        new(Size, Size, [.. Enumerable.Range(0, Size * Size).Select(i => (float)at(i % Size, i / Size))]);

    // Lucas and Kanade 1981 find a translation; a change of level is not taken for one.
    [Theory]
    [InlineData(0.37, -0.62, 0)]
    [InlineData(3.3, 2.75, 0.1)]
    [InlineData(-4.15, 3.4, -0.2)]
    public void A_window_is_found_where_it_went(double dx, double dy, double lighter)
    {
        var from = new GrayPyramid(Picture(Waves), 4);
        var to = new GrayPyramid(Picture((x, y) => Waves(x - dx, y - dy) + lighter), 4);
        foreach (var (x, y) in ((double, double)[])[(80, 80), (61.4, 90.7), (100.25, 55.5)])
        {
            var (toX, toY) = (x, y);
            Assert.True(WindowShift.Find(from, to, x, y, 10, ref toX, ref toY));
            Assert.Equal(x + dx, toX, 0.02);
            Assert.Equal(y + dy, toY, 0.02);
        }
    }

    // The aperture problem: along a straight wave, and on an even wall, no place is told.
    [Fact]
    public void A_window_without_corners_is_not_found()
    {
        foreach (
            Func<double, double, double> at in (Func<double, double, double>[])[(_, _) => 0.5, (x, _) => 0.5 + 0.2 * Math.Sin(0.3 * x)]
        )
        {
            var picture = new GrayPyramid(Picture(at), 3);
            var (x, y) = (80.0, 80.0);
            Assert.False(WindowShift.Find(picture, picture, 80, 80, 8, ref x, ref y));
            Assert.False(new PatchTemplate(picture.Levels[0], 80, 80, 8).IsUsable);
        }
    }

    // Baker and Matthews 2004: an affine warp, here a turn and an enlargement, under a change of gain and bias (Hager and Belhumeur 1998).
    [Theory]
    [InlineData(0, 1, 1, 0)]
    [InlineData(4, 1.03, 0.7, 0.12)]
    [InlineData(-6, 0.95, 1.2, -0.05)]
    public void A_patch_is_settled_turned_and_enlarged(double degrees, double larger, double gain, double bias)
    {
        var (sin, cos) = Math.SinCos(Rotation(degrees));
        // A place u of the first picture about (80, 80) lies at 82.4, 78.7 + larger · R u.
        GrayImage first = Picture(Waves),
            second = Picture(
                (x, y) =>
                {
                    var (dx, dy) = ((x - 82.4) / larger, (y - 78.7) / larger);
                    return bias + gain * Waves(80 + cos * dx + sin * dy, 80 - sin * dx + cos * dy);
                }
            );
        var patch = new PatchTemplate(first, 80, 80, 11);
        Assert.True(patch.IsUsable);
        PatchWarp warp = PatchWarp.At(81.5, 79.5);
        double alike = patch.Settle(second, ref warp);
        Assert.InRange(alike, 0.999, 1.0001);
        Assert.Equal(82.4, warp.X, 0.02);
        Assert.Equal(78.7, warp.Y, 0.02);
        Assert.Equal(larger * cos, warp.A11, 0.01);
        Assert.Equal(-larger * sin, warp.A12, 0.01);
        Assert.Equal(larger * sin, warp.A21, 0.01);
        Assert.Equal(larger * larger, warp.Size, 0.02);
    }

    [Fact]
    public void A_patch_that_is_not_there_is_lost()
    {
        var patch = new PatchTemplate(Picture(Waves), 80, 80, 8);
        PatchWarp warp = PatchWarp.At(80, 80);
        Assert.InRange(patch.Settle(Picture((x, y) => Waves(y + 400, x - 900)), ref warp), -1, 0.8);
        warp = PatchWarp.At(80, 80);
        Assert.InRange(patch.Settle(Picture((_, _) => 0.3), ref warp), -0.1, 0.1);
    }

    // The binomial filter 1 3 3 1 keeps sums, and takes a wave of ω radians a pixel by cos(ω/2) · cos²(ω/2) (its transfer function).
    [Fact]
    public void Halves_keep_what_is_coarse()
    {
        const double omega = 0.4;
        GrayImage half = Picture((x, _) => 0.5 + 0.25 * Math.Sin(omega * x)).Half();
        Assert.Equal((Size / 2, Size / 2), (half.Width, half.Height));
        double falls = Math.Pow(Math.Cos(omega / 2), 3);
        for (int x = 2; x < 70; x++)
        {
            Assert.Equal(0.5 + 0.25 * falls * Math.Sin(omega * (2 * x + 0.5)), half.Data[20 * half.Width + x], 1e-5);
        }
    }

    [Fact]
    public void Between_pixels_is_bilinear_and_the_border_goes_on()
    {
        GrayImage ramp = Picture((x, y) => 0.01 * x + 0.002 * y);
        Assert.Equal(0.01 * 20.25 + 0.002 * 33.75, ramp.At(20.25f, 33.75f), 1e-6);
        Assert.Equal(0.002 * 40, ramp.At(-12, 40), 1e-6);
        Assert.Equal(0.01 * (Size - 1) + 0.002 * 40, ramp.At(Size + 5, 40), 1e-6);
    }

    private static double Rotation(double degrees) => degrees * Math.PI / 180;
}
