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
