using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Footage that a solve cannot trust, or only with care: what is wrong is said, what can be solved is.</summary>
public class BadFootageTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1000, 1000, 640, 360, Lens.None);
    private static readonly SolveSettings Unknown = new()
    {
        Width = 1280,
        Height = 720,
        RefineLens = Intrinsics.None,
    };

    private static Pose Travel(int f) => Pose.LookAt(new(-1.5 + 0.08 * f, 0.1 * Math.Sin(0.3 * f), 0.02 * f), new(0, 0, -8), Vec3.UnitY);

    [Fact]
    public void All_points_on_one_plane_are_solved_with_a_known_focal_length()
    {
        var random = new Random(3);
        Vec3[] wall = [.. Enumerable.Range(0, 220).Select(_ => new Vec3(10 * random.NextDouble() - 5, 5 * random.NextDouble() - 2.5, -8))];
        SolveResult r = CameraSolver.Travelling(
            TrackScenes.Follow(wall, Travel, Camera, 40, 0.1, 4),
            1001,
            1040,
            Unknown with
            {
                FocalPx = 1000,
            }
        );
        Assert.True(r.Solved, r.Reason);
        var map = Alignment
            .Similarity(
                [.. r.Frames.Select(f => f.CameraToWorld.Position)],
                [.. Enumerable.Range(0, 40).Select(f => Travel(f).Position)],
                out _
            )!
            .Value;
        Assert.InRange(map.Rms, 0, 0.02);
    }

    [Fact]
    public void All_far_away_is_told_as_a_turn()
    {
        var random = new Random(3);
        Vec3[] hills =
        [
            .. Enumerable
                .Range(0, 220)
                .Select(_ => new Vec3(
                    4000 * random.NextDouble() - 2000,
                    800 * random.NextDouble() - 300,
                    -4000 - 3000 * random.NextDouble()
                )),
        ];
        static Pose Path(int f) => new(Rotations.AboutY(0.005 * f), new(0.05 * f, 0, 0));
        SolveResult r = CameraSolver.Travelling(TrackScenes.Follow(hills, Path, Camera, 40, 0.1, 4), 1001, 1040, Unknown);
        Assert.False(r.Solved);
        Assert.Contains("Solve it as a turning camera", r.Reason);
        SolveResult turned = TurningSolver.Solve(TrackScenes.Follow(hills, Path, Camera, 40, 0.1, 4), 1001, 1040, Unknown);
        Assert.True(turned.Solved, turned.Reason);
    }

    [Fact]
    public void A_frozen_frame_stands_still_and_nothing_else_suffers()
    {
        static Pose Frozen(int f) => Travel(f >= 20 ? f - 1 : f); // frame 1021 repeats 1020
        SolveResult r = CameraSolver.Travelling(
            TrackScenes.Follow(TrackScenes.Cloud(250), Frozen, Camera, 40, 0.1, 4),
            1001,
            1040,
            Unknown
        );
        Assert.True(r.Solved, r.Reason);
        double step = (r.Frames[12].CameraToWorld.Position - r.Frames[11].CameraToWorld.Position).Length;
        Assert.InRange((r.Frames[20].CameraToWorld.Position - r.Frames[19].CameraToWorld.Position).Length / step, 0, 0.1);
    }

    [Fact]
    public void A_wrong_sensor_is_told()
    {
        // The focal length is held as it would be on a sensor of half the width.
        List<Track> tracks = TrackScenes.Follow(
            TrackScenes.Cloud(250),
            f => Pose.LookAt(new(-2 + 0.1 * f, 0.2 * Math.Sin(0.3 * f), -0.08 * f), new(0, 0, -8), Vec3.UnitY),
            Camera,
            40,
            0.1,
            4
        );
        SolveResult r = CameraSolver.Travelling(tracks, 1001, 1040, Unknown with { FocalPx = 2000 });
        Assert.False(r.Solved);
        Assert.Contains("sensor", r.Reason);
        Assert.True(CameraSolver.Travelling(tracks, 1001, 1040, Unknown with { FocalPx = 1000 }).Solved);
    }

    [Fact]
    public void Something_large_that_moves_by_itself_is_left_out()
    {
        // Two fifths of the tracks are on a thing that drifts past.
        List<Track> still = TrackScenes.Follow(TrackScenes.Cloud(220), Travel, Camera, 40, 0.1, 4);
        var random = new Random(6);
        Vec3[] body =
        [
            .. Enumerable
                .Range(0, 140)
                .Select(_ => new Vec3(1.5 * random.NextDouble() - 2, 2.4 * random.NextDouble() - 1.2, -4 - 0.4 * random.NextDouble())),
        ];
        List<Track> moving = TrackScenes.Follow(
            body,
            f => Travel(f) with { Position = Travel(f).Position - new Vec3(0.05 * f, 0.01 * f, 0) },
            Camera,
            40,
            0.1,
            5
        );
        int own = still.Count;
        still.AddRange(
            moving.Select(t =>
            {
                var copy = new Track(1000 + t.Id);
                copy.Points.AddRange(t.Points);
                return copy;
            })
        );
        SolveResult r = CameraSolver.Travelling(still, 1001, 1040, Unknown);
        Assert.True(r.Solved, r.Reason);
        Assert.InRange(r.Points.Count(p => p.Track > 1000), 0, 0.2 * moving.Count);
        var map = Alignment
            .Similarity(
                [.. r.Frames.Select(f => f.CameraToWorld.Position)],
                [.. Enumerable.Range(0, 40).Select(f => Travel(f).Position)],
                out _
            )!
            .Value;
        Assert.InRange(map.Rms, 0, 0.02);
    }

    [Fact]
    public void A_plate_without_texture_says_so()
    {
        var tracker = new PointTracker(new());
        for (int f = 1001; f < 1012; f++)
        {
            tracker.Next(f, new(new GrayImage(320, 180, [.. Enumerable.Repeat(0.5f, 320 * 180)]), 4));
        }
        Assert.Empty(tracker.Tracks);
        Assert.Contains("too little texture", CameraSolver.Travelling(tracker.Tracks, 1001, 1011, Unknown).Reason);
        Assert.Contains("too little texture", TurningSolver.Solve(tracker.Tracks, 1001, 1011, Unknown).Reason);
    }

    [Fact]
    public void A_flash_that_rolls_down_the_frame_ends_what_it_blinds_and_says_so()
    {
        var random = new Random(4);
        double[] lattice = [.. Enumerable.Range(0, 80 * 60).Select(_ => random.NextDouble())];
        double Noise(double u, double v)
        {
            int i = (int)Math.Floor(u),
                j = (int)Math.Floor(v);
            double a = u - i,
                b = v - j,
                top = lattice[(j + 5) * 80 + i + 5] * (1 - a) + lattice[(j + 5) * 80 + i + 6] * a,
                bottom = lattice[(j + 6) * 80 + i + 5] * (1 - a) + lattice[(j + 6) * 80 + i + 6] * a;
            return top * (1 - b) + bottom * b;
        }
        GrayPyramid Picture(int frame)
        {
            var codes = new ushort[320 * 200];
            for (int y = 0; y < 200; y++)
            {
                for (int x = 0; x < 320; x++)
                {
                    double u = x - 1.7 * frame,
                        v = y - 0.4 * frame;
                    double value = 0.12 + 0.2 * Noise(u / 7, v / 7) + 0.2 * Noise(u / 17 + 3, v / 17);
                    // Lit from the 60th row to the 120th in one frame, blind white from there to the 160th.
                    if (frame == 3 && y >= 60)
                    {
                        value =
                            y < 120 ? 1.5 * value + 0.1
                            : y < 160 ? 1
                            : value;
                    }
                    codes[y * 320 + x] = (ushort)(255 * Math.Clamp(value, 0, 1));
                }
            }
            return GrayPyramid.Of(320, 200, 1, 8, codes);
        }
        var tracker = new PointTracker(
            new()
            {
                Count = 120,
                Distance = 10,
                Radius = 7,
            }
        );
        for (int f = 0; f < 7; f++)
        {
            tracker.Next(1001 + f, Picture(f));
        }
        Track[] before = [.. tracker.Tracks.Where(t => t.Points[0].Frame == 1001)];
        bool Through(Track t) => t.TryAt(1005, out _);
        Track[] dark = [.. before.Where(t => t.Points[0].Y < 45)],
            lit = [.. before.Where(t => t.Points[0].Y is > 72 and < 108)],
            blind = [.. before.Where(t => t.Points[0].Y is > 128 and < 150)];
        Assert.True(dark.Length > 8 && lit.Length > 8 && blind.Length > 4, $"{dark.Length} {lit.Length} {blind.Length}");
        Assert.True(dark.Count(Through) >= 0.8 * dark.Length);
        // More light is gain and bias to a track; white is not.
        Assert.True(lit.Count(Through) >= 0.5 * lit.Length, $"{lit.Count(Through)} of {lit.Length}");
        Assert.All(blind, t => Assert.True(!Through(t) && t.Ended.Length > 0));
        // Those that lived on did not slide.
        Assert.All(lit.Where(Through), t =>
        {
            t.TryAt(1005, out TrackPoint at);
            Assert.InRange(Math.Abs(at.X - t.Points[0].X - 6.8) + Math.Abs(at.Y - t.Points[0].Y - 1.6), 0, 0.3);
        });
    }
}
