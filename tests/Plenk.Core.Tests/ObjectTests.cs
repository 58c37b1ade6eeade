using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// A thing that moves against a solved camera: one relative pose (Hartley and Zisserman 7; derived), its size from its path or from the
/// floor.
/// </summary>
public class ObjectTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1100, 1100, 640, 360, new Lens(-0.05));
    private static readonly SolveSettings Known = new()
    {
        Width = 1280,
        Height = 720,
        FocalPx = 1100,
        Lens = new Lens(-0.05),
    };

    private static Pose Held(int f) =>
        Pose.LookAt(new(0.25 * Math.Sin(0.5 * f), 1.6 + 0.15 * Math.Sin(0.37 * f + 1), 5), new(0, 0.8, -2), Vec3.UnitY);

    private static Pose Rolling(int f) => new(Rotations.AboutY(0.02 * f), new(-1.5 + 0.05 * f, 0, -1 + 0.01 * f));

    private static List<Track> OnThing(Func<int, Pose> camera, Func<int, Pose> thing, bool flat, int frames)
    {
        var random = new Random(12);
        // What the camera sees of a point on the thing is what a camera that moves about it would see.
        Vec3[] points =
        [
            .. Enumerable
                .Range(0, 150)
                .Select(_ => new Vec3(
                    1.2 * random.NextDouble() - 0.6,
                    1.4 * random.NextDouble(),
                    flat ? 0 : 0.6 * random.NextDouble() - 0.3
                )),
        ];
        return TrackScenes.Follow(
            points,
            f => new(thing(f).Rotation.Transpose() * camera(f).Rotation, thing(f).ToLocal(camera(f).Position)),
            Camera,
            frames,
            0.1,
            5
        );
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)] // all points in one plane, where eight of them determine no essential matrix
    public void A_rolling_thing_is_solved_to_its_size_by_the_smoothest_path(bool flat)
    {
        ObjectResult r = ObjectSolver.Solve(OnThing(Held, Rolling, flat, 60), 1001, 1060, f => Held(f - 1001), Known);
        Assert.True(r.Solved, r.Reason);
        Assert.Equal("the smoothest path", r.SizeBy);
        Assert.InRange(r.RmsPx, 0.05, 0.25);
        // Its turn since the first frame, and its middle: a fixed place of the thing.
        Vec3 middle = Rolling(0).ToLocal(r.Frames[0].ObjectToWorld.Position);
        double far = (Held(0).Position - r.Frames[0].ObjectToWorld.Position).Length;
        for (int f = 0; f < 60; f += 9)
        {
            Matrix3 mine = r.Frames[f].ObjectToWorld.Rotation,
                truth = Rolling(f).Rotation;
            Assert.InRange((mine * Vec3.UnitX - truth * Vec3.UnitX).Length, 0, 0.01);
            Assert.InRange((r.Frames[f].ObjectToWorld.Position - Rolling(f).ToWorld(middle)).Length, 0, 0.04);
        }
        Assert.InRange(middle.Length, 0.2, 1.5);
        Assert.InRange(r.SizeDoubt, 0, 0.1);
        // Its distance, given, is kept to.
        ObjectResult told = ObjectSolver.Solve(OnThing(Held, Rolling, flat, 60), 1001, 1060, f => Held(f - 1001), Known, distance: 2 * far);
        Assert.Equal(2 * far, (Held(0).Position - told.Frames[0].ObjectToWorld.Position).Length, 1e-6);
    }

    [Fact]
    public void On_a_tripod_the_floor_tells_the_size_or_nothing_does()
    {
        static Pose Still(int f) => Held(0);
        ObjectResult none = ObjectSolver.Solve(OnThing(Still, Rolling, false, 40), 1001, 1040, f => Still(f), Known);
        Assert.False(none.Solved);
        Assert.Contains("Give its distance", none.Reason);
        // A floor at y = 0 of which some points are seen around the foot.
        var random = new Random(2);
        Vec3[] floor = [.. Enumerable.Range(0, 400).Select(_ => new Vec3(6 * random.NextDouble() - 3, 0, 6 * random.NextDouble() - 3.5))];
        var under = new List<FloorUnder>();
        foreach (int f in (int[])[0, 12, 25, 39])
        {
            double left = 1e9,
                right = 0,
                top = 1e9,
                bottom = 0;
            foreach (
                Vec3 corner in (Vec3[])
                    [new(-0.6, 0, 0.3), new(0.6, 0, 0.3), new(-0.6, 1.4, -0.3), new(0.6, 1.4, -0.3), new(-0.6, 0, -0.3), new(0.6, 0, -0.3)]
            )
            {
                Assert.True(Camera.TryProject(Still(f), Rolling(f).ToWorld(corner), out double x, out double y));
                (left, right, top, bottom) = (Math.Min(left, x), Math.Max(right, x), Math.Min(top, y), Math.Max(bottom, y));
            }
            double depth = ObjectSolver.FloorDepth(floor, Still(f), Camera, (left - 2, top - 2, right + 2, bottom + 2))!.Value;
            // The ray through the middle of the lower edge meets y = 0 there.
            Assert.True(Camera.TryDirection((left + right) / 2, bottom, out Vec3 d));
            Vec3 ray = Still(f).Rotation * d;
            Assert.Equal(-Still(f).Position.Y / ray.Y, depth, 1e-6);
            under.Add(new(1001 + f, depth));
        }
        ObjectResult standing = ObjectSolver.Solve(OnThing(Still, Rolling, false, 40), 1001, 1040, f => Still(f), Known, floor: under);
        Assert.True(standing.Solved, standing.Reason);
        Assert.Contains("floor", standing.SizeBy);
        double truth = (Still(0).Position - Rolling(0).ToWorld(new(0, 0.7, 0))).Length;
        Assert.InRange((Still(0).Position - standing.Frames[0].ObjectToWorld.Position).Length / truth, 0.92, 1.08);
        Assert.False(ObjectSolver.FloorDepth([], Still(0), Camera, (0, 0, 10, 10)).HasValue);
    }

    [Fact]
    public void Too_little_is_told()
    {
        Assert.Contains(
            "inside the matte",
            ObjectSolver.Solve(OnThing(Held, Rolling, false, 30).Take(9).ToList(), 1001, 1030, f => Held(f), Known).Reason
        );
        Assert.Contains(
            "no sample at frame 1010",
            ObjectSolver.Solve(OnThing(Held, Rolling, false, 30), 1001, 1030, f => f == 1010 ? null : Held(f), Known).Reason
        );
    }

    // A plane n·x = d seen by x2 = R x1 + t: H = R + t nᵀ/d (Hartley and Zisserman 13.1); one of the poses found again is the one put in.
    [Fact]
    public void A_plane_s_homography_comes_apart_into_its_pose()
    {
        Matrix3 r = Rotations.AboutY(0.15) * Rotations.AboutX(-0.08);
        Vec3 t = new(0.8, 0.1, 0.3),
            n = new Vec3(0.2, -0.1, 1).Normalized();
        var random = new Random(3);
        var a = new List<(double, double)>();
        var b = new List<(double, double)>();
        for (int i = 0; i < 80; i++)
        {
            double x = random.NextDouble() - 0.5,
                y = random.NextDouble() - 0.5;
            Vec3 p = new Vec3(x, y, 1) * (5 / Vec3.Dot(n, new(x, y, 1))),
                q = r * p + t;
            a.Add((x, y));
            b.Add(i % 8 == 7 ? (random.NextDouble(), random.NextDouble()) : (q.X / q.Z, q.Y / q.Z));
        }
        IReadOnlyList<TwoViewResult> found = TwoView.FromPlane(a, b, 1e-3, 200, 1, 40);
        Assert.InRange(found.Count, 1, 2);
        Assert.Contains(found, f => (f.Rotation * Vec3.UnitZ - r * Vec3.UnitZ).Length + (f.Translation - t.Normalized()).Length < 1e-6);
        Assert.InRange(found[0].Count, 70, 72);
        Assert.Empty(TwoView.FromPlane(a, b, 1e-3, 200, 1, 79));
    }
}
