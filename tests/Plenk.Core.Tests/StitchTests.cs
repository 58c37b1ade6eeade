using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Two cameras over one set: gains, the border between them, what they share.</summary>
public sealed class StitchTests
{
    private static readonly Pinhole Camera = new(320, 180, 300, 300, 160, 90, Lens.None);

    private static SetScene Wall() =>
        new(
            [
                new Piece
                {
                    Id = "wall",
                    Name = "wall",
                    Kind = PieceKind.Plane,
                    Position = new(0, 0, -5),
                    RotationYxzDegrees = new(90, 0, 0),
                    Size = new(40, 1, 12),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );

    private static Pose At(double x) => new(Matrix3.Identity, new(x, 0, 0));

    /// <summary>What a camera at x shows of a wall painted in slow waves.</summary>
    private static FloatImage Filmed(double x, Vector3 gain, Func<double, double, Vector3, Vector3>? change = null)
    {
        var image = new FloatImage(Camera.Width, Camera.Height, 3);
        for (int v = 0; v < Camera.Height; v++)
        {
            for (int u = 0; u < Camera.Width; u++)
            {
                double wx = x + 5 * (u + 0.5 - 160) / 300,
                    wy = -5 * (v + 0.5 - 90) / 300;
                var paint =
                    new Vector3(
                        (float)(0.3 + 0.1 * Math.Sin(2 * wx)),
                        (float)(0.25 + 0.1 * Math.Sin(1.3 * wx + wy)),
                        (float)(0.2 + 0.1 * Math.Cos(wy * 2))
                    ) * gain;
                paint = change?.Invoke(wx, wy, paint) ?? paint;
                (image[u, v, 0], image[u, v, 1], image[u, v, 2]) = (paint.X, paint.Y, paint.Z);
            }
        }
        return image;
    }

    private static Projector Source(double x, Vector3 gain, Func<double, double, Vector3, Vector3>? change = null) =>
        new(Filmed(x, gain, change), new SourceSight(Camera, At(x), Wall()));

    [Fact]
    public void Gains_bring_two_cameras_together_whatever_glints()
    {
        // The right one is warmer and exposes more; a tenth of what they share glints in one of them only.
        var gain = new Vector3(1.5f, 1.3f, 1.1f);
        Projector[] sources =
        [
            Source(-0.8, Vector3.One),
            Source(0.8, gain, (x, y, p) => Math.Sin(17 * x) * Math.Sin(13 * y) > 0.8 ? p * 1.6f : p),
        ];
        IReadOnlyList<ExposureMatch.Pair> pairs = ExposureMatch.Pairs(Wall(), sources, [0, 1], [1, 1], 40000);
        Assert.True(pairs.Count > 200, $"{pairs.Count}");
        Vector3?[] found = ExposureMatch.Gains(pairs, 2);
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(1 / gain[c], found[1]!.Value[c], 0.01f);
        }
        Assert.InRange(ExposureMatch.Difference(pairs, [Vector3.One, Vector3.One]).Stops, 0.3, 0.6);
        Assert.InRange(ExposureMatch.Difference(pairs, [Vector3.One, found[1]!.Value]).Stops, 0, 0.08);
    }

    [Fact]
    public void A_camera_that_shares_nothing_has_no_gain()
    {
        IReadOnlyList<ExposureMatch.Pair> pairs = ExposureMatch.Pairs(
            Wall(),
            [Source(-8, Vector3.One), Source(8, Vector3.One)],
            [0, 1],
            [1, 1]
        );
        Assert.Empty(pairs);
        Assert.Null(ExposureMatch.Gains(pairs, 2)[1]);
    }

    // Every assignment of a small grid, one by one: the cut must be among the cheapest.
    [Fact]
    public void The_cut_is_the_cheapest_there_is()
    {
        var random = new Random(3);
        for (int round = 0; round < 20; round++)
        {
            const int w = 4,
                h = 4;
            float[] cost = [.. Enumerable.Range(0, w * h).Select(_ => random.NextSingle())];
            var sides = new GridCut.Side[w * h];
            for (int y = 0; y < h; y++)
            {
                sides[y * w] = GridCut.Side.First;
                sides[y * w + w - 1] = GridCut.Side.Second;
            }
            if (round % 3 == 0)
            {
                sides[1 + w * 2] = GridCut.Side.None;
            }
            double Price(Func<int, bool> first)
            {
                double sum = 0;
                for (int i = 0; i < w * h; i++)
                {
                    if (sides[i] == GridCut.Side.None)
                    {
                        continue;
                    }
                    foreach (int j in (int[])[i % w < w - 1 ? i + 1 : -1, i + w < w * h ? i + w : -1])
                    {
                        if (j >= 0 && sides[j] != GridCut.Side.None && first(i) != first(j))
                        {
                            sum += 1 + (int)(1000 * (cost[i] + cost[j]));
                        }
                    }
                }
                return sum;
            }
            bool[] cut = GridCut.Of(w, h, cost, sides);
            int[] free = [.. Enumerable.Range(0, w * h).Where(i => sides[i] == GridCut.Side.Free)];
            double best = double.PositiveInfinity;
            for (int bits = 0; bits < 1 << free.Length; bits++)
            {
                int b = bits;
                best = Math.Min(
                    best,
                    Price(i => sides[i] == GridCut.Side.First || (Array.IndexOf(free, i) is >= 0 and var k && (b >> k & 1) == 1))
                );
            }
            Assert.Equal(best, Price(i => cut[i]));
        }
    }

    [Fact]
    public void The_border_runs_around_what_differs()
    {
        // In the overlap the second camera shows a bright blot that the first does not: the border must leave it whole.
        Projector first = Source(-0.8, Vector3.One),
            second = Source(0.8, Vector3.One, (x, y, p) => x * x + (y - 0.2) * (y - 0.2) < 0.5 ? new Vector3(0.9f) : p);
        Seam seam = Seam.Find(first.Sight, [second.Sight], ExposureMatch.DifferenceOf(first, [second]), 1)!;
        Assert.InRange(seam.Overlap, 0.6, 0.8); // 1.6 m of 5.33 are not shared
        foreach (Vector3 p in seam.Spots)
        {
            double d = p.X * p.X + (p.Y - 0.2) * (p.Y - 0.2);
            Assert.True(d > 0.4, $"({p.X:0.00}, {p.Y:0.00})");
        }
        // Two cameras 1.6 m apart, 5 m from a wall: straight ahead between them 2 · atan(0.8 / 5) = 18.2°.
        Assert.InRange(seam.ParallaxDegrees, 14, 18.3);
        // Each picture point is shown once: the first's share and what is left add up to all of the view.
        float[] shown = seam.Over(320, 180);
        Assert.Equal(1, shown[90 * 320 + 20], 1e-3f);
        var joined = new Projector(first.Picture, first.Sight, shown);
        FloatImage view = ProjectedView.Render(
            new RayGrid(Camera with { Fx = 200, Fy = 200 }, At(0)),
            Wall(),
            [joined, second],
            samples: 1
        );
        Assert.True(view[160, 90, 3] > 0.999);
    }

    [Fact]
    public void Cameras_that_do_not_overlap_have_no_border() =>
        Assert.Null(Seam.Find(Source(-8, Vector3.One).Sight, [Source(8, Vector3.One).Sight], null, 1));

    [Fact]
    public void A_source_fades_with_distance_and_by_its_matte()
    {
        var sight = new SourceSight(Camera, At(0), Wall()) { DistanceFade = (4, 6) };
        FloatImage picture = Filmed(0, Vector3.One);
        var kept = new float[320 * 180];
        for (int i = 0; i < kept.Length; i++)
        {
            kept[i] = i % 320 < 160 ? 1 : 0;
        }
        var source = new Projector(picture, sight, kept);
        Sighting left = source.See(new(-1, 0, -5), Vector3.UnitZ, 0, new(0.01f, 0, 0), new(0, 0.01f, 0)),
            right = source.See(new(1, 0, -5), Vector3.UnitZ, 0, new(0.01f, 0, 0), new(0, 0.01f, 0));
        Assert.Equal((6 - Math.Sqrt(26)) / 2, left.Reach, 1e-4);
        Assert.Equal(0, right.Reach);
    }

    // Inverse-square law and Lambert: 800 cd from 3 m above give 88.89 lx, albedo 0.5 then shows 14.147 cd/m² (derived).
    [Fact]
    public void Own_colour_is_light_back_over_light_in()
    {
        var light = new SetLight(
            new FloatImage(4, 1, 3, [88.8888889f, 88.8888889f, 88.8888889f, 50, 50, 50, 0.01f, 0.01f, 0.01f, 0, 0, 0]),
            [1, 0.4f, 1, -1]
        );
        var plate = new FloatImage(4, 1, 3, [14.1471061f, 14.1471061f, 14.1471061f, 3, 3, 3, 3, 3, 3, 7, 7, 7]);
        var (albedo, doubt) = OwnColour.Of(plate, light);
        Assert.Equal(0.5, albedo[0, 0, 0], 1e-6);
        Assert.Equal([ColourDoubt.None, ColourDoubt.ShadowEdge, ColourDoubt.Dark, ColourDoubt.NoSet], doubt);
        FloatImage back = OwnColour.Lit(albedo, light);
        for (int i = 0; i < 9; i++)
        {
            Assert.Equal(plate.Data[i], back.Data[i], 1e-4f);
        }
    }
}
