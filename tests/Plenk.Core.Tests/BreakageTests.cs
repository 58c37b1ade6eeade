using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Solids that are cut, hulls, and what things weigh.</summary>
public class BreakageTests
{
    private static TriangleMesh Tube()
    {
        // A square frame: a block of 3 × 1 × 3 with a hole of 1 × 1 through it.
        var ring = new List<Vector3>();
        foreach (float y in new[] { 0f, 1f })
        {
            ring.AddRange([new(-1.5f, y, -1.5f), new(1.5f, y, -1.5f), new(1.5f, y, 1.5f), new(-1.5f, y, 1.5f)]);
            ring.AddRange([new(-0.5f, y, -0.5f), new(0.5f, y, -0.5f), new(0.5f, y, 0.5f), new(-0.5f, y, 0.5f)]);
        }
        var indices = new List<int>();
        for (int k = 0; k < 4; k++)
        {
            int n = (k + 1) % 4;
            void Quad(int a, int b, int c, int d) => indices.AddRange([a, b, c, a, c, d]);
            Quad(8 + k, 12 + k, 12 + n, 8 + n); // top
            Quad(k, n, 4 + n, 4 + k); // foot
            Quad(k, 8 + k, 8 + n, n); // outside
            Quad(4 + k, 4 + n, 12 + n, 12 + k); // inside
        }
        return new([.. ring], [.. indices]);
    }

    private static void Closed(TriangleMesh mesh)
    {
        int[] place = mesh.Welded(out _);
        var edges = new Dictionary<(int, int), int>();
        for (int i = 0; i < mesh.Indices.Length; i++)
        {
            int a = place[mesh.Indices[i]],
                b = place[mesh.Indices[i % 3 == 2 ? i - 2 : i + 1]];
            if (a != b)
            {
                edges[(a, b)] = edges.GetValueOrDefault((a, b)) + 1;
            }
        }
        Assert.All(edges, e => Assert.Equal(e.Value, edges.GetValueOrDefault((e.Key.Item2, e.Key.Item1))));
    }

    /// <summary>How far a part reaches over a plane through a place, metres, and how far to its other side.</summary>
    private static (double Over, double Under) Sides(BrokenPart part, Vec3 at, Vec3 normal)
    {
        double[] off = [.. part.Mesh.Positions.Select(v => Vec3.Dot(normal, Vec3.From(v) + part.Middle - at))];
        return (Math.Max(0, off.Max()), Math.Max(0, -off.Min()));
    }

    // A crack that follows a line all through parts the thing there: no part reaches over the plane through it by more than 3 cm.
    [Theory]
    [InlineData(2, 1)]
    [InlineData(12, 1)]
    [InlineData(60, 3)]
    [InlineData(200, 7)]
    public void Cracks_follow_a_line_right_through(int parts, int seed)
    {
        // A slab of 2 × 0.2 × 1.2 m, and a slanting line over its top from edge to edge.
        TriangleMesh slab = PieceMeshes.Box(new(2, 0.2, 1.2));
        Vec3 from = new(-1, 0.2, -0.2),
            to = new(1, 0.2, 0.35),
            way = (to - from).Normalized(),
            side = Vec3.Cross(Vec3.UnitY, way);
        var (broken, volume) = Breakage.Of(
            "slab",
            slab,
            new(parts, seed, 2400)
            {
                Cracks =
                [
                    [from, to],
                ],
                Point = new(0.3, 0.2, 0.3),
            },
            0
        );
        Assert.Equal(0.48, volume, 1e-6);
        Assert.InRange(broken.Count, 2, parts);
        Assert.All(broken, p => Assert.InRange(Math.Min(Sides(p, from, side).Over, Sides(p, from, side).Under), 0, 0.03));
        Assert.All(broken, p => Closed(p.Mesh));
        // Each side’s parts have its volume: a trapezium of 2 m by (0.4 + 0.95) ÷ 2 m on one.
        double over = broken.Where(p => Sides(p, from, side) is var s && s.Over > s.Under).Sum(p => p.Volume);
        double one = 0.2 * 2 * ((0.6 - 0.2 + 0.6 + 0.35) / 2),
            other = 0.48 - one;
        Assert.True(Math.Min(Math.Abs(over - one), Math.Abs(over - other)) < 2e-3, $"{over} m³ of {one} and {other}");
    }

    [Fact]
    public void Without_a_line_parts_lie_across_it()
    {
        var (broken, _) = Breakage.Of("slab", PieceMeshes.Box(new(2, 0.2, 1.2)), new(60, 3, 2400), 0);
        Assert.Contains(broken, p => Math.Min(Sides(p, default, Vec3.UnitZ).Over, Sides(p, default, Vec3.UnitZ).Under) > 0.02);
    }

    [Fact]
    public void A_line_of_one_place_is_told()
    {
        BreakFault fault = Assert.Throws<BreakFault>(() =>
            Breakage.Of(
                "slab",
                PieceMeshes.Box(new(2, 0.2, 1.2)),
                new(8, 1, 2400)
                {
                    Cracks =
                    [
                        [new(0, 0.2, 0)],
                    ],
                },
                0
            )
        );
        Assert.Contains("two places or more", fault.Message, StringComparison.Ordinal);
    }

    // A cube of 1 m cut across its corner at a plane x + y + z = s: for s ≤ 1 a corner of s³ ÷ 6 is left (a tetrahedron).
    [Theory]
    [InlineData(0.5, 0.5 * 0.5 * 0.5 / 6)]
    [InlineData(1, 1.0 / 6)]
    [InlineData(1.5, 0.5)]
    public void A_cut_leaves_the_volume_below_it_and_stays_closed(double s, double volume)
    {
        Solid cube = Solid.Of(PieceMeshes.Box(new(1, 1, 1)).Moved(new(1, Matrix3.Identity, new(0.5, 0, 0.5))));
        Assert.Equal(1, cube.Volume, 1e-12);
        Vec3 n = new Vec3(1, 1, 1).Normalized();
        Solid below = cube.Below(n, s / Math.Sqrt(3), 7)!;
        Assert.Equal(volume, below.Volume, 1e-9);
        Closed(below.Mesh(Vec3.Zero));
        Assert.Contains(below.Faces, f => f.Material == 7);
        Assert.Equal(1 - volume, cube.Below(-n, -s / Math.Sqrt(3), 7)!.Volume, 1e-9);
        Assert.Null(cube.Below(n, -0.1, 7));
    }

    [Fact]
    public void A_cut_through_a_hole_is_closed_around_it()
    {
        Solid frame = Solid.Of(Tube());
        Assert.Equal(8, frame.Volume, 1e-9);
        // Level: a ring with a hole in it. Upright through the middle: two faces apart.
        Solid level = frame.Below(Vec3.UnitY, 0.3, 1)!,
            upright = frame.Below(Vec3.UnitX, 0.1, 1)!;
        Assert.Equal(2.4, level.Volume, 1e-9);
        Closed(level.Mesh(Vec3.Zero));
        Assert.Equal(8, level.Faces.Where(f => f.Material == 1).Sum(f => f.Normal.Length / 2), 1e-9);
        Assert.Equal(1.6 * 3 - 0.6, upright.Volume, 1e-6);
        Closed(upright.Mesh(Vec3.Zero));
        Assert.Equal(2, upright.Faces.Where(f => f.Material == 1).Sum(f => f.Normal.Length / 2), 1e-6);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(37)]
    [InlineData(200)]
    public void Parts_are_closed_and_sum_to_the_whole(int count)
    {
        // Stairs have no foot: their rim is closed. Five steps of 0.2 × 0.3 m, 2 m wide: 15 of 0.12 m³.
        foreach (
            var (mesh, cubic) in new[] { (PieceMeshes.Box(new(3, 0.2, 2)), 1.2), (Tube(), 8), (PieceMeshes.Stairs(new(2, 1, 1.5), 5), 1.8) }
        )
        {
            var (parts, volume) = Breakage.Of("it", mesh, new(count, 3, 2400) { Point = new(0.3, 0.2, 0.1) }, 9);
            Assert.Equal(count, parts.Count);
            Assert.Equal(cubic, volume, 1e-6);
            Assert.Equal(volume, parts.Sum(p => p.Volume), 1e-6 * volume);
            Assert.All(parts, p => Closed(p.Mesh));
            // About their own middles.
            Assert.All(parts, p => Assert.True(MassOf.Mesh(p.Mesh).Middle.Length < 1e-5));
        }
    }

    [Fact]
    public void They_are_smaller_where_it_is_struck()
    {
        Vec3 point = new(-1.2, 0.2, -0.7);
        var (parts, _) = Breakage.Of("slab", PieceMeshes.Box(new(3, 0.2, 2)), new(60, 5, 2400) { Point = point }, 0);
        BrokenPart[] sorted = [.. parts.OrderBy(p => (p.Middle - point).Length)];
        Assert.True(sorted[..15].Average(p => p.Volume) < 0.4 * sorted[^15..].Average(p => p.Volume));
    }

    [Fact]
    public void The_blow_is_shared_out_whole()
    {
        var (parts, _) = Breakage.Of(
            "slab",
            PieceMeshes.Box(new(3, 0.2, 2)),
            new(40, 2, 700) { Point = new(0.5, 0.2, 0), Impulse = new(100, -800, 30) },
            0
        );
        Vec3 sum = parts.Aggregate(Vec3.Zero, (s, p) => s + p.Body.Mass * p.Body.Start.Velocity);
        Assert.True((sum - new Vec3(100, -800, 30)).Length < 1e-9);
    }

    // A corner of a picture stays where it was on the face that carries it: the place on it is linear in the face.
    [Fact]
    public void What_a_face_carries_stays_where_it_was()
    {
        var mesh = new TriangleMesh([new(0, 0, 0), new(4, 0, 0), new(4, 0, -4), new(0, 0, -4)], [0, 1, 2, 0, 2, 3])
        {
            TextureCoordinates = [new(0, 1), new(1, 1), new(1, 0), new(0, 0)],
            Materials = [0, 0],
        };
        var (parts, volume) = Breakage.Of("floor", mesh, new(30, 1, 2400) { Thickness = 0.25 }, 1);
        Assert.Equal(4, volume, 1e-6);
        int seen = 0;
        foreach (BrokenPart p in parts)
        {
            for (int t = 0; t < p.Mesh.TriangleCount; t++)
            {
                for (int k = 0; k < 3 && p.Mesh.Materials![t] == 0; k++)
                {
                    int v = p.Mesh.Indices[3 * t + k];
                    Vec3 at = p.Middle + Vec3.From(p.Mesh.Positions[v]);
                    Assert.Equal((at.X / 4, 1 + at.Z / 4), (p.Mesh.TextureCoordinates![v].X, p.Mesh.TextureCoordinates[v].Y), (a, b) =>
                        Math.Abs(a.Item1 - b.Item1) + Math.Abs(a.Item2 - b.Item2) < 1e-5
                    );
                    seen++;
                }
            }
        }
        Assert.True(seen > 90);
    }

    // By definition: momentum is impulse on an area times that area; a cube of 1 m³ and 2400 kg, its face 3 m off, 9 × 2400 N s/m² at 1 m.
    [Fact]
    public void A_blast_pushes_by_the_area_that_is_turned_to_it_and_the_square_of_the_distance()
    {
        TriangleMesh cube = PieceMeshes.Box(new(1, 1, 1));
        BreakSettings with = new(1, 1, 2400)
        {
            Point = new(-3, 0.5, 0),
            Blast = 9 * 2400,
            BlastSpeed = 30,
        };
        FallingBody body = Breakage.Of("cube", cube, with, 1).Parts[0].Body;
        Assert.Equal(0, (body.Start.Velocity - new Vec3(1, 0, 0)).Length, 5e-3);
        Assert.Equal(0.1, body.LateSeconds, 1e-9);
        // From over its edge, half as far again: two faces at 45°.
        double far = 3 * Math.Sqrt(2);
        body = Breakage.Of("cube", cube, with with { Point = new(-3, 3.5, 0) }, 1).Parts[0].Body;
        Assert.Equal(9 / (far * far) * Math.Sqrt(2), body.Start.Velocity.Length, 5e-3);
        Assert.Contains(
            "out of the world",
            Assert.Throws<BreakFault>(() => Breakage.Of("cube", cube, with with { Blast = 1e8 }, 1)).Message
        );
        Assert.Contains(
            "where it is struck",
            Assert.Throws<BreakFault>(() => Breakage.Of("cube", cube, with with { Point = null }, 1)).Message
        );
    }

    [Fact]
    public void Outside_a_radius_and_below_a_depth_parts_stay_fixed_and_the_others_share_the_blow()
    {
        TriangleMesh slab = PieceMeshes.Box(new(4, 0.6, 4));
        Vec3 point = new(0.2, 0.6, 0),
            blow = new(0, -900, 0);
        BreakSettings with = new(300, 1, 2400)
        {
            Point = point,
            Impulse = blow,
            Radius = 0.9,
            Depth = 0.3,
        };
        var (parts, volume) = Breakage.Of("slab", slab, with, 1);
        Assert.Equal(9.6, volume, 1e-6);
        Assert.Equal(volume, parts.Sum(p => p.Volume), 1e-3 * volume);
        foreach (BrokenPart p in parts)
        {
            Vec3 off = p.Middle - point;
            double inside = (off.X * off.X + off.Z * off.Z) / 0.81 + off.Y * off.Y / 0.09;
            Assert.Equal(inside > 1, p.Body.IsFixed);
            Assert.True(p.Body.IsFixed ? p.Body.Start.Velocity == Vec3.Zero : p.Body.Start.Velocity.Y < 0);
        }
        BrokenPart[] loose = [.. parts.Where(p => !p.Body.IsFixed)];
        Assert.InRange(loose.Length, 5, 295);
        Vec3 sum = loose.Aggregate(Vec3.Zero, (s, p) => s + p.Body.Mass * p.Body.Start.Velocity);
        Assert.Equal(0, (sum - blow).Length, 1e-6);
        Assert.Contains(
            "Take more parts, or more room",
            Assert.Throws<BreakFault>(() => Breakage.Of("slab", slab, with with { Radius = 1e-3, Depth = null }, 1)).Message
        );
        Assert.Throws<BreakFault>(() => Breakage.Of("slab", slab, with with { Radius = -1 }, 1));
    }

    // PHY-05: a box of 2 × 1 × 0.5 m and 12 kg has 1.25, 4.25 and 5 kg m² about its middle.
    [Fact]
    public void A_box_weighs_and_turns_as_the_books_say()
    {
        MassOf mass = MassOf.Mesh(PieceMeshes.Box(new(2, 1, 0.5)).Moved(new(1, Matrix3.Identity, new(7, -3, 11))));
        Assert.Equal(1, mass.Volume, 1e-6);
        Assert.True((mass.Middle - new Vec3(7, -2.5, 11)).Length < 1e-6);
        Matrix3 i = mass.Inertia * 12;
        Assert.Equal((1.25, 4.25, 5.0), (i.M11, i.M22, i.M33), (a, b) =>
            Math.Abs(a.Item1 - b.Item1) + Math.Abs(a.Item2 - b.Item2) + Math.Abs(a.Item3 - b.Item3) < 1e-4
        );
        Assert.True(Math.Abs(i.M12) + Math.Abs(i.M13) + Math.Abs(i.M23) < 1e-4);
    }

    // Euler: corners − edges + faces = 2; a cube has 8, 12 and 6, whatever points lie within it or on its faces.
    [Fact]
    public void A_hull_has_the_faces_of_its_solid()
    {
        var points = new List<Vec3>();
        for (int i = 0; i < 200; i++)
        {
            double a = i * 0.618 % 1,
                b = i * 0.414 % 1,
                c = i * 0.732 % 1;
            points.Add(i % 3 == 0 ? new(0, a, b) : new(a, b, c));
        }
        points.AddRange(Enumerable.Range(0, 8).Select(k => new Vec3(k & 1, (k >> 1) & 1, k >> 2)));
        ConvexHull hull = ConvexHull.Of(points)!;
        Assert.Equal((8, 12, 6), (hull.Vertices.Length, hull.Edges.Length, hull.Faces.Length));
        Assert.Equal(1, hull.Thinnest, 1e-9);
        Assert.Null(ConvexHull.Of([new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(1, 1, 0), new(0.3, 0.2, 0)]));
    }

    [Fact]
    public void What_cannot_break_is_said()
    {
        TriangleMesh plane = PieceMeshes.Plane(new(2, 0, 2)),
            box = PieceMeshes.Box(new(1, 1, 1));
        static string Said(TriangleMesh mesh, BreakSettings with) =>
            Assert.Throws<BreakFault>(() => Breakage.Of("slab", mesh, with, 0)).Message;
        Assert.Contains("no volume and no thickness", Said(plane, new(10, 1, 2400)));
        Assert.Contains("thickness must be more than 0", Said(plane, new(10, 1, 2400) { Thickness = 0 }));
        Assert.Contains("1 to 5000 parts", Said(box, new(0, 1, 2400)));
        Assert.Contains("density", Said(box, new(3, 1, 0)));
        Assert.Contains("no number", Said(box, new(3, 1, 2400) { Impulse = new(double.NaN, 0, 0) }));
        Assert.Contains("thinner than 1 mm", Said(PieceMeshes.Box(new(0.01, 0.004, 0.01)), new(500, 1, 2400)));
        Assert.Contains("out of the world", Said(box, new(3, 1, 2400) { Impulse = new(1e9, 0, 0) }));
        // Two boxes in one another as one mesh.
        TriangleMesh other = box.Moved(new(1, Matrix3.Identity, new(0.4, 0.3, 0.2)));
        var both = new TriangleMesh(
            [.. box.Positions, .. other.Positions],
            [.. box.Indices, .. other.Indices.Select(i => i + box.Positions.Length)]
        );
        Assert.Contains("crosses itself", Said(both, new(3, 1, 2400)));
    }
}
