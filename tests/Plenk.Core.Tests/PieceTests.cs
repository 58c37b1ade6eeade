using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Sets;
using Plenk.Core.Sets.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Pieces by kind: their areas and volumes are those of the solids, derived by hand.</summary>
public class PieceTests
{
    private static TriangleMesh Mesh(Piece piece) => PieceMeshes.World(piece, (_, _) => throw new InvalidOperationException());

    private static double Area(TriangleMesh m) =>
        Enumerable
            .Range(0, m.TriangleCount)
            .Sum(i =>
            {
                var (a, b, c) = m.Triangle(i);
                return Vector3.Cross(b - a, c - a).Length() / 2.0;
            });

    /// <summary>By the divergence theorem: right only where the surface is closed and every face looks outwards.</summary>
    private static double Volume(TriangleMesh m) =>
        Enumerable
            .Range(0, m.TriangleCount)
            .Sum(i =>
            {
                var (a, b, c) = m.Triangle(i);
                return Vector3.Dot(a, Vector3.Cross(b, c)) / 6.0;
            });

    [Fact]
    public void A_cylinder_is_round_closed_and_faces_outwards()
    {
        TriangleMesh m = Mesh(
            new Piece
            {
                Id = "c",
                Kind = PieceKind.Cylinder,
                Size = new(0.6, 3, 0.6),
                Count = 64,
            }
        );
        double polygon = 64 / 2.0 * 0.3 * 0.3 * Math.Sin(2 * Math.PI / 64);
        Assert.Equal(polygon * 3, Volume(m), 1e-4);
        Assert.Equal(2 * polygon + 64 * 2 * 0.3 * Math.Sin(Math.PI / 64) * 3, Area(m), 1e-4);
        Assert.Equal(0, m.Bounds().Min.Y);
    }

    [Fact]
    public void Stairs_have_their_treads_and_risers_and_rise_along_minus_z()
    {
        TriangleMesh m = Mesh(
            new Piece
            {
                Id = "s",
                Kind = PieceKind.Stairs,
                Size = new(2, 1.2, 3),
                Count = 6,
            }
        );
        // Treads 2 × 3, risers 2 × 1.2, the back 2 × 1.2, each side 0.5 going times the heights 0.2 to 1.2.
        Assert.Equal(6 + 2.4 + 2.4 + 2 * 0.5 * (0.2 + 0.4 + 0.6 + 0.8 + 1.0 + 1.2), Area(m), 1e-4);
        Assert.Equal(1.2f, m.Positions.Where(p => p.Z < -1.4f).Max(p => p.Y), 1e-6f);
        Assert.Equal(0.2f, m.Positions.Where(p => p.Z > 1.01f).Max(p => p.Y), 1e-6f);
        Assert.Contains(
            ShotChecks.Faults(
                new ShotDocument
                {
                    Production = "P",
                    Sequence = "S",
                    Code = "C",
                    Pieces =
                    [
                        new Piece
                        {
                            Id = "s",
                            Name = "steps",
                            Kind = PieceKind.Stairs,
                        },
                    ],
                }
            ),
            f => f.Contains("between 1 and 500 steps, not 0", StringComparison.Ordinal)
        );
    }

    private static readonly Piece Room = new()
    {
        Id = "r",
        Name = "room",
        Kind = PieceKind.Outline,
        Size = new(1, 2.5, 1),
        Corners = [0, 0, 4, 0, 4, 3, 0, 3],
    };

    [Fact]
    public void An_outline_gives_a_floor_with_holes_and_walls_with_openings()
    {
        Assert.Equal(12 + 14 * 2.5, Area(Mesh(Room)), 1e-4);
        Assert.Equal(
            12 - 1,
            Area(
                Mesh(
                    Room with
                    {
                        Walls = false,
                        Holes =
                        [
                            [1, 1, 2, 1, 2, 2, 1, 2],
                        ],
                    }
                )
            ),
            1e-4
        );
        Assert.All(Enumerable.Range(0, Mesh(Room with { Walls = false }).TriangleCount), i =>
            Assert.True(Mesh(Room with { Walls = false }).FaceNormal(i).Y > 0.999)
        );
        Piece door = Room with { Ground = false, Openings = [new(0, 1, 1.9, 0, 2.1), new(0, 2.5, 3.5, 0.9, 2.1), new(1, 0.5, 1, 1, 2)] };
        Assert.Equal(14 * 2.5 - 0.9 * 2.1 - 1.2 - 0.5, Area(Mesh(door)), 1e-4);
        // A ray through the window passes, one beside it does not.
        var tree = new MeshTree(Mesh(door));
        Assert.False(tree.Intersect(new Ray(new(3, 1.5f, -2), Vector3.UnitZ, 0, 2.5f)).IsHit);
        Assert.True(tree.Intersect(new Ray(new(3, 0.5f, -2), Vector3.UnitZ, 0, 2.5f)).IsHit);
    }

    [Fact]
    public void What_cannot_be_an_outline_is_told()
    {
        Assert.Null(DrawnOutline.Fault(Room));
        Assert.Contains("crosses itself near x 2, z 1.5", DrawnOutline.Fault(Room with { Corners = [0, 0, 4, 3, 4, 0, 0, 3] }));
        Assert.Contains("three corners", DrawnOutline.Fault(Room with { Corners = [0, 0, 4, 0] }));
        Assert.Contains(
            "a hole does not lie within",
            DrawnOutline.Fault(
                Room with
                {
                    Holes =
                    [
                        [6, 1, 7, 1, 7, 2, 6, 2],
                    ],
                }
            )
        );
        Assert.Contains("wall is 4 m long", DrawnOutline.Fault(Room with { Openings = [new(0, 3, 5, 0, 2)] }));
        Assert.Contains("there are 4", DrawnOutline.Fault(Room with { Openings = [new(7, 0, 1, 0, 2)] }));
        Assert.Contains("neither floor nor walls", DrawnOutline.Fault(Room with { Walls = false, Ground = false }));
        Assert.Contains("no height", DrawnOutline.Fault(Room with { Size = new(1, 0, 1) }));
        Assert.Equal(0, Mesh(Room with { Corners = [0, 0, 4, 3, 4, 0, 0, 3] }).TriangleCount);
        Assert.Contains("two places", DrawnOutline.Fault(Room with { Kind = PieceKind.Strip, Corners = [1, 1] }));
    }

    [Fact]
    public void A_strip_follows_its_path_and_is_mitred()
    {
        TriangleMesh m = Mesh(
            new Piece
            {
                Id = "k",
                Kind = PieceKind.Strip,
                Size = new(0.2, 0.15, 1),
                Corners = [0, 0, 5, 0, 5, 4],
            }
        );
        // Top: the middle line's length times the width, whatever the mitre; two sides of the same length together; two ends.
        Assert.Equal(9 * 0.2 + 2 * 9 * 0.15 + 2 * 0.2 * 0.15, Area(m), 1e-4);
        Assert.Equal(0.1f, MathF.Abs(m.Positions[0].Z), 1e-5f);
        TriangleMesh dome = Mesh(
            new Piece
            {
                Id = "d",
                Kind = PieceKind.Dome,
                Size = new(20, 10, 20),
            }
        );
        Assert.InRange(Area(dome), 0.985 * 2 * Math.PI * 100, 2 * Math.PI * 100);
    }

    [Fact]
    public void A_cylinder_is_laid_through_points_on_part_of_its_surface()
    {
        var random = new Random(3);
        // A third of the way around, 2 mm of noise.
        Vec3[] points =
        [
            .. Enumerable
                .Range(0, 60)
                .Select(_ =>
                {
                    double a = 0.3 + 2.1 * random.NextDouble(),
                        r = 0.25 + 0.002 * TrackScenes.Normal(random);
                    return new Vec3(4 + r * Math.Cos(a), 3 * random.NextDouble(), -7 + r * Math.Sin(a));
                }),
        ];
        FittedPiece f = PieceFit.Cylinder(points, out _)!;
        Assert.Equal(0.5, f.Piece.Size.X, 0.01);
        Assert.InRange((f.Piece.Position - new Vec3(4, points.Min(p => p.Y), -7)).Length, 0, 0.01);
        Assert.Equal(0.002, f.RmsMetres, 0.0006);
        Assert.Null(PieceFit.Cylinder(points.Take(4).ToArray(), out string? why));
        Assert.Contains("five points", why);
        Assert.Null(PieceFit.Cylinder([.. Enumerable.Range(0, 8).Select(i => new Vec3(1, i, 2))], out why));
        Assert.Contains("no roundness", why);
    }

    [Fact]
    public void A_surface_is_grown_from_one_of_its_points_and_stops_at_its_edge()
    {
        var random = new Random(9);
        Vec3 At(double x, double y, double z) => new(x, y + 0.004 * TrackScenes.Normal(random), z);
        Vec3[] floor = [.. Enumerable.Range(0, 150).Select(_ => At(6 * random.NextDouble(), 0, -6 * random.NextDouble()))];
        // A wall that meets it, a table above it, and another floor as level beyond a gap.
        Vec3[] others =
        [
            .. Enumerable.Range(0, 80).Select(_ => At(6 * random.NextDouble(), 0.1 + 2 * random.NextDouble(), -6.05)),
            .. Enumerable.Range(0, 30).Select(_ => At(2 + random.NextDouble(), 0.8, -3 + random.NextDouble())),
            .. Enumerable.Range(0, 40).Select(_ => At(14 + 2 * random.NextDouble(), 0, -2 * random.NextDouble())),
        ];
        IReadOnlyList<int> on = SurfaceGrow.Plane([.. floor, .. others], 20, 0.02);
        Assert.InRange(on.Count(i => i < 150), 130, 150);
        Assert.InRange(on.Count(i => i >= 150), 0, 4);
        Assert.Contains(20, on);
        Assert.Empty(SurfaceGrow.Plane([.. Enumerable.Range(0, 7).Select(i => new Vec3(i, 0, 0))], 0, 0.01));
        // And a plane through them is the floor; nearly square to a neighbour it is set square.
        Piece neighbour = new()
        {
            Id = "n",
            Kind = PieceKind.Box,
            RotationYxzDegrees = new(0, 31, 0),
        };
        Assert.Equal(
            121,
            PieceFit
                .Square(
                    new Piece
                    {
                        Id = "p",
                        Kind = PieceKind.Plane,
                        RotationYxzDegrees = new(90, 120, 0),
                    },
                    [neighbour]
                )
                .RotationYxzDegrees.Y,
            1e-9
        );
        Assert.Equal(
            100,
            PieceFit
                .Square(
                    new Piece
                    {
                        Id = "p",
                        Kind = PieceKind.Plane,
                        RotationYxzDegrees = new(90, 100, 0),
                    },
                    [neighbour]
                )
                .RotationYxzDegrees.Y
        );
    }

    [Fact]
    public void A_piece_that_slips_is_measured_by_its_edges()
    {
        var camera = new Pinhole(400, 300, 400, 400, 200, 150, Lens.None);
        Piece Board(double x) =>
            new()
            {
                Id = "b",
                Name = "board",
                Kind = PieceKind.Plane,
                Position = new(x, 0, -4),
                RotationYxzDegrees = new(90, 0, 0),
                Size = new(2, 0, 1.6),
            };
        var seen = new SetScene([Board(0)], (_, _) => throw new InvalidOperationException());
        var grid = new RayGrid(camera, Pose.Identity);
        var gray = new float[400 * 300];
        for (int y = 0; y < 300; y++)
        {
            for (int x = 0; x < 400; x++)
            {
                for (uint k = 0; k < 8; k++)
                {
                    if (grid.TryDirection(x, y, Sampling.Point(k, 3, 0), out Vector3 d))
                    {
                        gray[y * 400 + x] += seen.Scene.Occluded(new Ray(grid.Origin, d), RayKinds.CameraSet) ? 0.1f : 0.02f;
                    }
                }
            }
        }
        PieceSlip Slip(double x) =>
            Assert.Single(
                EdgeSlip.Of(
                    new SetScene([Board(x)], (_, _) => throw new InvalidOperationException()),
                    camera,
                    Pose.Identity,
                    new GrayImage(400, 300, gray)
                )
            );
        Assert.InRange(Slip(0).MiddlePx, 0, 0.15);
        Assert.InRange(Slip(0).Spots, 30, 200);
        // 3 cm at 4 m and f = 400 is 3 px at the two upright edges; the level ones stay: the ninth tenth lies on an upright one.
        PieceSlip off = Slip(0.03);
        Assert.True(Math.Abs(off.WorstX - 103) < 1.5 || Math.Abs(off.WorstX - 303) < 1.5, $"{off}");
        // Nine frames in which it slips more and more: the worst is the last.
        Core.Readings.Reading reading = Core.Readings.SetReadings.Edges([(1001, [Slip(0)]), (1009, [off with { MiddlePx = 3.4 }])], _ =>
            "board"
        );
        Assert.Equal((3.4, 1009), (reading.Value, reading.Worst!.Frame));
        Assert.Contains("board at 1009", reading.Note);
        Assert.Equal(Core.Readings.Verdict.Outside, reading.Verdict);
    }

    [Fact]
    public void A_holdout_grows_and_shrinks_for_hiding_alone()
    {
        // Every face of a box goes out by as much: 1 × 2 × 3 held out 10 mm larger is 1.02 × 2.02 × 3.02.
        TriangleMesh grown = PieceMeshes.Offset(PieceMeshes.Box(new(1, 2, 3)), 0.01);
        Assert.Equal(1.02 * 2.02 * 3.02, Volume(grown), 1e-3);
        Assert.Equal(0.98 * 1.98 * 2.98, Volume(PieceMeshes.Offset(PieceMeshes.Box(new(1, 2, 3)), -0.01)), 1e-3);
        SetScene Scene(double mm) =>
            new(
                [
                    new Piece
                    {
                        Id = "b",
                        Kind = PieceKind.Box,
                        Position = new(0, -0.5, -4),
                        Size = new(1, 1, 1),
                        Duties = new() { HoldoutMillimetres = mm },
                    },
                ],
                (_, _) => throw new InvalidOperationException()
            );
        float Hides(SetScene set, float x)
        {
            var ray = new Ray(Vector3.Zero, Vector3.Normalize(new(x, 0, -3.5f)));
            return set.HideDistance(ray, set.Scene.Intersect(ray, RayKinds.CameraSet));
        }
        // The front's edge is at x = 0.5, 3.5 m away.
        Assert.True(float.IsFinite(Hides(Scene(0), 0.49f)) && float.IsInfinity(Hides(Scene(0), 0.51f)));
        Assert.True(float.IsFinite(Hides(Scene(30), 0.51f)) && float.IsInfinity(Hides(Scene(30), 0.55f)));
        Assert.True(float.IsInfinity(Hides(Scene(-30), 0.49f)) && float.IsFinite(Hides(Scene(-30), 0.45f)));
        // What blocks light and what the camera sees keep their size.
        Assert.True(Scene(-30).Scene.Occluded(new Ray(new(0.49f, 3, -4), -Vector3.UnitY), RayKinds.LightSet));
        // Two pixels at 4 m and f = 1000 are 8 mm.
        var shot = new ShotDocument
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Pieces =
            [
                new Piece
                {
                    Id = "b",
                    Kind = PieceKind.Box,
                    Position = new(0, -0.5, -4),
                    Duties = new() { HoldoutPixels = 2, HoldoutMillimetres = 1 },
                },
            ],
        };
        Assert.Equal(
            9,
            Holdouts.At(shot, Pose.Identity, new Pinhole(1920, 1080, 1000, 1000, 960, 540, Lens.None)).Pieces[0].Duties.HoldoutMillimetres,
            1e-9
        );
    }

    // The radius of an arc by its chord and rise: r = h/2 + c²/(8h), from the products of crossing chords (Euclid, Elements III.35): 4 m wide and 1 m high, 2.5 m.
    [Theory]
    [InlineData(4, 4, 0, 2, 2)] // a half circle
    [InlineData(4, 1.5, 0.5, 0.5, 2.5)]
    public void An_arch_springs_where_its_circle_meets_the_jambs(double wide, double crown, double sill, double springs, double radius)
    {
        var o = new Opening(0, 1, 1 + wide, sill, crown);
        Assert.Equal(radius, ArchForm.Radius(o), 1e-9);
        Assert.Equal(springs, ArchForm.Spring(o), 1e-9);
    }

    [Theory]
    [InlineData(0, 3)]
    [InlineData(0.5, 3)]
    [InlineData(2.8, 3)]
    public void An_arch_is_closed_and_lacks_its_opening(double sill, double crown)
    {
        const int Sides = 64;
        var o = new Opening(0, 0.6, 2.4, sill, crown);
        Piece arch = new ArchForm().Default with { Id = "a", Openings = [o], Count = Sides };
        double r = ArchForm.Radius(o),
            half = Math.Asin(Math.Min(1, 0.9 / r)),
            angle = 2 * (ArchForm.Spring(o) < crown - r ? Math.PI - half : half) / Sides,
            // The head is a polygon: a triangle to the middle for each side, less the triangle under the chord.
            head = Sides * 0.5 * r * r * Math.Sin(angle) - 0.9 * (r - (crown - ArchForm.Spring(o))),
            opening = 1.8 * (ArchForm.Spring(o) - sill) + head;
        TriangleMesh mesh = Mesh(arch);
        Assert.Equal((3 * 3.5 - opening) * 0.6, Volume(mesh), 1e-4);
        Assert.Equal(mesh.AreaAndVolume().Volume, Volume(mesh), 1e-4);
        Assert.Null(new ArchForm().Fault(arch));
        Assert.NotNull(new ArchForm().Fault(arch with { Openings = [o with { To = 3.2 }] }));
        Assert.Empty(ShotChecks.Faults(SetOf(arch)));
    }

    private static ShotDocument SetOf(Piece piece) =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Pieces = [piece],
        };

    [Fact]
    public void Every_kind_of_piece_and_light_has_its_description_and_begins_without_fault()
    {
        Assert.Equal(Enum.GetValues<PieceKind>().Order(), PieceForms.All.Select(f => f.Kind).Order());
        Assert.Equal(Enum.GetValues<LightKind>().Order(), LightForms.All.Select(f => f.Kind).Order());
        foreach (PieceForm form in PieceForms.All.Where(f => f.Adds is not null))
        {
            Piece piece = form.Default with { Id = "a", Name = "a" };
            Assert.Empty(ShotChecks.Faults(SetOf(piece)));
            Assert.True(Mesh(piece).TriangleCount > 0);
        }
    }
}
