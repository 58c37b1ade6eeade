using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Cameras from elsewhere, written here by hand in the forms that formats have (p' = M p and its inverse, y down and +Z ahead as in
/// Hartley and Zisserman 6.1, left-handed spaces, Euler angles in degrees and radians), and found again by tracks.
/// </summary>
public class ConventionTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1000, 1000, 640, 360, Lens.None);

    private static Pose Path(double f) =>
        Pose.LookAt(
            new(-1.5 + 0.06 * f, 1.5 + 0.15 * Math.Sin(0.35 * f), 2 + 0.05 * Math.Sin(0.2 * f)),
            new(0.4 * Math.Sin(0.15 * f), 1.2, -8),
            new Vec3(0.02 * Math.Sin(f), 1, 0)
        );

    private static List<Track> Tracks() => TrackScenes.Follow(TrackScenes.Cloud(260), f => Path(f), Camera, 48, 0.1, 9);

    private static RawCamera Raw(Func<int, RawCameraSample> at, FocalUnit unit = FocalUnit.Pixels) =>
        new()
        {
            Samples = [.. Enumerable.Range(0, 60).Select(i => at(i))],
            FocalUnit = unit,
            SensorWidthMm = 36,
            SensorHeightMm = 24,
            Lens = Lens.None,
        };

    private static RankedConvention Best(RawCamera camera, bool trusted = true)
    {
        ConventionRanking r = ConventionFinder.Rank(camera, Tracks(), 1280, 720, out string? reason)!;
        Assert.Null(reason);
        Assert.InRange(r.Ranking[0].ErrorPx, 0.02, 0.3);
        Assert.Equal(trusted, r.Trusted);
        return r.Ranking[0];
    }

    [Fact]
    public void World_to_camera_with_y_down_is_found()
    {
        RankedConvention best = Best(
            Raw(i =>
            {
                Pose p = Path(i);
                Matrix3 vision = (p.Rotation * Convention.VisionAxes).Transpose();
                return new(1001 + i, -(vision * p.Position), vision, null, 1000);
            })
        );
        Assert.Equal(
            (MatrixSense.WorldToCamera, "+Z", "−Y", false, 0),
            (best.Convention.Matrix, best.Convention.Viewing, best.Convention.Up, best.Convention.Mirrored, best.Convention.FrameOffset)
        );
    }

    [Fact]
    public void Angles_of_a_left_handed_space_are_found_with_their_order_and_offset()
    {
        // S R S with S = diag(1, 1, −1) is the same camera in a left-handed space, looking along +Z; angles y after x after z.
        RankedConvention best = Best(
            Raw(
                i =>
                {
                    Pose p = Path(i - 2);
                    Matrix3 r = p.Rotation,
                        m = new(r.M11, r.M12, -r.M13, r.M21, r.M22, -r.M23, -r.M31, -r.M32, r.M33);
                    // m = Ry Rx Rz (that is "zxy"): x from −m23, y from m13/m33, z from m21/m22.
                    var angles = new Vec3(Math.Asin(-m.M23), Math.Atan2(m.M13, m.M33), Math.Atan2(m.M21, m.M22)) * (180 / Math.PI);
                    return new(1001 + i, p.Position with { Z = -p.Position.Z }, null, angles, 28.125);
                },
                FocalUnit.Millimetres
            )
        );
        Assert.True(best.Convention.Mirrored);
        Assert.Equal(
            ("zxy", false, "+Z", "+Y", 2),
            (best.Convention.Order, best.Convention.Radians, best.Convention.Viewing, best.Convention.Up, best.Convention.FrameOffset)
        );
        Assert.False(best.Convention.FitHeight);
    }

    [Fact]
    public void Another_rate_and_an_angle_of_view_across_the_height_are_found()
    {
        RankedConvention best = Best(
            Raw(
                i => new(1001 + i, Path(i / 1.25).Position, Path(i / 1.25).Rotation, null, Rotations.Degrees(2 * Math.Atan(0.36))),
                FocalUnit.Degrees
            )
        );
        Assert.Equal(
            (1.25, true, MatrixSense.CameraToWorld, "−Z"),
            (best.Convention.RateRatio, best.Convention.FitHeight, best.Convention.Matrix, best.Convention.Viewing)
        );
    }

    [Fact]
    public void What_the_footage_cannot_tell_is_not_trusted_and_another_take_fits_nothing()
    {
        // It slides along its own horizontal without a turn: transposed or not, the rotation is the same.
        static Pose Slide(int f) => new(Matrix3.Identity, new(0.05 * f, 1.5, 2));
        List<Track> tracks = TrackScenes.Follow(TrackScenes.Cloud(200), Slide, Camera, 40, 0.1, 3);
        ConventionRanking same = ConventionFinder.Rank(
            Raw(i => new(1001 + i, Slide(i).Position, Matrix3.Identity, null, 1000)),
            tracks,
            1280,
            720,
            out _
        )!;
        Assert.Contains(same.Ranking[0].SameToTracks, c => c.Matrix == MatrixSense.Transposed);
        // Constant speed: an offset is a shift of the whole world, so it stands in the same class.
        Assert.Contains(same.Ranking[0].SameToTracks, c => c.FrameOffset != 0);
        Assert.Equal(0, same.Ranking[0].Convention.FrameOffset);

        ConventionRanking other = ConventionFinder.Rank(
            Raw(i => new(1001 + i, new(Math.Sin(i), 2 * Math.Cos(0.7 * i), 0.3 * i), Rotations.AboutX(0.05 * i), null, 1000)),
            Tracks(),
            1280,
            720,
            out _
        )!;
        Assert.False(other.Trusted);
        Assert.Contains("No reading fits", other.Verdict);
        Assert.Null(ConventionFinder.Rank(Raw(i => new(i, Vec3.Zero, Matrix3.Identity, null, 1)), [], 1280, 720, out string? few));
        Assert.Contains("12", few);
        Assert.Null(
            ConventionFinder.Rank(
                Raw(i => new(i, i == 7 ? new(double.NaN, 0, 0) : Vec3.Zero, Matrix3.Identity, null, 1)),
                Tracks(),
                1280,
                720,
                out string? nan
            )
        );
        Assert.Contains("at frame 7", nan);
    }

    // 0.3048 m is a foot (international foot, 1959); Y up to Z up is (x, −z, y).
    [Fact]
    public void Up_and_unit_are_decided_by_what_is_known()
    {
        static Pose InFile(int f)
        {
            Pose p = Path(f);
            Matrix3 zUp = Rotations.AboutX(Math.PI / 2);
            return new(zUp * p.Rotation, zUp * p.Position / 0.3048);
        }
        (Pose, double)?[] path = [.. Enumerable.Range(0, 48).Select(f => ((Pose, double)?)(InFile(f), 1000.0))];
        var convention = new Convention(false, Matrix3.Identity, MatrixSense.CameraToWorld, "", false, false, 0, 1, 0);
        WorldDecision horizon = WorldDecision.Find(path, 1001, 1280, 720, Lens.None, [], convention);
        Assert.Equal(("+Z", "a level horizon", "the artist"), (horizon.Up, horizon.UpBy, horizon.UnitBy));
        SurveyPoint[] points =
        [
            .. ((Vec3[])[new(-1, 0, -4), new(1.2, 0.3, -5), new(0.2, 1.1, -7), new(-2, 0.9, -8)]).Select(
                (p, i) =>
                    new SurveyPoint
                    {
                        Name = $"P{i}",
                        Position = p,
                        Clicks =
                        [
                            .. new[] { 0, 20, 40 }
                                .Where(f => Camera.TryProject(Path(f), p, out _, out _))
                                .Select(f =>
                                {
                                    Camera.TryProject(Path(f), p, out double x, out double y);
                                    return new PointClick(1001 + f, x, y);
                                }),
                        ],
                    }
            ),
        ];
        WorldDecision surveyed = WorldDecision.Find(path, 1001, 1280, 720, Lens.None, points, convention);
        Assert.Equal(("+Z", "survey points", "foot"), (surveyed.Up, surveyed.UpBy, surveyed.Unit));
        Assert.Equal(0.3048, surveyed.MetresPerUnit!.Value, 1e-5);
        // A floor of points in the file's own space.
        var random = new Random(4);
        SurveyPoint[] floor =
        [
            .. Enumerable
                .Range(0, 200)
                .Select(i => new SurveyPoint
                {
                    Name = $"{i}",
                    Position =
                        i % 4 == 0
                            ? new Vec3(random.NextDouble(), random.NextDouble(), random.NextDouble()) * 20
                            : new(20 * random.NextDouble() - 10, 30 * random.NextDouble(), 0.01 * random.NextDouble()),
                }),
        ];
        WorldDecision cloud = WorldDecision.Find(path, 1001, 1280, 720, Lens.None, floor, convention);
        Assert.Equal(("+Z", "imported 3D points"), (cloud.Up, cloud.UpBy));
    }
}
