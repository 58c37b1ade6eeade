using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

public class ProjectionTests
{
    private static Piece Upright(string id, double z, double width, double height, double y) =>
        new()
        {
            Id = id,
            Kind = PieceKind.Plane,
            Position = new(0, y, z),
            Size = new(width, 0, height),
            RotationYxzDegrees = new(90, 0, 0),
        };

    /// <summary>A picture whose red is the pixel's x and whose green is its y.</summary>
    private static FloatImage Ramp(int width, int height)
    {
        var picture = new FloatImage(width, height, 3);
        for (int y = 0; y < height; y++)
        {
            for (int x = 0; x < width; x++)
            {
                (picture[x, y, 0], picture[x, y, 1]) = (x + 0.5f, y + 0.5f);
            }
        }
        return picture;
    }

    // Similar triangles, derived: a card 1 m wide at 3 m hides x −1.5 … 1.5 of a wall at 9 m from a projector on its axis.
    [Fact]
    public void What_the_projecting_camera_could_not_see_gets_nothing()
    {
        var set = new SetScene([Upright("card", -3, 1, 1, 2), Upright("wall", -9, 40, 8, 2)], (_, _) =>
            throw new InvalidOperationException()
        );
        var pinhole = new Pinhole(2000, 600, 600, 600, 1000, 300, Lens.None);
        var projector = new Projector(Ramp(2000, 600), pinhole, new Pose(Matrix3.Identity, new(0, 2, 0)), set, 72, 84, null);
        for (double x = -6; x <= 6; x += 0.05)
        {
            Vector4 c = projector.At(new((float)x, 2, -9), Vector3.UnitZ, 1);
            if (Math.Abs(x) < 1.499)
            {
                Assert.Equal(0, c.W);
            }
            if (Math.Abs(x) > 1.501)
            {
                Assert.True(c.W > 0.99f, $"at {x:0.00}");
            }
        }
        // The card itself wears it everywhere: no self-hit.
        for (double x = -0.49; x < 0.5; x += 0.07)
        {
            Assert.True(projector.At(new((float)x, 2.1f, -3), Vector3.UnitZ, 0).W > 0.99f);
        }
        // Its back and a piece that is not chosen wear nothing.
        Assert.Equal(0, projector.At(new(0, 2, -3), -Vector3.UnitZ, 0).W);
        Assert.Equal(
            0,
            new Projector(Ramp(2000, 600), pinhole, new Pose(Matrix3.Identity, new(0, 2, 0)), set, 72, 84, new HashSet<int> { 1 })
                .At(new(0, 2, -3), Vector3.UnitZ, 0)
                .W
        );
    }

    // Perspective-correct interpolation, Heckbert and Moreton 1991: between depths 1 and 4 the middle of the picture shows u = 0.2.
    [Theory]
    [InlineData(0.25, 0.07692308)]
    [InlineData(0.5, 0.2)]
    [InlineData(0.75, 0.4285714)]
    public void Footage_lies_perspective_correct(double s, double u)
    {
        // An edge from (−1, 0, −1) to (4, 0, −4): projected at −1 and +1.
        var pinhole = new Pinhole(200, 100, 100, 100, 100, 50, Lens.None);
        var a = new Vec3(-1, 0, -1);
        var b = new Vec3(4, 0, -4);
        Assert.True(pinhole.TryProject(a + u * (b - a), out double px, out _));
        Assert.Equal(2 * s - 1, (px - 100) / 100, 6);
        // The same through the projector: the ramp's red is the pixel.
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "wall",
                    Kind = PieceKind.Plane,
                    Position = new(1.5, 0, -2.5),
                    Size = new(12, 0, 4),
                    RotationYxzDegrees = new(90, Rotations.Degrees(Math.Atan2(3, 5)), 0),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        var projector = new Projector(Ramp(200, 100), pinhole, Pose.Identity, set, 85, 89, null);
        Vec3 place = a + u * (b - a),
            n = new Vec3(3, 0, 5).Normalized();
        Vector4 c = projector.At(place.ToSingle(), n.ToSingle(), 0);
        Assert.True(c.W > 0);
        Assert.Equal(px, c.X, 1e-3);
    }

    // f B (1/Z − 1/Z'), derived: a projection on geometry 1 m too far slips 3.409 px after 0.25 m sideways; a turn slips nothing.
    [Fact]
    public void Wrong_depth_slips_with_parallax_only()
    {
        var pinhole = new Pinhole(2000, 1000, 1500, 1500, 1000, 500, Lens.None);
        var moved = new Pose(Matrix3.Identity, new(0.25, 0, 0));
        pinhole.TryProject(moved, new Vec3(0, 0, -10), out double near, out _);
        pinhole.TryProject(moved, new Vec3(0, 0, -11), out double far, out _);
        Assert.Equal(3.4090909, far - near, 6);
        var turned = new Pose(Rotations.AboutY(0.2), Vec3.Zero);
        pinhole.TryProject(turned, new Vec3(0, 0, -10), out near, out _);
        pinhole.TryProject(turned, new Vec3(0, 0, -11), out far, out _);
        Assert.Equal(near, far, 9);
    }

    // x = u W − ½, derived: texel centres, clamped at the border.
    [Theory]
    [InlineData(0.5, 0.5, 25)]
    [InlineData(0.25, 0.25, 10)]
    [InlineData(0.375, 0.25, 12.5)]
    [InlineData(0.375, 0.375, 17.5)]
    [InlineData(0, 0, 10)]
    public void Bilinear_lookup(double u, double v, double expected)
    {
        var picture = new FloatImage(2, 2, 1, [10, 20, 30, 40]);
        Span<float> value = stackalloc float[1];
        picture.SampleBilinear(2 * u, 2 * v, value);
        Assert.Equal(expected, value[0], 6);
    }

    // The projected set through its own camera is the projected picture, on every pixel that is covered, lens included.
    [Fact]
    public void Through_its_own_camera_the_projection_is_the_plate()
    {
        var pinhole = new Pinhole(96, 54, 75, 75, 48, 27, new Lens(-0.11, 0.025));
        Pose pose = Pose.LookAt(new(0.4, 1.7, 3), new(0, 0.6, -2), Vec3.UnitY);
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "floor",
                    Kind = PieceKind.Plane,
                    Size = new(30, 0, 30),
                },
                new Piece
                {
                    Id = "box",
                    Kind = PieceKind.Box,
                    Position = new(0.5, 0, -2),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        FloatImage ramp = Ramp(96, 54);
        FloatImage view = ProjectedView.Render(
            new RayGrid(pinhole, pose),
            set,
            [new Projector(ramp, pinhole, pose, set, 85, 89.9, null)],
            samples: 1
        );
        int covered = 0;
        for (int y = 1; y < 53; y++)
        {
            for (int x = 1; x < 95; x++)
            {
                if (view[x, y, 3] < 1)
                {
                    continue;
                }
                covered++;
                Assert.Equal(x + 0.5, view[x, y, 0], 0.02);
                Assert.Equal(y + 0.5, view[x, y, 1], 0.02);
            }
        }
        Assert.InRange(covered, 2500, 96 * 54);
    }
}
