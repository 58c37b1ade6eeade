using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Panoramas: directions, solid angles, spherical harmonics, mirror balls, lamps lifted out, exposures merged.</summary>
public sealed class EnvironmentTests
{
    // Derived from u = ½ + atan2(x, −z)/2π, v = acos(y)/π.
    [Theory]
    [InlineData(0, 0, -1, 0.5, 0.5)]
    [InlineData(1, 0, 0, 0.75, 0.5)]
    [InlineData(0, 0, 1, 0, 0.5)]
    [InlineData(-1, 0, 0, 0.25, 0.5)]
    [InlineData(1, 1, -1, 0.625, 0.30408672)]
    [InlineData(-0.3, -0.5, 0.8, 0.05710013, 0.66853564)]
    public void A_direction_has_its_place(double x, double y, double z, double u, double v)
    {
        var (pu, pv) = Panorama.PlaceOf(new(x, y, z));
        Assert.Equal(u, pu, 1e-8);
        Assert.Equal(v, pv, 1e-8);
        Vec3 back = Panorama.DirectionAt(pu, pv),
            d = new Vec3(x, y, z).Normalized();
        Assert.True((back - d).Length < 1e-12);
    }

    [Fact]
    public void Raising_the_heading_moves_the_content_to_larger_u()
    {
        var image = new FloatImage(360, 180, 3);
        image[100, 60, 1] = 5;
        Panorama turned = new Panorama(image).Turned(30);
        Assert.Equal(5, turned.Image[130, 60, 1], 1e-5);
        // A part of a pixel is shared, the sum stays; over the seam too.
        Panorama far = new Panorama(image).Turned(270.25);
        Assert.Equal(3.75, far.Image[10, 60, 1], 1e-4);
        Assert.Equal(1.25, far.Image[11, 60, 1], 1e-4);
    }

    // Derived: (2π ÷ W)(cos θ₀ − cos θ₁).
    [Fact]
    public void Rows_have_their_solid_angles()
    {
        Assert.Equal(0.230037796, Panorama.SolidAngle(8, 4, 0), 1e-9);
        Assert.Equal(0.555360367, Panorama.SolidAngle(8, 4, 2), 1e-9);
        Assert.Equal(12.5663706, 8 * Enumerable.Range(0, 4).Sum(r => Panorama.SolidAngle(8, 4, r)), 1e-6);
        Assert.Equal(1.443841e-08, Panorama.SolidAngle(2048, 1024, 0), 1e-13);
        Assert.Equal(9.412373e-06, Panorama.SolidAngle(2048, 1024, 511), 1e-11);
        // cos² θ over the sphere is a third; unweighted it would be a half.
        var image = new FloatImage(256, 128, 3);
        for (int y = 0; y < 128; y++)
        {
            for (int x = 0; x < 256; x++)
            {
                float c = MathF.Cos(MathF.PI * (y + 0.5f) / 128);
                image[x, y, 0] = c * c;
            }
        }
        Assert.Equal(1.0 / 3, new Panorama(image).Mean().X, 1e-4);
    }

    [Fact]
    public void Negative_samples_are_clamped_and_counted()
    {
        var image = new FloatImage(
            4,
            2,
            3,
            [
                .. Enumerable
                    .Range(0, 24)
                    .Select(i =>
                        i == 3 ? -0.5f
                        : i == 7 ? float.NaN
                        : 1f
                    ),
            ]
        );
        var panorama = new Panorama(image);
        Assert.Equal(2, panorama.Clamped);
        Assert.Equal(0, panorama.Image.Data[3]);
        Assert.Equal(0, panorama.Image.Data[7]);
    }

    // Ramamoorthi and Hanrahan 2001: constants of the basis.
    [Fact]
    public void The_basis_has_its_constants()
    {
        double[] expected = [0.282095, 0.325735, 0.325735, 0.162868, 0.242789, 0.485577, 0.105131, 0.242789, -0.182091],
            b = SphericalHarmonics.Basis(new Vec3(1.0 / 3, 2.0 / 3, 2.0 / 3));
        for (int i = 0; i < 9; i++)
        {
            Assert.Equal(expected[i], b[i], 2e-6);
        }
    }

    // The same: A₀ = π, A₁ = 2π/3, A₂ = π/4; the half sphere and the single light derived.
    [Fact]
    public void Irradiance_of_known_surroundings()
    {
        Panorama Of(Func<Vec3, float> light)
        {
            var image = new FloatImage(512, 256, 3);
            for (int y = 0; y < 256; y++)
            {
                for (int x = 0; x < 512; x++)
                {
                    float l = light(Panorama.DirectionAt((x + 0.5) / 512, (y + 0.5) / 256));
                    (image[x, y, 0], image[x, y, 1], image[x, y, 2]) = (l, l, l);
                }
            }
            return new(image);
        }
        SphericalHarmonics all = SphericalHarmonics.Of(Of(_ => 1)),
            half = SphericalHarmonics.Of(Of(d => d.Z > 0 ? 1 : 0));
        Assert.Equal(3.54490770, all.L[0].X, 1e-4);
        Assert.Equal(Math.PI, all.Irradiance(new(0, 0.6, 0.8)).X, 1e-4);
        Assert.Equal(1.77245385, half.L[0].X, 2e-3);
        Assert.Equal(1.53499006, half.L[2].X, 2e-3);
        foreach (double z in (double[])[-1, -0.3, 0.5, 1])
        {
            Assert.Equal(Math.PI * (1 + z) / 2, half.Irradiance(new(Math.Sqrt(1 - z * z), 0, z)).X, 5e-3);
        }
        // A unit directional light from +Z: its coefficients are the basis itself.
        var single = new SphericalHarmonics([.. SphericalHarmonics.Basis(Vec3.UnitZ).Select(v => new Vector3((float)v))]);
        foreach (var (degrees, e) in new[] { (0.0, 1.0625), (60, 0.4609375), (90, 0.09375), (180, 0.0625) })
        {
            double a = Rotations.Radians(degrees);
            Assert.Equal(e, single.Irradiance(new(Math.Sin(a), 0, Math.Cos(a))).X, 1e-6);
        }
    }

    // Coefficients as printed there for a cathedral (value from memory); the evaluation is exact for them.
    [Fact]
    public void A_printed_probe_evaluates()
    {
        float[] r = [.79f, .39f, -.34f, -.29f, -.11f, -.26f, -.16f, .56f, .21f],
            g = [.44f, .35f, -.18f, -.06f, -.05f, -.22f, -.09f, .21f, -.05f],
            b = [.54f, .60f, -.27f, .01f, -.12f, -.47f, -.15f, .14f, -.30f];
        var probe = new SphericalHarmonics([.. Enumerable.Range(0, 9).Select(i => new Vector3(r[i], g[i], b[i]))]);
        (Vec3 N, Vector3 E)[] expected =
        [
            (Vec3.UnitX, new(0.53309f, 0.32938f, 0.39724f)),
            (Vec3.UnitY, new(1.04875f, 0.79185f, 1.25843f)),
            (Vec3.UnitZ, new(0.27292f, 0.16115f, 0.12795f)),
        ];
        foreach (var (n, e) in expected)
        {
            Assert.True((probe.Irradiance(n) - e).Length() < 4e-5f);
        }
    }

    // Debevec and Malik 1997.
    [Fact]
    public void Exposures_merge_to_one_light()
    {
        Assert.Equal(12000, ExposureMerge.Light([12, 48, 200, 255], [1.0 / 1000, 1.0 / 250, 1.0 / 60, 1.0 / 15]), 12000 * 1e-6);
        Assert.Equal(11946.8208, ExposureMerge.Light([11, 49, 198], [1.0 / 1000, 1.0 / 250, 1.0 / 60]), 0.01);
        Assert.Equal(255 * 1000, ExposureMerge.Light([255, 255], [1.0 / 1000, 1.0 / 60]), 1e-6);
        Assert.Equal(0, ExposureMerge.Light([0, 0], [1.0 / 1000, 1.0 / 60]));
    }

    [Fact]
    public void Exposure_times_are_found_from_the_pictures()
    {
        var random = new Random(5);
        float[] light = [.. Enumerable.Range(0, 3 * 200 * 100).Select(_ => (float)Math.Pow(2, -6 + 8 * random.NextDouble()))];
        FloatImage At(double t) => new(200, 100, 3, [.. light.Select(l => Math.Min(1, l * (float)t))]);
        double[] true_ = [1, 4, 16.5];
        FloatImage[] pictures = [.. true_.Select(t => At(t / 16))];
        double[] found = ExposureMerge.TimesOf(pictures)!;
        for (int i = 0; i < 3; i++)
        {
            Assert.Equal(true_[i], found[i], 0.01 * true_[i]);
        }
        FloatImage merged = ExposureMerge.Of(pictures, [.. true_.Select(t => t / 16)]);
        int close = Enumerable.Range(0, light.Length).Count(i => light[i] > 15.9 || Math.Abs(merged.Data[i] / light[i] - 1) < 0.01);
        Assert.True(close > 0.99 * light.Length);
        Assert.Null(ExposureMerge.TimesOf([At(1.0 / 16), new FloatImage(200, 100, 3)]));
    }

    // Derived: radius = sin(θ/2), θ between the direction and the way to the camera.
    [Theory]
    [InlineData(0, 0, 1, 0)]
    [InlineData(1, 0, 0, 0.707106781)]
    [InlineData(1, 0, -1, 0.923879533)]
    [InlineData(0, 0, -1, 1)]
    public void A_mirror_ball_shows_a_direction_at_its_radius(double x, double y, double z, double radius)
    {
        var (bx, by) = Panorama.BallPlace(new(x, y, z));
        Assert.Equal(radius, Math.Sqrt(bx * bx + by * by), 1e-9);
    }

    [Fact]
    public void A_ball_is_unwrapped_to_what_it_mirrored()
    {
        // The ball as such a camera films it: every pixel reflects a direction; colour by direction.
        var ball = new FloatImage(401, 401, 3);
        static Vector3 Paint(Vec3 d) => new((float)(0.5 + 0.4 * d.X), (float)(0.5 + 0.4 * d.Y), (float)(0.5 + 0.4 * d.Z));
        Matrix3 turn = Rotations.AboutY(0.7);
        for (int y = 0; y < 401; y++)
        {
            for (int x = 0; x < 401; x++)
            {
                double bx = (x + 0.5 - 200.5) / 200,
                    by = -(y + 0.5 - 200.5) / 200,
                    rr = bx * bx + by * by;
                if (rr > 1)
                {
                    continue;
                }
                var n = new Vec3(bx, by, Math.Sqrt(1 - rr));
                Vector3 c = Paint(turn * (2 * n.Z * n - Vec3.UnitZ));
                (ball[x, y, 0], ball[x, y, 1], ball[x, y, 2]) = (c.X, c.Y, c.Z);
            }
        }
        Panorama around = Panorama.FromMirrorBall(ball, 200.5, 200.5, 200, turn, 64);
        int good = 0;
        for (int y = 0; y < 64; y++)
        {
            for (int x = 0; x < 128; x++)
            {
                Vector3 e = Paint(Panorama.DirectionAt((x + 0.5) / 128, (y + 0.5) / 64));
                if ((e - new Vector3(around.Image[x, y, 0], around.Image[x, y, 1], around.Image[x, y, 2])).Length() < 0.02f)
                {
                    good++;
                }
            }
        }
        Assert.True(good > 0.97 * 128 * 64, $"{good}"); // right behind the ball its rim is one pixel for many directions
    }

    // Derived: E = L Ω of one pixel of row 512 of 4096 × 2048; the floor takes its cosine.
    [Fact]
    public void A_lamp_is_lifted_out_and_nothing_is_lost()
    {
        var image = new FloatImage(4096, 2048, 3);
        for (int c = 0; c < 3; c++)
        {
            image[1000, 512, c] = 5000;
        }
        var panorama = new Panorama(image);
        Panorama.Lifted lamp = panorama.Lift(Panorama.DirectionAt(1000.5 / 4096, 512.5 / 2048), 5, 100)!;
        Assert.Equal(8.325832e-03, lamp.Irradiance.X, 1e-8);
        Assert.Equal(5.882735e-03, lamp.Irradiance.X * lamp.Direction.Y, 1e-8);
        Assert.Equal(0, lamp.Rest.Image.Data.Max());
        Assert.Null(panorama.Lift(new(0, -1, 0), 5, 100));
    }
}
