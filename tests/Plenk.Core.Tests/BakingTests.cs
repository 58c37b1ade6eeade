using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Footage written into pieces, shared by sources, planned; depth by sweeping. Values are derived from the scenes.</summary>
public class BakingTests
{
    private static readonly Pinhole Camera = new(400, 300, 400, 400, 200, 150, new Lens(-0.05));

    private static SetScene Scene(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());

    private static Piece Wall(string id, Vec3 at, double width, double height) =>
        new()
        {
            Id = id,
            Kind = PieceKind.Plane,
            Position = at,
            RotationYxzDegrees = new(90, 0, 0),
            Size = new(width, 0, height),
        };

    /// <summary>A picture whose colour is a smooth function of where a ray meets the wall z = −4.</summary>
    private static FloatImage Painted(Pose pose, float gain = 1)
    {
        var image = new FloatImage(400, 300, 3);
        for (int y = 0; y < 300; y++)
        {
            for (int x = 0; x < 400; x++)
            {
                if (!Camera.TryDirection(x + 0.5, y + 0.5, out Vec3 d))
                {
                    continue;
                }
                Vec3 w = pose.Rotation * d;
                Vec3 p = pose.Position + w * ((-4 - pose.Position.Z) / w.Z);
                (image[x, y, 0], image[x, y, 1], image[x, y, 2]) = (
                    gain * (float)(0.5 + 0.2 * Math.Sin(3 * p.X)),
                    gain * (float)(0.5 + 0.2 * Math.Cos(4 * p.Y)),
                    gain * 0.3f
                );
            }
        }
        return image;
    }

    [Fact]
    public void A_baked_wall_carries_what_the_camera_saw_where_it_saw_it()
    {
        SetScene set = Scene(Wall("wall", new(0, 0, -4), 3, 2));
        var source = new Projector(Painted(Pose.Identity), Camera, Pose.Identity, set, 72, 84, null);
        BakedPiece baked = Baker.Bake(set, 0, [source], 0.01);
        Assert.Equal(1, baked.Covered, 1e-6);
        FloatImage tile = Assert.Single(baked.Tiles);
        // Each corner of the mesh finds the paint of its own place in the texture.
        for (int t = 0; t < baked.Mesh.TriangleCount; t++)
        {
            foreach (var (u, v) in ((float, float)[])[(0.3f, 0.3f), (0.1f, 0.6f), (0.6f, 0.2f)])
            {
                var (a, b, c) = baked.Mesh.Triangle(t);
                Vector3 p = a + u * (b - a) + v * (c - a);
                Vector2 at = baked.Mesh.TextureCoordinate(t, u, v) * new Vector2(tile.Width, tile.Height);
                var rgba = new float[4];
                tile.SampleBilinear(at.X, at.Y, rgba);
                Assert.Equal(0.5 + 0.2 * Math.Sin(3 * p.X), rgba[0], 0.01);
                Assert.Equal(0.5 + 0.2 * Math.Cos(4 * p.Y), rgba[1], 0.01);
                Assert.Equal(1, rgba[3], 1e-4);
            }
        }
    }

    [Fact]
    public void Hidden_and_turned_away_faces_stay_bare_and_their_borders_too()
    {
        // A box before the camera: its front is seen, its back, its foot and its far sides are not.
        SetScene set = Scene(
            new Piece
            {
                Id = "box",
                Kind = PieceKind.Box,
                Position = new(0, -0.5, -4),
                Size = new(1, 1, 1),
            }
        );
        BakedPiece baked = Baker.Bake(set, 0, [new Projector(Painted(Pose.Identity), Camera, Pose.Identity, set, 72, 84, null)], 0.02);
        Assert.Equal(1.0 / 6, baked.Covered, 0.01);
        Assert.Equal(6, Charts.Of(set.Meshes[0]).Count);
        // Light at both sides of an edge that only one side of is seen must not creep around it.
        int lit = 0,
            texels = 0;
        foreach (FloatImage tile in baked.Tiles)
        {
            for (int i = 0; i < tile.Width * tile.Height; i++)
            {
                if (tile.Data[4 * i + 3] <= 0)
                {
                    continue;
                }
                texels++;
                if (tile.Data[4 * i + 3] > 0.5f)
                {
                    lit++;
                }
            }
        }
        Assert.InRange(lit, 50 * 50, (50 + 2 * Charts.Margin) * (50 + 2 * Charts.Margin));
        Assert.InRange(texels - lit, 0, 60);
    }

    [Fact]
    public void A_sphere_of_triangles_is_laid_out_without_overlap_and_within_its_stretch()
    {
        // Latitude and longitude, 16 × 24.
        var positions = new List<Vector3>();
        var indices = new List<int>();
        for (int j = 0; j <= 16; j++)
        {
            for (int i = 0; i <= 24; i++)
            {
                positions.Add(LatLongRays.Direction(i / 24f, j / 16f));
            }
        }
        for (int j = 0; j < 16; j++)
        {
            for (int i = 0; i < 24; i++)
            {
                int a = j * 25 + i;
                indices.AddRange([a, a + 1, a + 25, a + 1, a + 26, a + 25]);
            }
        }
        var mesh = new TriangleMesh([.. positions], [.. indices]);
        IReadOnlyList<Chart> charts = Charts.Of(mesh);
        Assert.InRange(charts.Count, 6, 60);
        Assert.Equal(
            Enumerable.Range(0, mesh.TriangleCount).Count(t => mesh.FaceNormal(t) is var n && !float.IsNaN(n.X)),
            charts.Sum(c => c.Triangles.Length)
        );
        var packed = Charts.Pack(charts, 0.02, 1024);
        Assert.NotNull(packed);
        var taken = new HashSet<(int, int, int)>();
        foreach (Chart c in charts)
        {
            for (int y = c.Y; y < c.Y + c.Size.Y / 0.02; y++)
            {
                for (int x = c.X; x < c.X + c.Size.X / 0.02; x++)
                {
                    Assert.True(taken.Add((c.Tile, x, y)));
                }
            }
            foreach (int t in c.Triangles)
            {
                var (a, b, d) = mesh.Triangle(t);
                Vector2 e1 = c.Flat(b) - c.Flat(a),
                    e2 = c.Flat(d) - c.Flat(a);
                float flat = MathF.Abs(e1.X * e2.Y - e1.Y * e2.X) / 2,
                    own = Vector3.Cross(b - a, d - a).Length() / 2;
                if (own < 1e-5f)
                {
                    continue;
                } // at the poles
                Assert.InRange(flat / own, Math.Cos(Charts.MostDegrees * Math.PI / 180) - 1e-3, 1.0001);
            }
        }
        Assert.Null(Charts.Pack(charts, 0.0005, 1024));
    }

    [Fact]
    public void Of_two_sources_the_sharper_one_wins_and_exposure_tells_which()
    {
        SetScene set = Scene(Wall("wall", new(0, 0, -4), 6, 4));
        var near = new Pose(Matrix3.Identity, new(0.2, 0, -2));
        Projector far = new(Painted(Pose.Identity), Camera, Pose.Identity, set, 72, 84, null),
            close = new(Painted(near, 2), Camera, near, set, 72, 84, null);
        Vector4 both = ProjectedView.Mix(
            [far, close],
            new(0.1f, 0.1f, -4),
            Vector3.UnitZ,
            0,
            new(0.002f, 0, 0),
            new(0, 0.002f, 0),
            SourceMix.Quality
        );
        Assert.Equal(0.6, both.Z, 0.01);
        Assert.Equal(1, both.W, 1e-5);
        // In order the first one has it, whichever is sharper.
        Assert.Equal(
            0.3,
            ProjectedView.Mix([far, close], new(0.1f, 0.1f, -4), Vector3.UnitZ, 0, new(0.002f, 0, 0), new(0, 0.002f, 0), SourceMix.Order).Z,
            0.01
        );
        // Out of the near one's sight the far one still shows it.
        Assert.Equal(
            0.3,
            ProjectedView
                .Mix([far, close], new(1.6f, 0.1f, -4), Vector3.UnitZ, 0, new(0.002f, 0, 0), new(0, 0.002f, 0), SourceMix.Quality)
                .Z,
            0.01
        );
        // 2 m before the wall a pixel is 2/400 m, and twice as much at 4 m; at 60° off the normal half as dense (PRJ-03 of the handbook values: f cos i ÷ r).
        Assert.Equal(200, close.Sight.Density(new(0.2f, 0, -4), Vector3.UnitZ, 0), 0.1f);
        Assert.Equal(100, far.Sight.Density(new(0, 0, -4), Vector3.UnitZ, 0), 0.1f);
        Assert.Equal(50, far.Sight.Density(new(0, 0, -4), new(MathF.Sin(MathF.PI / 3), 0, 0.5f), 0), 0.1f);
    }

    [Fact]
    public void A_footprint_larger_than_pixels_is_averaged_and_a_smaller_one_is_smooth()
    {
        var checks = new FloatImage(256, 256, 3);
        for (int y = 0; y < 256; y++)
        {
            for (int x = 0; x < 256; x++)
            {
                float v = ((x + y) & 1) == 0 ? 1 : 0;
                (checks[x, y, 0], checks[x, y, 1], checks[x, y, 2]) = (v, v, v);
            }
        }
        var pyramid = new FootagePyramid(checks);
        Assert.Equal(0.5, pyramid.Sample(128.3, 128.7, new(6, 0), new(0, 6)).X, 0.02);
        // Long and thin: averaged along its length only.
        var stripes = new FloatImage(256, 256, 3);
        for (int y = 0; y < 256; y++)
        {
            for (int x = 0; x < 256; x++)
            {
                float v = x < 128 ? 1 : 0;
                (stripes[x, y, 0], stripes[x, y, 1], stripes[x, y, 2]) = (v, v, v);
            }
        }
        Assert.Equal(1, new FootagePyramid(stripes).Sample(120, 128, new(0, 8), new(1, 0)).X, 0.02);
        Assert.InRange(new FootagePyramid(stripes).Sample(120, 128, new(40, 0), new(0, 1)).X, 0.55, 0.85);
        // Enlarged ten times an edge is a slope without over- or undershoot.
        float[] slope =
        [
            .. Enumerable.Range(0, 21).Select(i => new FootagePyramid(stripes).Sample(127 + i * 0.1, 100, new(0.1f, 0), new(0, 0.1f)).X),
        ];
        Assert.All(slope, v => Assert.InRange(v, 0, 1));
        Assert.True(slope.Zip(slope.Skip(1)).All(p => p.First >= p.Second) && slope.Any(v => v is > 0.3f and < 0.7f));
    }

    [Fact]
    public void A_plan_takes_the_frame_that_adds_most_and_stops_when_nothing_is_added()
    {
        SetScene set = Scene(Wall("left", new(-3, 0, -4), 4, 3), Wall("right", new(3, 0, -4), 4, 3), Wall("hidden", new(0, 0, 9), 1, 1));
        IReadOnlyList<SetSpot> spots = SetSpots.Over(set);
        Assert.Equal(25, spots.Sum(s => s.Area), 0.01);
        float[] From(double x) =>
            SourcePlan.Sharpness(spots, new SourceSight(Camera, new(Matrix3.Identity, new(x, 0, 0)), set, 72, 84, null), null);
        IReadOnlyList<PlannedSource> plan = SourcePlan.Greedy(spots, [(1, From(-2.2)), (2, From(3)), (3, From(-3)), (4, From(-2.9))]);
        Assert.Equal([2, 3], plan.Select(p => p.Frame).Order());
        Assert.InRange(plan[^1].Covered, 0.85, 0.961);
        // What moves by eight pixels while the shutter is open is eight times less sharp.
        float[] still = From(3),
            smeared = SourcePlan.Sharpness(
                spots,
                new SourceSight(Camera, new(Matrix3.Identity, new(3, 0, 0)), set, 72, 84, null),
                new(Matrix3.Identity, new(3.16, 0, 0))
            );
        int seen = Array.FindIndex(still, v => v > 90);
        Assert.Equal(8, still[seen] / smeared[seen], 0.5);
    }

    [Fact]
    public void Depth_is_swept_from_views_on_both_sides()
    {
        // A speckled wall 6 away with a speckled card 3 away before it; three views 0.2 apart.
        SetScene set = Scene(Wall("wall", new(0, 0, -6), 12, 9), Wall("card", new(0.2, 0, -3), 1, 0.8));
        GrayImage Picture(double x)
        {
            var grid = new RayGrid(Camera, new(Matrix3.Identity, new(x, 0, 0)));
            var gray = new float[400 * 300];
            Parallel.For(0, 300, y =>
            {
                for (int px = 0; px < 400; px++)
                {
                    for (uint s = 0; s < 4; s++)
                    {
                        if (!grid.TryDirection(px, y, Sampling.Point(s, 1, 0), out Vector3 d))
                        {
                            continue;
                        }
                        Hit hit = set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                        if (!hit.IsHit)
                        {
                            continue;
                        }
                        Vector3 p = grid.Origin + hit.T * d;
                        gray[y * 400 + px] +=
                            (
                                Sampling.Hash(
                                    (uint)(int)MathF.Floor(p.X * 28) * 7349u + (uint)(int)MathF.Floor(p.Y * 28) * 9157u + (uint)(int)p.Z
                                ) & 255
                            ) / 1020f;
                    }
                }
            });
            return new GrayImage(400, 300, gray);
        }
        DepthView View(double x) => new(Picture(x), new(Matrix3.Identity, new(x, 0, 0)), Camera);
        DepthMap map = DenseDepth.Sweep(View(0), [View(-0.2), View(0.2)], 2, 12, 64);
        var truth = new RayGrid(Camera, Pose.Identity);
        int given = 0,
            wrong = 0;
        for (int y = 10; y < 290; y++)
        {
            for (int x = 10; x < 390; x++)
            {
                if (float.IsInfinity(map.Depth[y * 400 + x]))
                {
                    Assert.Equal(0, map.Confidence[y * 400 + x]);
                    continue;
                }
                given++;
                Assert.True(truth.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d));
                Hit hit = set.Scene.Intersect(new Ray(truth.Origin, d), RayKinds.CameraSet);
                if (Math.Abs(map.Depth[y * 400 + x] / truth.DepthOf(truth.Origin + hit.T * d) - 1) > 0.05)
                {
                    wrong++;
                }
            }
        }
        Assert.InRange(given / (280.0 * 380), 0.75, 1);
        Assert.InRange((double)wrong / given, 0, 0.03);
        // At another size the depths are the same ones.
        Assert.Subset(map.Depth.ToHashSet(), map.Resized(170, 120).Depth.ToHashSet());
        Assert.Throws<ArgumentException>(() => DenseDepth.Sweep(View(0), [], 2, 12));
    }

    // Equidistant projection: the angle off the axis grows evenly from the middle to the rim; 180° across, the rim lies across the axis.
    [Fact]
    public void A_fisheye_is_true_by_angle()
    {
        var rays = new FisheyeRays(200, 180, Pose.Identity);
        Vector3 Along(float px, float py)
        {
            Assert.True(rays.TryDirection((int)px, (int)py, new(px - (int)px, py - (int)py), out Vector3 d));
            return d;
        }
        Assert.InRange((Along(100, 100) + Vector3.UnitZ).Length(), 0, 1e-6);
        Assert.InRange((Along(199.999f, 100) - Vector3.UnitX).Length(), 0, 1e-4);
        Assert.InRange((Along(100, 0.001f) - Vector3.UnitY).Length(), 0, 1e-4);
        foreach (float r in (float[])[10, 35, 80])
        {
            Assert.Equal(r / 100 * Math.PI / 2, Math.Acos(-Along(100 - 0.6f * r, 100 + 0.8f * r).Z), 1e-4);
        }
        Assert.False(rays.TryDirection(5, 5, new(0.5f, 0.5f), out _));
        // 360° across, the rim looks back.
        Assert.True(new FisheyeRays(200, 360, Pose.Identity).TryDirection(199, 100, new(0.999f, 0), out Vector3 back));
        Assert.InRange((back - Vector3.UnitZ).Length(), 0, 1e-3);
    }

    // Lat-long: +Y at the top row, the middle looks along −Z, u grows towards +X.
    [Fact]
    public void A_sphere_looks_where_the_convention_says()
    {
        Assert.InRange((LatLongRays.Direction(0.5f, 0.5f) + Vector3.UnitZ).Length(), 0, 1e-6);
        Assert.InRange((LatLongRays.Direction(0.75f, 0.5f) - Vector3.UnitX).Length(), 0, 1e-6);
        Assert.InRange((LatLongRays.Direction(0.3f, 0) - Vector3.UnitY).Length(), 0, 1e-6);
    }
}
