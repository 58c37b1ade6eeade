using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

/// <summary>
/// A camera that turns on its tripod, from tracks: rotations, focal length and lens, every track a direction (Hartley and
/// Zisserman 8.4 and 19.6). From frame to frame by directions onto directions under several first focal lengths; then all
/// together by bundle adjustment on the sphere. Depth does not exist in it: points lie at distance 1 from the camera.
/// </summary>
public sealed class TurningSolver
{
    private const int LeastShared = 6;
    private readonly SolveSettings _settings;
    private readonly IReadOnlyList<Track> _tracks;
    private readonly int _first,
        _count;
    private readonly CancellationToken _stop;

    private TurningSolver(IReadOnlyList<Track> tracks, int first, int last, SolveSettings settings, CancellationToken stop) =>
        (_tracks, _first, _count, _settings, _stop) = (tracks, first, last - first + 1, settings, stop);

    public static SolveResult Solve(
        IReadOnlyList<Track> tracks,
        int first,
        int last,
        SolveSettings settings,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        Track[] usable = [.. tracks.Where(t => t.Points.Count >= Math.Min(4, last - first + 1) && !settings.IsHeldOut(t.Id))];
        if (last <= first)
        {
            return SolveResult.Failed("A turning camera needs two frames or more; for one still draw lines along straight edges.");
        }
        if (usable.Length < 12)
        {
            return SolveResult.Failed(
                $"Only {usable.Length} tracks live for four frames or more; a turning camera needs 12. The plate may have too little "
                    + "texture, or be too blurred: lower the distance between features, or place tracks by hand."
            );
        }
        SolveResult result = new TurningSolver(usable, first, last, settings, stop).Run(tracks, progress);
        var used = result.Points.Select(p => p.Track).ToHashSet();
        return result with
        {
            LeftOut =
            [
                .. tracks
                    .Where(t => !used.Contains(t.Id) && !settings.IsHeldOut(t.Id))
                    .Select(t => new LeftOutTrack(t.Id, t.Points.Count < 4 ? "lives for fewer than four frames" : "disagrees with a turn")),
            ],
        };
    }

    private SolveResult Run(IReadOnlyList<Track> all, Action<string, double>? progress)
    {
        double w = _settings.Width;
        double[] focals = _settings.FocalPx is { } known ? [known] : [0.6 * w, 0.8 * w, 1.0 * w, 1.3 * w, 1.8 * w, 2.6 * w, 4 * w];
        Intrinsics focalOnly = _settings.FocalPx is null ? Intrinsics.Focal : Intrinsics.None;
        BundleProblem? best = null;
        double lowest = double.PositiveInfinity;
        for (int i = 0; i < focals.Length; i++)
        {
            _stop.ThrowIfCancellationRequested();
            progress?.Invoke("Trying focal lengths", 0.6 * i / focals.Length);
            if (Begin(focals[i], out string? reason) is not { } begun)
            {
                return SolveResult.Failed(reason!);
            }
            begun.Groups[0].Refine = focalOnly | (_settings.RefineLens & Intrinsics.K1);
            BundleReport tried = BundleAdjustment.Run(begun, RobustLoss.Cauchy, 1, 25, tolerance: 1e-4, stop: _stop);
            if (tried.EndCost < lowest && begun.Groups[0].Focal > 0.15 * w)
            {
                (best, lowest) = (begun, tried.EndCost);
            }
        }
        if (best is null)
        {
            return SolveResult.Failed(
                "No turn explains the tracks. Keep them off moving things and reflections with a matte, and check the sensor's size."
            );
        }

        double start = Rms(best),
            median = Median(best);
        int sights = best.Observations.Length;
        // A camera that travels shifts near things against far ones, and no turn undoes that.
        int wide = best.Observations.Count(o => Residual(best, o) > Math.Max(1.0, 4 * median));
        if (median > 0.8 || wide > 0.35 * sights)
        {
            return SolveResult.Failed(
                $"A turn alone leaves {median:0.00} px at the middle track and more than {Math.Max(1.0, 4 * median):0.0} px at "
                    + $"{100.0 * wide / sights:0} % of all sights: near things shift against far ones. The camera travels; solve it as a "
                    + "travelling camera."
            );
        }
        best.Groups[0].Refine = focalOnly | _settings.RefineLens;
        BundleReport report = null!;
        for (int round = 0; round < 4; round++)
        {
            progress?.Invoke("Refining", 0.65 + 0.08 * round);
            report = BundleAdjustment.Run(best, RobustLoss.Huber, 1, 40, tolerance: 1e-8, stop: _stop);
            if (!Reject(best))
            {
                break;
            }
        }
        progress?.Invoke("Estimating what is left open", 0.97);
        best.StandUpright();
        BundleCovariance? covariance = BundleAdjustment.Covariance(best, RobustLoss.Huber);
        double doubt = covariance?.OfIntrinsic(0, Intrinsics.Focal) / best.Groups[0].Focal ?? double.PositiveInfinity;
        if (_settings.FocalPx is null && !(doubt < 0.05))
        {
            double turned = Enumerable.Range(0, _count).Max(f => Rotations.DegreesBetween(best.Views[0].Rotation, best.Views[f].Rotation));
            return SolveResult.Failed(
                $"A turn of {turned:0.0}° does not tell the focal "
                    + $"length{(double.IsFinite(doubt) ? $" (it could be {100 * doubt:0} % off)" : "")}. Give the focal length."
            );
        }
        return SolveResult.From(
            best,
            [.. Enumerable.Range(_first, _count)],
            [.. _tracks.Select(t => t.Id)],
            all,
            _settings,
            LeastShared,
            report with
            {
                StartRms = start,
            },
            covariance
        );
    }

    private Vec3 Direction(TrackPoint p, double focal)
    {
        var (x, y) = _settings.Normal(p.X, p.Y, focal);
        return new Vec3(x, y, 1).Normalized();
    }

    /// <summary>Directions of what a frame and the one before it both see, under a focal length for each.</summary>
    private List<(Vec3, Vec3)> Pairs(int f, double before, double focal)
    {
        var pairs = new List<(Vec3, Vec3)>();
        foreach (Track t in _tracks)
        {
            if (t.TryAt(_first + f - 1, out TrackPoint a) && t.TryAt(_first + f, out TrackPoint b))
            {
                pairs.Add((Direction(a, before), Direction(b, focal)));
            }
        }
        return pairs;
    }

    /// <summary>
    /// How much the lens zoomed since the frame before: what leaves the least between directions turned onto directions (golden section).
    /// </summary>
    private double Growth(int f, double before)
    {
        double Left(double log)
        {
            List<(Vec3 A, Vec3 B)> pairs = Pairs(f, before, before * Elementary.Exp(log));
            if (pairs.Count < LeastShared)
            {
                return 0;
            }
            Matrix3 turn = Alignment.Rotation(pairs, 1 / before);
            return pairs.Select(p => (turn * p.A - p.B).LengthSquared).Order().ElementAt(pairs.Count / 2);
        }
        double low = -0.12,
            high = 0.12,
            golden = (Math.Sqrt(5) - 1) / 2;
        double a = high - golden * (high - low),
            b = low + golden * (high - low),
            atA = Left(a),
            atB = Left(b);
        for (int i = 0; i < 14; i++)
        {
            if (atA < atB)
            {
                (high, b, atB) = (b, a, atA);
                a = high - golden * (high - low);
                atA = Left(a);
            }
            else
            {
                (low, a, atA) = (a, b, atB);
                b = low + golden * (high - low);
                atB = Left(b);
            }
        }
        return Elementary.Exp((low + high) / 2);
    }

    /// <summary>Rotations chained from frame to frame, and every track the mean of its directions, under a focal length.</summary>
    private BundleProblem? Begin(double focal, out string? reason)
    {
        var problem = new BundleProblem { PointsAreDirections = true };
        problem.Groups.Add(
            new()
            {
                Focal = focal,
                Cx = _settings.CentreX,
                Cy = _settings.CentreY,
                Aspect = _settings.PixelAspect,
                K1 = _settings.Lens.K1,
                K2 = _settings.Lens.K2,
            }
        );
        problem.Views.Add(
            new()
            {
                Fixed = true,
                HoldPosition = true,
                FreeZoom = _settings.Zooms,
            }
        );
        for (int f = 1; f < _count; f++)
        {
            double zoom = problem.Views[f - 1].Zoom;
            if (_settings.Zooms)
            {
                zoom *= Growth(f, focal * zoom);
            }
            List<(Vec3, Vec3)> pairs = Pairs(f, focal * problem.Views[f - 1].Zoom, focal * zoom);
            if (pairs.Count < LeastShared)
            {
                reason =
                    $"Frames {_first + f - 1} and {_first + f} share only {pairs.Count} tracks; {LeastShared} are needed. There may be a "
                    + "cut, a flash or a strong blur there: end the range before it, or add tracks across it.";
                return null;
            }
            problem.Views.Add(
                new()
                {
                    HoldPosition = true,
                    FreeZoom = _settings.Zooms,
                    Zoom = zoom,
                    Rotation = Alignment.Rotation(pairs, 1 / focal) * problem.Views[f - 1].Rotation,
                }
            );
        }
        var observations = new List<BundleObservation>();
        problem.Points = new Vec3[_tracks.Count];
        for (int t = 0; t < _tracks.Count; t++)
        {
            foreach (TrackPoint p in _tracks[t].Points)
            {
                int f = p.Frame - _first;
                if (f < 0 || f >= _count)
                {
                    continue;
                }
                problem.Points[t] += problem.Views[f].Rotation.Transpose() * Direction(p, focal * problem.Views[f].Zoom);
                observations.Add(new(f, t, p.X, p.Y));
            }
            problem.Points[t] = problem.Points[t].Length > 0 ? problem.Points[t].Normalized() : Vec3.UnitZ;
        }
        // A track whose first guess lies behind a view that sees it cannot lead anywhere.
        var behind = observations
            .Where(o => (problem.Views[o.View].Rotation * problem.Points[o.Point]).Z <= 0.02)
            .Select(o => o.Point)
            .ToHashSet();
        problem.Observations = [.. observations.Where(o => !behind.Contains(o.Point))];
        reason = null;
        return problem;
    }

    private static double Residual(BundleProblem problem, BundleObservation o) =>
        problem.TryResidual(o, out double dx, out double dy) ? Math.Sqrt(dx * dx + dy * dy) : double.PositiveInfinity;

    private static double Median(BundleProblem problem) =>
        problem.Observations.Select(o => Residual(problem, o)).Order().ElementAtOrDefault(problem.Observations.Length / 2);

    private static double Rms(BundleProblem problem) =>
        Math.Sqrt(
            problem.Observations.Average(o =>
            {
                double r = Residual(problem, o);
                return r * r;
            })
        );

    /// <summary>Leaves out tracks whose RMS, then sights whose error, lies beyond three robust deviations (at least 0.6 px).</summary>
    private static bool Reject(BundleProblem problem)
    {
        double limit = Math.Max(0.6, 3 * 1.4826 * Median(problem));
        var bad = problem
            .Observations.GroupBy(o => o.Point)
            .Where(g => g.Count(o => Residual(problem, o) > limit) > g.Count() / 3.0)
            .Select(g => g.Key)
            .ToHashSet();
        BundleObservation[] kept = [.. problem.Observations.Where(o => !bad.Contains(o.Point) && Residual(problem, o) <= limit)];
        if (kept.Length == problem.Observations.Length)
        {
            return false;
        }
        problem.Observations = kept;
        return true;
    }
}
