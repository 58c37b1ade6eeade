using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Conventions of depth, distances of points from surfaces, and how alike pictures are.</summary>
public sealed class DepthTests
{
    // Derived: distance = z √(1 + ((u − cx)² + (v − cy)²)/f²).
    [Theory]
    [InlineData(960, 540, 10)]
    [InlineData(1920, 540, 11.8726577)]
    [InlineData(1920, 1080, 12.4064499)]
    public void Distance_along_the_ray(double u, double v, double distance)
    {
        double stretch = Math.Sqrt(1 + ((u - 960) * (u - 960) + (v - 540) * (v - 540)) / (1500.0 * 1500));
        Assert.Equal(distance, new DepthConvention(DepthKind.Ray).FromAxis(10, stretch), 1e-7);
        Assert.Equal(10, new DepthConvention(DepthKind.Ray).ToAxis(distance, stretch), 1e-7);
    }

    // OpenGL specification, perspective matrix; the others derived. near 0.1, far 1000, z = 0.1, 1, 10, 100, 1000.
    [Theory]
    [InlineData(DepthKind.BufferSigned, new[] { -1, 0.800180018, 0.980198020, 0.998199820, 1 })]
    [InlineData(DepthKind.Buffer, new[] { 0, 0.900090009, 0.990099010, 0.999099910, 1 })]
    [InlineData(DepthKind.BufferReversed, new[] { 1, 0.09990999, 0.009900990, 0.0009000900, 0 })]
    [InlineData(DepthKind.BufferInfinite, new[] { 1, 0.1, 0.01, 0.001, 0.0001 })]
    public void Perspective_buffers(DepthKind kind, double[] values)
    {
        var convention = new DepthConvention(kind, 0.1, 1000);
        double[] z = [0.1, 1, 10, 100, 1000];
        for (int i = 0; i < 5; i++)
        {
            Assert.Equal(values[i], convention.FromAxis(z[i]), 1e-8);
            // At the far plane of a closed buffer nothing was hit.
            if (i < 4)
            {
                Assert.Equal(z[i], convention.ToAxis(convention.FromAxis(z[i])), 1e-6 * z[i]);
            }
            else if (kind != DepthKind.BufferInfinite)
            {
                Assert.Equal(double.PositiveInfinity, convention.ToAxis(values[i]));
            }
        }
    }

    [Fact]
    public void A_buffer_value_back_in_metres() =>
        Assert.Equal(9.90197049, new DepthConvention(DepthKind.Buffer, 0.1, 1000).ToAxis(0.99), 1e-7);

    // Derived; z in [2, 50], z = 2, 5, 20, 50.
    [Theory]
    [InlineData(DepthKind.Straight, new[] { 0, 0.0625, 0.375, 1 })]
    [InlineData(DepthKind.StraightInverted, new[] { 1, 0.9375, 0.625, 0 })]
    [InlineData(DepthKind.Inverse, new[] { 0.5, 0.2, 0.05, 0.02 })]
    [InlineData(DepthKind.InverseNormalised, new[] { 1, 0.375, 0.0625, 0 })]
    public void Normalised_and_inverted_passes(DepthKind kind, double[] values)
    {
        var convention = new DepthConvention(kind, 2, 50);
        double[] z = [2, 5, 20, 50];
        for (int i = 0; i < 4; i++)
        {
            Assert.Equal(values[i], convention.FromAxis(z[i]), 1e-8);
        }
        Assert.Equal(20, convention.ToAxis(values[2]), 1e-8);
    }

    [Theory]
    [InlineData(float.NaN)]
    [InlineData(float.PositiveInfinity)]
    [InlineData(0)]
    [InlineData(-3)]
    [InlineData(1e9)]
    public void Nothing_hit_is_infinitely_far(double value) =>
        Assert.Equal(double.PositiveInfinity, new DepthConvention(DepthKind.Axis).ToAxis(value));

    [Fact]
    public void A_range_that_is_none_is_told()
    {
        Assert.Contains("near plane", new DepthConvention(DepthKind.Straight, 5, 2).Fault);
        Assert.Null(new DepthConvention(DepthKind.Axis, 5, 2).Fault);
        Assert.NotNull(new DepthConvention(DepthKind.Axis, UnitMetres: 0).Fault);
        Assert.Equal(0.2, new DepthConvention(DepthKind.Axis, UnitMetres: 0.01).ToAxis(20), 1e-12);
    }

    // A value between two surfaces lies on neither: resizing takes the nearest pixel.
    [Fact]
    public void Depth_is_never_averaged()
    {
        DepthMap small = new DepthMap(4, 1, [2, 2, 50, 50], [1, 1, 1, 1]).Resized(3, 1);
        Assert.All(small.Depth, d => Assert.True(d is 2 or 50));
    }

    // Ericson, Real-Time Collision Detection, 5.1.5: the seven regions of a triangle.
    [Theory]
    [InlineData(1, 1, 2, 1, 1, 0, 2)]
    [InlineData(-1, -2, 1, 0, 0, 0, 2.4494897)]
    [InlineData(6, -1, 0, 4, 0, 0, 2.2360680)]
    [InlineData(-1, 5, 0, 0, 3, 0, 2.2360680)]
    [InlineData(2, -1, 1, 2, 0, 0, 1.4142136)]
    [InlineData(-2, 1, 0, 0, 1, 0, 2)]
    [InlineData(3, 3, 1, 1.92, 1.56, 0, 2.0591260)]
    public void The_nearest_point_of_a_triangle(float x, float y, float z, float cx, float cy, float cz, double distance)
    {
        Vector3 p = new(x, y, z),
            c = SurfaceDistance.Closest(p, new(0, 0, 0), new(4, 0, 0), new(0, 3, 0));
        Assert.True(Vector3.Distance(c, new(cx, cy, cz)) < 1e-6f);
        Assert.Equal(distance, Vector3.Distance(p, c), 1e-6);
    }

    // Elementary; 1.4826 = 1/Φ⁻¹(3/4).
    [Fact]
    public void A_fit_is_reported()
    {
        FitReport r = FitReport.Of([.012, -.008, .003, .021, -.015, .000]);
        Assert.Equal(0.002166667, r.Mean, 1e-8);
        Assert.Equal(0.009833333, r.MeanAbsolute, 1e-8);
        Assert.Equal(0.01213123, r.Rms, 1e-8);
        Assert.Equal(0.01307542, r.Deviation, 1e-8);
        Assert.Equal(0.01, r.MedianAbsolute, 1e-8);
        Assert.Equal(0.014826, r.RobustDeviation, 1e-8);
        Assert.Equal(0.021, r.Largest, 1e-8);
    }

    // PSNR by its definition; SSIM: Wang et al. 2004, C1 = (0.01 · 255)².
    [Fact]
    public void Quality_of_a_picture()
    {
        FloatImage Flat(float v) => new(16, 16, 1, [.. Enumerable.Repeat(v, 256)]);
        Assert.Equal(48.130804, ImageQuality.Psnr(Flat(100), Flat(101), 255), 1e-5);
        Assert.Equal(34.151404, ImageQuality.Psnr(Flat(100), Flat(105), 255), 1e-5);
        Assert.Equal(double.PositiveInfinity, ImageQuality.Psnr(Flat(3), Flat(3)));
        Assert.Equal(0.99547644, ImageQuality.Ssim(Flat(100), Flat(110), 255), 1e-6);
        Assert.Equal(1, ImageQuality.Ssim(Flat(100), Flat(100), 255), 1e-9);
    }
}
