using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Xunit;

namespace Plenk.Core.Tests;

public class CameraTests
{
    // Angle of view 2 atan(d / 2f); printed lens tables give 39.6° and 27.0° for 50 mm on 36 × 24 mm.
    [Theory]
    [InlineData(14, 104.2500)]
    [InlineData(24, 73.7398)]
    [InlineData(50, 39.5978)]
    [InlineData(200, 10.2855)]
    public void Angle_of_view(double focal, double degrees) =>
        Assert.Equal(degrees, Rotations.Degrees(Pinhole.FromFilm(1920, 1280, focal, 36, Lens.None).HorizontalFovRadians), 3);

    // Hartley & Zisserman 6.1; the pixel was confirmed with OpenCV's projectPoints.
    [Fact]
    public void Point_to_pixel_with_full_pose()
    {
        var pose = new Pose(Rotations.AboutY(Rotations.Radians(20)) * Rotations.AboutX(Rotations.Radians(-10)), new Vec3(2, 1.6, 8));
        Assert.True(Pinhole.FromFilm(1920, 1080, 35, 36, Lens.None).TryProject(pose, new Vec3(0.5, 1, -1.5), out double x, out double y));
        Assert.Equal(1325.286754, x, 5);
        Assert.Equal(331.831945, y, 5);
    }

    // Brown 1971; values confirmed with OpenCV's projectPoints and undistortPoints.
    private static readonly Lens Brown = new(-0.28, 0.10, 0.0012, -0.0008, -0.02);

    [Theory]
    [InlineData(0.3, 0.2, 1249.469818, 733.205212)]
    [InlineData(-0.5, 0.4, 508.476210, 901.448632)]
    [InlineData(0.8, -0.45, 1615.934312, 171.668825)]
    public void Lens_forward(double x, double y, double px, double py)
    {
        Assert.True(new Pinhole(1920, 1080, 1000, 1000, 960, 540, Brown).TryProject(new Vec3(x, -y, -1), out double qx, out double qy));
        Assert.Equal(px, qx, 5);
        Assert.Equal(py, qy, 5);
    }

    [Theory]
    [InlineData(1200, 700, 0.245895624, 0.163775447)]
    [InlineData(300, 200, -0.794312807, -0.410744416)]
    [InlineData(1800, 1000, 1.229048477, 0.668367918)]
    public void Lens_inverse(double px, double py, double x, double y)
    {
        Assert.True(new Pinhole(1920, 1080, 1000, 1000, 960, 540, Brown).TryDirection(px, py, out Vec3 d));
        Assert.Equal(x, d.X, 7);
        Assert.Equal(-y, d.Y, 7);
    }

    // d(r + k1 r³)/dr = 0 at r = 1/√(3·0.28); derived.
    [Fact]
    public void Beyond_the_fold_is_outside_the_lens()
    {
        var lens = new Lens(-0.28);
        Assert.Equal(1.0910895, lens.FoldRadius, 1e-6);
        Assert.True(lens.TryUndistort(0.727, 0, out _, out _));
        Assert.False(lens.TryUndistort(0.728, 0, out double x, out _) && double.IsFinite(x));
    }

    // Rodrigues; Hartley & Zisserman A4.3, confirmed with OpenCV.
    [Fact]
    public void Axis_and_angle()
    {
        Matrix3 r = Rotations.FromAxisAngle(new Vec3(1, 2, 3).Normalized(), Rotations.Radians(40));
        Assert.Equal(0.782755554, r.M11, 9);
        Assert.Equal(-0.481954422, r.M12, 9);
        Assert.Equal(0.916444444, r.M33, 9);
        Matrix3 q = Rotations.FromQuaternion(0.0914087283, 0.182817457, 0.274226185, 0.939692621);
        Assert.Equal(r.M23, q.M23, 8);
    }

    // Columns of a look-at camera by cross products; derived.
    [Fact]
    public void Look_at()
    {
        Pose p = Pose.LookAt(new Vec3(3, 2, 5), new Vec3(0, 1, 0), Vec3.UnitY);
        Assert.Equal(0.857492926, p.Rotation.M11, 8);
        Assert.Equal(0.169030851, p.Rotation.M23, 8);
        Assert.Equal(1, p.Rotation.Determinant, 12);
    }

    [Fact]
    public void Shear_mirror_and_nan_are_refused_in_words()
    {
        double[] good = Pose.Identity.ToRowMajor16();
        Assert.NotNull(Pose.FromRowMajor16(good, out _));
        double[] shear = (double[])good.Clone(),
            mirror = (double[])good.Clone(),
            nan = (double[])good.Clone();
        (shear[1], mirror[0], nan[3]) = (0.4, -1, double.NaN);
        Assert.Null(Pose.FromRowMajor16(shear, out string? why));
        Assert.Contains("right angles", why);
        Assert.Null(Pose.FromRowMajor16(mirror, out why));
        Assert.Contains("mirrored", why);
        Assert.Null(Pose.FromRowMajor16(nan, out why));
        Assert.Contains("not a number", why);
    }

    // Brown 1971, written out here: x + x (k1 r² + k2 r⁴ + k3 r⁶) + 2 p1 x y + p2 (r² + 2 x²). From a map of a few hundred spots its terms come back.
    [Fact]
    public void A_lens_is_read_from_a_map()
    {
        var pinhole = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        (double K1, double K2, double P1, double P2, double K3) own = (-0.12, 0.04, 0.001, -0.0007, 0.01);
        var map = new List<(double, double, double, double)>();
        for (int py = 20; py < 1080; py += 80)
        {
            for (int px = 20; px < 1920; px += 80)
            {
                double x = (px - 960) / 1500.0,
                    y = (py - 540) / 1500.0,
                    r2 = x * x + y * y,
                    radial = own.K1 * r2 + own.K2 * r2 * r2 + own.K3 * r2 * r2 * r2;
                map.Add(
                    (
                        px,
                        py,
                        960 + 1500 * (x + x * radial + 2 * own.P1 * x * y + own.P2 * (r2 + 2 * x * x)),
                        540 + 1500 * (y + y * radial + own.P1 * (r2 + 2 * y * y) + 2 * own.P2 * x * y)
                    )
                );
            }
        }
        LensFitResult fit = LensFit.FromMap(map, pinhole, out string? reason)!;
        Assert.Null(reason);
        Assert.Equal(own.K1, fit.Lens.K1, 1e-8);
        Assert.Equal(own.K2, fit.Lens.K2, 1e-7);
        Assert.Equal(own.P1, fit.Lens.P1, 1e-9);
        Assert.Equal(own.P2, fit.Lens.P2, 1e-9);
        Assert.Equal(own.K3, fit.Lens.K3, 1e-7);
        Assert.InRange(fit.WorstPx, 0, 1e-6);
        Assert.Null(LensFit.FromMap([.. map.Take(19)], pinhole, out reason));
        Assert.Equal("it has only 19 spots within the picture", reason);
    }
}
