using Plenk.Core.Images;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Pulled mattes against the matting equation C = α F + (1 − α) B in linear light (Smith and Blinn 1996), put together here by hand.</summary>
public sealed class AlphaMatteTests
{
    private const int Width = 60,
        Height = 24;

    /// <summary>From nothing at column 15 to whole at 45.</summary>
    private static float Alpha(int x) => Math.Clamp((x - 15) / 30f, 0, 1);

    private static FloatImage Mixed(Func<int, int, float[]> fore, Func<int, int, float[]> back)
    {
        var image = new FloatImage(Width, Height, 3);
        for (int y = 0; y < Height; y++)
        {
            for (int x = 0; x < Width; x++)
            {
                float a = Alpha(x);
                for (int c = 0; c < 3; c++)
                {
                    image[x, y, c] = a * fore(x, y)[c] + (1 - a) * back(x, y)[c];
                }
            }
        }
        return image;
    }

    private static float[] Known() =>
        [.. Enumerable.Range(0, Width * Height).Select(i => Alpha(i % Width) is var a && a is 0 or 1 ? a : float.NaN)];

    // Levin, Lischinski and Weiss 2008, theorem 1: of two colours (a colour line in each window) alpha is found exactly.
    [Fact]
    public void Between_two_colours_alpha_is_found()
    {
        FloatImage image = Mixed((_, _) => [0.7f, 0.5f, 0.2f], (_, _) => [0.05f, 0.2f, 0.4f]);
        float[] found = AlphaMatte.Of(image, Known());
        for (int i = 0; i < found.Length; i++)
        {
            Assert.Equal(Alpha(i % Width), found[i], 0.02);
        }
    }

    [Fact]
    public void Before_a_known_background_of_many_colours_it_is_found_as_well()
    {
        float[] Back(int x, int y) =>
            [0.1f + 0.05f * ((3 * x + 5 * y) % 7), 0.3f - 0.03f * ((x + 2 * y) % 5), 0.1f + 0.04f * ((2 * x + y) % 3)];
        FloatImage image = Mixed((_, _) => [0.9f, 0.8f, 0.1f], Back),
            behind = new(Width, Height, 3);
        for (int i = 0; i < Width * Height; i++)
        {
            Back(i % Width, i / Width).CopyTo(behind.Data.AsSpan(3 * i));
        }
        float[] found = AlphaMatte.Of(image, Known(), behind);
        Assert.InRange(found.Select((a, i) => Math.Abs(a - Alpha(i % Width))).Average(), 0, 0.03);
        // αF = C − (1 − α) B.
        FloatImage fore = CleanForeground.Of(image, found, behind);
        for (int x = 25; x < 45; x++)
        {
            Assert.Equal(Alpha(x) * 0.9f, found[12 * Width + x] * fore[x, 12, 0], 0.04);
            Assert.Equal(Alpha(x) * 0.1f, found[12 * Width + x] * fore[x, 12, 2], 0.04);
        }
    }

    [Fact]
    public void The_foreground_has_nothing_of_what_shone_through_it()
    {
        FloatImage image = Mixed((_, _) => [0.7f, 0.5f, 0.2f], (_, _) => [0.0f, 0.8f, 0.0f]);
        float[] alpha = [.. Enumerable.Range(0, Width * Height).Select(i => Alpha(i % Width))];
        FloatImage fore = CleanForeground.Of(image, alpha);
        for (int x = 20; x < Width; x++)
        {
            Assert.Equal(0.7f, fore[x, 10, 0], 0.03);
            Assert.Equal(0.5f, fore[x, 10, 1], 0.03);
            Assert.Equal(0.2f, fore[x, 10, 2], 0.03);
        }
        // Laid over any other ground there is no rim: half a per cent of the old one at most.
        Assert.Equal(1f, CleanForeground.Of(image, [.. alpha.Select(_ => 1f)]).Data[3 * 30 + 1] / image.Data[3 * 30 + 1], 1e-6);
    }

    [Fact]
    public void Something_must_be_known_of_either_side()
    {
        FloatImage image = Mixed((_, _) => [1f, 1f, 1f], (_, _) => [0f, 0f, 0f]);
        float[] all = new float[Width * Height];
        Array.Fill(all, float.NaN);
        Assert.Throws<ArgumentException>(() => AlphaMatte.Of(image, all));
    }
}
