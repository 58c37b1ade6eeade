using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

/// <summary>
/// A travelling camera from tracks: two frames with parallax, then frame by frame by resection from its neighbour, new points
/// as they are seen from far enough apart, adjusted as a whole; at the end focal length and lens, and what disagrees left out.
/// </summary>
public sealed class CameraSolver
{
    private const int LeastTracks = 8; // in a frame
    private const double LeastParallax = 1.0; // degrees, for a point to be placed
    private readonly SolveSettings _settings;
    private readonly IReadOnlyList<Track> _tracks;
    private readonly int _first,
        _count;
    private readonly CancellationToken _stop;
    private readonly Action<string, double>? _progress;
    private BundleView?[] _views;
    private Vec3?[] _points;
    private IntrinsicsGroup _lens = new();
    private bool _anchored; // a zoom is told by its first frame
    private readonly bool[][] _rejected;

    private CameraSolver(
        IReadOnlyList<Track> tracks,
        int first,
        int last,
        SolveSettings settings,
        CancellationToken stop,
        Action<string, double>? progress
    )
    {
        (_tracks, _first, _count, _settings, _stop, _progress) = (tracks, first, last - first + 1, settings, stop, progress);
        _views = new BundleView?[_count];
        _points = new Vec3?[tracks.Count];
        _rejected = [.. tracks.Select(t => new bool[t.Points.Count])];
    }

    public static SolveResult Travelling(
        IReadOnlyList<Track> tracks,
        int first,
        int last,
        SolveSettings settings,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        // Short tracks say little and are most often wrong.
        Track[] usable = [.. tracks.Where(t => t.Points.Count >= Math.Min(5, last - first + 1) && !settings.IsHeldOut(t.Id))];
        if (last - first < 2)
        {
            return Failed("A travelling camera needs three frames or more.");
        }
        if (usable.Length < 20)
        {
            return Failed(
                $"Only {usable.Length} tracks live for five frames or more; a solve needs 20. The plate may have too little texture, or "
                    + "be too blurred: lower the distance between features, or draw tracks by hand."
            );
        }
        var solver = new CameraSolver(usable, first, last, settings, stop, progress);
        SolveResult result = solver.Run(tracks);
        // Where most tracks had to go, a camera that only turned may have been taken for one that travels.
        if (
            result.Solved
            && result.TracksUsed < 0.3 * usable.Length
            && TurningSolver.Solve(tracks, first, last, settings, stop) is { Solved: true } turned
            && turned.TracksUsed > 2 * result.TracksUsed
        )
        {
            return Failed(
                $"The camera turns but does not travel: a turn alone explains {turned.TracksUsed} tracks to {turned.RmsPx:0.00} px, a "
                    + $"path only {result.TracksUsed}. Solve it as a turning camera."
            );
        }
        var used = result.Points.Select(p => p.Track).ToHashSet();
        var wrong = usable.Where((_, t) => solver._rejected[t].Any(r => r)).Select(t => t.Id).ToHashSet();
        return result with
        {
            LeftOut =
            [
                .. tracks
                    .Where(t => !used.Contains(t.Id) && !settings.IsHeldOut(t.Id))
                    .Select(t => new LeftOutTrack(
                        t.Id,
                        t.Points.Count < 5 ? "lives for fewer than five frames"
                            : wrong.Contains(t.Id) ? "disagrees with the camera"
                            : "is seen from too nearly one place"
                    )),
            ],
        };
    }

    private static SolveResult Failed(string reason) => SolveResult.Failed(reason);

    private SolveResult Run(IReadOnlyList<Track> all)
    {
        _progress?.Invoke("Choosing two frames", 0.02);
        if (ChoosePair() is not { } pair)
        {
            return Failed("No two frames share enough tracks. There may be a cut in the footage, or the tracks are too short.");
        }
        double w = _settings.Width;
        double[] focals = _settings is { FocalPx: { } known, Zooms: false }
            ? [known]
            : [0.6 * w, 0.8 * w, 1.0 * w, 1.3 * w, 1.7 * w, 2.3 * w];
        double turning = focals.Where((_, i) => i % 2 == 0).Min(f => TurningError(pair, f));
        if (turning < 0.7)
        {
            return Failed(
                $"The camera turns but does not travel: a turn alone explains the tracks to {turning:0.00} px. Solve it as a turning camera."
            );
        }
        double[] ratios = _settings.Zooms ? [.. ((double[])[1, 0.9, 1.1]).Select(k => k * Growth(pair))] : [1];
        var starts = new List<Start>();
        foreach (double f in focals)
        {
            _stop.ThrowIfCancellationRequested();
            foreach (double ratio in ratios)
            {
                starts.AddRange(Begin(pair, f, ratio));
            }
        }
        if (starts.Count == 0)
        {
            return Failed(
                "Two frames with parallax were found, but no camera explains them. Keep tracks off moving things and reflections with "
                    + "a matte, and check the sensor's size."
            );
        }
        starts.Sort((x, y) => x.Score.CompareTo(y.Score));
        // Few frames of one plane can be explained by two poses; those that are nearly as good are followed to their end.
        List<Start> distinct = [starts[0]];
        foreach (Start s in starts.Skip(1))
        {
            if (distinct.Count < 3 && s.Score < 2.5 * starts[0].Score && distinct.All(d => Rotations.DegreesBetween(d.Turn, s.Turn) > 1.5))
            {
                distinct.Add(s);
            }
        }
        SolveResult? result = null;
        double lowest = double.PositiveInfinity;
        bool[][] rejected = [];
        for (int i = 0; i < distinct.Count; i++)
        {
            (_views, _points, _lens, _anchored) = (distinct[i].Views, distinct[i].Points, distinct[i].Lens, false);
            foreach (bool[] r in _rejected)
            {
                Array.Clear(r);
            }
            var (tried, score) = Complete(all, (double)i / distinct.Count, 1.0 / distinct.Count);
            if (result is not null && !(tried.Solved && (!result.Solved || score < lowest)))
            {
                continue;
            }
            (result, lowest, rejected) = (tried, score, [.. _rejected.Select(r => (bool[])r.Clone())]);
        }
        for (int t = 0; t < rejected.Length; t++)
        {
            rejected[t].CopyTo(_rejected[t], 0);
        }
        return result!;
    }

    /// <summary>
    /// From a start to the whole range; with what an observation costs, where those that were left out cost as a bad one would.
    /// </summary>
    private (SolveResult Result, double Score) Complete(IReadOnlyList<Track> all, double from, double share)
    {
        // Outwards from what is solved.
        int since = 0,
            done = _views.Count(v => v is not null);
        while (NextFrame() is { } f)
        {
            _stop.ThrowIfCancellationRequested();
            if (!Resect(f))
            {
                return (
                    Failed(
                        $"Frame {_first + f} has too few tracks that are known from other frames. There may be a cut, a flash or a strong blur "
                            + "there: end the range before it, or add tracks across it."
                    ),
                    double.PositiveInfinity
                );
            }
            done++;
            if (++since >= 8)
            {
                since = 0;
                Locate();
                Adjust(FocalOnly, 6);
                _progress?.Invoke("Solving frames", 0.1 + 0.85 * (from + share * 0.6 * done / _count));
            }
        }
        Anchor();
        Locate();
        Intrinsics refine = FocalOnly | _settings.RefineLens;
        BundleReport report = Adjust(refine, 15);
        for (int round = 0; round < 4; round++)
        {
            _progress?.Invoke("Refining", 0.1 + 0.85 * (from + share * (0.6 + 0.1 * round)));
            int gone = Reject();
            Locate();
            report = Adjust(refine, 20, 1e-7);
            if (gone == 0)
            {
                break;
            }
        }
        _progress?.Invoke("Estimating what is left open", 0.98);
        BundleProblem solved = Problem(refine, out int[] pointTracks);
        solved.StandUpright();
        int possible = _tracks.Sum(t => t.Points.Count),
            seen = solved.Observations.Length;
        SolveResult result = SolveResult.From(
            solved,
            [.. Enumerable.Range(_first, _count)],
            [.. pointTracks.Select(t => _tracks[t].Id)],
            all,
            _settings,
            LeastTracks,
            report,
            BundleAdjustment.Covariance(solved, RobustLoss.Huber)
        );
        return (result, (report.EndCost + 2 * (possible - seen)) / possible);
    }

    private Intrinsics FocalOnly => _settings.FocalPx is null || (_settings.Zooms && !_anchored) ? Intrinsics.Focal : Intrinsics.None;

    /// <summary>A zoom's focal lengths are told by the first frame's from here on; where that one is known it is held.</summary>
    private void Anchor()
    {
        if (!_settings.Zooms)
        {
            return;
        }
        double first = _views[0]!.Zoom;
        foreach (BundleView? v in _views)
        {
            v!.Zoom /= first;
        }
        _lens.Focal = _settings.FocalPx ?? _lens.Focal * first;
        _anchored = true;
    }

    /// <summary>
    /// How much larger the second frame of a pair shows things: the middle ratio of distances between the same two tracks.
    /// </summary>
    private double Growth((int A, int B) pair)
    {
        (TrackPoint P, TrackPoint Q)[] seen =
        [
            .. Common(pair.A, pair.B).Select(c => (_tracks[c.Track].Points[c.A], _tracks[c.Track].Points[c.B])),
        ];
        double[] ratios =
        [
            .. Enumerable
                .Range(0, seen.Length)
                .Select(i => (One: seen[i], Two: seen[(i + seen.Length / 2) % seen.Length]))
                .Select(s =>
                    Math.Sqrt(
                        (Square(s.One.Q.X - s.Two.Q.X) + Square(s.One.Q.Y - s.Two.Q.Y))
                            / Math.Max(1, Square(s.One.P.X - s.Two.P.X) + Square(s.One.P.Y - s.Two.P.Y))
                    )
                )
                .Order(),
        ];
        return ratios[ratios.Length / 2];

        static double Square(double v) => v * v;
    }

    private IEnumerable<(int A, int B, int Track)> Common(int a, int b)
    {
        for (int t = 0; t < _tracks.Count; t++)
        {
            int start = _tracks[t].Points[0].Frame - _first;
            if (start <= a && b < start + _tracks[t].Points.Count && a - start >= 0)
            {
                yield return (a - start, b - start, t);
            }
        }
    }

    /// <summary>The two frames with the widest median shift among those that share at least 60 tracks, or half of what they have.</summary>
    private (int A, int B)? ChoosePair()
    {
        (int, int)? best = null;
        double score = 0;
        for (int a = 0; a < _count - 2; a += Math.Max(1, _count / 12))
        {
            for (int b = a + 2; b < _count; b += Math.Max(1, _count / 24))
            {
                double[] shifts =
                [
                    .. Common(a, b)
                        .Select(c =>
                        {
                            TrackPoint p = _tracks[c.Track].Points[c.A],
                                q = _tracks[c.Track].Points[c.B];
                            return Math.Sqrt((p.X - q.X) * (p.X - q.X) + (p.Y - q.Y) * (p.Y - q.Y));
                        })
                        .Order(),
                ];
                if (shifts.Length < 24)
                {
                    continue;
                }
                // Spread of shifts is what parallax leaves; many tracks make it sure.
                double spread = shifts[shifts.Length * 3 / 4] - shifts[shifts.Length / 4],
                    s = Math.Min(spread, 0.1 * _settings.Width) * Math.Min(1, shifts.Length / 120.0);
                if (s > score)
                {
                    (score, best) = (s, (a, b));
                }
            }
        }
        return best;
    }

    private (double X, double Y) Normal(TrackPoint p, double f) => _settings.Normal(p.X, p.Y, f);

    /// <summary>
    /// Median error in pixels when the pair is explained by a turn alone: rotation, focal length (when it is not known) and k1
    /// by Gauss–Newton with Cauchy weights, from the rotation that takes ray to ray.
    /// </summary>
    private double TurningError((int A, int B) pair, double focal)
    {
        (TrackPoint P, TrackPoint Q)[] seen =
        [
            .. Common(pair.A, pair.B).Select(c => (_tracks[c.Track].Points[c.A], _tracks[c.Track].Points[c.B])),
        ];
        if (seen.Length > 120)
        {
            seen = [.. Enumerable.Range(0, 120).Select(i => seen[i * seen.Length / 120])];
        }
        double cx = _settings.CentreX,
            cy = _settings.CentreY,
            aspect = _settings.PixelAspect;
        Vec3 Direction(TrackPoint p)
        {
            var (x, y) = Normal(p, focal);
            return new Vec3(x, y, 1).Normalized();
        }
        Matrix3 turn = Alignment.Rotation([.. seen.Select(s => (Direction(s.P), Direction(s.Q)))], 2 / focal);
        var values = new double[6]; // small rotation, log focal, k1, log of the second frame's zoom
        (values[3], values[4]) = (Elementary.Log(focal), _settings.Lens.K1);

        (double X, double Y) Predict(TrackPoint p, double[] v)
        {
            double f = Elementary.Exp(v[3]);
            var lens = new Lens(v[4], _settings.Lens.K2);
            if (!lens.TryUndistort((p.X - cx) / f, (p.Y - cy) / (f * aspect), out double x, out double y))
            {
                return (1e6, 1e6);
            }
            var w = new Vec3(v[0], v[1], v[2]);
            Vec3 d = turn * new Vec3(x, y, 1);
            if (w.Length > 0)
            {
                d = Rotations.FromAxisAngle(w / w.Length, w.Length) * d;
            }
            if (!(d.Z > 1e-3))
            {
                return (1e6, 1e6);
            }
            lens.TryDistort(d.X / d.Z, d.Y / d.Z, out x, out y);
            f *= Elementary.Exp(v[5]);
            return (cx + f * x, cy + f * aspect * y);
        }
        double[] Errors() =>
            [
                .. seen.Select(s =>
                {
                    var (x, y) = Predict(s.P, values);
                    return Math.Sqrt((x - s.Q.X) * (x - s.Q.X) + (y - s.Q.Y) * (y - s.Q.Y));
                }),
            ];
        int free =
            _settings.Zooms ? 6
            : _settings.FocalPx is null ? 5
            : 3;
        double median = double.PositiveInfinity;
        for (int step = 0; step < 25; step++)
        {
            var normal = new double[free * free];
            var right = new double[free];
            double[] errors = Errors();
            median = errors.Order().ElementAt(errors.Length / 2);
            double width = Math.Max(0.5, 2 * median);
            for (int i = 0; i < seen.Length; i++)
            {
                var (x0, y0) = Predict(seen[i].P, values);
                double rx = seen[i].Q.X - x0,
                    ry = seen[i].Q.Y - y0,
                    weight = 1 / (1 + (rx * rx + ry * ry) / (width * width));
                var jx = new double[free];
                var jy = new double[free];
                for (int k = 0; k < free; k++)
                {
                    const double h = 1e-5;
                    values[k] += h;
                    var (x, y) = Predict(seen[i].P, values);
                    values[k] -= h;
                    (jx[k], jy[k]) = ((x - x0) / h, (y - y0) / h);
                }
                for (int r = 0; r < free; r++)
                {
                    right[r] += weight * (jx[r] * rx + jy[r] * ry);
                    for (int c = 0; c <= r; c++)
                    {
                        normal[r * free + c] += weight * (jx[r] * jx[c] + jy[r] * jy[c]);
                    }
                }
            }
            for (int k = 0; k < free; k++)
            {
                normal[k * free + k] = normal[k * free + k] * 1.0001 + 1e-9;
            }
            if (Cholesky.Solve(normal, right, free) is not { } d || d.Any(v => !double.IsFinite(v)))
            {
                break;
            }
            for (int k = 0; k < free; k++)
            {
                values[k] += Math.Clamp(d[k], -0.3, 0.3);
            }
            var w = new Vec3(values[0], values[1], values[2]);
            if (w.Length > 0)
            {
                turn = Rotations.FromAxisAngle(w / w.Length, w.Length) * turn;
            }
            (values[0], values[1], values[2]) = (0, 0, 0);
            if (d.Max(Math.Abs) < 1e-8)
            {
                break;
            }
        }
        double[] last = Errors();
        return Math.Min(median, last.Order().ElementAt(last.Length / 2));
    }

    private sealed record Start(BundleView?[] Views, Vec3?[] Points, IntrinsicsGroup Lens, Matrix3 Turn, double Score);

    /// <summary>Pair, and some frames between, under a first focal length; scored by the robust cost of an observation.</summary>
    private IEnumerable<Start> Begin((int A, int B) pair, double focal, double ratio)
    {
        (int A, int B, int Track)[] common = [.. Common(pair.A, pair.B)];
        var a = common.Select(c => Normal(_tracks[c.Track].Points[c.A], focal)).ToList();
        var b = common.Select(c => Normal(_tracks[c.Track].Points[c.B], focal * ratio)).ToList();
        int least = Math.Max(16, common.Length / 3);
        var poses = new List<TwoViewResult>();
        if (TwoView.Find(a, b, 1.5 / focal, 3000, _settings.Seed, _stop) is { } two && two.Count >= least)
        {
            poses.Add(two);
        }
        // Where most tracks lie in one plane, its homography tells what the essential matrix leaves open.
        poses.AddRange(TwoView.FromPlane(a, b, 2.5 / focal, 300, _settings.Seed, Math.Max(16, common.Length * 6 / 10)));
        return [.. poses.Select(p => Extend(pair, p, focal, ratio)).OfType<Start>()];
    }

    /// <summary>A first pose of the pair, its points, and three frames between, adjusted.</summary>
    private Start? Extend((int A, int B) pair, TwoViewResult two, double focal, double ratio)
    {
        Array.Clear(_views);
        Array.Clear(_points);
        foreach (bool[] r in _rejected)
        {
            Array.Clear(r);
        }
        _lens = new()
        {
            Focal = focal,
            Cx = _settings.CentreX,
            Cy = _settings.CentreY,
            Aspect = _settings.PixelAspect,
            K1 = _settings.Lens.K1,
            K2 = _settings.Lens.K2,
        };
        _views[pair.A] = new() { FreeZoom = _settings.Zooms };
        _views[pair.B] = new()
        {
            FreeZoom = _settings.Zooms,
            Zoom = ratio,
            Rotation = two.Rotation,
            Translation = two.Translation,
        };
        Locate(0.4);
        if (_points.Count(p => p is not null) < 16)
        {
            return null;
        }
        Adjust(Intrinsics.None, 10);
        foreach (int part in (int[])[2, 1, 3])
        {
            int f = pair.A + (pair.B - pair.A) * part / 4;
            if (_views[f] is null)
            {
                Resect(f);
            }
        }
        Locate(0.4);
        BundleReport report = Adjust(FocalOnly | (FocalOnly != 0 ? _settings.RefineLens & Intrinsics.K1 : 0), 25);
        int seen = Observations().Count(),
            possible = Enumerable.Range(0, _tracks.Count).Sum(SightsInViews);
        if (seen < 60 || !(_lens.Focal > 0.2 * _settings.Width && _lens.Focal < 20 * _settings.Width))
        {
            return null;
        }
        // A start that leaves tracks unplaced pays for each of their sights what a bad one would cost.
        double score = (report.EndCost + 2 * (possible - seen)) / possible;
        return new(
            [.. _views.Select(v => v?.Copy())],
            [.. _points],
            _lens.Copy(),
            _views[pair.B]!.Rotation * _views[pair.A]!.Rotation.Transpose(),
            score
        );
    }

    /// <summary>How many solved views see a track; 0 where fewer than two do.</summary>
    private int SightsInViews(int track)
    {
        int first = _tracks[track].Points[0].Frame - _first,
            count = 0;
        for (int i = 0; i < _tracks[track].Points.Count; i++)
        {
            if (_views[first + i] is not null)
            {
                count++;
            }
        }
        return count < 2 ? 0 : count;
    }

    private Pinhole CameraOf(BundleView view) =>
        new(
            _settings.Width,
            _settings.Height,
            _lens.Focal * view.Zoom,
            _lens.Focal * view.Zoom * _lens.Aspect,
            _lens.Cx,
            _lens.Cy,
            new Lens(_lens.K1, _lens.K2)
        );

    /// <summary>Places every track that is not placed yet and is seen from far enough apart.</summary>
    private void Locate(double parallax = LeastParallax)
    {
        Pinhole?[] cameras = [.. _views.Select(v => v is null ? null : CameraOf(v))];
        Parallel.For(0, _tracks.Count, Cores.All, t =>
        {
            if (_points[t] is not null)
            {
                return;
            }
            var sights = new List<Sight>();
            int start = _tracks[t].Points[0].Frame - _first;
            for (int i = 0; i < _tracks[t].Points.Count; i++)
            {
                if (_views[start + i] is { } view && !_rejected[t][i])
                {
                    sights.Add(new(view.CameraToWorld, cameras[start + i]!, _tracks[t].Points[i].X, _tracks[t].Points[i].Y));
                }
            }
            if (sights.Count < 2)
            {
                return;
            }
            if (sights.Count > 10)
            {
                sights = [.. Enumerable.Range(0, 10).Select(i => sights[i * (sights.Count - 1) / 9])];
            }
            if (Triangulation.Locate(sights, out _) is { } found && found.ParallaxDegrees >= parallax && found.RmsPixels < 2.5)
            {
                _points[t] = found.Point;
            }
        });
    }

    /// <summary>The unsolved frame that shares most placed tracks among those next to solved ones.</summary>
    private int? NextFrame()
    {
        int? best = null;
        int most = -1;
        for (int f = 0; f < _count; f++)
        {
            if (_views[f] is not null || !((f > 0 && _views[f - 1] is not null) || (f < _count - 1 && _views[f + 1] is not null)))
            {
                continue;
            }
            int known = Enumerable.Range(0, _tracks.Count).Count(t => _points[t] is not null && _tracks[t].TryAt(_first + f, out _));
            if (known > most)
            {
                (most, best) = (known, f);
            }
        }
        return best;
    }

    /// <summary>A frame's camera from placed points, beginning at its neighbour's or between two.</summary>
    private bool Resect(int f)
    {
        int before = f,
            after = f;
        while (before >= 0 && _views[before] is null)
        {
            before--;
        }
        while (after < _count && _views[after] is null)
        {
            after++;
        }
        BundleView? from = before >= 0 ? _views[before] : null,
            to = after < _count ? _views[after] : null;
        BundleView view = (from ?? to!).Copy();
        view.Fixed = false;
        if (from is not null && to is not null)
        {
            view.CameraToWorld = Pose.Interpolate(from.CameraToWorld, to.CameraToWorld, (double)(f - before) / (after - before));
        }
        var problem = new BundleProblem();
        problem.Groups.Add(_lens.Copy());
        problem.Views.Add(view);
        var points = new List<Vec3>();
        var seen = new List<BundleObservation>();
        for (int t = 0; t < _tracks.Count; t++)
        {
            if (_points[t] is not { } p || !_tracks[t].TryAt(_first + f, out TrackPoint at))
            {
                continue;
            }
            // What lies behind the first guess cannot lead anywhere.
            if ((view.Rotation * p + view.Translation).Z <= 1e-6)
            {
                continue;
            }
            seen.Add(new(0, points.Count, at.X, at.Y));
            points.Add(p);
        }
        if (seen.Count < 8)
        {
            return false;
        }
        problem.Points = [.. points];
        problem.Observations = [.. seen];
        BundleAdjustment.Run(problem, RobustLoss.Cauchy, 4, 30, holdPoints: true);
        BundleAdjustment.Run(problem, RobustLoss.Cauchy, 1, 30, holdPoints: true);
        int good = seen.Count(o => problem.TryResidual(o, out double dx, out double dy) && dx * dx + dy * dy < 9);
        if (good < Math.Max(8, seen.Count / 3))
        {
            return false;
        }
        _views[f] = view;
        return true;
    }

    private IEnumerable<(int Track, int Index, int Frame)> Observations()
    {
        for (int t = 0; t < _tracks.Count; t++)
        {
            if (_points[t] is null)
            {
                continue;
            }
            int start = _tracks[t].Points[0].Frame - _first;
            for (int i = 0; i < _tracks[t].Points.Count; i++)
            {
                if (_views[start + i] is not null && !_rejected[t][i])
                {
                    yield return (t, i, start + i);
                }
            }
        }
    }

    /// <summary>Everything that is solved, as a problem whose first view stays where it is.</summary>
    private BundleProblem Problem(Intrinsics refine, out int[] pointTracks)
    {
        var problem = new BundleProblem();
        _lens.Refine = refine;
        problem.Groups.Add(_lens);
        var viewOf = new int[_count];
        for (int f = 0; f < _count; f++)
        {
            if (_views[f] is not { } view)
            {
                continue;
            }
            viewOf[f] = problem.Views.Count;
            view.Fixed = problem.Views.Count == 0;
            problem.Views.Add(view);
        }
        var pointOf = new Dictionary<int, int>();
        var tracks = new List<int>();
        var seen = new List<BundleObservation>();
        foreach (var (t, i, f) in Observations())
        {
            Vec3 p = _points[t]!.Value;
            if ((_views[f]!.Rotation * p + _views[f]!.Translation).Z <= 1e-6)
            {
                _rejected[t][i] = true;
                continue;
            }
            if (!pointOf.TryGetValue(t, out int at))
            {
                pointOf[t] = at = tracks.Count;
                tracks.Add(t);
            }
            seen.Add(new(viewOf[f], at, _tracks[t].Points[i].X, _tracks[t].Points[i].Y));
        }
        problem.Points = [.. tracks.Select(t => _points[t]!.Value)];
        problem.Observations = [.. seen];
        pointTracks = [.. tracks];
        return problem;
    }

    /// <summary>Adjusts everything that is solved.</summary>
    private BundleReport Adjust(Intrinsics refine, int iterations, double tolerance = 1e-5)
    {
        BundleProblem problem = Problem(refine, out int[] pointTracks);
        BundleReport report = BundleAdjustment.Run(problem, RobustLoss.Huber, 1, iterations, tolerance: tolerance, stop: _stop);
        _lens = problem.Groups[0];
        for (int p = 0; p < pointTracks.Length; p++)
        {
            _points[pointTracks[p]] = problem.Points[p];
        }
        return report;
    }

    private double ResidualOf(int track, int index, int frame)
    {
        BundleView v = _views[frame]!;
        Vec3 p = v.Rotation * _points[track]!.Value + v.Translation;
        if (p.Z <= 1e-9)
        {
            return double.PositiveInfinity;
        }
        double x = p.X / p.Z,
            y = p.Y / p.Z,
            r2 = x * x + y * y,
            d = 1 + r2 * (_lens.K1 + _lens.K2 * r2);
        double dx = _lens.Cx + _lens.Focal * v.Zoom * d * x - _tracks[track].Points[index].X,
            dy = _lens.Cy + _lens.Focal * v.Zoom * _lens.Aspect * d * y - _tracks[track].Points[index].Y;
        return Math.Sqrt(dx * dx + dy * dy);
    }

    /// <summary>
    /// Leaves out sights beyond three robust standard deviations (1.4826 × median; at least 0.6 px), then tracks that lose
    /// more than a third of theirs or keep fewer than four.
    /// </summary>
    private int Reject()
    {
        (int Track, int Index, int Frame)[] all = [.. Observations()];
        double[] residuals = [.. all.Select(o => ResidualOf(o.Track, o.Index, o.Frame))];
        double limit = Math.Max(0.6, 3 * 1.4826 * residuals.Order().ElementAt(residuals.Length / 2));
        int gone = 0;
        for (int i = 0; i < all.Length; i++)
        {
            if (residuals[i] <= limit)
            {
                continue;
            }
            _rejected[all[i].Track][all[i].Index] = true;
            gone++;
        }
        for (int t = 0; t < _tracks.Count; t++)
        {
            if (_points[t] is null)
            {
                continue;
            }
            int bad = _rejected[t].Count(r => r),
                kept = _rejected[t].Length - bad;
            if (kept >= 4 && bad <= _rejected[t].Length / 3)
            {
                continue;
            }
            _points[t] = null;
            Array.Fill(_rejected[t], true);
        }
        return gone;
    }
}
