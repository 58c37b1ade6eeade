using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

public class GeometryTests
{
    // Elementary: the same rotation by two orders of Euler angles; ours is turn, tilt, roll: Ry Rx Rz.
    [Fact]
    public void Turn_tilt_and_roll()
    {
        var m = new Matrix3(0.81379768, -0.44096961, 0.37852231, 0.46984631, 0.88256412, 0.018028311, -0.34202014, 0.16317591, 0.92541658);
        Vec3 angles = Rotations.ToEulerYxzDegrees(m);
        Assert.Equal(-1.033002, angles.X, 5);
        Assert.Equal(22.245990, angles.Y, 5);
        Assert.Equal(28.029278, angles.Z, 5);
        Matrix3 back = Rotations.FromEulerYxzDegrees(angles.X, angles.Y, angles.Z);
        Assert.Equal(m.M12, back.M12, 7);
        Assert.Equal(m.M33, back.M33, 7);
    }

    [Theory]
    [InlineData(90, 30, 0)]
    [InlineData(-90, -140, 0)]
    [InlineData(12, 179, -170)]
    [InlineData(0, 0, 0)]
    public void Angles_come_back_as_the_same_rotation(double x, double y, double z)
    {
        Matrix3 m = Rotations.FromEulerYxzDegrees(x, y, z);
        Vec3 a = Rotations.ToEulerYxzDegrees(m);
        Matrix3 back = Rotations.FromEulerYxzDegrees(a.X, a.Y, a.Z);
        foreach (Vec3 v in (Vec3[])[Vec3.UnitX, Vec3.UnitY, Vec3.UnitZ])
        {
            Assert.InRange((m * v - back * v).Length, 0, 1e-7);
        }
    }

    // Derived: a camera of half the size has half the focal length and principal point, centres at +0.5.
    [Fact]
    public void Resizing_a_camera()
    {
        Pinhole half = new Pinhole(1920, 1080, 2000, 2000, 960, 540, Lens.None).Resized(960, 540);
        Assert.Equal((1000.0, 480.0, 270.0), (half.Fx, half.Cx, half.Cy));
    }

    // Back 24.89 × 18.66 mm, 2048 × 1556 px, 35 mm (Hartley and Zisserman 6.1: f in pixels = f · pixels ÷ back).
    [Fact]
    public void Focal_length_in_pixels()
    {
        Assert.Equal(1866.66667, Pinhole.FromFilm(1920, 1080, 35, 36, Lens.None).Fx, 5);
        Assert.Equal(2879.8714, Pinhole.FromFilm(2048, 1556, 35, 24.89, Lens.None).Fx, 4);
    }

    // Plane through three points and the rotation that levels it: derived, checked with a reference library.
    [Fact]
    public void Levelling_three_points()
    {
        Vec3[] p = [new(1, 0.2, 0), new(4, 0.5, 1), new(0, 0.3, 5)];
        PlaneFitResult fit = PlaneFit.Fit(p, out _)!;
        Assert.Equal(-0.0871061903, fit.Normal.X, 8);
        Assert.Equal(0.995499318, fit.Normal.Y, 8);
        Assert.Equal(-0.0373312244, fit.Normal.Z, 8);
        Matrix3 level = Rotations.Between(fit.Normal, Vec3.UnitY);
        Assert.All(p, q => Assert.Equal(0.111993673, (level * q).Y, 8));
    }

    private static SurveyPoint At(string name, double x, double y, double z) => new() { Name = name, Position = new(x, y, z) };

    // Scale from one known distance, derived: 1.20 m over 0.830662386 reconstructed.
    [Fact]
    public void Scale_from_a_known_distance()
    {
        OrientingResult r = Orienting.Solve([At("P", 0.2, 0.1, 3.0), At("Q", 0.9, -0.1, 3.4)], new() { Scale = new("P", "Q", 1.2) });
        Assert.Equal(1.44463024, r.SourceToWorld.Scale, 8);
        Vec3 c = r.SourceToWorld.Apply(new(0.5, 0.3, -1));
        Assert.Equal(0.722315119, c.X, 8);
        Assert.Equal(0.433389071, c.Y, 8);
    }

    // Origin and heading on a level floor, derived: (3, 0, 1) seen from (1, 0, 2) is to lie along +X.
    [Fact]
    public void Origin_and_heading()
    {
        OrientingResult r = Orienting.Solve(
            [At("O", 1, 0, 2), At("X", 3, 0, 1), At("F", 5, 0, 7)],
            new()
            {
                Floor = ["O", "X", "F"],
                Origin = "O",
                Axis = new("O", "X"),
            }
        );
        Vec3 x = r.SourceToWorld.Apply(new(3, 0, 1)),
            p = r.SourceToWorld.Apply(new(1, 1, 3));
        Assert.Equal(2.23606798, x.X, 8);
        Assert.Equal(0, x.Z, 8);
        Assert.Equal(-0.447213595, p.X, 8);
        Assert.Equal(1, p.Y, 8);
        Assert.Equal(0.894427191, p.Z, 8);
    }

    [Fact]
    public void A_point_without_a_place_is_told()
    {
        OrientingResult r = Orienting.Solve([new() { Name = "P1", FromClicks = true }], new() { Origin = "P1" });
        Assert.Contains("P1 has no place yet", Assert.Single(r.Problems));
    }

    // Floor points through a tilted camera: Hartley and Zisserman 8.1.1, checked there with a reference library.
    [Theory]
    [InlineData(-1, -4, 622.375897, 712.628780)]
    [InlineData(1, -4, 1297.624103, 712.628780)]
    [InlineData(1.5, -8, 1234.337342, 383.302917)]
    public void Floor_points_in_the_picture(double x, double z, double px, double py)
    {
        var pinhole = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        var pose = new Pose(Rotations.AboutX(-Rotations.Radians(20)), new(0, 2, 0));
        Assert.True(pinhole.TryProject(pose, new Vec3(x, 0, z), out double a, out double b));
        Assert.Equal(px, a, 5);
        Assert.Equal(py, b, 5);
    }

    // World position from a depth pixel: P = C + z R ((u − cx)/f, −(v − cy)/f, −1), derived.
    [Fact]
    public void Position_from_depth()
    {
        var pinhole = new Pinhole(1920, 1080, 35.0 / 36 * 1920, 35.0 / 36 * 1920, 960, 540, Lens.None);
        var pose = new Pose(Rotations.AboutY(Rotations.Radians(20)) * Rotations.AboutX(Rotations.Radians(-10)), new(2, 1.6, 8));
        Assert.True(pinhole.TryDirection(1325.5, 331.5, out Vec3 d));
        Vec3 p = pose.ToWorld(9.4 * d),
            byRay = pose.ToWorld(9.4 * d.Normalized());
        Assert.Equal(0.50105062, p.X, 1e-6);
        Assert.Equal(1.0017025, p.Y, 1e-6);
        Assert.Equal(-1.4997482, p.Z, 1e-6);
        Assert.Equal(0.53774267, byRay.X, 1e-6);
        Assert.Equal(-1.2672085, byRay.Z, 1e-6);
        // The ray grid of the tracer looks the same way and measures the same depth.
        var grid = new RayGrid(pinhole, pose);
        Assert.True(grid.TryDirection(1325, 331, new(0.5f), out var direction));
        Assert.InRange((Vec3.From(direction) - (pose.Rotation * d).Normalized()).Length, 0, 1e-6);
        Assert.Equal(9.4, grid.DepthOf(p.ToSingle()), 4);
    }

    // A parallel rig, f 1500 px, baseline 0.5 m: disparity 75 px at 10 m, 74.7 px is 10.0401606 m (Z = f B / d).
    [Theory]
    [InlineData(75, 10)]
    [InlineData(74.7, 10.0401606)]
    public void Place_from_two_clicks(double disparity, double depth)
    {
        var pinhole = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        TriangulationResult r = Triangulation.Locate(
            [new(Pose.Identity, pinhole, 960, 540), new(new Pose(Matrix3.Identity, new(0.5, 0, 0)), pinhole, 960 - disparity, 540)],
            out _
        )!;
        Assert.Equal(-depth, r.Point.Z, 6);
        Assert.Equal(0, r.Point.X, 6);
        Assert.InRange(r.RmsPixels, 0, 1e-6);
        Assert.Equal(Rotations.Degrees(Math.Atan(0.5 / depth)), r.ParallaxDegrees, 6);
    }

    [Fact]
    public void Clicks_that_do_not_say_where_are_refused_in_words()
    {
        var pinhole = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        Assert.Null(Triangulation.Locate([new(Pose.Identity, pinhole, 960, 540)], out string? one));
        Assert.Contains("one frame only", one);
        Assert.Null(
            Triangulation.Locate(
                [new(Pose.Identity, pinhole, 960, 540), new(new Pose(Matrix3.Identity, new(0.01, 0, 0)), pinhole, 959, 540)],
                out string? narrow
            )
        );
        Assert.Contains("nearly the same line", narrow);
        // Rays that part: they only meet behind the camera.
        Assert.Null(
            Triangulation.Locate(
                [new(Pose.Identity, pinhole, 700, 540), new(new Pose(Matrix3.Identity, new(1, 0, 0)), pinhole, 1300, 540)],
                out string? behind
            )
        );
        Assert.Contains("behind", behind);
    }

    // A box of 2 × 1.5 × 3 turned by 25°, from five of its corners.
    // A pillar's front, 0.5 m wide, its depth to 2 mm: it is taken as deep as wide, away from who sees it, and its front stays where it is.
    [Theory]
    [InlineData(5, -0.5, 0)]
    [InlineData(-5, 0, 0.5)]
    public void A_front_alone_makes_a_box_as_deep_as_wide_and_says_so(double eyeZ, double back, double front)
    {
        Vec3[] seen = [new(0, 0, 0.001), new(0.5, 0, -0.001), new(0, 3, -0.001), new(0.5, 3, 0.001), new(0.2, 1, 0)];
        FittedPiece fitted = PieceFit.Box(seen, out _, new Vec3(0.25, 1.8, eyeZ))!;
        Assert.Contains("as deep as it is wide, 0.5 m", fitted.Assumed);
        TriangleMesh box = PieceMeshes.World(fitted.Piece, (_, _) => throw new InvalidOperationException());
        Assert.InRange(box.Positions.Min(p => p.Z), back - 0.003, back + 0.003);
        Assert.InRange(box.Positions.Max(p => p.Z), front - 0.003, front + 0.003);
        Assert.Null(PieceFit.Box([new(0, 0, 0), new(0, 1, 0), new(0, 2, 0), new(0, 3, 0)], out string? reason, new Vec3(0, 1, 5)));
        Assert.Contains("in a line", reason);
    }

    [Fact]
    public void A_box_around_points()
    {
        Matrix3 turn = Rotations.AboutY(Rotations.Radians(25));
        Vec3[] corners =
        [
            .. new Vec3[] { new(-1, 0, -1.5), new(1, 0, -1.5), new(1, 1.5, 1.5), new(-1, 0, 1.5), new(-1, 1.5, 1.5) }.Select(p =>
                turn * p + new Vec3(4, 0.2, -3)
            ),
        ];
        FittedPiece fitted = PieceFit.Box(corners, out _)!;
        Assert.InRange((fitted.Piece.Position - new Vec3(4, 0.2, -3)).Length, 0, 1e-9);
        Assert.Equal([1.5, 2, 3], new[] { fitted.Piece.Size.X, fitted.Piece.Size.Y, fitted.Piece.Size.Z }.Order(), new Near(1e-9));
        Assert.Equal(1.5, fitted.Piece.Size.Y, 9);
        Assert.InRange(fitted.LargestMetres, 0, 1e-9);
        // Its triangles go through the corners that made it.
        Similarity place = PieceMeshes.PlaceOf(fitted.Piece);
        Assert.All(corners, c =>
            Assert.Contains(PieceMeshes.Box(fitted.Piece.Size).Positions, p => (place.Apply(Vec3.From(p)) - c).Length < 1e-5)
        );
    }

    [Fact]
    public void A_nearly_level_plane_is_set_level_and_its_misfit_told()
    {
        Vec3[] p = [new(0, 0.01, 0), new(4, -0.01, 0), new(4, 0.01, 3), new(0, -0.01, 3)];
        FittedPiece fitted = PieceFit.Plane(p, null, out _)!;
        Assert.Equal(0.01, fitted.RmsMetres, 9);
        Vec3 up =
            Rotations.FromEulerYxzDegrees(
                fitted.Piece.RotationYxzDegrees.X,
                fitted.Piece.RotationYxzDegrees.Y,
                fitted.Piece.RotationYxzDegrees.Z
            ) * Vec3.UnitY;
        Assert.InRange((up - Vec3.UnitY).Length, 0, 1e-9);
        Assert.Equal(12, fitted.Piece.Size.X * fitted.Piece.Size.Z, 6);
    }

    [Fact]
    public void A_wall_through_points_faces_the_camera()
    {
        Vec3[] p = [new(0, 0, -5), new(3, 0, -5), new(3, 2.5, -5), new(0, 2.5, -5.001)];
        FittedPiece fitted = PieceFit.Plane(p, new Vec3(1, 1.6, 4), out _)!;
        Vec3 n =
            Rotations.FromEulerYxzDegrees(
                fitted.Piece.RotationYxzDegrees.X,
                fitted.Piece.RotationYxzDegrees.Y,
                fitted.Piece.RotationYxzDegrees.Z
            ) * Vec3.UnitY;
        Assert.Equal(0, n.Y, 9); // set upright
        Assert.True(n.Z > 0.99);
        Assert.Equal(3, fitted.Piece.Size.X, 2);
        Assert.Equal(2.5, fitted.Piece.Size.Z, 2);
    }

    [Theory]
    [InlineData(PieceKind.Plane, "in a line")]
    [InlineData(PieceKind.Box, "how tall")]
    public void Points_that_make_no_piece_are_refused(PieceKind kind, string words)
    {
        string? reason;
        FittedPiece? made =
            kind == PieceKind.Plane
                ? PieceFit.Plane([new(0, 0, 0), new(1, 0, 0), new(2, 0, 0)], null, out reason)
                : PieceFit.Box([new(0, 0, 0), new(1, 0, 0), new(1, 0, 1), new(0, 0, 1)], out reason);
        Assert.Null(made);
        Assert.Contains(words, reason);
    }

    private sealed class Near(double tolerance) : IEqualityComparer<double>
    {
        public bool Equals(double a, double b) => Math.Abs(a - b) <= tolerance;

        public int GetHashCode(double v) => 0;
    }
}
