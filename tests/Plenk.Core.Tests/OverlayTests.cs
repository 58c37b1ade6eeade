using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Lines drawn over a frame: they lie where the camera equation says, end where they leave it, and part where something hides them.
/// </summary>
public sealed class OverlayTests
{
    private static readonly Pinhole Straight = new(640, 480, 500, 500, 320, 240, Lens.None);
    private static readonly Pose Eye = Pose.LookAt(new(0, 1.5, 6), new(0, 0.5, 0), Vec3.UnitY);
    private static readonly Piece Box = new()
    {
        Id = "box",
        Kind = PieceKind.Box,
        Size = new(2, 1, 1),
    };

    private static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());

    private static IEnumerable<(double X, double Y)> Points(OverlayLine line)
    {
        for (int i = 0; i < line.Points.Length; i += 2)
        {
            yield return (line.Points[i], line.Points[i + 1]);
        }
    }

    [Fact]
    public void A_boxes_edges_lie_where_its_corners_are_seen()
    {
        IReadOnlyList<OverlayLine> lines = Overlays.Wireframe(Straight, Eye, Set(Box));
        TriangleMeshCorners(Box, out Vector3 min, out Vector3 max);
        // All eight corners are ends of lines; the back's lower edge is hidden by the box itself.
        for (int k = 0; k < 8; k++)
        {
            var corner = new Vec3((k & 1) == 0 ? min.X : max.X, (k & 2) == 0 ? min.Y : max.Y, (k & 4) == 0 ? min.Z : max.Z);
            Assert.True(Straight.TryProject(Eye, corner, out double x, out double y));
            Assert.Contains(lines.SelectMany(Points), p => Math.Abs(p.X - x) < 0.05 && Math.Abs(p.Y - y) < 0.05);
        }
        Assert.Contains(lines, l => l.Hidden);
        Assert.Contains(lines, l => !l.Hidden);
        Assert.All(lines, l => Assert.Equal(0, l.Piece));
        // What only blocks light is drawn nowhere.
        Assert.Empty(Overlays.Wireframe(Straight, Eye, Set(Box with { Duties = new() { OnlyBlocksLight = true } })));
    }

    private static void TriangleMeshCorners(Piece piece, out Vector3 min, out Vector3 max) =>
        (min, max) = PieceMeshes.World(piece, (_, _) => throw new InvalidOperationException()).Bounds();

    // A lens with k1 = −0.1 takes a place at r (in focal lengths) to r (1 − 0.1 r²): lines of the floor bend with it (Brown 1971).
    [Fact]
    public void Lines_bend_as_the_lens_bends()
    {
        var bent = Straight with { Lens = new Lens(-0.1, 0, 0, 0, 0) };
        foreach (OverlayLine line in Overlays.FloorGrid(bent, Eye, Set(), 3))
        {
            foreach (var (x, y) in Points(line))
            {
                // Straightened by hand it lies on the floor's grid: one of its two coordinates is a whole metre.
                double u = (x - 320) / 500,
                    v = (y - 240) / 500,
                    r = Math.Sqrt(u * u + v * v),
                    straight = r;
                for (int i = 0; i < 50; i++)
                {
                    straight = r / (1 - 0.1 * straight * straight);
                }
                (u, v) = r > 0 ? (u * straight / r, v * straight / r) : (0, 0);
                Vec3 d = Eye.Rotation * new Vec3(u, -v, -1),
                    p = Eye.Position + d * (-Eye.Position.Y / d.Y);
                Assert.True(
                    Math.Min(Math.Abs(p.X - Math.Round(p.X)), Math.Abs(p.Z - Math.Round(p.Z))) < 2e-3,
                    $"{x}, {y} is the floor's {p.X}, {p.Z}"
                );
            }
        }
    }

    [Fact]
    public void What_stands_before_hides_the_floors_lines()
    {
        var wall = new Piece
        {
            Id = "w",
            Kind = PieceKind.Box,
            Size = new(20, 6, 0.2),
            Position = new(0, 0, 2),
        };
        IReadOnlyList<OverlayLine> lines = Overlays.FloorGrid(Straight, Eye, Set(wall), 4);
        int hidden = 0,
            open = 0;
        foreach (OverlayLine line in lines)
        {
            foreach (var (x, y) in Points(line).Skip(1).SkipLast(1))
            {
                Assert.True(Straight.TryDirection(x, y, out Vec3 d));
                Vec3 way = Eye.Rotation * d,
                    p = Eye.Position + way * (-Eye.Position.Y / way.Y);
                if (p.Z < 1.8)
                {
                    Assert.True(line.Hidden, $"{p.X}, {p.Z}");
                    hidden++;
                }
                if (p.Z > 2.2)
                {
                    Assert.False(line.Hidden, $"{p.X}, {p.Z}");
                    open++;
                }
            }
        }
        Assert.True(hidden > 50 && open > 50, $"{hidden} and {open}");
    }

    // Nothing behind the camera, and nothing far outside of the picture.
    [Fact]
    public void Lines_end_before_the_camera_and_near_the_picture()
    {
        Pose within = Pose.LookAt(new(0.1, 0.3, 0.1), new(0.1, 0.2, -3), Vec3.UnitY);
        IReadOnlyList<OverlayLine> lines = Overlays.FloorGrid(Straight, within, Set(), 6);
        Assert.NotEmpty(lines);
        Assert.All(lines.SelectMany(Points), p =>
        {
            Assert.InRange(p.X, -0.25 * 640, 1.25 * 640);
            Assert.InRange(p.Y, 240 - 1, 1.25 * 480); // the horizon is 7 px above the middle, and the floor below it
        });
        Assert.Empty(Overlays.Axes(Straight, within, new(Matrix3.Identity, new(0, 0, 5))));
        IReadOnlyList<OverlayLine> axes = Overlays.Axes(Straight, Eye, Pose.Identity);
        Assert.Equal(3, axes.Count);
        Assert.True(Straight.TryProject(Eye, new Vec3(0, 1, 0), out double x, out double y));
        Assert.Contains(axes.SelectMany(Points), p => Math.Abs(p.X - x) < 0.01 && Math.Abs(p.Y - y) < 0.01);
    }

    // A grid on a still: lines of the floor meet at their vanishing point, a wall's uprights stay upright in a level camera.
    [Fact]
    public void A_stills_grid_follows_its_vanishing_points()
    {
        Pose level = Pose.LookAt(new(0, 1.6, 8), new(0, 1.6, 0), Vec3.UnitY);
        IReadOnlyList<double[]> lines = StillGrid.Lines(Straight, level, 0.5);
        Assert.NotEmpty(lines);
        int away = 0,
            upright = 0;
        foreach (double[] l in lines)
        {
            double dx = l[2] - l[0],
                dy = l[3] - l[1];
            if (Math.Abs(dx) < 1e-9 && Math.Abs(dy) > 1e-9)
            {
                upright++;
            }
            // Along Z: through the principal point (320, 240).
            if (
                Math.Abs(dy * (320 - l[0]) - dx * (240 - l[1])) / Math.Max(1e-9, Math.Sqrt(dx * dx + dy * dy)) < 1e-6
                && Math.Abs(dx) > 1e-9
            )
            {
                away++;
            }
        }
        Assert.True(away >= 20 && upright >= 20, $"{away} away, {upright} upright");
    }

    // A step between two levels is found where it is, to a tenth of a pixel; across an even wall nothing is.
    [Theory]
    [InlineData(40.0, 0)]
    [InlineData(40.3, 2.5)]
    [InlineData(39.2, -3)]
    public void A_pictures_edge_is_found_along_a_normal(double edge, double from)
    {
        double Level(double x) => 0.3 + 0.4 / (1 + Math.Exp(-2 * (x - edge)));
        var picture = new GrayImage(80, 40, [.. Enumerable.Range(0, 80 * 40).Select(i => (float)Level(i % 80))]);
        Assert.Equal(-from, PictureEdges.Steepest(picture, edge + from, 20, 1, 0)!.Value, 0.12);
        Assert.Equal(from, PictureEdges.Steepest(picture, edge + from, 20, -1, 0)!.Value, 0.12);
        Assert.Null(PictureEdges.Steepest(picture, edge + from, 20, 0, 1));
        Assert.Null(PictureEdges.Steepest(picture, 12, 20, 1, 0));
    }

    // From the camera that filmed it a pixel is covered by one texel, evenly; from half the distance by half as many across: a quarter of the area's root is a half.
    [Fact]
    public void Coverage_counts_texels_to_a_pixel()
    {
        var wall = new Piece
        {
            Id = "w",
            Kind = PieceKind.Box,
            Size = new(30, 30, 0.1),
            Position = new(0, -15, 0),
        };
        SetScene set = Set(wall);
        var camera = new Pinhole(64, 48, 50, 50, 32, 24, Lens.None);
        Pose far = Pose.LookAt(new(0, 0, 8), Vec3.Zero, Vec3.UnitY),
            near = Pose.LookAt(new(0, 0, 4), Vec3.Zero, Vec3.UnitY),
            aside = Pose.LookAt(new(8 * Math.Sin(1), 0, 8 * Math.Cos(1)), Vec3.Zero, Vec3.UnitY);
        var source = new SourceSight(camera, far, set);
        CoverageMap same = CoverageView.Of(new RayGrid(camera, far), set, [source]),
            closer = CoverageView.Of(new RayGrid(camera, near), set, [source]);
        int middle = 24 * 64 + 32;
        Assert.Equal(1, same.Texels[middle], 0.02);
        Assert.Equal(1, same.Stretch[middle], 0.02);
        Assert.Equal(0, same.Source[middle]);
        Assert.Equal(0.5, closer.Texels[middle], 0.02);
        // Filmed from the side at 57.3° (a radian) a surface is stretched 1/cos of that.
        CoverageMap turned = CoverageView.Of(new RayGrid(camera, far), set, [new SourceSight(camera, aside, set)]);
        Assert.Equal(1 / Math.Cos(1), turned.Stretch[middle], 0.05);
        CoverageMap bare = CoverageView.Of(new RayGrid(camera, far), set, []),
            none = CoverageView.Of(new RayGrid(camera, far), Set(), [source]);
        Assert.Equal((0f, -1), (bare.Texels[middle], bare.Source[middle]));
        Assert.Equal(-1, none.Texels[middle]);
    }
}
