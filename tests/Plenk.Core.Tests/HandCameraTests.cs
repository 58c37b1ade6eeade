using Plenk.Core.Cameras;
using Plenk.Core.Checks;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>A camera set by hand: what a drag holds on to stays under the pointer, and its keys are its path.</summary>
public class HandCameraTests
{
    private static readonly HandCamera Hand = new()
    {
        Position = new(1.2, 1.7, 4.5),
        RotationYxzDegrees = new(-9, 17, 3),
        FocalMm = 30,
    };

    private static Pinhole Of(HandCamera h) => Pinhole.FromFilm(1920, 1080, h.FocalMm, 36, Lens.None);

    private static Pose PoseOf(HandCamera h) =>
        new(Rotations.FromEulerYxzDegrees(h.RotationYxzDegrees.X, h.RotationYxzDegrees.Y, h.RotationYxzDegrees.Z), h.Position);

    private static HandCamera Moved(HandMove how, (double, double) from, (double, double) to, HandGrid grid = HandGrid.Floor)
    {
        HandCamera? h = HandMoves.Moved(Hand, Of(Hand), how, grid, from, to, out string? why);
        return h ?? throw new InvalidOperationException(why);
    }

    private static Vec3 Floor(HandCamera h, double x, double y)
    {
        Assert.True(Of(h).TryFloor(PoseOf(h), x, y, out Vec3 place, out _));
        return place;
    }

    [Theory]
    [InlineData(700, 600, 1210, 330)]
    [InlineData(60, 60, 80, 1000)]
    public void A_turn_keeps_what_was_under_the_pointer_under_it(double x, double y, double toX, double toY)
    {
        HandCamera turned = Moved(HandMove.Turn, (x, y), (toX, toY));
        Assert.Equal(Hand.RotationYxzDegrees.Z, turned.RotationYxzDegrees.Z);
        Assert.Equal(Hand.Position, turned.Position);
        Assert.True(Of(Hand).TryDirection(x, y, out Vec3 was) & Of(turned).TryDirection(toX, toY, out Vec3 now));
        Vec3 then = (PoseOf(Hand).Rotation * was).Normalized(),
            after = (PoseOf(turned).Rotation * now).Normalized();
        Assert.InRange((then - after).Length, 0, 1e-9);
    }

    [Fact]
    public void Along_the_grid_up_and_nearer_the_same_spot_stays_under_the_pointer()
    {
        Vec3 held = Floor(Hand, 800, 800);
        HandCamera along = Moved(HandMove.Move, (800, 800), (1000, 700));
        Assert.InRange((Floor(along, 1000, 700) - held).Length, 0, 1e-9);
        Assert.Equal(Hand.Position.Y, along.Position.Y, 12);

        HandCamera up = Moved(HandMove.Height, (800, 800), (800, 900));
        Assert.True(Of(up).TryProject(PoseOf(up), held, out _, out double y));
        Assert.Equal(900, y, 1e-6);
        Assert.Equal((Hand.Position.X, Hand.Position.Z), (up.Position.X, up.Position.Z));

        HandCamera near = Moved(HandMove.Away, (800, 800), (800, 900));
        Assert.True(Of(near).TryProject(PoseOf(near), held, out double px, out double py));
        Assert.Equal(800, px, 1e-6);
        Assert.Equal(800, py, 1e-6);
        Assert.True((near.Position - held).Length < (Hand.Position - held).Length);
    }

    [Fact]
    public void It_rolls_about_the_middle_and_zooms_out_from_it()
    {
        // A quarter turn of the pointer, clockwise in the picture, turns the camera the other way about the way it looks.
        HandCamera rolled = Moved(HandMove.Roll, (1460, 540), (960, 1040));
        Assert.Equal(93, rolled.RotationYxzDegrees.Z, 1e-9);
        Assert.Equal(60, Moved(HandMove.Focal, (1160, 540), (1360, 540)).FocalMm, 1e-9);
        Assert.Null(HandMoves.Moved(Hand, Of(Hand), HandMove.Focal, HandGrid.Floor, (962, 540), (1360, 540), out string? why));
        Assert.Contains("farther from the picture’s middle", why, StringComparison.Ordinal);
    }

    [Fact]
    public void In_the_sky_there_is_no_grid_to_hold_on_to()
    {
        Assert.Null(HandMoves.Moved(Hand, Of(Hand), HandMove.Move, HandGrid.Floor, (960, 20), (960, 40), out string? why));
        Assert.Contains("horizon", why, StringComparison.Ordinal);
    }

    private static ShotDocument Shot() =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "S_0010",
            Range = new(1001, 1011),
            Plate = new()
            {
                Width = 1920,
                Height = 1080,
                SensorWidthMm = 36,
                SensorHeightMm = 20.25,
            },
            Camera = new()
            {
                Name = "set by hand",
                Width = 1920,
                Height = 1080,
                Hand = Hand,
            },
        };

    [Fact]
    public void Its_values_and_their_keys_are_its_samples_by_the_same_edits_as_anything_else()
    {
        ShotDocument shot = Edits.Edits.Apply(Shot(), [Edit.Set("camera/hand/focalMm", 36.0)]).Document;
        Assert.Equal(11, shot.Camera!.Samples.Count);
        Assert.All(shot.Camera.Samples, s => Assert.Equal(1920, s.FocalPx, 1e-9));
        shot = Edits
            .Edits.Apply(
                shot,
                [
                    Edit.Add(
                        "curves",
                        new ValueCurve
                        {
                            Id = "camera/hand/position",
                            Keys =
                            [
                                new(1001, Triple: new(0, 1, 0), Handle: KeyHandle.Straight),
                                new(1011, Triple: new(5, 1, 0), Handle: KeyHandle.Straight),
                            ],
                        }
                    ),
                ]
            )
            .Document;
        Assert.Empty(ShotChecks.Faults(shot));
        Assert.True(ShotCamera.Of(shot)!.TryAt(1005, out Pose pose, out _));
        Assert.InRange((pose.Position - new Vec3(2, 1, 0)).Length, 0, 1e-9);
        // What computes gets the samples alone.
        Assert.Null(Reduced.Camera(shot).Camera!.Hand);
    }

    [Fact]
    public void It_is_turned_to_what_it_looks_at_and_follows_that()
    {
        ShotDocument shot = Shot() with
        {
            Elements =
            [
                new()
                {
                    Id = "ball",
                    Name = "Ball",
                    Media = new('a', 64),
                    Position = new(4, 0, -3),
                },
            ],
        };
        shot = Edits.Edits.Apply(shot, [Edit.Set("camera/hand/aimsAt", new Aim { On = "elements/ball", Place = new(0, 1, 0) })]).Document;
        Assert.True(ShotCamera.Of(shot)!.TryAt(1006, out Pose pose, out Pinhole pinhole));
        Assert.True(pinhole.TryProject(pose, new Vec3(4, 1, -3), out double x, out double y));
        Assert.Equal(960, x, 1e-6);
        Assert.Equal(540, y, 1e-6);
        shot = Edits.Edits.Apply(shot, [Edit.Set("elements/ball/position", new Vec3(-2, 0, -3))]).Document;
        Assert.True(ShotCamera.Of(shot)!.TryAt(1006, out pose, out pinhole));
        Assert.True(pinhole.TryProject(pose, new Vec3(-2, 1, -3), out x, out _));
        Assert.Equal(960, x, 1e-6);
    }

    [Theory]
    [InlineData("camera/hand/focalMm", 0.0, "focal length")]
    [InlineData("camera/hand/focalMm", 1e9, "focal length")]
    public void Values_that_are_no_camera_are_refused(string at, double to, string says)
    {
        EditFault fault = Assert.Throws<EditFault>(() => Edits.Edits.Apply(Shot(), [Edit.Set(at, to)]));
        Assert.Contains(says, fault.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Floor_and_scale_are_not_named_over_it()
    {
        EditFault fault = Assert.Throws<EditFault>(() => Edits.Edits.Apply(Shot(), [Edit.Set("orientation/origin", "P1")]));
        Assert.Contains("set by hand", fault.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void The_horizon_is_where_level_ways_end()
    {
        // Tilted down by 10° without roll: f tan 10° above the middle (Hartley and Zisserman 8.6.3), all along.
        HandCamera level = Hand with { RotationYxzDegrees = new(-10, 40, 0) };
        double[] horizon = HandGrids.Horizon(Of(level), PoseOf(level))!;
        for (int i = 0; i < horizon.Length; i += 2)
        {
            Assert.Equal(540 - 1600 * 0.17632698, horizon[i + 1], 1e-4);
        }
        double[] line = HandGrids.Lines(Of(level), PoseOf(level), HandGrid.Floor, 1)[0];
        Assert.Equal(4, line.Length);
    }
}
