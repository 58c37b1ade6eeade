using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Meshes held to the picture and followed, and what hangs on them. Poses are derived: a known pose is projected and found again.
/// </summary>
public class MovingTests
{
    private static readonly Pinhole Camera = new(640, 360, 600, 600, 320, 180, new Lens(-0.05, 0.01));
    private static readonly Pose True = new(Rotations.FromEulerYxzDegrees(12, 35, -6), new(0.3, -0.4, -5));
    private static readonly Vec3[] Corners = [.. PieceMeshes.Box(new(1.2, 0.9, 0.7)).Positions.Select(Vec3.From)];

    private static MeshSight Seen(Pose pose, Vec3 place)
    {
        Assert.True(Camera.TryProject(pose.ToWorld(place), out double x, out double y));
        return new(place, x, y);
    }

    // Six known points through a known pose (Hartley and Zisserman 7.1 to 7.3), worked with the reference vision library, which has y down and z forward.
    [Fact]
    public void Six_known_points_give_the_published_pose_and_so_do_the_four_in_a_plane()
    {
        Vec3[] places = [new(0, 0, 0), new(1, 0, 0), new(1, 1, 0), new(0, 1, 0), new(0, 0, 1), new(1, 0.5, 1.2)];
        (double X, double Y)[] pixels =
        [
            (840.000000, 630.000000),
            (1111.048236, 633.059011),
            (1090.300138, 905.878635),
            (822.592981, 921.349352),
            (773.032188, 588.929931),
            (982.454047, 701.457082),
        ];
        var camera = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        MeshSight[] sights = [.. places.Zip(pixels).Select(p => new MeshSight(p.First, p.Second.X, p.Second.Y))];
        var flip = new Matrix3(1, 0, 0, 0, -1, 0, 0, 0, -1);
        foreach (int count in (int[])[6, 4])
        {
            Pose found = MeshPose.Refine(
                new(flip, new(0, 0, -4)),
                camera,
                [.. sights.Take(count)],
                [],
                double.PositiveInfinity,
                steps: 100
            );
            Matrix3 r = flip * found.Rotation;
            Assert.Equal(0.938199969, r.M11, 1e-5);
            Assert.Equal(-0.339705984, r.M13, 1e-5);
            Assert.Equal(0.0891131344, r.M32, 1e-5);
            Assert.InRange((found.Position - new Vec3(-0.4, -0.3, -5)).Length, 0, 5e-5);
            Assert.InRange(MeshPose.Rms(found, camera, [.. sights.Take(count)]), 0, 1e-5);
        }
    }

    [Fact]
    public void Places_on_a_mesh_give_its_pose_and_one_wrong_one_does_not_bend_it()
    {
        var start = new Pose(Rotations.FromEulerYxzDegrees(0, 20, 0), new(0, 0, -6));
        MeshSight[] sights = [.. Corners.Select(c => Seen(True, c))];
        Pose found = MeshPose.Refine(start, Camera, sights, [], double.PositiveInfinity, steps: 60);
        Assert.InRange(Rotations.DegreesBetween(found.Rotation, True.Rotation), 0, 1e-5);
        Assert.InRange((found.Position - True.Position).Length, 0, 1e-6);
        sights[3] = sights[3] with { X = sights[3].X + 40 };
        Pose robust = MeshPose.Refine(start, Camera, sights, [], 1, steps: 100);
        Assert.InRange(Rotations.DegreesBetween(robust.Rotation, True.Rotation), 0, 0.1);
    }

    [Fact]
    public void Spots_on_edges_hold_it_across_the_edges()
    {
        // Each edge spot binds only along its normal, so they may slide along their edges.
        var edges = new List<EdgeSight>();
        foreach (var (a, b) in PieceMeshes.FeatureEdges(PieceMeshes.Box(new(1.2, 0.9, 0.7))))
        {
            MeshSight p = Seen(True, Vec3.From(a)),
                q = Seen(True, Vec3.From(b));
            double length = Math.Sqrt((q.X - p.X) * (q.X - p.X) + (q.Y - p.Y) * (q.Y - p.Y)),
                nx = -(q.Y - p.Y) / length,
                ny = (q.X - p.X) / length;
            foreach (double t in (double[])[0.2, 0.5, 0.8])
            {
                MeshSight s = Seen(True, Vec3.From(a) + t * (Vec3.From(b) - Vec3.From(a)));
                edges.Add(new(s.Place, s.X + 3 * ny, s.Y - 3 * nx, nx, ny));
            }
        }
        var start = new Pose(True.Rotation * Rotations.AboutX(0.03), True.Position + new Vec3(0.03, 0.02, 0.1));
        Pose found = MeshPose.Refine(start, Camera, [], edges, 2, steps: 60);
        Assert.InRange(Rotations.DegreesBetween(found.Rotation, True.Rotation), 0, 0.01);
        Assert.InRange((found.Position - True.Position).Length, 0, 1e-3);
    }

    [Fact]
    public void One_pin_slides_two_grow_and_roll_and_three_turn()
    {
        var start = new Pose(Matrix3.Identity, new(0, 0, -5));
        Pose one = MeshPose.Refine(start, Camera, [Seen(True, Corners[0])], [], double.PositiveInfinity, MeshPose.For(1), 40);
        Assert.Equal(0, Rotations.DegreesBetween(start.Rotation, one.Rotation), 1e-9);
        Assert.Equal(-5, one.Position.Z, 1e-12);
        Assert.InRange(MeshPose.Error(one, Camera, Seen(True, Corners[0])), 0, 1e-4);
        MeshSight[] two = [Seen(True, Corners[0]), Seen(True, Corners[7])];
        Pose both = MeshPose.Refine(start, Camera, two, [], double.PositiveInfinity, MeshPose.For(2), 40);
        Assert.InRange(MeshPose.Rms(both, Camera, two), 0, 1e-3);
        // A roll leaves the axis along the line of sight where it was.
        Assert.InRange((both.Rotation * Vec3.UnitZ - Vec3.UnitZ).Length, 0, 1e-9);
        MeshSight[] four = [.. two, Seen(True, Corners[2]), Seen(True, Corners[5])];
        Assert.InRange(
            Rotations.DegreesBetween(
                MeshPose.Refine(both, Camera, four, [], double.PositiveInfinity, MeshPose.For(4), 60).Rotation,
                True.Rotation
            ),
            0,
            1e-4
        );
    }

    [Fact]
    public void Pins_in_a_line_are_told()
    {
        Assert.Contains("in one line", MeshPose.Fault([new(0, 0, 0), new(1, 0, 0), new(0.4, 0.005, 0)]));
        Assert.Contains("one spot", MeshPose.Fault([new(1, 1, 1), new(1, 1, 1), new(1, 1, 1)]));
        Assert.Null(MeshPose.Fault([new(0, 0, 0), new(1, 0, 0), new(0.4, 0.2, 0)]));
        Assert.Null(MeshPose.Fault([new(0, 0, 0), new(1, 0, 0)]));
    }

    /// <summary>A box with a checkered, speckled skin before a striped ground, one ray a pixel.</summary>
    private static GrayPyramid Picture(Pose box, MeshTree tree)
    {
        var codes = new ushort[640 * 360];
        Parallel.For(0, 360, y =>
        {
            for (int x = 0; x < 640; x++)
            {
                Assert.True(Camera.TryDirection(x + 0.5, y + 0.5, out Vec3 d));
                var ray = new Ray(box.ToLocal(Vec3.Zero).ToSingle(), (box.Rotation.Transpose() * d).ToSingle());
                Hit hit = tree.Intersect(ray);
                double v = 0.25 + 0.1 * Math.Sin(x / 23.0) * Math.Sin(y / 17.0);
                if (hit.IsHit)
                {
                    Vector3 p = ray.At(hit.T),
                        n = tree.Mesh.FaceNormal(hit.Triangle);
                    int check =
                        (int)MathF.Floor(p.X * 9.1f + 100.05f)
                        + 3 * (int)MathF.Floor(p.Y * 9.3f + 100.05f)
                        + 5 * (int)MathF.Floor(p.Z * 8.9f + 100.05f);
                    v = 0.45 + 0.35 * ((uint)(check * 2654435761) >> 16 & 255) / 255.0 + 0.1 * n.Y;
                }
                codes[y * 640 + x] = (ushort)(255 * v);
            }
        });
        return GrayPyramid.Of(640, 360, 1, 8, codes);
    }

    [Fact]
    public void Held_at_both_ends_a_box_is_followed_between_and_settles_after_a_correction()
    {
        TriangleMesh mesh = PieceMeshes.Box(new(1.2, 0.9, 0.7));
        var tree = new MeshTree(mesh);
        static Pose At(int f) =>
            new(Rotations.AboutY(0.5 + 0.03 * (f - 1)) * Rotations.AboutX(0.2), new(-0.6 + 0.06 * f, -0.5 + 0.02 * f, -4.5));
        GrayPyramid[] pictures = [.. Enumerable.Range(1, 12).Select(f => Picture(At(f), tree))];
        FollowResult Follow(params MeshHold[] holds) =>
            MeshFollower.Follow(mesh, holds, 1, 12, _ => (Pose.Identity, Camera), f => pictures[f - 1]);
        double Off(FollowResult r) =>
            r.Frames.Max(f => MeshPose.Rms(f.ObjectToWorld, Camera, [.. Corners.Select(c => Seen(At(f.Frame), c))]));
        FollowResult both = Follow(new(1, At(1)), new MeshHold(12, At(12)));
        Assert.Equal(12, both.Frames.Count);
        Assert.Empty(both.Warnings);
        Assert.InRange(Off(both), 0, 1.2);
        Assert.Equal(At(12), both.Frames[^1].ObjectToWorld);
        Assert.InRange(Off(Follow(new MeshHold(6, At(6)))), 0, 1.8);
        // A bad hold in the middle pulls its neighbours along; let go, they come back.
        var bad = new MeshHold(6, new(At(6).Rotation, At(6).Position + new Vec3(0.1, 0, 0)));
        FollowResult bent = Follow(new(1, At(1)), bad, new MeshHold(12, At(12)));
        Assert.Equal(bad.ObjectToWorld, bent.Frames[5].ObjectToWorld);
        Assert.InRange((bent.Frames[4].ObjectToWorld.Position - At(5).Position).Length, 0.02, 0.1);
    }

    [Fact]
    public void What_hangs_on_a_thing_goes_where_it_goes()
    {
        var there = new Pose(Rotations.FromEulerYxzDegrees(10, 40, -20), new(3, 0.5, -2));
        var thing = new MovingObject
        {
            Id = "trolley",
            Frames = [new(1001, Pose.Identity.ToRowMajor16()), new(1002, there.ToRowMajor16())],
        };
        var piece = new Piece
        {
            Id = "box",
            Kind = PieceKind.Box,
            Position = new(0.2, 1, 0),
            RotationYxzDegrees = new(5, 30, 8),
            HangsOn = new() { On = "movingObjects/trolley" },
        };
        var element = new Element
        {
            Id = "bell",
            Media = "x",
            Position = new(0, 1.5, 0.2),
            RotationYxzDegrees = new(5, 25, -3),
            Pivot = new(0, 0.4, 0.1),
            Stretch = new(1, 2, 0.5),
            HangsOn = new() { On = "movingObjects/trolley" },
        };
        var shot = new ShotDocument
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(1001, 1003),
            MovingObjects = [thing],
            Pieces = [piece, new Piece { Id = "floor" }],
            Elements = [element],
        };
        ShotDocument at = Hanging.At(shot, 1002);
        foreach (Vec3 p in (Vec3[])[new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(0, 0, 1)])
        {
            Assert.InRange(
                (PieceMeshes.PlaceOf(at.Pieces[0]).Apply(p) - there.ToWorld(PieceMeshes.PlaceOf(piece).Apply(p))).Length,
                0,
                1e-9
            );
            Assert.InRange((at.Elements[0].ObjectToWorld.Apply(p) - there.ToWorld(element.ObjectToWorld.Apply(p))).Length, 0, 1e-9);
        }
        Assert.Equal(shot.Pieces[1], at.Pieces[1]);
        // Beyond its last frame the thing stays; the way back is exact.
        Assert.Equal(at.Pieces[0].Position, Hanging.At(shot, 1003).Pieces[0].Position);
        // Stood twice it would be carried twice.
        Assert.Same(at, Hanging.At(at, 1002));
        Assert.Throws<InvalidOperationException>(() => Hanging.At(at, 1003));
        Assert.InRange(
            (Hanging.Placed(at.Pieces[0], new Similarity(1, there.Rotation, there.Position).Inverse()).Position - piece.Position).Length,
            0,
            1e-12
        );
        Assert.Contains(ShotChecks.Faults(shot with { MovingObjects = [] }), f =>
            f.Contains("no longer in the shot", StringComparison.Ordinal)
        );
    }

    // Footage is laid on pieces by their numbers in frames that may be before and after one is gone: the numbers stay.
    [Fact]
    public void What_has_broken_has_no_faces_from_its_frame_on_and_keeps_its_number()
    {
        var shot = new ShotDocument
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Pieces =
            [
                new()
                {
                    Id = "slab",
                    GoneFrom = 1003,
                    Duties = new() { Seen = true },
                },
                new() { Id = "floor", Position = new(0, -1, 0) },
            ],
        };
        static float Down(ShotDocument at)
        {
            SetScene set = new(at.Pieces, (_, _) => throw new InvalidOperationException());
            Assert.Equal(["slab", "floor"], set.Pieces.Select(p => p.Id));
            Hit hit = set.Scene.Intersect(new(new(0.1f, 1, 0.2f), new(0, -1, 0)), RayKinds.CameraSet);
            Assert.Equal(hit.T > 1.5f ? "floor" : "slab", set.Pieces[set.PieceOf(hit)].Id);
            return hit.T;
        }
        ShotDocument whole = Hanging.At(shot, 1002.5),
            broken = Hanging.At(shot, 1003);
        Assert.Equal((1, 2), (Down(whole), Down(broken)));
        Assert.Equal((true, false), (whole.Pieces[0].IsSeen, broken.Pieces[0].IsSeen));
        // Taken to another frame it would be gone there too.
        Assert.Throws<InvalidOperationException>(() => Hanging.At(broken, 1001));
    }
}
