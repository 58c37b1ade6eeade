using System.Numerics;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What is measured on a plate, on pictures made to measure: grain, edges, black and white, haze.</summary>
public sealed class PlateMeasureTests
{
    /// <summary>Seeded normal deviates by the sum of twelve uniform ones, apart from the core's own.</summary>
    private static Func<double> Normal(int seed)
    {
        var random = new Random(seed);
        return () =>
        {
            double s = -6;
            for (int i = 0; i < 12; i++)
            {
                s += random.NextDouble();
            }
            return s;
        };
    }

    /// <summary>White noise, or noise through a Gaussian, of variance 1.</summary>
    private static float[] Noise(int w, int h, int seed, double sigma)
    {
        Func<double> normal = Normal(seed);
        var image = new FloatImage(w, h, 1, [.. Enumerable.Range(0, w * h).Select(_ => (float)normal())]);
        if (sigma <= 0)
        {
            return image.Data;
        }
        float[] kernel = Blur.Kernel(sigma);
        double left = kernel[0] * kernel[0] + 2 * kernel.Skip(1).Sum(k => (double)k * k);
        return [.. Blur.Gaussian(image, sigma).Data.Select(v => (float)(v / left))];
    }

    // GRN-02: variance = a I + b (Foi et al. 2008), a chart of six levels, white noise and noise that hangs together. Bar: 5 % a level.
    [Theory]
    [InlineData(0)]
    [InlineData(0.6)]
    [InlineData(0.9)]
    public void Grain_is_read_off_a_chart_level_by_level(double sigma)
    {
        const int w = 360,
            h = 240;
        double[] levels = [0.02, 0.05, 0.11, 0.22, 0.45, 0.8];
        var chart = new FloatImage(w, h, 3);
        double Sd(double level) => Math.Sqrt(8e-5 * level + 9e-6);
        for (int c = 0; c < 3; c++)
        {
            float[] noise = Noise(w, h, 11 + c, sigma);
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    double l = levels[x / 120 + 3 * (y / 120)];
                    chart[x, y, c] = (float)(l + Sd(l) * noise[y * w + x]);
                }
            }
        }
        Grain grain = Grain.Of(chart)!;
        Assert.Equal(levels.Length, grain.Levels.Count);
        for (int k = 0; k < levels.Length; k++)
        {
            Assert.Equal(levels[k], grain.Levels[k].Level.Y, 0.002);
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(1, grain.Levels[k].Deviation[c] / Sd(levels[k]), 0.05);
            }
        }
        // Put on a clean chart and measured again it is the same grain.
        var clean = new FloatImage(w, h, 3);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                for (int c = 0; c < 3; c++)
                {
                    clean[x, y, c] = (float)levels[x / 120 + 3 * (y / 120)];
                }
            }
        }
        grain.AddTo(clean, [.. Enumerable.Repeat(1f, w * h)], 5);
        Grain again = Grain.Of(clean)!;
        for (int k = 0; k < levels.Length; k++)
        {
            Assert.Equal(1, again.Levels[k].Deviation.Y / Sd(levels[k]), 0.06);
        }
        Assert.Equal(grain.Correlation, again.Correlation, 0.08);
    }

    // A ramp with texture in half of it: the texture is not taken for grain.
    [Fact]
    public void Texture_is_no_grain()
    {
        const int w = 384,
            h = 192;
        var picture = new FloatImage(w, h, 3);
        for (int c = 0; c < 3; c++)
        {
            float[] noise = Noise(w, h, 3 + c, 0);
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    picture[x, y, c] =
                        0.1f
                        + 0.4f * x / w
                        + (y < h / 2 ? 0.05f * MathF.Sin(x * 1.7f) * MathF.Sin(y * 1.3f) : 0)
                        + 0.004f * noise[y * w + x];
                }
            }
        }
        foreach (var (_, deviation) in Grain.Of(picture)!.Levels)
        {
            Assert.Equal(1, deviation.Y / 0.004f, 0.06f);
        }
    }

    // CMP-07: a step after a Gaussian of σ is 2.563103 σ wide from 10 % to 90 %; σ² of a pixel's own box is 1/12. Bar: 5 %.
    [Theory]
    [InlineData(0.7, 4, 0)]
    [InlineData(1.2, 17, 0.002)]
    [InlineData(2, 33, 0.004)]
    [InlineData(3, 80, 0.002)]
    [InlineData(6, 12, 0.002)]
    public void Edges_are_as_wide_as_they_were_blurred(double sigma, double tilt, double noise)
    {
        const int w = 240,
            h = 240;
        double a = tilt * Math.PI / 180;
        var picture = new FloatImage(w, h, 3);
        Func<double> normal = Normal(4);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                // The pixel's box by 8 × 8 points.
                double sum = 0;
                for (int k = 0; k < 64; k++)
                {
                    double d = (x + (k % 8 + 0.5) / 8 - 120) * Math.Cos(a) + (y + (k / 8 + 0.5) / 8 - 120) * Math.Sin(a);
                    sum += Phi(d / sigma);
                }
                for (int c = 0; c < 3; c++)
                {
                    picture[x, y, c] = (float)(0.08 + 0.4 * sum / 64 + noise * normal());
                }
            }
        }
        double expected = 2.563103 * Math.Sqrt(sigma * sigma + 1.0 / 12);
        var (width, count) = EdgeWidth.Of(picture, Grain.Of(picture));
        Assert.True(count > 2);
        Assert.Equal(1, width!.Value / expected, 0.05);
    }

    /// <summary>The normal distribution (Abramowitz and Stegun 7.1.26).</summary>
    private static double Phi(double x)
    {
        double z = Math.Abs(x) / Math.Sqrt(2),
            t = 1 / (1 + 0.3275911 * z),
            e = 1 - t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) * Math.Exp(-z * z);
        return x >= 0 ? (1 + e) / 2 : (1 - e) / 2;
    }

    [Fact]
    public void A_region_without_edges_says_so() =>
        Assert.Null(EdgeWidth.Of(new FloatImage(80, 80, 3, [.. Enumerable.Repeat(0.3f, 80 * 80 * 3)]), null).Width);

    // Made to measure: a dark patch of known level under grain, and a bright one. Bar: 0.0005 for the black.
    [Fact]
    public void Black_and_white_are_the_patches_means_not_the_grains_ends()
    {
        const int w = 240,
            h = 160;
        Vector3 black = new(0.012f, 0.0095f, 0.014f),
            white = new(0.82f, 0.8f, 0.75f);
        var picture = new FloatImage(w, h, 3);
        for (int c = 0; c < 3; c++)
        {
            float[] noise = Noise(w, h, 20 + c, 0.5);
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    bool dark = x is >= 20 and < 80 && y is >= 20 and < 70,
                        bright = x is >= 150 and < 210 && y is >= 90 and < 140;
                    float level =
                        dark ? black[c]
                        : bright ? white[c]
                        : 0.2f + 0.2f * x / w;
                    picture[x, y, c] = level + noise[y * w + x] * MathF.Sqrt(8e-5f * level + 9e-6f);
                }
            }
        }
        PlateMeasures m = PlateMeasure.Of(picture);
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(black[c], m.Black[c], 0.0005);
            Assert.Equal(white[c], m.White[c], 0.003);
        }
    }

    // HAZ-01 to HAZ-03 (Koschmieder 1924).
    [Fact]
    public void Haze_follows_the_published_values_and_is_found_again()
    {
        var haze = new HazeSettings(new(0.6, 0.7, 0.8), new(0.01, 0.012, 0.015));
        Assert.Equal(0.818730753, Haze.Transmission(new(default, new(0.02, 0.02, 0.02)), 10).X, 1e-7);
        Vector3 b = Haze.Through(haze, new(0.2f, 0.1f, 0.05f), 1, 80);
        Assert.Equal(0.420268414, b.X, 1e-6);
        Assert.Equal(0.470264268, b.Y, 1e-6);
        Assert.Equal(0.574104341, b.Z, 1e-6);
        // An edge takes the air of its coverage, and two layers are one.
        Assert.Equal(b.X / 2, Haze.Through(haze, new Vector3(0.2f, 0.1f, 0.05f) / 2, 0.5f, 80).X, 1e-6);
        Assert.Equal(b.Y, Haze.Through(haze, Haze.Through(haze, new(0.2f, 0.1f, 0.05f), 1, 50), 1, 30).Y, 1e-6);

        double[] distances = [8, 15, 24, 40, 65];
        Func<double> normal = Normal(9);
        var levels = distances
            .Select(d =>
                (d, Vec3.From(Haze.Through(haze, new(0.03f, 0.025f, 0.02f), 1, d)) + new Vec3(normal(), normal(), normal()) * 2e-4)
            )
            .ToArray();
        Haze.Fit fit = Haze.Of(levels, null, out _)!;
        Assert.Equal(1, fit.Haze.PerMetre.X / 0.01, 0.05);
        Assert.Equal(1, fit.Haze.PerMetre.Y / 0.012, 0.05);
        Assert.Equal(1, fit.Haze.PerMetre.Z / 0.015, 0.05);
        Assert.Equal(0.7, fit.Haze.Airlight.Y, 0.03);
        // HAZ-03 (a): blacks of known airlight; here the airlight is found as well.
        Assert.Equal(
            0.0146,
            Haze.Of([(30, new(0.21, 0.21, 0.21)), (70, new(0.39, 0.39, 0.39))], default(Vec3), out _)!.Haze.PerMetre.X,
            0.003
        );
    }

    // β(y) = 0.02 e^(−y/200) from 1.7 m up, rising 0.3 a metre over 500 m, and level; checked by quadrature elsewhere (Koschmieder 1924, integrated).
    [Fact]
    public void Haze_that_thins_with_height_is_integrated_along_the_ray()
    {
        HazeSettings even = new(default, new(0.02, 0.02, 0.02)),
            thinning = even with { ThinsOverMetres = 200 };
        Assert.Equal(6.97556760, 0.02 * Haze.Metres(thinning, 1.7, 0.3, 500), 1e-8);
        Assert.Equal(0.00093443583, Haze.Transmission(thinning, Haze.Metres(thinning, 1.7, 0.3, 500)).X, 1e-9);
        Assert.Equal(9.91536023, 0.02 * Haze.Metres(thinning, 1.7, 0, 500), 1e-8);
        Assert.Equal(Haze.Metres(thinning, 1.7, 0, 500), Haze.Metres(thinning, 1.7, 1e-8, 500), 1e-4);
        Assert.Equal(500, Haze.Metres(even, 1.7, 0.3, 500));
        // Straight up to the sky there is an end to it; downwards, and level, there is none.
        Assert.Equal(200, Haze.Metres(thinning, 0, 1, double.PositiveInfinity), 1e-9);
        Assert.Equal(double.PositiveInfinity, Haze.Metres(thinning, 0, -1, double.PositiveInfinity));
        Assert.Equal(200 * (Math.Exp(0.5) - 1), Haze.Metres(thinning, 0, -1, 100), 1e-9);
    }

    [Fact]
    public void Haze_that_cannot_be_told_says_why()
    {
        Assert.Null(Haze.Of([(10, new(0.1, 0.1, 0.1)), (11, new(0.1, 0.1, 0.1))], null, out string few));
        Assert.Contains("three distances", few);
        Assert.Null(Haze.Of([(10, new(0.1, 0.1, 0.1)), (10.5, new(0.1, 0.1, 0.1)), (11, new(0.1, 0.1, 0.1))], null, out string near));
        Assert.Contains("nearly as far", near);
        Assert.Null(
            Haze.Of([(10, new(0.1, 0.1, 0.1)), (20, new(0.1005, 0.1005, 0.1005)), (40, new(0.1, 0.1, 0.1))], null, out string even)
        );
        Assert.Contains("no haze to tell", even);
    }
}
