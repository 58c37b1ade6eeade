using Plenk.Core.Cameras;
using Plenk.Core.Images;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Pictures rendered elsewhere on the plate's grid: without the lens, wider than the plate, with a data window of their own.
/// </summary>
public sealed class RenderedFitTests
{
    private static readonly Pinhole Plate = new(960, 540, 746.67, 746.67, 483, 268, new Lens(-0.08, 0.02));

    // Brown 1966 by hand, from undistorted to distorted, as the conventions have it: x_d = x (1 + k1 r² + k2 r⁴).
    private static (double X, double Y) Bent(double x, double y)
    {
        double r2 = x * x + y * y,
            s = 1 - 0.08 * r2 + 0.02 * r2 * r2;
        return (Plate.Cx + Plate.Fx * x * s, Plate.Cy + Plate.Fy * y * s);
    }

    [Theory]
    [InlineData(0.5, 0.2)]
    [InlineData(-0.55, -0.3)]
    [InlineData(0.01, 0.33)]
    public void A_picture_without_the_lens_is_bent_as_the_lens_bends(double x, double y)
    {
        // Rendered 1.25 times as wide, half as large again a pixel, and cut to a data window.
        var fit = new RenderedFit(1700, 950, 40, 30, 1800, 1013, 1.25, WithoutLens: true);
        var (px, py) = Bent(x, y);
        // The nearest pixel's middle is off by parts of a pixel; so is where it comes from.
        Assert.True(fit.TryPlace(Plate, (int)px, (int)py, out double u, out double v));
        double scale = 1800 / (960 * 1.25),
            ex = (Plate.Cx + Plate.Fx * x - 480) * scale + 900 - 40,
            ey = (Plate.Cy + Plate.Fy * y - 270) * scale + 506.5 - 30;
        Assert.Equal(ex, u, 0.75 * scale);
        Assert.Equal(ey, v, 0.75 * scale);
    }

    [Fact]
    public void A_ramp_tells_where_each_pixel_came_from_and_nothing_lies_beyond_the_data()
    {
        var fit = new RenderedFit(1200, 675, 0, 0, 1200, 675, 1.25, WithoutLens: true);
        var ramp = new FloatImage(1200, 675, 4);
        for (int y = 0; y < 675; y++)
        {
            for (int x = 0; x < 1200; x++)
            {
                (ramp[x, y, 0], ramp[x, y, 1], ramp[x, y, 3]) = ((x + 0.5f) / 1000, (y + 0.5f) / 1000, 1);
            }
        }
        FloatImage bent = fit.Resampled(ramp, Plate);
        double worst = 0;
        Span<float> p = stackalloc float[4];
        for (double y = -0.32; y < 0.33; y += 0.04)
        {
            for (double x = -0.6; x < 0.6; x += 0.04)
            {
                // A straight place, where it is filmed, and what stands there, linearly between pixels.
                var (px, py) = Bent(x, y);
                if (px < 1 || py < 1 || px > 959 || py > 539)
                {
                    continue;
                }
                bent.SampleBilinear(px, py, p);
                worst = Math.Max(
                    worst,
                    Math.Max(
                        Math.Abs(1000 * p[0] - (Plate.Cx + Plate.Fx * x + 120)),
                        Math.Abs(1000 * p[1] - (Plate.Cy + Plate.Fy * y + 67.5))
                    )
                );
            }
        }
        Assert.InRange(worst, 0, 0.02); // of a pixel
        Assert.Equal(1, bent[0, 0, 3], 1e-5f);
        // As wide as the plate it leaves the corners empty: this lens pulls them in.
        FloatImage narrow = new RenderedFit(960, 540, 0, 0, 960, 540, 1, WithoutLens: true).Resampled(
            new(960, 540, 4, [.. Enumerable.Repeat(1f, 960 * 540 * 4)]),
            Plate
        );
        Assert.Equal(0, narrow[0, 0, 3]);
        Assert.Equal(1, narrow[480, 270, 3], 1e-5f);
        double needed = RenderedFit.NeededOverscan(Plate);
        Assert.InRange(needed, 1.02, 1.15);
        // The overscan that is said to be enough is: no corner stays empty.
        FloatImage wide = new RenderedFit(
            (int)(960 * needed) + 1,
            (int)(540 * needed) + 1,
            0,
            0,
            (int)(960 * needed) + 1,
            (int)(540 * needed) + 1,
            ((int)(960 * needed) + 1) / 960.0,
            WithoutLens: true
        ).Resampled(
            new(
                (int)(960 * needed) + 1,
                (int)(540 * needed) + 1,
                4,
                [.. Enumerable.Repeat(1f, ((int)(960 * needed) + 1) * ((int)(540 * needed) + 1) * 4)]
            ),
            Plate
        );
        foreach (var (x, y) in ((int, int)[])[(0, 0), (959, 0), (0, 539), (959, 539)])
        {
            Assert.Equal(1, wide[x, y, 3], 1e-5f);
        }
    }

    [Fact]
    public void Motion_is_bent_with_the_picture()
    {
        var fit = new RenderedFit(1200, 675, 0, 0, 1200, 675, 1.25, WithoutLens: true);
        var (from, to) = (Bent(0.4, 0.2), Bent(0.4 + 12 / Plate.Fx, 0.2 - 5 / Plate.Fy));
        var (mx, my) = fit.Motion(Plate, (int)from.X, (int)from.Y, 12, -5);
        Assert.Equal(to.X - from.X, mx, 0.03);
        Assert.Equal(to.Y - from.Y, my, 0.03);
        // With the lens it only scales.
        Assert.Equal((6f, -2.5f), new RenderedFit(1920, 1080, 0, 0, 1920, 1080, 1, false).Motion(Plate, 5, 5, 12, -5));
    }

    [Fact]
    public void A_picture_that_goes_on_beyond_the_plate_lies_on_it_pixel_for_pixel()
    {
        var fit = new RenderedFit(1000, 580, -20, -20, 960, 540, 1, WithoutLens: false);
        Assert.False(fit.IsPlain);
        Assert.True(fit.TryPlace(Plate, 0, 0, out double u, out double v));
        Assert.Equal((20.5, 20.5), (u, v));
        Assert.True(fit.TryPlace(Plate, 959, 539, out u, out v));
        Assert.Equal((979.5, 559.5), (u, v));
        // On a grid that goes on by 20 px itself the same pixel of the plate shows the same place of the picture, with the lens and without.
        foreach (bool without in (bool[])[false, true])
        {
            RenderedFit own = fit with { WithoutLens = without },
                wide = own with { Margin = 20 };
            Assert.True(wide.Fits(Plate.Wider(20)) && !wide.IsPlain);
            Assert.True(
                own.TryPlace(Plate, 300, 100, out double ou, out double ov)
                    && wide.TryPlace(Plate.Wider(20), 320, 120, out double wu, out double wv)
                    && Math.Abs(ou - wu) + Math.Abs(ov - wv) < 1e-9
            );
        }
        Assert.True((fit with { Margin = 20 }).TryPlace(Plate.Wider(20), 0, 0, out u, out v));
        Assert.Equal((0.5, 0.5), (u, v));
    }
}
