using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

public class SolvingTests
{
    private const double F = 1500,
        Cx = 960,
        Cy = 540;

    // Hartley and Zisserman 9.2 and 9.6: R = Ry(5°), t ∝ (1, 0, 0.2); of the four poses only one has the points in front of both.
    [Fact]
    public void Relative_pose_of_two_views()
    {
        Matrix3 r = Rotations.AboutY(Rotations.Radians(5));
        Vec3 t = new Vec3(1, 0, 0.2).Normalized();
        Vec3 first = r * new Vec3(0.5, -0.3, 6) + t;
        Assert.Equal(1449.814438, Cx + F * first.X / first.Z, 5);
        Assert.Equal(466.587023, Cy + F * first.Y / first.Z, 5);
        var random = new Random(2);
        var a = new List<(double, double)>();
        var b = new List<(double, double)>();
        for (int i = 0; i < 60; i++)
        {
            var p = new Vec3(random.NextDouble() * 4 - 2, random.NextDouble() * 3 - 1.5, 4 + 4 * random.NextDouble());
            Vec3 q = r * p + t;
            a.Add((p.X / p.Z, p.Y / p.Z));
            // Every fifth pair is wrong.
            b.Add(i % 5 == 4 ? (random.NextDouble() - 0.5, random.NextDouble() - 0.5) : (q.X / q.Z, q.Y / q.Z));
        }
        TwoViewResult found = TwoView.Find(a, b, 1 / F, 500, 1)!;
        Assert.InRange(found.Count, 48, 50);
        Assert.InRange((found.Translation - t).Length, 0, 1e-6);
        Assert.InRange((found.Rotation * Vec3.UnitZ - r * Vec3.UnitZ).Length, 0, 1e-6);
        Assert.Null(TwoView.Find(a.Take(7).ToList(), b.Take(7).ToList(), 1 / F, 50, 1));
    }

    // Hartley and Zisserman table 4.3: samples for p = 0.99 at 5, 10, 20, 25, 30, 40 and 50 % of outliers.
    [Theory]
    [InlineData(2, new[] { 2, 3, 5, 6, 7, 11, 17 })]
    [InlineData(4, new[] { 3, 5, 9, 13, 17, 34, 72 })]
    [InlineData(7, new[] { 4, 8, 20, 33, 54, 163, 588 })]
    [InlineData(8, new[] { 5, 9, 26, 44, 78, 272, 1177 })]
    public void Sampling_draws_as_often_as_the_table_says(int sample, int[] expected) =>
        Assert.Equal(expected, ((double[])[0.05, 0.10, 0.20, 0.25, 0.30, 0.40, 0.50]).Select(e => TwoView.Trials(0.99, 1 - e, sample)));

    /// <summary>Points in a slab seen by views along a path, with Gaussian noise.</summary>
    private static BundleProblem Scene(int views, int points, double sigma, int seed, out Vec3[] truth)
    {
        var random = new Random(seed);
        var problem = new BundleProblem();
        problem.Groups.Add(
            new()
            {
                Focal = F,
                Cx = Cx,
                Cy = Cy,
            }
        );
        truth =
        [
            .. Enumerable
                .Range(0, points)
                .Select(_ => new Vec3(random.NextDouble() * 6 - 3, random.NextDouble() * 4 - 2, -8 + 4 * random.NextDouble())),
        ];
        var seen = new List<BundleObservation>();
        for (int v = 0; v < views; v++)
        {
            double s = (double)v / (views - 1);
            var view = new BundleView
            {
                CameraToWorld = Pose.LookAt(new(-2 + 4 * s, 0.4 * Math.Sin(5 * s), 0.6 * s), new(0, 0, -6), Vec3.UnitY),
            };
            problem.Views.Add(view);
            for (int p = 0; p < points; p++)
            {
                Vec3 c = view.Rotation * truth[p] + view.Translation;
                seen.Add(
                    new(
                        v,
                        p,
                        Cx + F * c.X / c.Z + sigma * TrackScenes.Normal(random),
                        Cy + F * c.Y / c.Z + sigma * TrackScenes.Normal(random)
                    )
                );
            }
        }
        problem.Points =
        [
            .. truth.Select(p => p + 0.02 * new Vec3(TrackScenes.Normal(random), TrackScenes.Normal(random), TrackScenes.Normal(random))),
        ];
        problem.Observations = [.. seen];
        return problem;
    }

    // Expected residual of a correct solve, Hartley and Zisserman 5.1.3: σ √(1 − d/N) a coordinate, d = 6 m + 3 n − 7; for 20 views,
    // 50 points and σ = 0.3 px 0.279580 px; radially √2 more.
    [Fact]
    public void Noise_leaves_the_residual_that_theory_says()
    {
        double sum = 0;
        const int runs = 12;
        for (int run = 0; run < runs; run++)
        {
            BundleProblem problem = Scene(20, 50, 0.3, run, out _);
            BundleReport report = BundleAdjustment.Run(problem, iterations: 40, tolerance: 1e-10);
            sum += report.EndRms * report.EndRms;
        }
        Assert.Equal(0.279580, Math.Sqrt(sum / runs / 2), 0.006);
    }

    [Fact]
    public void Focal_length_and_lens_are_found_and_wild_sights_do_not_matter()
    {
        BundleProblem problem = Scene(12, 120, 0.1, 5, out _);
        IntrinsicsGroup lens = problem.Groups[0];
        // Bend what was seen by k1 = −0.1, k2 = 0.03; then begin without a lens and 6 % off in focal length.
        problem.Observations =
        [
            .. problem.Observations.Select(
                (o, i) =>
                {
                    double x = (o.X - Cx) / F,
                        y = (o.Y - Cy) / F,
                        r2 = x * x + y * y,
                        d = 1 - 0.1 * r2 + 0.03 * r2 * r2;
                    double wild = i % 40 == 7 ? 25 : 0;
                    return o with { X = Cx + F * d * x + wild, Y = Cy + F * d * y };
                }
            ),
        ];
        lens.Focal = 1.06 * F;
        lens.Refine = Intrinsics.Focal | Intrinsics.K1 | Intrinsics.K2;
        problem.Views[0].Fixed = true;
        BundleAdjustment.Run(problem, RobustLoss.Cauchy, 1, 100, tolerance: 1e-10);
        Assert.Equal(F, problem.Groups[0].Focal, 3.0);
        Assert.Equal(-0.1, problem.Groups[0].K1, 0.01);
        Assert.Equal(0.03, problem.Groups[0].K2, 0.03);
    }

    // Derived: u = f X / Z, v likewise times the aspect; an offset principal point and a squeezed image are taken apart again.
    [Fact]
    public void Principal_point_is_found_and_the_aspect_is_kept()
    {
        BundleProblem problem = Scene(16, 150, 0.05, 9, out _);
        problem.Observations = [.. problem.Observations.Select(o => o with { X = o.X + 12, Y = 540 + 0.5 * (o.Y - 540) - 7 })];
        problem.Groups[0].Aspect = 0.5;
        problem.Groups[0].Refine = Intrinsics.PrincipalPoint;
        problem.Views[0].Fixed = true;
        BundleReport report = BundleAdjustment.Run(problem, iterations: 80, tolerance: 1e-10);
        Assert.InRange(report.EndRms, 0.03, 0.12);
        // The first view is held where the truth has it, so nothing else can take the shift up.
        Assert.Equal(Cx + 12, problem.Groups[0].Cx, 1.0);
        Assert.Equal(Cy - 7, problem.Groups[0].Cy, 1.0);
    }

    // Gauge freedom is not error, Hartley and Zisserman 10.2: a similarity of views and points changes no residual.
    [Fact]
    public void A_similarity_changes_no_residual()
    {
        BundleProblem problem = Scene(4, 20, 0.3, 3, out _);
        var before = problem
            .Observations.Select(o =>
            {
                problem.TryResidual(o, out double x, out double y);
                return (x, y);
            })
            .ToList();
        var s = new Similarity(0.37, Rotations.AboutY(0.8) * Rotations.AboutX(-0.3), new(4, -2, 9));
        foreach (BundleView v in problem.Views)
        {
            v.CameraToWorld = v.CameraToWorld.Moved(s);
        }
        problem.Points = [.. problem.Points.Select(s.Apply)];
        for (int i = 0; i < before.Count; i++)
        {
            Assert.True(problem.TryResidual(problem.Observations[i], out double x, out double y));
            Assert.Equal(before[i].x, x, 1e-8);
            Assert.Equal(before[i].y, y, 1e-8);
        }
    }

    // Reprojection derivatives at (0.4, −0.2, 4), f 1500: derived, and by central differences through the residual itself.
    [Fact]
    public void Residuals_change_as_the_derivatives_say()
    {
        var problem = new BundleProblem { Points = [new(0.4, -0.2, 4)], Observations = [new(0, 0, 0, 0)] };
        problem.Groups.Add(new() { Focal = F });
        problem.Views.Add(new());
        (double X, double Y) Shift(Vec3 by, Vec3 turn, double focal)
        {
            BundleProblem p = new() { Points = [problem.Points[0] + by], Observations = problem.Observations };
            p.Groups.Add(new() { Focal = F + focal });
            p.Views.Add(new() { Rotation = turn.Length > 0 ? Rotations.FromAxisAngle(turn / turn.Length, turn.Length) : Matrix3.Identity });
            p.TryResidual(p.Observations[0], out double x, out double y);
            return (x, y);
        }
        const double h = 1e-5;
        void Check(Func<double, (double X, double Y)> at, double du, double dv)
        {
            var (a, b) = (at(h), at(-h));
            Assert.Equal(du, (a.X - b.X) / (2 * h), 1e-3);
            Assert.Equal(dv, (a.Y - b.Y) / (2 * h), 1e-3);
        }
        Check(t => Shift(new(t, 0, 0), Vec3.Zero, 0), 375, 0);
        Check(t => Shift(new(0, 0, t), Vec3.Zero, 0), -37.5, 18.75);
        Check(t => Shift(Vec3.Zero, new(t, 0, 0), 0), 7.5, -1503.75);
        Check(t => Shift(Vec3.Zero, new(0, t, 0), 0), 1515, -7.5);
        Check(t => Shift(Vec3.Zero, new(0, 0, t), 0), 75, 150);
        Check(t => Shift(Vec3.Zero, Vec3.Zero, t), 0.1, -0.05);
    }

    [Fact]
    public void A_view_keeps_its_pose_in_both_forms()
    {
        Pose pose = Pose.LookAt(new(3, 2, 5), new(0, 1, -2), Vec3.UnitY);
        var view = new BundleView { CameraToWorld = pose };
        Assert.InRange((view.CameraToWorld.Position - pose.Position).Length, 0, 1e-12);
        Vec3 p = new(0.3, 0.7, -1),
            c = view.Rotation * p + view.Translation,
            ours = pose.ToLocal(p);
        Assert.Equal(ours.X, c.X, 12);
        Assert.Equal(-ours.Y, c.Y, 12);
        Assert.Equal(-ours.Z, c.Z, 12);
    }

    private static List<Track> Follow(IReadOnlyList<Vec3> points, Func<int, Pose> camera, int frames, double sigma, int seed) =>
        TrackScenes.Follow(points, camera, new Pinhole(1280, 720, 1000, 1000, 640, 360, new Lens(-0.08, 0.02)), frames, sigma, seed);

    private static readonly SolveSettings Unknown = new() { Width = 1280, Height = 720 };

    [Fact]
    public void A_travelling_camera_is_found_from_its_tracks()
    {
        static Pose Camera(int f) => Pose.LookAt(new(-1.5 + 0.08 * f, 0.1 * Math.Sin(0.3 * f), 0.02 * f), new(0, 0, -8), Vec3.UnitY);
        List<Track> tracks = Follow(TrackScenes.Cloud(250), Camera, 40, 0.1, 4);
        foreach (Track t in tracks.Where((_, i) => i % 20 == 3))
        {
            for (int i = 0; i < t.Points.Count; i++)
            {
                t.Points[i] = t.Points[i] with { X = t.Points[i].X + 1.5 * i };
            }
        } // things that move
        SolveResult r = CameraSolver.Travelling(tracks, 1001, 1040, Unknown);
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(40, r.Frames.Count);
        Assert.InRange(r.RmsPx, 0.05, 0.2);
        Assert.Equal(1000, r.Pinhole!.Fx, 8.0);
        Assert.InRange(r.LeftOut.Count, 6, 40);
        // The path's shape: distances between frames keep their ratios.
        double mine =
            (r.Frames[20].CameraToWorld.Position - r.Frames[0].CameraToWorld.Position).Length
            / (r.Frames[39].CameraToWorld.Position - r.Frames[0].CameraToWorld.Position).Length;
        Assert.Equal((Camera(20).Position - Camera(0).Position).Length / (Camera(39).Position - Camera(0).Position).Length, mine, 0.003);
        // The same tracks and seed give the same camera.
        Assert.Equal(r.Pinhole.Fx, CameraSolver.Travelling(tracks, 1001, 1040, Unknown).Pinhole!.Fx, 1e-6);
    }

    [Fact]
    public void A_turning_camera_is_told_apart()
    {
        SolveResult r = CameraSolver.Travelling(
            Follow(TrackScenes.Cloud(200), f => new Pose(Rotations.AboutY(0.01 * f), Vec3.Zero), 30, 0.1, 4),
            1001,
            1030,
            Unknown
        );
        Assert.False(r.Solved);
        Assert.Contains("turns but does not travel", r.Reason);
    }

    [Fact]
    public void Too_few_tracks_and_a_cut_are_told()
    {
        static Pose Camera(int f) => Pose.LookAt(new(-1.5 + 0.08 * f, 0, 0), new(0, 0, -8), Vec3.UnitY);
        Assert.Contains(
            "tracks live for five frames",
            CameraSolver.Travelling(Follow(TrackScenes.Cloud(12), Camera, 30, 0.1, 4), 1001, 1030, Unknown).Reason
        );
        // Half of the range has no track in common with the other half.
        List<Track> tracks = Follow(TrackScenes.Cloud(200), Camera, 20, 0.1, 4),
            later = Follow(TrackScenes.Cloud(200), f => Camera(60 - f), 20, 0.1, 5);
        foreach (Track t in later)
        {
            var moved = new Track(t.Id + 1000);
            moved.Points.AddRange(t.Points.Select(p => p with { Frame = p.Frame + 20 }));
            tracks.Add(moved);
        }
        SolveResult cut = CameraSolver.Travelling(tracks, 1001, 1040, Unknown);
        Assert.False(cut.Solved);
        Assert.Contains("cut", cut.Reason);
    }

    /// <summary>A picture known at every place: sums of waves, so that any shift of it is exact.</summary>
    private static GrayPyramid Waves(double dx, double dy, double gain, double bias, double noise = 0)
    {
        const int w = 320,
            h = 240;
        var random = new Random(3);
        (double A, double B, double P)[] waves =
        [
            .. Enumerable
                .Range(0, 40)
                .Select(_ => (random.NextDouble() * 1.2 - 0.6, random.NextDouble() * 1.2 - 0.6, random.NextDouble() * 6)),
        ];
        var data = new float[w * h];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                double v = 0;
                foreach (var (a, b, p) in waves)
                {
                    v += Math.Sin(a * (x - dx) + b * (y - dy) + p);
                }
                data[y * w + x] = (float)(gain * (0.5 + 0.03 * v) + bias + noise * TrackScenes.Normal(random));
            }
        }
        return new(new(w, h, data), 4);
    }

    [Theory]
    [InlineData(0.37, -0.61, 1, 0)]
    [InlineData(6.25, 3.5, 1, 0)]
    [InlineData(-1.3, 2.8, 0.8, 0.06)] // a change of light on the way
    public void Shifts_are_followed_to_a_fraction_of_a_pixel(double dx, double dy, double gain, double bias)
    {
        var tracker = new PointTracker(new() { Count = 60 });
        tracker.Next(1001, Waves(0, 0, 1, 0));
        tracker.Next(1002, Waves(dx, dy, gain, bias));
        Track[] followed = [.. tracker.Tracks.Where(t => t.Points.Count == 2)];
        Assert.InRange(followed.Length, 30, 60);
        foreach (Track t in followed)
        {
            Assert.Equal(dx, t.Points[1].X - t.Points[0].X, 0.05);
            Assert.Equal(dy, t.Points[1].Y - t.Points[0].Y, 0.05);
        }
    }

    [Fact]
    public void Tracks_do_not_drift_and_end_with_a_reason()
    {
        var tracker = new PointTracker(new() { Count = 60 });
        for (int f = 0; f < 25; f++)
        {
            tracker.Next(1001 + f, Waves(0.73 * f, 0.31 * f, 1 - 0.01 * f, 0, 0.004));
        }
        Track[] whole = [.. tracker.Tracks.Where(t => t.Points.Count == 25)];
        Assert.InRange(whole.Length, 15, 60);
        foreach (Track t in whole)
        {
            Assert.Equal(0.73 * 24, t.Points[24].X - t.Points[0].X, 0.15);
            Assert.Equal(0.31 * 24, t.Points[24].Y - t.Points[0].Y, 0.15);
        }
        // A cut: nothing goes on, every track says why.
        tracker.Next(1026, Waves(1000, 700, 1, 0));
        Assert.True(tracker.Tracks.Count(t => t.Ended.Length > 0) >= whole.Length * 0.9);
        Assert.Throws<ArgumentException>(() => tracker.Next(1030, Waves(0, 0, 1, 0)));
    }

    [Fact]
    public void Features_spread_over_the_frame_and_keep_their_distance()
    {
        IReadOnlyList<Feature> found = FeatureFinder.Find(Waves(0, 0, 1, 0).Levels[0], 80, 12, [(160, 120)], (x, _) => x > 40);
        Assert.InRange(found.Count, 50, 80);
        Assert.All(found, f => Assert.True(f.X > 40 && Math.Pow(f.X - 160, 2) + Math.Pow(f.Y - 120, 2) >= 144));
        for (int i = 0; i < found.Count; i++)
        {
            for (int j = 0; j < i; j++)
            {
                Assert.True(Math.Pow(found[i].X - found[j].X, 2) + Math.Pow(found[i].Y - found[j].Y, 2) >= 143.9);
            }
        }
        foreach (var (left, top) in new[] { (true, true), (true, false), (false, true), (false, false) })
        {
            Assert.Contains(found, f => f.X < 160 == left && f.Y < 120 == top);
        }
        Assert.Empty(FeatureFinder.Find(new GrayImage(64, 64, new float[64 * 64]), 20, 8, []));
    }
}
