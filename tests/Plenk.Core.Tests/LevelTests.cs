using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Up from lines in the picture. Numbers of the single-view examples: Hartley and Zisserman 8.6, worked with numpy.</summary>
public class LevelTests
{
    private static readonly Pinhole Camera = new(1920, 1080, 1800, 1800, 960, 540, Lens.None);

    private static Func<int, (Pose, Pinhole)?> Still => f => f == 1001 ? (Pose.Identity, Camera) : null;

    // A camera of f = 1800 turned by Ry(30°) Rx(−12°) Rz(2°): its horizon runs through the vanishing points of level edges
    // (−2212.048, 46.395) and (2035.153, 194.710), its vertical's vanishing point is (664.459, 9003.176).
    private static readonly Vec3 Up =
        (
            Rotations.AboutY(Rotations.Radians(30)) * Rotations.AboutX(Rotations.Radians(-12)) * Rotations.AboutZ(Rotations.Radians(2))
        ).Transpose() * Vec3.UnitY;

    [Fact]
    public void A_horizon_gives_up_by_itself()
    {
        LevelResult r = Levelling.Solve([new(1001, true, -2212.048282, 46.394609, 2035.152908, 194.710143)], Still, out _)!;
        Assert.InRange((r.Up - Up).Length, 0, 1e-7);
        // 12° down and 2° rolled.
        Assert.Equal(12, Rotations.Degrees(Math.Asin(r.Up.Z)), 5);
        // A level line 200 px above the middle: atan(200 / 1800).
        LevelResult tilted = Levelling.Solve([new(1001, true, 100, 340, 1800, 340)], Still, out _)!;
        Assert.Equal(6.3401917, Rotations.Degrees(Math.Asin(tilted.Up.Z)), 6);
    }

    [Fact]
    public void Two_uprights_give_the_same_and_say_how_well_they_agree()
    {
        static LevelLine Upright(double x, double y, double bend = 0)
        {
            double dx = 664.459399 - x,
                dy = 9003.175517 - y;
            return new(1001, false, x, y, x + 0.05 * dx + bend, y + 0.05 * dy);
        }
        LevelResult r = Levelling.Solve([Upright(300, 200), Upright(1700, 300)], Still, out _)!;
        Assert.InRange((r.Up - Up).Length, 0, 1e-7);
        Assert.InRange(r.RmsDegrees, 0, 1e-5);
        LevelResult loose = Levelling.Solve([Upright(300, 200), Upright(1700, 300), Upright(1000, 250, bend: 6)], Still, out _)!;
        Assert.InRange(loose.RmsDegrees, 0.05, 1);
    }

    [Fact]
    public void One_upright_in_one_frame_leaves_the_tilt_open()
    {
        var line = new LevelLine(1001, false, 900, 200, 905, 800);
        Assert.Null(Levelling.Solve([line, line], Still, out string? why));
        Assert.Contains("another one to the side", why);
        Assert.Null(Levelling.Solve([line with { Frame = 1002 }], Still, out why));
        Assert.Contains("frame 1002", why);
        Assert.Null(Levelling.Solve([line with { X2 = 900, Y2 = 200 }], Still, out why));
        Assert.Contains("draw it longer", why);
    }

    [Fact]
    public void The_world_stands_level_by_them_and_a_floor_that_disagrees_is_told()
    {
        LevelLine horizon = new(1001, true, -2212.048282, 46.394609, 2035.152908, 194.710143);
        OrientingResult r = Orienting.Solve([], new Orientation { Level = [horizon] }, Still);
        Assert.Empty(r.Problems);
        Assert.InRange((r.SourceToWorld.Rotation * Up - Vec3.UnitY).Length, 0, 1e-7);
        SurveyPoint[] floor =
        [
            new() { Name = "A", Position = new(0, 0, 0) },
            new() { Name = "B", Position = new(1, 0, 0) },
            new() { Name = "C", Position = new(0, 0, -1) },
        ];
        OrientingResult both = Orienting.Solve(floor, new Orientation { Floor = ["A", "B", "C"], Level = [horizon] }, Still);
        Assert.Contains("disagree by 12", Assert.Single(both.Problems));
    }

    // The same numbers: a camera that looks level, and a horizon drawn 200 px above its middle, atan(200 / 1800).
    [Fact]
    public void A_drawn_horizon_judges_the_level()
    {
        ShotDocument shot = new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Camera = new()
            {
                Width = 1920,
                Height = 1080,
                Samples = [new(1001, Pose.Identity.ToRowMajor16(), 1800, 960, 540)],
            },
            SurveyPoints =
            [
                new() { Name = "A", Position = new(0, -1, -3) },
                new() { Name = "B", Position = new(1, -1, -3) },
                new() { Name = "C", Position = new(0, -1, -4) },
            ],
            Orientation = new() { Floor = ["A", "B", "C"] },
        };
        Assert.Contains("no horizon is drawn", HorizonReadings.Of(shot).Note);
        ShotDocument Drawn(params LevelLine[] lines) => shot with { Orientation = shot.Orientation with { Level = lines } };
        LevelLine true0 = new(1001, true, 100, 540, 1800, 540),
            high = new(1001, true, 100, 340, 1800, 340);
        Assert.Equal(0, HorizonReadings.Of(Drawn(true0)).Value!.Value, 1e-6);
        Reading off = HorizonReadings.Of(Drawn(true0, high));
        Assert.Equal(6.3401917, off.Value!.Value, 1e-6);
        Assert.Equal((Verdict.Outside, 340.0), (off.Verdict, off.Worst!.Y));
        Assert.Contains("frame 1009", HorizonReadings.Of(Drawn(high with { Frame = 1009 })).Note);
        // Both ends in one place: no number, rather than one that is none.
        Assert.Null(HorizonReadings.Of(Drawn(high with { X2 = 100 })).Value);
        // An upright judges nothing here.
        Assert.Null(HorizonReadings.Of(Drawn(high with { Horizon = false })).Value);
    }
}
