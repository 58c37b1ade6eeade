using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What pictures are worked on with: parts of them, blurs, grain, merges and moving things, against closed forms.</summary>
public class PictureTests
{
    private static FloatImage White(int w, int h, int channels, int seed)
    {
        var random = new Random(seed);
        double Normal() => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        return new(w, h, channels, [.. Enumerable.Range(0, w * h * channels).Select(_ => (float)Normal())]);
    }

    private static double Deviation(IEnumerable<float> values)
    {
        double mean = values.Average(v => (double)v);
        return Math.Sqrt(values.Average(v => (v - mean) * (v - mean)));
    }

    // Standard deviation scales by the root of the sum of squared weights: of 2 × 2 pixels a half, of a Gaussian of σ = 1 0.2821240, half-way between two pixels √½.
    [Fact]
    public void Grain_shrinks_by_what_it_is_averaged_with()
    {
        FloatImage white = White(512, 512, 1, 3);
        double own = Deviation(white.Data);
        Assert.Equal(0.5, Deviation(white.ReducedTo(256, 256).Data) / own, 0.01);
        Assert.Equal(0.2821240, Deviation(Blur.Gaussian(white, 1).Data) / own, 0.01);
        var half = new float[500];
        var all = new List<float>();
        for (int y = 4; y < 500; y++)
        {
            for (int x = 0; x < 500; x++)
            {
                white.SampleBilinear(x + 1.0, y + 0.5, half.AsSpan(x, 1));
            }
            all.AddRange(half);
        }
        Assert.Equal(0.7071068, Deviation(all) / own, 0.01);
        // Independent grains add by their squares; the mean of 16 frames keeps a quarter.
        FloatImage a = White(256, 256, 1, 4),
            b = White(256, 256, 1, 5);
        Assert.Equal(0.013, Deviation(a.Data.Zip(b.Data, (p, q) => 0.012f * p + 0.005f * q)), 2e-4);
        var mean = new float[256 * 256];
        for (int k = 0; k < 16; k++)
        {
            FloatImage one = White(256, 256, 1, 20 + k);
            for (int i = 0; i < mean.Length; i++)
            {
                mean[i] += one.Data[i] / 16;
            }
        }
        Assert.Equal(0.25, Deviation(mean), 0.005);
    }

    // Variances add: σ 1.5 and then 2 are 2.5; the sum of all is kept.
    [Fact]
    public void Two_blurs_are_one()
    {
        var point = new FloatImage(61, 61, 1);
        point[30, 30, 0] = 1;
        FloatImage twice = Blur.Gaussian(Blur.Gaussian(point, 1.5), 2),
            once = Blur.Gaussian(point, 2.5);
        Assert.Equal(1, twice.Data.Sum(), 1e-4f);
        for (int i = 0; i < once.Data.Length; i++)
        {
            Assert.Equal(once.Data[i], twice.Data[i], 1e-3f);
        }
        Assert.Same(point, Blur.Gaussian(point, 0));
        // Nothing lies further away than it says.
        FloatImage reached = Blur.Gaussian(point, 2.5);
        PixelBox box = PixelBox.Of(reached);
        Assert.Equal(Blur.Reach(2.5), 30 - box.X0);
        Assert.Equal(0, Blur.Reach(0));
    }

    [Fact]
    public void A_box_is_what_is_not_the_rest()
    {
        var picture = new FloatImage(20, 10, 3);
        Assert.True(PixelBox.Of(picture).IsEmpty);
        Assert.True(PixelBox.Of(picture).Grown(5, 20, 10).IsEmpty);
        (picture[4, 3, 2], picture[12, 7, 0]) = (0.1f, -0.1f);
        PixelBox box = PixelBox.Of(picture);
        Assert.Equal(new(4, 3, 13, 8), box);
        Assert.Equal((9, 5), (box.Width, box.Height));
        Assert.Equal(new(0, 0, 20, 10), box.Grown(8, 20, 10));
        Assert.Equal(new(0, 0, 20, 10), box.Grown(int.MaxValue, 20, 10));
        Assert.Equal(new(2, 1, 13, 8), box.With(new(2, 1, 5, 4)));
        Assert.Equal(box, default(PixelBox).With(box));
        FloatImage part = picture.Cut(box);
        Assert.Equal((9, 5, 0.1f, -0.1f), (part.Width, part.Height, part[0, 0, 2], part[8, 4, 0]));
        Assert.Equal([7, 8, 12, 13], FloatImage.Cut(Enumerable.Range(0, 25).ToArray(), 5, 1, new(2, 1, 4, 3)));
        var one = new FloatImage(6, 4, 1, [.. Enumerable.Repeat(1f, 24)]);
        one[5, 0, 0] = float.NaN; // no number is not the rest
        Assert.Equal(new(5, 0, 6, 1), PixelBox.Of(one, rest: 1));
    }

    // Grain is drawn in bands that share their noise: of a part, whatever its bounds, it must be the whole picture's.
    [Fact]
    public void Grain_is_the_same_wherever_it_is_asked_for()
    {
        FloatImage plate = White(160, 120, 3, 8);
        for (int i = 0; i < plate.Data.Length; i++)
        {
            plate.Data[i] = 0.1f + 0.3f * (i / 3 % 160) / 160 + 0.01f * plate.Data[i];
        }
        Grain grain = Grain.Of(plate)!;
        FloatImage Laid(Func<int, int, float> share, uint seed)
        {
            var picture = new FloatImage(160, 120, 3, [.. Enumerable.Repeat(0.2f, 160 * 120 * 3)]);
            grain.AddTo(picture, [.. Enumerable.Range(0, 160 * 120).Select(i => share(i % 160, i / 160))], seed);
            return picture;
        }
        FloatImage whole = Laid((_, _) => 1, 7);
        // Of a part of the picture, whatever its bounds, it is the whole picture's; where none is asked for nothing changes.
        foreach (var (x0, y0, x1, y1) in ((int, int, int, int)[])[(0, 0, 1, 1), (3, 5, 44, 71), (100, 31, 160, 120), (17, 33, 18, 119)])
        {
            FloatImage part = Laid((x, y) => x >= x0 && y >= y0 && x < x1 && y < y1 ? 1 : 0, 7);
            for (int y = 0; y < 120; y++)
            {
                for (int x = 0; x < 160; x++)
                {
                    Assert.Equal(x >= x0 && y >= y0 && x < x1 && y < y1 ? whole[x, y, 1] : 0.2f, part[x, y, 1]);
                }
            }
        }
        Assert.Equal(whole.Data, Laid((_, _) => 1, 7).Data);
        FloatImage other = Laid((_, _) => 1, 8);
        double alike = whole.Data.Zip(other.Data, (a, b) => (a - 0.2) * (b - 0.2)).Average() / Math.Pow(Deviation(whole.Data), 2);
        Assert.InRange(alike, -0.03, 0.03);
        Assert.Equal(grain.Deviation(1, 0.2f), Deviation(whole.Data.Where((_, i) => i % 3 == 1)), 0.1 * grain.Deviation(1, 0.2f));
        Assert.Equal(0.2f, Laid((_, _) => 0, 7).Data.Max());
    }

    // An element behind what hides 30 % of it: (.28; .7) over .25 is .355; one of the plate's own colour leaves no line at any share.
    [Fact]
    public void A_holdouts_edge_shows_no_line()
    {
        var plate = new FloatImage(11, 1, 3, [.. Enumerable.Repeat(0.25f, 33)]);
        FloatImage ratio = new(11, 1, 3, [.. Enumerable.Repeat(1f, 33)]),
            none = new(11, 1, 3);
        FloatImage Held(float colour) =>
            new(
                11,
                1,
                4,
                [
                    .. Enumerable
                        .Range(0, 11)
                        .SelectMany(i =>
                        {
                            float open = 1 - i / 10f;
                            return (float[])[colour * open, colour * open, colour * open, open];
                        }),
                ]
            );
        FloatImage comp = FrameMerge.Over(Held(0.4f), plate, ratio, null, none, null, []).Comp;
        Assert.Equal(0.355f, comp[3, 0, 0], 1e-6f);
        Assert.Equal(0.25f, comp[10, 0, 0]);
        var (same, touched) = FrameMerge.Over(Held(0.25f), plate, ratio, null, none, null, []);
        Assert.All(same.Data, v => Assert.Equal(0.25f, v, 1e-7f));
        Assert.Equal((true, false), (touched[9], touched[10]));
    }

    // 1,800 turns a minute at 24 frames a second and half a frame open: 225° of an arc, 450° from frame to frame. Moments between keys keep the radius; two of them 15° apart
    // joined by a straight line would lose 1 − cos 7.5° of it.
    [Fact]
    public void What_turns_while_the_shutter_is_open_moves_on_an_arc()
    {
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Elements = [new() { Id = "blade" }],
            Curves =
            [
                new()
                {
                    Id = "elements/blade/rotationYxzDegrees",
                    Keys =
                    [
                        new(1001, Triple: Vec3.Zero, Handle: KeyHandle.Straight),
                        new(1003, Triple: new(0, 900, 0), Handle: KeyHandle.Straight),
                    ],
                },
            ],
        };
        Element At(double frame) => Hanging.At(shot, frame).Elements[0];
        const int moments = 16;
        Vec3[] tip =
        [
            .. Enumerable
                .Range(0, moments + 1)
                .Select(i => At(1002 + (i / (double)moments - 0.5) * 0.5).ObjectToWorld.Apply(new(100, 0, 0))),
        ];
        Assert.All(tip, t => Assert.Equal(100, t.Length, 1e-9));
        double turned = Enumerable
            .Range(0, moments)
            .Sum(i => Rotations.Degrees(Math.Acos(Math.Clamp(Vec3.Dot(tip[i], tip[i + 1]) / 1e4, -1, 1))));
        Assert.Equal(225, turned, 1e-6);
        Assert.Equal(392.6991, Rotations.Radians(turned) * 100, 1e-4);
        // From frame to frame it seems to turn by 450 − 360.
        Vec3 at = At(1001).ObjectToWorld.Apply(new(100, 0, 0)),
            next = At(1002).ObjectToWorld.Apply(new(100, 0, 0));
        Assert.Equal(90, Rotations.Degrees(Math.Acos(Vec3.Dot(at, next) / 1e4)), 1e-6);
        Assert.Equal(0.00855514, 1 - Math.Cos(Rotations.Radians(7.5)), 1e-8);
    }
}
