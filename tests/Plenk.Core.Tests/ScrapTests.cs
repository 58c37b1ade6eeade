using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Scraps and dust of a break, against closed forms.</summary>
public sealed class ScrapTests
{
    private const double G = 9.80665;

    /// <summary>One part that is let go at the first frame and falls freely; all of its faces are new.</summary>
    private static (BrokenPart[] Parts, FallFrame[] Frames) Part(int frames, Vec3 velocity, double rate = 24, Vec3? middle = null)
    {
        TriangleMesh box = Scraps.Shape(0);
        box = box with { Materials = new int[box.TriangleCount] };
        Vec3 at = middle ?? new(0, 2, 0);
        ConvexHull hull = ConvexHull.Of(box.Positions.Select(Vec3.From))!;
        var part = new BrokenPart("part", box, at, 1, new("part", hull, 1, Matrix3.Identity, BodyState.At(at)));
        FallFrame Frame(int f)
        {
            double t = f / rate;
            return new(
                1001 + f,
                [BodyState.At(at + t * velocity - 0.5 * G * t * t * Vec3.UnitY) with { Velocity = velocity - G * t * Vec3.UnitY }],
                0,
                0,
                0,
                1
            );
        }
        return ([part], [.. Enumerable.Range(0, frames).Select(Frame)]);
    }

    private static IReadOnlyList<Scrap> Thrown(
        ScrapSettings with,
        StillSet? set,
        int frames = 49,
        Vec3? velocity = null,
        Vec3? middle = null
    )
    {
        var (parts, path) = Part(frames, velocity ?? new(0.06, 0, 0), middle: middle);
        return Scraps.Of(parts, 0, path, set, 24, G, null, with);
    }

    private static StillSet Floor(double tilt = 0)
    {
        Vec3 P(double x, double z) => Rotations.FromEulerYxzDegrees(0, 0, tilt) * new Vec3(x, 0, z);
        return new([
            new TriangleMesh(
                [P(-90, -90).ToSingle(), P(-90, 90).ToSingle(), P(90, 90).ToSingle(), P(90, -90).ToSingle()],
                [0, 1, 2, 0, 2, 3]
            ),
        ]);
    }

    [Fact]
    public void Without_air_a_scrap_falls_as_a_parabola_and_in_it_up_to_its_terminal_speed()
    {
        // x = x0 + v t − ½ g t², to rounding.
        foreach (Scrap s in Thrown(new() { Count = 20, Drag = 0 }, null))
        {
            double dt = 1 / 24.0;
            for (int f = 1; f + 1 < s.States.Count; f++)
            {
                Vec3 second = (s.States[f + 1].Place - 2 * s.States[f].Place + s.States[f - 1].Place) / (dt * dt);
                Assert.Equal(0, (second + G * Vec3.UnitY).Length, 1e-6);
            }
        }
        // Quadratic drag: v = √(g/k) tanh(t √(g k)) from rest (any mechanics text; k by ½ ρ c A ÷ m).
        var light = new ScrapSettings
        {
            Count = 1,
            Speed = 0,
            Density = 100,
            SmallestMetres = 0.01,
            LargestMetres = 0.01,
            TurnsPerSecond = 0,
        };
        double k = Scraps.DragPerMetre(light, 0.01);
        Assert.Equal(0.5 * 1.2 * 1.05 / (100 * 0.01), k, 1e-12);
        Scrap falls = Thrown(light, null, velocity: new(0, -0.06, 0))[0];
        double v0 = 0.06,
            t0 = Math.Atanh(v0 / Math.Sqrt(G / k)) / Math.Sqrt(G * k);
        double Fallen(double t) => Math.Log(Math.Cosh(Math.Sqrt(G * k) * t)) / k;
        double t1 = 2;
        Assert.Equal(
            Fallen(t0 + t1) - Fallen(t0),
            falls.States[0].Place.Y - falls.States[48].Place.Y,
            0.01 * (Fallen(t0 + t1) - Fallen(t0))
        );
    }

    [Fact]
    public void They_bounce_as_high_as_restitution_says_and_rest_on_the_floor_never_below()
    {
        // A drop of 2 m bounces up by e² of it.
        var with = new ScrapSettings
        {
            Count = 1,
            Speed = 0,
            Drag = 0,
            Bounce = 0.6,
            TurnsPerSecond = 0,
            SmallestMetres = 0.01,
            LargestMetres = 0.01,
        };
        Scrap one = Thrown(with, Floor(), frames: 73, velocity: new(0, -0.06, 0))[0];
        double high = one.States[0].Place.Y - 0.0035;
        int lowest = Enumerable.Range(1, 40).First(f => one.States[f + 1].Place.Y > one.States[f].Place.Y);
        double top = Enumerable.Range(lowest, 25).Max(f => one.States[f].Place.Y) - 0.0035;
        Assert.Equal(0.36 * high, top, 0.03 * 0.36 * high);
        // Many, in the air: all lie in the end, none went through.
        IReadOnlyList<Scrap> many = Thrown(new() { Count = 400, Seed = 3 }, Floor(), frames: 97);
        foreach (Scrap s in many)
        {
            Assert.All(s.States, q => Assert.True(q.Place.Y > 0));
            Assert.True(s.Rests < 96);
            Assert.Equal(s.States[s.Rests].Place, s.States[^1].Place);
            Assert.InRange(s.States[^1].Place.Y, 0, 0.4 * s.Metres);
        }
    }

    [Theory]
    [InlineData(20, true)] // atan 0.6 = 31°
    [InlineData(45, false)]
    public void On_a_slope_they_stay_below_the_angle_of_friction_and_slide_above_it(double degrees, bool stays)
    {
        Scrap s = Thrown(
            new()
            {
                Count = 1,
                Speed = 0,
                Bounce = 0,
                Drag = 0,
                TurnsPerSecond = 0,
            },
            Floor(degrees),
            frames: 73,
            velocity: new(0, -0.06, 0)
        )[0];
        double last = (s.States[72].Place - s.States[71].Place).Length * 24,
            before = (s.States[62].Place - s.States[61].Place).Length * 24;
        if (stays)
        {
            Assert.Equal(0, last, 1e-3);
            return;
        }
        // It gains g (sin − µ cos) a second.
        double a = Rotations.Radians(degrees);
        Assert.Equal(G * (Math.Sin(a) - 0.6 * Math.Cos(a)), (last - before) * 24 / 10, 0.05 * G);
    }

    [Fact]
    public void Sizes_and_speeds_are_as_they_are_asked_for_and_a_seed_gives_them_again()
    {
        var with = new ScrapSettings
        {
            Count = 4000,
            Seed = 9,
            Speed = 2,
            Drag = 0,
        };
        IReadOnlyList<Scrap> all = Thrown(with, null, frames: 3),
            again;
        using (Cores.Using(1))
        {
            again = Thrown(with, null, frames: 3);
        }
        Assert.True(all.Zip(again).All(p => p.First.States.SequenceEqual(p.Second.States)));
        Assert.All(all, s => Assert.InRange(s.Metres, 0.004, 0.03));
        // N(> s) ∝ s^−1.5: of those above 8 mm as a share of all.
        double Above(double s) => Math.Pow(s, -1.5) - Math.Pow(0.03, -1.5);
        Assert.Equal(Above(0.008) / Above(0.004), all.Count(s => s.Metres > 0.008) / 4000.0, 0.02);
        double mean = all.Average(s => ((s.States[1].Place - s.States[0].Place) * 24 - new Vec3(0.06, -G / 48, 0)).LengthSquared);
        Assert.Equal(2, Math.Sqrt(mean), 0.1);
    }

    [Fact]
    public void What_they_cannot_be_is_told()
    {
        Assert.Contains("Up to 5000", Assert.Throws<BreakFault>(() => Thrown(new() { Count = 5001 }, null)).Message);
        Assert.Contains("0.1 mm", Assert.Throws<BreakFault>(() => Thrown(new() { Count = 1, SmallestMetres = 0.05 }, null)).Message);
        Assert.Contains("300 m/s", Assert.Throws<BreakFault>(() => Thrown(new() { Count = 1, Speed = double.NaN }, null)).Message);
        Assert.Empty(Thrown(new(), null));
    }

    [Fact]
    public void Dust_rises_where_a_part_hits_and_its_picture_ends_within_itself()
    {
        var (parts, frames) = Part(48, new(0.06, 0, 0));
        // It falls by 2 m in 15.3 frames, and lies from then on.
        FallFrame[] hit = [.. frames.Select(f => f.Bodies[0].Place.Y > 0 ? f : f with { Bodies = [BodyState.At(new(0.04, 0, 0))] })];
        Puff puff = Assert.Single(Dust.Hits(parts, hit, 24, G, 5));
        Assert.Equal(1001 + 16, puff.Frame);
        Assert.Equal(Math.Sqrt(2 * G * 2), puff.Jolt, 0.35); // m = 1 kg, v = √(2 g h), within a frame's fall
        Assert.Empty(Dust.Hits(parts, frames, 24, G, 5));
        FloatImage picture = Dust.Picture(64, 4, new(0.5, 0.4, 0.3));
        for (int i = 0; i < 64; i++)
        {
            foreach (int at in (int[])[i, 64 * 63 + i, 64 * i, 64 * i + 63])
            {
                Assert.InRange(picture.Data[4 * at + 3], 0, 0.02f);
            }
        }
        Assert.InRange(picture.Data[4 * (32 * 64 + 32) + 3], 0.5f, 0.95f);
        Assert.NotEqual(picture.Data, Dust.Picture(64, 5, new(0.5, 0.4, 0.3)).Data);
    }
}
