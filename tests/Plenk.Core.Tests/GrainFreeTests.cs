using Plenk.Core.Images;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// The grain-free copy. A made-up moving picture is known without its grain, so what is left and what is lost can be measured.
/// </summary>
public class GrainFreeTests
{
    private const int W = 200,
        H = 140;

    /// <summary>A textured ground that drifts by a fraction of a pixel a frame, and a disc that goes its own way before it.</summary>
    private static float Clean(double x, double y, int frame, int channel)
    {
        double u = x - 1.3 * frame,
            v = y - 0.6 * frame;
        double dx = x - 60 - 5 * frame,
            dy = y - 70;
        if (dx * dx + dy * dy < 18 * 18)
        {
            return (float)(0.75 + 0.1 * Math.Sin(dx * 0.7) * Math.Cos(dy * 0.6) - 0.1 * channel);
        }
        return (float)(0.4 + 0.12 * Math.Sin(u * 0.31 + channel) * Math.Sin(v * 0.27) + 0.08 * Math.Sin(u * 0.9) * Math.Cos(v * 0.8));
    }

    private static FloatImage Picture(int frame, double sigma, Random random)
    {
        var image = new FloatImage(W, H, 3);
        for (int y = 0; y < H; y++)
        {
            for (int x = 0; x < W; x++)
            {
                for (int c = 0; c < 3; c++)
                {
                    image[x, y, c] = Clean(x, y, frame, c) + (float)(sigma * TrackScenes.Normal(random));
                }
            }
        }
        return image;
    }

    private static CodedFrame Coded(FloatImage image)
    {
        var codes = Array.ConvertAll(image.Data, v => (ushort)(65535 * Math.Clamp(v, 0, 1)));
        return new(image, GrayPyramid.Of(W, H, 3, 16, codes));
    }

    private static double Rms(FloatImage a, FloatImage b, Func<int, int, bool> where)
    {
        double sum = 0;
        int n = 0;
        for (int y = 0; y < H; y++)
        {
            for (int x = 0; x < W; x++)
            {
                if (where(x, y))
                {
                    for (int c = 0; c < 3; c++)
                    {
                        double d = a[x, y, c] - b[x, y, c];
                        sum += d * d;
                        n++;
                    }
                }
            }
        }
        return Math.Sqrt(sum / n);
    }

    [Fact]
    public void Grain_goes_along_the_motion_and_what_moves_on_its_own_leaves_no_ghost()
    {
        var random = new Random(7);
        CodedFrame[] frames = [.. Enumerable.Range(0, 7).Select(f => Coded(Picture(f, 0.03, random)))];
        GrainFreeFrame result = GrainFree.Of(frames, 3);
        FloatImage truth = Picture(3, 0, random);
        bool Ground(int x, int y) => x > 15 && y > 12 && x < W - 15 && y < H - 12 && Math.Pow(x - 75, 2) + Math.Pow(y - 70, 2) > 40 * 40;
        bool Disc(int x, int y) => Math.Pow(x - 75, 2) + Math.Pow(y - 70, 2) < 15 * 15;
        double before = Rms(frames[3].Codes, truth, Ground),
            after = Rms(result.Codes, truth, Ground);
        Assert.InRange(before, 0.029, 0.031);
        // Seven frames that all agree leave 1/√7 of it, a little more for what cubic samples keep.
        Assert.InRange(after, 0.008, 0.014);
        Assert.InRange(Rms(result.Codes, truth, Disc), 0, 0.03);
        // What it says of itself is what is found.
        Assert.InRange(result.NoiseBefore, 0.026, 0.034);
        Assert.InRange(result.NoiseLeft, 0.8 * after, 2 * after);
        // Along the path of the disc nothing of it is left behind: the rim is no worse than the grain that was there.
        Assert.InRange(Rms(result.Codes, truth, (x, y) => x is > 30 and < 55 && y is > 55 and < 85), 0, 0.03);
    }

    [Fact]
    public void A_picture_without_grain_stays_as_it_is()
    {
        CodedFrame[] frames = [.. Enumerable.Range(0, 5).Select(f => Coded(Picture(f, 0, new Random(1))))];
        Assert.InRange(
            Rms(GrainFree.Of(frames, 2).Codes, frames[2].Codes, (x, y) => x > 10 && y > 10 && x < W - 10 && y < H - 10),
            0,
            0.004
        );
        // One frame alone has nobody to be averaged with.
        Assert.Equal(frames[0].Codes.Data, GrainFree.Of([frames[0]], 0).Codes.Data);
    }

    [Fact]
    public void A_cut_is_not_averaged_across()
    {
        var random = new Random(2);
        CodedFrame[] frames =
        [
            .. Enumerable.Range(0, 3).Select(f => Coded(Picture(f, 0.02, random))),
            Coded(Picture(60, 0.02, random)),
            Coded(Picture(61, 0.02, random)),
        ];
        FloatImage truth = Picture(2, 0, random);
        Assert.InRange(Rms(GrainFree.Of(frames, 2).Codes, truth, (x, y) => x > 10 && y > 10 && x < W - 10 && y < H - 10), 0, 0.021);
    }
}
