using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats.Cameras;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Survey points when the camera is solved anew, and pieces made and measured from the picture.</summary>
public class SurveyTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1000, 1000, 640, 360, Lens.None);

    // The solve's own space is the world turned, halved and shifted.
    private static readonly Similarity ToSource = new(0.5, Rotations.FromEulerYxzDegrees(10, 40, 5), new(3, -1, 2));

    private static Pose World(int f) => Pose.LookAt(new(-1 + 0.25 * (f - 1001), 1.6, 3), new(0, 0.5, -4), Vec3.UnitY);

    private static ShotDocument Shot(params SurveyPoint[] points) =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(1001, 1009),
            Plate = new PlateSource { Width = 1280, Height = 720 },
            SurveyPoints = points,
        };

    private static SolveResult Solve =>
        new()
        {
            Solved = true,
            Pinhole = Camera,
            Frames = [.. Enumerable.Range(1001, 9).Select(f => new SolvedFrame(f, World(f).Moved(ToSource), 0.1, 50))],
        };

    private static SurveyPoint Measured(string name, Vec3 world, bool clicked) =>
        new()
        {
            Name = name,
            Position = world,
            Clicks = !clicked
                ? []
                :
                [
                    .. ((int[])[1001, 1005, 1009]).Select(f =>
                        Camera.TryProject(World(f), world, out double x, out double y)
                            ? new PointClick(f, x, y)
                            : throw new InvalidOperationException()
                    ),
                ],
        };

    [Fact]
    public void Measured_points_go_into_a_new_solve_s_space_together()
    {
        ShotDocument shot = TrackWork.With(
            Shot(
                Measured("A", new(0, 0, -4), true),
                Measured("B", new(1, 0.2, -5), true),
                Measured("C", new(-1, 1, -4.5), true),
                Measured("D", new(2, 3, -9), false),
                new SurveyPoint
                {
                    Name = "E",
                    FromClicks = true,
                    Position = new(9, 9, 9),
                    Clicks = Measured("E", new(0.5, 0.4, -4), true).Clicks,
                }
            ),
            Solve,
            "x"
        );
        foreach (
            var (name, world) in new[]
            {
                ("A", new Vec3(0, 0, -4)),
                ("B", new(1, 0.2, -5)),
                ("C", new(-1, 1, -4.5)),
                ("D", new(2, 3, -9)),
                ("E", new(0.5, 0.4, -4)),
            }
        )
        {
            Assert.InRange((shot.SurveyPoints.First(p => p.Name == name).Position!.Value - ToSource.Apply(world)).Length, 0, 1e-5);
        }
        // Those that were measured stay measured; the unclicked one went along.
        Assert.Equal([false, false, false, false, true], shot.SurveyPoints.Select(p => p.FromClicks));
        // Two clicked ones tell no space: they are placed by their clicks, and what has none has no place.
        ShotDocument few = TrackWork.With(
            Shot(Measured("A", new(0, 0, -4), true), Measured("B", new(1, 0.2, -5), true), Measured("D", new(2, 3, -9), false)),
            Solve,
            "x"
        );
        Assert.Equal([true, true, false], few.SurveyPoints.Select(p => p.FromClicks));
        Assert.Null(few.SurveyPoints[2].Position);
    }

    [Fact]
    public void A_solve_laid_over_an_earlier_camera_is_one_with_its_points_and_its_doubts()
    {
        string folder = Directory.CreateTempSubdirectory("plenk-gauge-").FullName;
        try
        {
            var media = new MediaStore(folder);
            var engine = new ShotEngine(media);
            double[] doubt = [4, 1, 0.5, 3, 0.2, 2];
            SolveResult solve = Solve with { Points = [new SolvedPoint(7, ToSource.Apply(new(0.4, 0.3, -5)), 0.2, 9, doubt)] };
            string file = media.Write(TrackFile.Write(solve));
            ShotDocument plain = TrackWork.With(Shot(Measured("A", new(0, 0, -4), true)), solve, file),
                laid = TrackWork.With(Shot(Measured("A", new(0, 0, -4), true)), solve, file, ToSource.Inverse());
            var (was, now) = (engine.TrackWork.Solve(plain)!, engine.TrackWork.Solve(laid)!);
            // In the earlier camera's space, which here is the world itself.
            Vec3 at = new(now.Points[0].Position[0], now.Points[0].Position[1], now.Points[0].Position[2]);
            Assert.True((at - new Vec3(0.4, 0.3, -5)).Length < 1e-9);
            Assert.True((laid.SurveyPoints[0].Position!.Value - new Vec3(0, 0, -4)).Length < 1e-6);
            Assert.Equal(World(1005).ToRowMajor16(), laid.Camera!.Samples.Single(s => s.Frame == 1005).CameraToWorld, (a, b) =>
                Math.Abs(a - b) < 1e-9
            );
            // A turn leaves the trace of a covariance, times the scale squared.
            double scale = ToSource.Inverse().Scale;
            double[] c = now.Points[0].Covariance!;
            Assert.Equal(scale * scale * (doubt[0] + doubt[3] + doubt[5]), c[0] + c[3] + c[5], 1e-9);
            Assert.Equal(was.Frames[2].ShiftDoubt * scale, now.Frames[2].ShiftDoubt, 1e-12);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static ShotDocument Filmed =>
        Shot() with
        {
            Camera = new CameraSource
            {
                Width = 1280,
                Height = 720,
                Mapping = new(1001, 1001),
                Samples = [.. Enumerable.Range(1001, 9).Select(f => new CameraSample(f, World(f).ToRowMajor16(), 1000, 640, 360))],
            },
        };

    private static (double X, double Y) At(Vec3 world) =>
        Camera.TryProject(World(1005), world, out double x, out double y) ? (x, y) : throw new InvalidOperationException();

    [Fact]
    public void Heights_and_stairs_are_read_off_the_picture()
    {
        var engine = new ShotEngine(new Store.MediaStore(Path.Combine(Path.GetTempPath(), $"plenk-none-{Guid.NewGuid():N}")));
        var foot = new Vec3(0.4, 0, -4);
        var (x, y) = At(foot + new Vec3(0, 2.35, 0));
        Assert.Equal(2.35, SetWork.Above(engine, Filmed, 1005, foot, null, x, y).Height, 1e-6);
        // Three metres up along −Z and 1.2 higher: the end of a flight of stairs.
        (x, y) = At(foot + new Vec3(0, 1.2, -3));
        AboveFoot top = SetWork.Above(engine, Filmed, 1005, foot, new(0, 0, -1), x, y);
        Assert.Equal((3, 1.2), (Math.Round(top.Along, 6), Math.Round(top.Height, 6)));
        (x, y) = At(foot + new Vec3(1.5, 1, 0));
        Assert.Contains("beside the corner", Assert.Throws<ShotFault>(() => SetWork.Above(engine, Filmed, 1005, foot, null, x, y)).Message);
        // A card at 8 m fills the picture and faces the camera.
        Piece card = SetWork.Card(engine, Filmed, 1005, 8);
        Pose pose = World(1005);
        Assert.Equal(8, -pose.ToLocal(card.Position).Z, 1e-9);
        Assert.Equal(8 * 1.28 * 1.05, card.Size.X, 1e-9);
        Matrix3 r = Core.Sets.PieceMeshes.PlaceOf(card).Rotation;
        Assert.InRange((r * Vec3.UnitY - pose.Rotation.Column(2)).Length, 0, 1e-9);
        Assert.Throws<ShotFault>(() => SetWork.Card(engine, Filmed, 1005, 0));
    }
}
