using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Another camera's picture seen through the plane it stands in: the homography K′(R − t nᵀ/d)K⁻¹ of Hartley and Zisserman (Multiple View
/// Geometry, 2nd edition, 13.1, result 13.1), worked out by hand for two cases.
/// </summary>
public class UprightLayerTests
{
    private const int Width = 80,
        Height = 40;
    private static readonly Pinhole Camera = new(Width, Height, 100, 100, 40, 20, Lens.None);
    private static readonly Vec3 Foot = new(0.3, 0, -10);

    private static FloatImage Picture() =>
        FloatImage.Of(
            Width,
            Height,
            [.. Enumerable.Range(0, Width * Height).Select(i => (float)(i % Width))],
            [.. Enumerable.Range(0, Width * Height).Select(i => (float)(i / Width))]
        );

    private static FloatImage From(Vec3 at) =>
        UprightLayer.Seen(
            Picture(),
            Camera,
            new Pose(Matrix3.Identity, new(0.3, 1, 0)),
            Foot,
            new RayGrid(Camera, new Pose(Matrix3.Identity, at))
        );

    [Fact]
    public void Its_own_camera_sees_the_picture_as_it_is()
    {
        FloatImage seen = From(new(0.3, 1, 0));
        Assert.All(Enumerable.Range(0, seen.Data.Length), i => Assert.Equal(Picture().Data[i], seen.Data[i], 1e-3));
    }

    [Fact]
    public void A_step_to_the_side_shifts_it_by_the_parallax_of_its_distance()
    {
        // n = (0 0 1), d = 10, t = (1 0 0): x′ = x − f t ÷ d = x − 10.
        FloatImage seen = From(new(1.3, 1, 0));
        Assert.Equal(30, seen[20, 15, 0], 1e-3);
        Assert.Equal(15, seen[20, 15, 1], 1e-3);
        // What would lie beyond the picture's border is not there.
        Assert.Equal(0, seen[75, 15, 1]);
    }

    [Fact]
    public void A_step_nearer_enlarges_it_about_the_middle()
    {
        // t = (0 0 −5): H = diag(1 1 1 − 5/10), so that x − 40 is twice as large.
        FloatImage seen = From(new(0.3, 1, -5));
        // Pixel centres: (60.5 − 40) / 2 + 40 = 50.25, which is 49.75 of the picture's numbers.
        Assert.Equal(49.75, seen[60, 20, 0], 1e-3);
        Assert.Equal(19.75, seen[60, 20, 1], 1e-3);
    }

    [Fact]
    public void It_stands_upright_however_its_camera_is_tilted()
    {
        Vec3 n = UprightLayer.Facing(new(0, 0, 0), new(3, 7, 4));
        Assert.Equal(0.6, n.X, 1e-12);
        Assert.Equal(0, n.Y);
        Assert.Equal(0.8, n.Z, 1e-12);
        Assert.Equal(1, UprightLayer.Facing(new(2, 0, 1), new(2, 5, 1)).Y, 1e-12);
    }
}
