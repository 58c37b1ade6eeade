using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Lenses that zoom: a focal length for every frame.</summary>
public class ZoomTests
{
    private static readonly SolveSettings Settings = new()
    {
        Width = 1280,
        Height = 720,
        Zooms = true,
        RefineLens = Intrinsics.K1,
    };
    private static readonly Pinhole Camera = new(1280, 720, 900, 900, 640, 360, new Lens(-0.06));

    /// <summary>Eases from 1 to the given zoom.</summary>
    private static Func<int, Pinhole> Zoom(int frames, double to) =>
        f =>
        {
            double t = f / (frames - 1.0);
            return Camera.Zoomed(1 + (to - 1) * t * t * (3 - 2 * t));
        };

    private static Pose Walk(int f) =>
        Pose.LookAt(new(-2 + 0.11 * f, 0.5 + 0.1 * Math.Sin(0.3 * f), 0.5 - 0.03 * f), new(0, 0, -8), Vec3.UnitY);

    private static double WorstFocal(SolveResult r, Func<int, Pinhole> truth) =>
        r.Frames.Max(f => Math.Abs(r.PinholeAt(f).Fx / truth(f.Frame - 1001).Fx - 1));

    [Fact]
    public void A_travelling_camera_that_zooms_gives_every_frame_its_focal_length()
    {
        Func<int, Pinhole> truth = Zoom(40, 1.6);
        List<Track> tracks = TrackScenes.Follow(TrackScenes.Cloud(400), Walk, truth, 40, 0.1, 3);
        SolveResult r = CameraSolver.Travelling(tracks, 1001, 1040, Settings);
        Assert.True(r.Solved, r.Reason);
        Assert.InRange(r.RmsPx, 0.1, 0.2);
        Assert.InRange(WorstFocal(r, truth), 0, 0.008);
        Assert.Equal(1, r.Frames[0].Zoom);
        Assert.InRange(r.Frames[^1].Zoom, 1.58, 1.62);
        // One focal length for all does not explain them; and a known one in the first frame is held there.
        SolveResult one = CameraSolver.Travelling(tracks, 1001, 1040, Settings with { Zooms = false });
        Assert.True(
            !one.Solved || one.RmsPx > 1.5 * r.RmsPx || one.TracksUsed < 0.8 * r.TracksUsed,
            $"{one.RmsPx} px with {one.TracksUsed} of {r.TracksUsed} tracks"
        );
        SolveResult held = CameraSolver.Travelling(tracks, 1001, 1040, Settings with { FocalPx = 900 });
        Assert.Equal(900, held.PinholeAt(held.Frames[0]).Fx, 1e-9);
        Assert.InRange(WorstFocal(held, truth), 0, 0.006);
    }

    // Between frames of a turn a zoom is the ratio of two homographies' scales (Hartley and Zisserman 8.4.1: K' R K⁻¹).
    [Fact]
    public void A_turning_camera_that_zooms_gives_every_frame_its_focal_length()
    {
        Func<int, Pinhole> truth = Zoom(40, 0.7);
        static Pose Pan(int f) => new(Rotations.AboutY(0.012 * f) * Rotations.AboutX(0.06 * Math.Sin(0.2 * f)), Vec3.Zero);
        var random = new Random(5);
        Vec3[] around =
        [
            .. Enumerable
                .Range(0, 700)
                .Select(_ =>
                    (3 + 10 * random.NextDouble()) * new Vec3(-Math.Sin(random.NextDouble() * 2.2 - 0.9), random.NextDouble() - 0.5, -1)
                ),
        ];
        List<Track> tracks = TrackScenes.Follow(around, Pan, truth, 40, 0.1, 4);
        SolveResult r = TurningSolver.Solve(tracks, 1001, 1040, Settings);
        Assert.True(r.Solved, r.Reason);
        Assert.InRange(r.RmsPx, 0.1, 0.2);
        Assert.InRange(WorstFocal(r, truth), 0, 0.01);
        Assert.InRange(
            r.Frames.Max(f =>
                Rotations.DegreesBetween(
                    r.Frames[0].CameraToWorld.Rotation.Transpose() * f.CameraToWorld.Rotation,
                    Pan(0).Rotation.Transpose() * Pan(f.Frame - 1001).Rotation
                )
            ),
            0,
            0.15
        );
        // The travelling solve still says that this one does not travel.
        SolveResult wrong = CameraSolver.Travelling(tracks, 1001, 1040, Settings);
        Assert.False(wrong.Solved);
        Assert.Contains("turning camera", wrong.Reason, StringComparison.Ordinal);
    }

    // The lens's covariance is kept and asked again later: told by the first frame, it forecasts as it did before it was kept.
    [Fact]
    public void What_a_zoom_leaves_open_is_told_by_its_first_frame()
    {
        Func<int, Pinhole> truth = Zoom(24, 1.4);
        SolveResult r = CameraSolver.Travelling(TrackScenes.Follow(TrackScenes.Cloud(250), Walk, truth, 24, 0.1, 6), 1001, 1024, Settings);
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(1, r.Frames[0].Zoom);
        BundleCovariance sure = r.Covariance!;
        var problem = new BundleProblem();
        problem.Groups.Add(
            new()
            {
                Focal = r.Pinhole!.Fx,
                Cx = r.Pinhole.Cx,
                Cy = r.Pinhole.Cy,
                K1 = r.Pinhole.Lens.K1,
                K2 = r.Pinhole.Lens.K2,
                Refine = sure.Refined,
            }
        );
        foreach (SolvedFrame f in r.Frames)
        {
            problem.Views.Add(
                new()
                {
                    CameraToWorld = f.CameraToWorld,
                    Zoom = f.Zoom,
                    FreeZoom = true,
                    Fixed = problem.Views.Count == 0,
                }
            );
        }
        BundleCovariance again = BundleCovariance.Restore(problem, [.. sure.Lower().Select(v => (float)v)], sure.Sigma)!;
        Vec3 spot = r.Points[10].Position;
        foreach (int view in (int[])[0, 12, 23])
        {
            var (a, b) = (sure.OfSpot(spot, view)!.Value, again.OfSpot(spot, view)!.Value);
            Assert.Equal(1, b.XX / a.XX, 1e-3);
            Assert.Equal(1, b.YY / a.YY, 1e-3);
        }
    }
}
