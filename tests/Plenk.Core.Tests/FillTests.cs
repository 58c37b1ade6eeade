using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Holes filled, edges carried on, grain measured and made.</summary>
public sealed class FillTests
{
    private static FloatImage Grey(int w, int h, Func<int, int, double> f)
    {
        var image = new FloatImage(w, h, 1);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                image[x, y, 0] = (float)f(x, y);
            }
        }
        return image;
    }

    private static bool[] Inside(int w, int h, int margin) =>
        [.. Enumerable.Range(0, w * h).Select(i => i % w >= margin && i % w < w - margin && i / w >= margin && i / w < h - margin)];

    // x² − y² + 3xy + 2x − 5 is discretely harmonic (five-point Laplacian, derived).
    [Fact]
    public void A_harmonic_rim_is_continued_exactly()
    {
        static double F(int x, int y) => x * x - y * y + 3 * x * y + 2 * x - 5;
        bool[] hole = Inside(7, 7, 1);
        FloatImage filled = HoleFill.Harmonic(Grey(7, 7, (x, y) => hole[y * 7 + x] ? 99 : F(x, y)), hole);
        for (int y = 0; y < 7; y++)
        {
            for (int x = 0; x < 7; x++)
            {
                Assert.Equal(F(x, y), filled[x, y, 0], 2e-5);
            }
        }
    }

    // The linear system of a 3 × 3 hole solved by hand (derived).
    [Fact]
    public void A_small_hole_has_the_known_values()
    {
        bool[] hole = Inside(5, 5, 1);
        FloatImage filled = HoleFill.Harmonic(Grey(5, 5, (x, y) => x == 0 && y is >= 1 and <= 3 ? 1 : 0), hole);
        double[] middle = [0.52678571, 0.25, 0.098214286],
            top = [0.42857143, 0.1875, 0.071428571];
        for (int x = 0; x < 3; x++)
        {
            Assert.Equal(middle[x], filled[x + 1, 2, 0], 1e-6);
            Assert.Equal(top[x], filled[x + 1, 1, 0], 1e-6);
            Assert.Equal(top[x], filled[x + 1, 3, 0], 1e-6);
        }
    }

    [Fact]
    public void A_hole_at_the_border_of_the_picture_stays_between_its_rims_values()
    {
        bool[] hole = [.. Enumerable.Range(0, 100).Select(i => i % 10 < 4 && i / 10 < 5)];
        FloatImage filled = HoleFill.Harmonic(Grey(10, 10, (x, y) => hole[y * 10 + x] ? float.NaN : 0.2 + 0.05 * x), hole);
        Assert.All(filled.Data, v => Assert.InRange(v, 0.2f, 0.66f));
    }

    // Pérez, Gangnet and Blake 2003; the 1-D case derived.
    [Fact]
    public void A_paste_keeps_the_sources_steps_and_the_targets_rim()
    {
        float[] g = [0, 2, 3, 7, 9];
        FloatImage row = Grey(5, 1, (x, _) => x == 0 ? 10
            : x == 4 ? 15
            : 0);
        FloatImage pasted = HoleFill.Paste(row, Grey(5, 1, (x, _) => g[x]), [false, true, true, true, false]);
        Assert.Equal([10, 11, 11, 14, 15], pasted.Data.Select(v => Math.Round(v, 5)));
        bool[] hole = Inside(8, 8, 2);
        FloatImage target = Grey(8, 8, (x, y) => Math.Sin(x + 0.3 * y));
        FloatImage same = HoleFill.Paste(target, Grey(8, 8, (x, y) => Math.Sin(x + 0.3 * y) + 0.1), hole);
        for (int i = 0; i < 64; i++)
        {
            Assert.Equal(target.Data[i], same.Data[i], 1e-5f);
        }
        // A flat source brings nothing: the Laplace fill is left.
        FloatImage flat = HoleFill.Paste(target, Grey(8, 8, (_, _) => 0.7), hole),
            laplace = HoleFill.Harmonic(target, hole);
        for (int i = 0; i < 64; i++)
        {
            Assert.Equal(laplace.Data[i], flat.Data[i], 1e-5f);
        }
    }

    // Derived: a pixel in seven frames, a thing before it in the fourth and sixth.
    [Fact]
    public void The_median_of_frames_lets_go_of_what_passed()
    {
        float[] all = [0.20f, 0.21f, 0.19f, 0.80f, 0.20f, 0.78f, 0.20f];
        Assert.Equal(0.20f, CleanFrame.Median([.. all]));
        Assert.Equal(0.20f, CleanFrame.Median([0.20f, 0.21f, 0.19f, 0.20f, 0.20f]));
        Assert.Equal(0.205f, CleanFrame.Median([0.20f, 0.21f]), 1e-6f);
    }

    [Fact]
    public void Patches_carry_stripes_through_a_hole()
    {
        // Slanted stripes: the fill must continue them, not blur them.
        static float Stripe(int x, int y) => (x + y / 2) % 12 < 6 ? 0.8f : 0.2f;
        var picture = new FloatImage(96, 80, 3);
        bool[] hole = new bool[96 * 80];
        for (int y = 0; y < 80; y++)
        {
            for (int x = 0; x < 96; x++)
            {
                hole[y * 96 + x] = x is > 36 and < 60 && y is > 30 and < 50;
                for (int c = 0; c < 3; c++)
                {
                    picture[x, y, c] = hole[y * 96 + x] ? 0 : Stripe(x, y) * (1 - 0.1f * c);
                }
            }
        }
        FloatImage filled = ExemplarFill.Fill(picture, hole),
            again = ExemplarFill.Fill(picture, hole);
        int right = 0,
            all = 0;
        for (int y = 0; y < 80; y++)
        {
            for (int x = 0; x < 96; x++)
            {
                if (hole[y * 96 + x])
                {
                    all++;
                    if (Math.Abs(filled[x, y, 0] - Stripe(x, y)) < 0.05)
                    {
                        right++;
                    }
                }
            }
        }
        Assert.True(right > 0.9 * all, $"{right} of {all}");
        Assert.Equal(filled.Data, again.Data);
    }

    [Fact]
    public void A_picture_is_carried_on_beyond_a_matte()
    {
        // A green thing on a ramp is left out; beside its edge nothing green is left to be averaged in.
        var picture = new FloatImage(40, 30, 3);
        var kept = new float[40 * 30];
        for (int y = 0; y < 30; y++)
        {
            for (int x = 0; x < 40; x++)
            {
                bool thing = x is > 14 and < 26 && y is > 9 and < 21;
                kept[y * 40 + x] = thing ? 0 : 1;
                (picture[x, y, 0], picture[x, y, 1], picture[x, y, 2]) = thing ? (0, 5, 0) : (0.01f * x, 0.4f, 0.3f);
            }
        }
        FloatImage extended = PictureEdge.Extended(picture, kept);
        for (int i = 0; i < kept.Length; i++)
        {
            if (kept[i] == 1)
            {
                Assert.Equal(picture.Data[3 * i], extended.Data[3 * i], 1e-6f);
            }
            Assert.InRange(extended.Data[3 * i + 1], 0.399f, 0.401f);
            Assert.InRange(extended.Data[3 * i], -1e-6f, 0.4f);
        }
    }

    [Fact]
    public void A_mattes_edge_is_as_wide_as_its_feather()
    {
        float[] inside = MatteShape.Coverage([4, 4, 14, 4, 14, 14, 4, 14], 20, 20, 4);
        Assert.Equal(1, inside[9 * 20 + 9]);
        Assert.Equal(0.5 + 0.5 / 4, inside[9 * 20 + 4], 1e-5);
        Assert.Equal(0.5 - 1.5 / 4, inside[9 * 20 + 2], 1e-5);
        Assert.Equal(0, inside[0]);
        Assert.Equal(100, MatteShape.Coverage([4, 4, 14, 4, 14, 14, 4, 14], 20, 20).Sum(), 1.0);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Grain_is_measured_and_made_alike(bool soft)
    {
        // A shallow ramp with noise of a known spread that grows with the level, white or averaged over two neighbours.
        const int w = 320,
            h = 240;
        var random = new Random(4);
        double Gauss() => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        var picture = new FloatImage(w, h, 3);
        for (int c = 0; c < 3; c++)
        {
            double before = Gauss();
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    double now = Gauss(),
                        n = soft ? (now + before) / Math.Sqrt(2) : now,
                        level = 0.05 + 0.5 * x / w;
                    before = now;
                    picture[x, y, c] = (float)(level + n * (0.004 + 0.02 * level));
                }
            }
        }
        Grain grain = Grain.Of(picture)!;
        foreach (double level in (double[])[0.12, 0.3, 0.48])
        {
            Assert.Equal(0.004 + 0.02 * level, grain.Deviation(1, (float)level), 0.12 * (0.004 + 0.02 * level));
        }
        Assert.Equal(soft ? 0.5 : 0, grain.Correlation, 0.12);
        // Laid on a clean field it measures as it did.
        FloatImage Field(uint seed)
        {
            var clean = new FloatImage(w, h, 3);
            for (int i = 0; i < clean.Data.Length; i++)
            {
                clean.Data[i] = (float)(0.05 + 0.5 * (i / 3 % w) / w);
            }
            grain.AddTo(clean, [.. Enumerable.Repeat(1f, w * h)], seed);
            return clean;
        }
        Grain made = Grain.Of(Field(1))!;
        Assert.Equal(grain.Deviation(1, 0.3f), made.Deviation(1, 0.3f), 0.12f * grain.Deviation(1, 0.3f));
        Assert.Equal(grain.Correlation, made.Correlation, 0.15);
        Assert.Equal(Field(1).Data, Field(1).Data);
        Assert.NotEqual(Field(1).Data, Field(2).Data);
    }

    [Fact]
    public void No_flat_part_no_grain() => Assert.Null(Grain.Of(new FloatImage(20, 20, 3)));
}
