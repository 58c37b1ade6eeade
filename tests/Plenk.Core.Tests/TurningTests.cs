using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Cameras on a tripod, points laid on points, and how sure a solve says it is.</summary>
public class TurningTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1000, 1000, 640, 360, new Lens(-0.08, 0.02));
    private static readonly SolveSettings Unknown = new() { Width = 1280, Height = 720 };

    private static Pose Pan(int f) => new(Rotations.AboutY(0.012 * f) * Rotations.AboutX(0.06 * Math.Sin(0.2 * f)), new(3, 1, 2));

    private static Vec3[] Around(int count)
    {
        var random = new Random(5);
        return
        [
            .. Enumerable
                .Range(0, count)
                .Select(_ =>
                {
                    double azimuth = random.NextDouble() * 2.2 - 0.9,
                        height = random.NextDouble() - 0.5,
                        far = 3 + 10 * random.NextDouble();
                    return new Vec3(3, 1, 2) + far * new Vec3(-Math.Sin(azimuth), height, -Math.Cos(azimuth));
                }),
        ];
    }

    // The homography between two views of a turn is K R K⁻¹ (Hartley and Zisserman 8.4): a pan of 10° at f = 1500 moves the image
    // centre by f tan 10° = 264.490471 px and (1400, 300) to (1702.916004, 283.005178); two frames give f and the angle back.
    [Fact]
    public void Two_frames_of_a_pan_give_focal_length_and_angle()
    {
        var camera = new Pinhole(1920, 1080, 1500, 1500, 960, 540, Lens.None);
        // A turn of the scene by +10° in axes with y down is one of ours by −10° about +Y, seen from the camera.
        var turned = new Pose(Rotations.AboutY(Rotations.Radians(10)), Vec3.Zero);
        (double X, double Y) Move(double x, double y)
        {
            Assert.True(camera.TryDirection(x, y, out Vec3 d) && camera.TryProject(turned, d, out x, out y));
            return (x, y);
        }
        Assert.Equal(1224.490471, Move(960, 540).X, 1e-5);
        Assert.Equal(1702.916004, Move(1400, 300).X, 1e-5);
        Assert.Equal(283.005178, Move(1400, 300).Y, 1e-5);
        var tracks = new List<Track>();
        for (int i = 0; i < 48; i++)
        {
            double x = 100 + 190 * (i % 8),
                y = 80 + 180 * (i / 8);
            var (u, v) = Move(x, y);
            if (!(u < 1920))
            {
                continue;
            }
            var t = new Track(i + 1);
            t.Points.AddRange([new(1, x, y), new(2, u, v)]);
            tracks.Add(t);
        }
        SolveResult r = TurningSolver.Solve(
            tracks,
            1,
            2,
            new()
            {
                Width = 1920,
                Height = 1080,
                RefineLens = Intrinsics.None,
            }
        );
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(1500, r.Pinhole!.Fx, 1e-3);
        Assert.Equal(10, Rotations.DegreesBetween(r.Frames[0].CameraToWorld.Rotation, r.Frames[1].CameraToWorld.Rotation), 1e-5);
        // A pan of 0° leaves the focal length undetermined, which is told.
        foreach (Track t in tracks)
        {
            t.Points[1] = t.Points[0] with { Frame = 2 };
        }
        SolveResult still = TurningSolver.Solve(
            tracks,
            1,
            2,
            new()
            {
                Width = 1920,
                Height = 1080,
                RefineLens = Intrinsics.None,
            }
        );
        Assert.False(still.Solved);
        Assert.Contains("does not tell the focal length", still.Reason);
    }

    [Fact]
    public void A_turning_camera_is_found_with_its_lens()
    {
        List<Track> tracks = TrackScenes.Follow(Around(400), Pan, Camera, 60, 0.15, 2);
        foreach (Track t in tracks.Where((_, i) => i % 15 == 4))
        {
            for (int i = 0; i < t.Points.Count; i++)
            {
                t.Points[i] = t.Points[i] with { Y = t.Points[i].Y + 1.2 * i };
            }
        }
        SolveResult r = TurningSolver.Solve(tracks, 1001, 1060, Unknown);
        Assert.True(r.Solved, r.Reason);
        Assert.True(r.Turning);
        Assert.InRange(r.RmsPx, 0.1, 0.3);
        Assert.Equal(1000, r.Pinhole!.Fx, 5.0);
        // The doubt that is told is the size of the error that is made.
        Assert.InRange(Math.Abs(r.Pinhole.Fx - 1000), 0, 4 * r.FocalDoubtPx);
        for (int f = 0; f < 60; f += 7)
        {
            Assert.Equal(
                Rotations.DegreesBetween(Pan(0).Rotation, Pan(f).Rotation),
                Rotations.DegreesBetween(r.Frames[0].CameraToWorld.Rotation, r.Frames[f].CameraToWorld.Rotation),
                0.05
            );
        }
        Assert.All(r.Frames, f => Assert.Equal(Vec3.Zero, f.CameraToWorld.Position));
        Assert.Contains(r.LeftOut, l => l.Why == "disagrees with a turn");
        Assert.InRange(r.HeldOut!.MedianPx, 0.1, 0.4);
        Assert.InRange(r.HeldOut.WithinOnePx, 0.65, 1); // some of the held-out tracks are among those that slide
    }

    [Fact]
    public void A_wrong_choice_is_told()
    {
        static Pose Travel(int f) => Pose.LookAt(new(-1.5 + 0.08 * f, 0.1 * Math.Sin(0.3 * f), 0), new(0, 0, -8), Vec3.UnitY);
        SolveResult r = TurningSolver.Solve(TrackScenes.Follow(TrackScenes.Cloud(250), Travel, Camera, 40, 0.1, 4), 1001, 1040, Unknown);
        Assert.False(r.Solved);
        Assert.Contains("The camera travels", r.Reason);
        Assert.Contains("12", TurningSolver.Solve([], 1001, 1040, Unknown).Reason);
        // A cut: nothing is shared across it.
        List<Track> tracks = TrackScenes.Follow(Around(200), Pan, Camera, 30, 0.1, 4);
        foreach (Track t in tracks)
        {
            t.Points.RemoveAll(p => p.Frame > 1015);
        }
        Assert.Contains(
            "1015 and 1016 share only 0 tracks",
            TurningSolver.Solve([.. tracks.Where(t => t.Points.Count > 0)], 1001, 1030, Unknown).Reason
        );
    }

    [Fact]
    public void Squeezed_pixels_are_taken_apart()
    {
        // Anamorphic by a pixel aspect of 2: the same film, half as many columns.
        var squeezed = new Pinhole(960, 800, 700, 1400, 480, 400, Lens.None);
        SolveResult r = TurningSolver.Solve(
            TrackScenes.Follow(Around(300), Pan, squeezed, 40, 0.1, 6),
            1001,
            1040,
            new()
            {
                Width = 960,
                Height = 800,
                PixelAspect = 2,
                RefineLens = Intrinsics.None,
            }
        );
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(700, r.Pinhole!.Fx, 4.0);
        Assert.Equal(2 * r.Pinhole.Fx, r.Pinhole.Fy, 1e-9);
    }

    [Fact]
    public void Points_are_laid_on_points_without_mirroring()
    {
        // Worked pairs, exact: Y = 2.5 R X + (10, −4, 1), R = Rz(30°) Ry(−15°) Rx(50°); derived from Umeyama 1991 and Horn 1987.
        Vec3[] x = [new(0, 0, 0), new(1, 0, 0), new(0, 2, 0), new(0, 0, 3), new(1, 1, 1)];
        Matrix3 r =
            Rotations.AboutZ(Rotations.Radians(30)) * Rotations.AboutY(Rotations.Radians(-15)) * Rotations.AboutX(Rotations.Radians(50));
        Assert.Equal(0.836516304, r.M11, 1e-9);
        Assert.Equal(-0.746596786, r.M23, 1e-9);
        Vec3[] y = [.. x.Select(p => 2.5 * (r * p) + new Vec3(10, -4, 1))];
        Assert.InRange((y[4] - new Vec3(11.4559091, -3.51524230, 5.04911577)).Length, 0, 1e-7);
        var (map, rms) = Alignment.Similarity(x, y, out _)!.Value;
        Assert.Equal(2.5, map.Scale, 1e-9);
        Assert.InRange((map.Translation - new Vec3(10, -4, 1)).Length + rms, 0, 1e-8);
        Assert.InRange((map.Rotation * Vec3.UnitX - r * Vec3.UnitX).Length, 0, 1e-9);
        Assert.Null(Alignment.Similarity(x[..2], y[..2], out string? few));
        Assert.Contains("three", few);
        Assert.Null(Alignment.Similarity([new(0, 0, 0), new(1, 0, 0), new(2, 0, 0), new(5, 0, 0)], y[..4], out string? line));
        Assert.Contains("line", line);
        // Points that were mirrored cannot be laid back by turning: what is left over says so.
        var mirrored = Alignment.Similarity(x, [.. x.Select(p => p with { X = -p.X })], out _)!.Value;
        Assert.InRange(mirrored.Map.Rotation.Determinant, 0.999999, 1.000001);
        Assert.InRange(mirrored.Rms, 0.2, 2);
    }

    // Depth error of a parallel pair, Z = f B / d differentiated: f 1500 px, baseline 0.5 m, 10 m away, 0.3 px of disparity is 0.04 m.
    [Fact]
    public void The_covariance_is_the_law_of_depth_error()
    {
        var random = new Random(4);
        var problem = new BundleProblem();
        problem.Groups.Add(
            new()
            {
                Focal = 1500,
                Cx = 960,
                Cy = 540,
            }
        );
        problem.Views.Add(new() { Fixed = true });
        problem.Views.Add(new() { Fixed = true, Translation = new(-0.5, 0, 0) });
        problem.Points = [.. Enumerable.Range(0, 4000).Select(i => new Vec3(0.25 + 0.001 * (i % 7), 0, i % 2 == 0 ? 10 : 20))];
        // Each picture's 0.3 px ÷ √2, so that the disparity has 0.3 px.
        double sigma = 0.3 / Math.Sqrt(2);
        problem.Observations =
        [
            .. Enumerable
                .Range(0, 8000)
                .Select(i =>
                {
                    Vec3 p = problem.Points[i / 2] + problem.Views[i % 2].Translation;
                    return new BundleObservation(
                        i % 2,
                        i / 2,
                        960 + 1500 * p.X / p.Z + sigma * TrackScenes.Normal(random),
                        540 + sigma * TrackScenes.Normal(random)
                    );
                }),
        ];
        BundleAdjustment.Run(problem, iterations: 20, tolerance: 1e-12);
        BundleCovariance sure = BundleAdjustment.Covariance(problem)!;
        Assert.Equal(sigma, sure.Sigma, 0.03 * sigma);
        Assert.Equal(0.04, Math.Sqrt(sure.Points.Where((_, i) => i % 2 == 0).Average(c => c[5])), 0.002);
        Assert.Equal(0.16, Math.Sqrt(sure.Points.Where((_, i) => i % 2 == 1).Average(c => c[5])), 0.008);
    }

    // What a covariance promises, runs with fresh noise must show: focal length and the slide of a spot between two frames.
    [Fact]
    public void Doubts_are_as_large_as_errors_over_many_runs()
    {
        static Pose Path(int f) => Pose.LookAt(new(-1.5 + 0.25 * f, 0.2 * Math.Sin(f), 0.1 * f), new(0, 0, -7), Vec3.UnitY);
        Vec3[] points = TrackScenes.Cloud(60);
        var spot = new Vec3(0.4, -0.6, -6);
        var focals = new List<double>();
        var slides = new List<double>();
        double focalDoubt = 0,
            slideDoubt = 0;
        const int runs = 40,
            frames = 10;
        var random = new Random(3);
        var plain = new Pinhole(1280, 720, 1000, 1000, 640, 360, Lens.None);
        for (int run = 0; run < runs; run++)
        {
            var problem = new BundleProblem { Points = [.. points] };
            problem.Groups.Add(
                new()
                {
                    Focal = 1000,
                    Cx = 640,
                    Cy = 360,
                    Refine = Intrinsics.Focal,
                }
            );
            var seen = new List<BundleObservation>();
            for (int f = 0; f < frames; f++)
            {
                problem.Views.Add(new() { CameraToWorld = Path(f), Fixed = f == 0 });
                for (int p = 0; p < points.Length; p++)
                {
                    if (plain.TryProject(Path(f), points[p], out double x, out double y))
                    {
                        seen.Add(new(f, p, x + 0.3 * TrackScenes.Normal(random), y + 0.3 * TrackScenes.Normal(random)));
                    }
                }
            }
            problem.Observations = [.. seen];
            BundleAdjustment.Run(problem, iterations: 30, tolerance: 1e-10);
            focals.Add(problem.Groups[0].Focal);
            // The scale is free: bring the last camera back to its true distance before a spot is looked at.
            double scale =
                (Path(9).Position - Path(0).Position).Length / (problem.Views[9].CameraToWorld.Position - Path(0).Position).Length;
            double[] at = new double[2];
            foreach (int f in (int[])[4, 5])
            {
                Pose pose = problem.Views[f].CameraToWorld;
                pose = pose with { Position = Path(0).Position + scale * (pose.Position - Path(0).Position) };
                var found = plain with { Fx = problem.Groups[0].Focal, Fy = problem.Groups[0].Focal };
                Assert.True(found.TryProject(pose, spot, out double x, out _) & plain.TryProject(Path(f), spot, out double trueX, out _));
                at[f - 4] = x - trueX;
            }
            slides.Add(at[1] - at[0]);
            BundleCovariance sure = BundleAdjustment.Covariance(problem)!;
            focalDoubt += sure.OfIntrinsic(0, Intrinsics.Focal) / runs;
            slideDoubt += Math.Sqrt(sure.OfSpot(spot, 4, 5)!.Value.XX) / runs;
        }
        static double Deviation(List<double> values, double truth) => Math.Sqrt(values.Average(v => (v - truth) * (v - truth)));
        // Forty runs tell a deviation to about ± 11 %; three of those.
        Assert.InRange(Deviation(focals, 1000) / focalDoubt, 0.67, 1.35);
        Assert.InRange(Deviation(slides, 0) / slideDoubt, 0.67, 1.35);
    }
}
