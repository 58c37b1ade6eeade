using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Xunit;
using Xunit.Abstractions;

namespace Plenk.Work.Tests;

/// <summary>Rigid bodies against closed forms (PHY-01 to PHY-06 and the third list: elementary mechanics, g = 9.80665 m/s²).</summary>
public sealed class FallingTests(ITestOutputHelper say)
{
    private const double G = 9.80665;

    private static FallingBody Box(Vec3 size, Vec3 middle, double density = 1000)
    {
        TriangleMesh mesh = PieceMeshes.Box(size);
        MassOf mass = MassOf.Mesh(mesh);
        return new(
            "box",
            ConvexHull.Of(mesh.Positions.Select(Vec3.From))!.About(mass.Middle),
            density * mass.Volume,
            mass.Inertia * density,
            BodyState.At(middle)
        );
    }

    private static StillSet Floor(double degrees = 0)
    {
        TriangleMesh plane = PieceMeshes.Plane(new(400, 0, 400));
        return new([plane.Moved(new(1, Rotations.AboutZ(Rotations.Radians(degrees)), Vec3.Zero))]);
    }

    private static FallResult Fall(FallingBody[] bodies, StillSet? set, FallSettings with)
    {
        using var solver = new OdeSolver(with.Gravity, bodies.Length <= 8 ? 200 : 60);
        return Falling.Of(bodies, set, with, solver);
    }

    private static FallingBody Carried(FallingBody body, int first, Func<int, (Vec3, Matrix3)> at, int frames) =>
        body with
        {
            Carried = new(first, [.. Enumerable.Range(first, frames).Select(at)]),
        };

    // A bat that goes on at V whatever it strikes: what was at rest leaves at (1 + e) V (Newton’s law of restitution, one mass without bounds).
    [Theory]
    [InlineData(0)]
    [InlineData(0.5)]
    [InlineData(0.9)]
    public void What_a_carried_thing_strikes_leaves_as_fast_as_restitution_says(double bounce)
    {
        FallingBody ball = Box(new(0.2, 0.2, 0.2), new(0.5, 0, 0)) with { Bounce = bounce },
            bat = Carried(
                Box(new(0.2, 0.6, 0.6), default) with
                {
                    Bounce = bounce,
                },
                1,
                f => (new(2 * (f - 1) / 24.0, 0, 0), Matrix3.Identity),
                30
            );
        FallResult fall = Fall([ball, bat], null, new(1, 13, 1, 24) { Gravity = 1e-9 });
        Vec3 v = fall.Frames[^1].Bodies[0].Velocity;
        Assert.Equal(2 * (1 + bounce), v.X, 0.01);
        Assert.InRange(Math.Abs(v.Y) + Math.Abs(v.Z) + fall.Frames[^1].Bodies[0].Spin.Length, 0, 0.02);
        // The bat is where its path has it.
        Assert.Equal(1, fall.Frames[12].Bodies[1].Place.X, 1e-9);
    }

    // Laid down on a belt that goes at V it slips for V ÷ (μ g), and comes V² ÷ (2 μ g) less far than the belt.
    [Fact]
    public void On_a_belt_friction_takes_it_along()
    {
        const double mu = 0.4,
            v = 1.5;
        FallingBody box = Box(new(0.3, 0.1, 0.3), new(0, 0.15, 0)) with { Friction = mu, Bounce = 0 },
            belt = Carried(
                Box(new(20, 0.2, 2), default) with
                {
                    Friction = mu,
                    Bounce = 0,
                },
                1,
                f => (new(v * (f - 1) / 24, 0, 0), Matrix3.Identity),
                60
            );
        FallResult fall = Fall([box, belt], null, new(1, 25, 1, 24));
        Assert.Equal(v, fall.Frames[24].Bodies[0].Velocity.X, 0.02);
        Assert.Equal(v - v * v / (2 * mu * G), fall.Frames[24].Bodies[0].Place.X, 0.03);
        Assert.Equal(0.15, fall.Frames[24].Bodies[0].Place.Y, 2e-3);
    }

    // A lift takes what lies on it up and down again, and does not leave it asleep in the air.
    [Fact]
    public void A_lift_takes_it_along_up_and_down()
    {
        static double Height(int f) =>
            f < 40 ? 0
            : f < 60 ? 0.01 * (f - 40)
            : f < 80 ? 0.2
            : Math.Max(0, 0.2 - 0.01 * (f - 80));
        FallingBody box = Box(new(0.3, 0.2, 0.3), new(0, 0.2, 0)) with { Bounce = 0 },
            lift = Carried(Box(new(2, 0.2, 2), default) with { Bounce = 0 }, 1, f => (new(0, Height(f), 0), Matrix3.Identity), 120);
        FallResult fall = Fall([box, lift], Floor(), new(1, 118, 1, 24));
        foreach (FallFrame f in fall.Frames)
        {
            // It goes down at 0.24 m/s all at once: what lies on it falls after it, by v² ÷ 2 g at the most.
            Assert.Equal(Height(f.Frame) + 0.2, f.Bodies[0].Place.Y, f.Frame is > 80 and < 84 ? 0.24 * 0.24 / (2 * G) + 2e-3 : 2e-3);
        }
        // The lift stands in the floor at first and is no part of what is held up by it.
        Assert.Empty(fall.Through);
        Assert.Equal(0, fall.Frames[^1].Awake);
    }

    // A door’s leaf about its hinge: its end at radius r goes at ω r, and pushes what stands there along.
    [Fact]
    public void A_leaf_that_swings_sweeps_aside_what_stands_in_its_way()
    {
        FallingBody leaf = Carried(
                Box(new(1, 2, 0.05), default),
                1,
                f =>
                {
                    Matrix3 turn = Rotations.AboutY(Rotations.Radians(-3 * (f - 1)));
                    return (turn * new Vec3(0.5, 0, 0) + new Vec3(0, 1, 0), turn);
                },
                31
            ),
            crate = Box(new(0.3, 0.3, 0.3), new(0.8, 0.151, 0.35), 300);
        FallResult fall = Fall([crate, leaf], Floor(), new(1, 46, 1, 24));
        BodyState end = fall.Frames[^1].Bodies[0];
        // After a quarter turn the leaf stands along +Z, and the crate beyond its end.
        Assert.InRange(end.Place.Z, 1.1, 1.5);
        Assert.InRange(end.Place.Y, 0.148, 0.152);
        Assert.Equal(0, fall.Frames[^1].Awake);
        Assert.InRange(fall.Frames.Max(f => f.Deepest), 0, 5e-3);
    }

    [Fact]
    public void What_falls_freely_has_the_second_difference_of_gravity()
    {
        FallResult fall = Fall([Box(new(0.2, 0.3, 0.4), new(0, 100, 0))], null, new(1, 25, 1, 24));
        double[] y = [.. fall.Frames.Select(f => f.Bodies[0].Place.Y)];
        for (int i = 1; i + 1 < y.Length; i++)
        {
            Assert.Equal(-G / 576, y[i + 1] - 2 * y[i] + y[i - 1], 1e-9);
        }
        Assert.Equal(100 - 4.903325, y[24], 1e-6); // after 1 s
        double energy = fall.Frames[0].Kinetic + fall.Frames[0].Potential;
        Assert.All(fall.Frames, f => Assert.Equal(energy, f.Kinetic + f.Potential, 1e-6 * energy));
    }

    // 2 m, e = 0.6: rebounds of 0.72 and 0.2592 m; halving with the step.
    [Theory]
    [InlineData(480, 0.03)]
    [InlineData(960, 0.015)]
    public void It_bounces_as_high_as_its_restitution_says(double steps, double within)
    {
        FallingBody box = Box(new(0.2, 0.2, 0.2), new(0, 2.1, 0)) with { Bounce = 0.6 };
        FallResult fall = Fall([box], Floor(), new(1, 2400, 1, 1000) { Steps = steps, Bounce = 0.6 });
        double[] y = [.. fall.Frames.Select(f => f.Bodies[0].Place.Y - 0.1)];
        int first = Array.IndexOf(y, y[..900].Min());
        double high = y[first..1400].Max();
        say.WriteLine($"{steps} steps: {high:0.0000} m of 0.7200");
        Assert.Equal(0.72, high, 0.72 * within);
    }

    // tan 30° = 0.577: it rests at µ = 0.6; at 0.3 it slips by g (sin − µ cos) = 2.35548 m/s².
    [Theory]
    [InlineData(0.3, 2.3554826)]
    [InlineData(0.6, 0)]
    public void On_a_slope_it_rests_or_slips_by_its_friction(double friction, double acceleration)
    {
        Vec3 up = Rotations.AboutZ(Rotations.Radians(30)) * Vec3.UnitY,
            down = Rotations.AboutZ(Rotations.Radians(30)) * -Vec3.UnitX;
        Matrix3 turn = Rotations.AboutZ(Rotations.Radians(30));
        FallingBody box = Box(new(0.4, 0.2, 0.4), Vec3.Zero) with { Friction = friction, Bounce = 0 };
        box = box with { Start = new(0.1 * up, Math.Cos(Math.PI / 12), 0, 0, Math.Sin(Math.PI / 12), Vec3.Zero, Vec3.Zero) };
        FallResult fall = Fall([box], Floor(30), new(1, 49, 1, 24) { Friction = friction, Bounce = 0 });
        double far = Vec3.Dot(fall.Frames[48].Bodies[0].Place - box.Start.Place, down);
        say.WriteLine($"µ {friction}: {far:0.0000} m of {acceleration * 2:0.0000} in 2 s");
        Assert.Equal(acceleration * 2, far, acceleration == 0 ? 0.005 : 0.01 * acceleration * 2);
    }

    // m₁ 2 at 3 m/s, m₂ 1 at −1 m/s (PHY-04).
    [Theory]
    [InlineData(1, 0.3333333, 4.3333333)]
    [InlineData(0.5, 1, 3)]
    [InlineData(0, 1.6666667, 1.6666667)]
    public void A_head_on_collision_keeps_momentum(double bounce, double first, double second)
    {
        FallingBody a = Box(new(0.2, 0.2, 0.2), new(0, 0, 0), 250) with { Bounce = bounce },
            b = Box(new(0.2, 0.2, 0.2), new(0.5, 0, 0), 125) with { Bounce = bounce };
        a = a with { Start = a.Start with { Velocity = new(3, 0, 0) }, Friction = 0 };
        b = b with { Start = b.Start with { Velocity = new(-1, 0, 0) }, Friction = 0 };
        FallResult fall = Fall([a, b], null, new(1, 25, 1, 24) { Gravity = 0 });
        BodyState[] end = fall.Frames[^1].Bodies;
        Assert.Equal(5, a.Mass * end[0].Velocity.X + b.Mass * end[1].Velocity.X, 1e-6);
        Assert.Equal(first, end[0].Velocity.X, 0.02 * (1 + Math.Abs(first)));
        Assert.Equal(second, end[1].Velocity.X, 0.02 * (1 + Math.Abs(second)));
    }

    // A small box a metre below its point: 2.006409 s, and 1.0174088 times that at 30°; its own size counts by (1 + k²/l²).
    [Theory]
    [InlineData(3, 2.006409 * 1.00017)]
    [InlineData(30, 2.006409 * 1.0174088)]
    public void A_pendulum_has_its_period(double degrees, double period)
    {
        double a = Rotations.Radians(degrees),
            own = 0.02 * 0.02 / 6; // k² of a cube of 2 cm
        FallingBody box = Box(new(0.02, 0.02, 0.02), new(Math.Sin(a), -Math.Cos(a), 0)) with { HangsOn = Vec3.Zero };
        FallResult fall = Fall([box], null, new(1, 2600, 1, 1000));
        double[] x = [.. fall.Frames.Select(f => f.Bodies[0].Place.X)];
        // From side to side and back: through the middle to the left, and so again.
        double[] crossings =
        [
            .. Enumerable.Range(1, x.Length - 1).Where(i => x[i - 1] > 0 && x[i] <= 0).Select(i => i - 1 + x[i - 1] / (x[i - 1] - x[i])),
        ];
        double found = (crossings[1] - crossings[0]) / 1000;
        say.WriteLine($"{degrees}°: {found:0.00000} s of {period:0.00000}");
        Assert.Equal(period * Math.Sqrt(1 + own), found, 0.01 * period);
    }

    [Fact]
    public void What_falls_on_the_floor_comes_to_rest_on_it_and_none_goes_through()
    {
        FallingBody[] bodies =
        [
            .. Enumerable
                .Range(0, 40)
                .Select(i =>
                    Box(new(0.1 + 0.02 * (i % 4), 0.08, 0.15), new(0.13 * (i % 5), 0.3 + 0.2 * (i / 5), 0.17 * (i % 3))) with
                    {
                        Start = new(
                            new(0.13 * (i % 5), 0.3 + 0.2 * (i / 5), 0.17 * (i % 3)),
                            Math.Cos(i),
                            Math.Sin(i) * 0.6,
                            Math.Sin(i) * 0.8,
                            0,
                            new(0, i == 39 ? -60 : 0, 0),
                            new(i % 3, i % 7, 1)
                        ),
                    }
                ),
        ];
        FallSettings with = new(1, 361, 1, 24);
        FallResult fall = Fall(bodies, Floor(), with);
        double before = double.PositiveInfinity;
        foreach (FallFrame f in fall.Frames)
        {
            Assert.True(f.Kinetic + f.Potential <= before * 1.01 + 1e-6, $"frame {f.Frame}: {f.Kinetic + f.Potential} J after {before}");
            before = f.Kinetic + f.Potential;
            Assert.All(f.Bodies, b => Assert.True(b.Place.Y > 0));
        }
        say.WriteLine(
            $"at the end {fall.Frames[^1].Awake} awake, deepest {1000 * fall.Frames[^1].Deepest:0.00} mm, {fall.Frames[^1].Kinetic:0.0000} J"
        );
        Assert.True(fall.Frames[^1].Deepest < 0.005);
        Assert.Equal(0, fall.Frames[^1].Awake);
        // The same again, to the bit.
        FallResult again = Fall(bodies, Floor(), with);
        Assert.Equal(fall.Frames[^1].Bodies, again.Frames[^1].Bodies);
    }
}
