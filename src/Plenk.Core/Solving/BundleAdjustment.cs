using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>
/// Sparse bundle adjustment: Levenberg–Marquardt on views, shared lenses and points, points eliminated by the Schur
/// complement (Triggs, McLauchlan, Hartley and Fitzgibbon, "Bundle adjustment: a modern synthesis", 1999), robust losses by
/// iterated reweighting, damping after Nielsen (1999). Rotations are updated by left-multiplied axis–angle steps.
/// </summary>
public sealed partial class BundleAdjustment
{
    public const int Widest = 12; // rotation, translation, zoom, and the intrinsics of a view that shares them with none
    private readonly BundleProblem _problem;
    private readonly RobustLoss _loss;
    private readonly double _width2;
    private readonly int[] _viewAt,
        _poseSize,
        _viewSize,
        _groupAt;
    private readonly int[] _shared; // groups with intrinsics to refine that more than one view has
    private readonly int[][] _intrinsicsOf; // per group: which of focal, k1, k2, cx, cy are refined
    private readonly int[] _firstOf; // per point: its first observation in the sorted list
    private readonly BundleObservation[] _seen; // sorted by point
    private readonly int _size;

    private BundleAdjustment(BundleProblem problem, RobustLoss loss, double width)
    {
        (_problem, _loss, _width2) = (problem, loss, width * width);
        _seen = [.. problem.Observations.OrderBy(o => o.Point)];
        _firstOf = new int[problem.Points.Length + 1];
        foreach (BundleObservation o in _seen)
        {
            _firstOf[o.Point + 1]++;
        }
        for (int i = 0; i < problem.Points.Length; i++)
        {
            _firstOf[i + 1] += _firstOf[i];
        }
        _intrinsicsOf = new int[problem.Groups.Count][];
        for (int g = 0; g < _intrinsicsOf.Length; g++)
        {
            Intrinsics refine = problem.Groups[g].Refine;
            var which = new List<int>();
            if (refine.HasFlag(Intrinsics.Focal))
            {
                which.Add(0);
            }
            if (refine.HasFlag(Intrinsics.K1))
            {
                which.Add(1);
            }
            if (refine.HasFlag(Intrinsics.K2))
            {
                which.Add(2);
            }
            if (refine.HasFlag(Intrinsics.PrincipalPoint))
            {
                which.AddRange([3, 4]);
            }
            _intrinsicsOf[g] = [.. which];
        }
        _viewAt = new int[problem.Views.Count];
        _poseSize = [.. problem.Views.Select(v => (v.HoldPosition ? 3 : 6) + (v.FreeZoom ? 1 : 0))];
        _viewSize = new int[problem.Views.Count];
        _groupAt = [.. problem.Groups.Select(_ => -1)];
        int[] users = [.. problem.Groups.Select((_, g) => problem.Views.Count(v => v.Group == g))];
        for (int i = 0; i < _viewAt.Length; i++)
        {
            BundleView view = problem.Views[i];
            _viewAt[i] = view.Fixed ? -1 : _size;
            if (view.Fixed)
            {
                continue;
            }
            _viewSize[i] = _poseSize[i];
            if (users[view.Group] == 1)
            {
                _groupAt[view.Group] = _size + _poseSize[i];
                _viewSize[i] += _intrinsicsOf[view.Group].Length;
            }
            _size += _viewSize[i];
        }
        // What views share stands behind them all.
        _shared = [.. Enumerable.Range(0, problem.Groups.Count).Where(g => _groupAt[g] < 0 && _intrinsicsOf[g].Length > 0)];
        foreach (int g in _shared)
        {
            _groupAt[g] = _size;
            _size += _intrinsicsOf[g].Length;
        }
    }

    /// <summary>
    /// Adjusts the problem in place. <paramref name="width"/> is that of the robust loss in pixels. <paramref name="holdPoints"/>
    /// keeps the points where they are (a resection).
    /// </summary>
    public static BundleReport Run(
        BundleProblem problem,
        RobustLoss loss = RobustLoss.Squares,
        double width = 1,
        int iterations = 50,
        bool holdPoints = false,
        double tolerance = 1e-6,
        CancellationToken stop = default,
        Action<int, double>? progress = null
    ) => new BundleAdjustment(problem, loss, width).Solve(iterations, holdPoints, tolerance, stop, progress);

    private double Rho(double s) =>
        _loss switch
        {
            RobustLoss.Huber => s <= _width2 ? s : 2 * Math.Sqrt(_width2 * s) - _width2,
            RobustLoss.Cauchy => _width2 * Elementary.Log(1 + s / _width2),
            _ => s,
        };

    private double Weight(double s) =>
        _loss switch
        {
            RobustLoss.Huber => s <= _width2 ? 1 : Math.Sqrt(_width2 / s),
            RobustLoss.Cauchy => 1 / (1 + s / _width2),
            _ => 1,
        };

    /// <summary>Cost, and the plain sum of squares; a point that falls behind a view makes the step invalid.</summary>
    private (double Cost, double Squares) Cost()
    {
        var parts = Chunks.Of(_seen.Length, 2048, (from, to) =>
        {
            double cost = 0,
                squares = 0;
            for (int i = from; i < to; i++)
            {
                if (!_problem.TryResidual(_seen[i], out double dx, out double dy))
                {
                    return (double.PositiveInfinity, double.PositiveInfinity);
                }
                double s = dx * dx + dy * dy;
                (cost, squares) = (cost + Rho(s), squares + s);
            }
            return (cost, squares);
        });
        double all = 0,
            sum = 0;
        foreach (var (cost, squares) in parts)
        {
            (all, sum) = (all + cost, sum + squares);
        }
        return (all / 2, sum);
    }

    private BundleReport Solve(int iterations, bool holdPoints, double tolerance, CancellationToken stop, Action<int, double>? progress)
    {
        int n = Math.Max(1, _seen.Length);
        var (cost, squares) = Cost();
        double start = cost,
            startRms = Math.Sqrt(squares / n),
            lambda = 1e-4,
            grow = 2;
        string why = "every step is taken";
        int done = 0;
        if (double.IsInfinity(cost))
        {
            return new(cost, cost, double.NaN, double.NaN, 0, "a point lies behind a view that sees it");
        }
        var work = new Equations(_size, _problem.Points.Length, _seen.Length);
        bool fresh = true;
        for (; done < iterations; done++)
        {
            stop.ThrowIfCancellationRequested();
            if (fresh)
            {
                Linearise(work, holdPoints);
            }
            double[]? step = Reduce(work, lambda, holdPoints);
            if (step is null)
            {
                lambda *= grow;
                grow *= 2;
                fresh = false;
                if (lambda > 1e14)
                {
                    why = "the equations are singular";
                    break;
                }
                continue;
            }
            State before = Save();
            double predicted = Apply(work, step, lambda, holdPoints, out double size);
            var (next, nextSquares) = Cost();
            double ratio = predicted > 0 ? (cost - next) / predicted : -1;
            if (next < cost && ratio > 0)
            {
                double fall = (cost - next) / cost;
                (cost, squares) = (next, nextSquares);
                double good = 2 * ratio - 1;
                lambda = Math.Max(1e-12, lambda * Math.Max(1.0 / 3, 1 - good * good * good));
                grow = 2;
                fresh = true;
                progress?.Invoke(done + 1, cost);
                if (fall < tolerance)
                {
                    done++;
                    why = "the cost no longer falls";
                    break;
                }
            }
            else
            {
                Restore(before);
                lambda *= grow;
                grow *= 2;
                fresh = false;
                if (size < 1e-12 || lambda > 1e14)
                {
                    why = "no step lowers the cost";
                    break;
                }
            }
        }
        return new(start, cost, startRms, Math.Sqrt(squares / n), done, why);
    }

    /// <summary>Normal equations of the present state; kept while only the damping changes.</summary>
    private sealed class Equations(int size, int points, int observations)
    {
        public readonly double[] U = new double[size * size],
            Right = new double[size];
        public readonly double[] V = new double[points * 6],
            PointRight = new double[points * 3],
            Inverse = new double[points * 6];

        /// <summary>Per observation: up to 12 × 3 of the view's part of W, and 5 × 3 of a shared group's.</summary>
        public readonly double[] ViewW = new double[observations * 3 * Widest],
            GroupW = new double[observations * 15];
        public readonly double[] S = new double[size * size],
            Reduced = new double[size];
        public readonly double[] PointStep = new double[points * 3];

        /// <summary>
        /// Parts of the points have sums of their own, as many as memory allows; the number hangs on the problem, never on the machine.
        /// </summary>
        public readonly (double[] U, double[] Right)[] Parts =
        [
            .. Enumerable
                .Range(0, (int)Math.Clamp(MostForParts / (8L * Math.Max(1, size) * Math.Max(1, size)), 2, 16))
                .Select(_ => (new double[size * size], new double[size])),
        ];
        private const long MostForParts = 256L << 20; // bytes

        /// <summary>What each part comes to, added to (or taken from) the whole in the order of the parts.</summary>
        public void Gather(double[] u, double[] right, int sign, Action<int, int, double[], double[]> part)
        {
            Parallel.For(0, Parts.Length, Cores.All, k =>
            {
                Array.Clear(Parts[k].U);
                Array.Clear(Parts[k].Right);
                var (from, to) = Chunks.Of(points, k, Parts.Length);
                part(from, to, Parts[k].U, Parts[k].Right);
            });
            Parallel.For(0, size, Cores.All, row =>
            {
                for (int k = 0; k < Parts.Length; k++)
                {
                    right[row] += sign * Parts[k].Right[row];
                    Span<double> whole = u.AsSpan(row * size, row + 1);
                    ReadOnlySpan<double> own = Parts[k].U.AsSpan(row * size, row + 1);
                    for (int i = 0; i < whole.Length; i++)
                    {
                        whole[i] += sign * own[i];
                    }
                }
            });
        }
    }

    private void Linearise(Equations e, bool holdPoints)
    {
        Array.Clear(e.U);
        Array.Clear(e.Right);
        Array.Clear(e.V);
        Array.Clear(e.PointRight);
        e.Gather(e.U, e.Right, 1, (from, to, u, right) =>
        {
            Span<double> view = stackalloc double[2 * Widest],
                group = stackalloc double[10],
                point = stackalloc double[6];
            for (int p = from; p < to; p++)
            {
                for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
                {
                    BundleView seenBy = _problem.Views[_seen[o].View];
                    Jacobian(
                        seenBy,
                        _problem.Groups[seenBy.Group],
                        _intrinsicsOf[seenBy.Group],
                        _problem.Points[p],
                        _seen[o].X,
                        _seen[o].Y,
                        view,
                        group,
                        point,
                        out double rx,
                        out double ry
                    );
                    double w = Weight(rx * rx + ry * ry);
                    int at = _viewAt[_seen[o].View],
                        size = _viewSize[_seen[o].View],
                        pose = _poseSize[_seen[o].View],
                        g = seenBy.Group,
                        ga = _groupAt[g],
                        gn = _intrinsicsOf[g].Length;
                    if (size > pose)
                    {
                        // Intrinsics of its own belong to the view's block.
                        for (int i = 0; i < gn; i++)
                        {
                            (view[pose + i], view[Widest + pose + i]) = (group[i], group[5 + i]);
                        }
                        gn = 0;
                    }
                    if (at >= 0)
                    {
                        for (int i = 0; i < size; i++)
                        {
                            double ax = w * view[i],
                                ay = w * view[Widest + i];
                            right[at + i] -= ax * rx + ay * ry;
                            int row = (at + i) * _size + at;
                            for (int j = 0; j <= i; j++)
                            {
                                u[row + j] += ax * view[j] + ay * view[Widest + j];
                            }
                            for (int j = 0; j < gn; j++)
                            {
                                u[(ga + j) * _size + at + i] += ax * group[j] + ay * group[5 + j];
                            }
                        }
                    }
                    for (int i = 0; i < gn; i++)
                    {
                        double ax = w * group[i],
                            ay = w * group[5 + i];
                        right[ga + i] -= ax * rx + ay * ry;
                        for (int j = 0; j <= i; j++)
                        {
                            u[(ga + i) * _size + ga + j] += ax * group[j] + ay * group[5 + j];
                        }
                    }
                    if (holdPoints)
                    {
                        continue;
                    }
                    for (int c = 0; c < 3; c++)
                    {
                        double bx = w * point[c],
                            by = w * point[3 + c];
                        e.PointRight[3 * p + c] -= bx * rx + by * ry;
                        for (int i = 0; i < size; i++)
                        {
                            e.ViewW[3 * (Widest * o + i) + c] = bx * view[i] + by * view[Widest + i];
                        }
                        for (int i = 0; i < gn; i++)
                        {
                            e.GroupW[15 * o + 3 * i + c] = bx * group[i] + by * group[5 + i];
                        }
                    }
                    int v = 6 * p;
                    e.V[v] += w * (point[0] * point[0] + point[3] * point[3]);
                    e.V[v + 1] += w * (point[0] * point[1] + point[3] * point[4]);
                    e.V[v + 2] += w * (point[0] * point[2] + point[3] * point[5]);
                    e.V[v + 3] += w * (point[1] * point[1] + point[4] * point[4]);
                    e.V[v + 4] += w * (point[1] * point[2] + point[4] * point[5]);
                    e.V[v + 5] += w * (point[2] * point[2] + point[5] * point[5]);
                }
                if (_problem.PointsAreDirections && !holdPoints)
                {
                    HoldDistance(e.V.AsSpan(6 * p, 6), _problem.Points[p]);
                }
            }
        });
    }

    /// <summary>Stiffens a point's block along its own direction, where the sights say nothing, so that no step goes there.</summary>
    private static void HoldDistance(Span<double> v, Vec3 point)
    {
        Vec3 d = point.Normalized();
        double stiff = v[0] + v[3] + v[5];
        (v[0], v[1], v[2]) = (v[0] + stiff * d.X * d.X, v[1] + stiff * d.X * d.Y, v[2] + stiff * d.X * d.Z);
        (v[3], v[4], v[5]) = (v[3] + stiff * d.Y * d.Y, v[4] + stiff * d.Y * d.Z, v[5] + stiff * d.Z * d.Z);
    }

    /// <summary>
    /// Residual and its derivatives: rows x and y, by rotation, translation (6) and zoom where it is free, intrinsics (5 places, those
    /// refined first), point (3).
    /// </summary>
    public static void Jacobian(
        BundleView v,
        IntrinsicsGroup g,
        int[] which,
        Vec3 at,
        double seenX,
        double seenY,
        Span<double> view,
        Span<double> group,
        Span<double> point,
        out double rx,
        out double ry
    )
    {
        Vec3 turned = v.Rotation * at,
            p = turned + v.Translation;
        double iz = 1 / p.Z,
            x = p.X * iz,
            y = p.Y * iz,
            r2 = x * x + y * y,
            d = 1 + r2 * (g.K1 + g.K2 * r2),
            slope = 2 * (g.K1 + 2 * g.K2 * r2);
        double fx = g.Focal * v.Zoom,
            fy = fx * g.Aspect;
        rx = g.Cx + fx * d * x - seenX;
        ry = g.Cy + fy * d * y - seenY;
        // By x and y on the image plane at 1.
        double xx = fx * (d + slope * x * x),
            xy = fx * slope * x * y,
            yx = fy * slope * x * y,
            yy = fy * (d + slope * y * y);
        for (int row = 0; row < 2; row++)
        {
            double gx = (row == 0 ? xx : yx) * iz,
                gy = (row == 0 ? xy : yy) * iz,
                gz = -(gx * x + gy * y);
            // ∂(ω × X)/∂ω and ∂t, ∂X.
            int r = Widest * row;
            view[r] = gz * turned.Y - gy * turned.Z;
            view[r + 1] = gx * turned.Z - gz * turned.X;
            view[r + 2] = gy * turned.X - gx * turned.Y;
            (view[r + 3], view[r + 4], view[r + 5]) = (gx, gy, gz);
            Matrix3 m = v.Rotation;
            point[3 * row] = gx * m.M11 + gy * m.M21 + gz * m.M31;
            point[3 * row + 1] = gx * m.M12 + gy * m.M22 + gz * m.M32;
            point[3 * row + 2] = gx * m.M13 + gy * m.M23 + gz * m.M33;
        }
        if (v.FreeZoom)
        {
            (view[v.HoldPosition ? 3 : 6], view[Widest + (v.HoldPosition ? 3 : 6)]) = (g.Focal * d * x, g.Focal * g.Aspect * d * y);
        }
        for (int i = 0; i < which.Length; i++)
        {
            (group[i], group[5 + i]) = which[i] switch
            {
                0 => (v.Zoom * d * x, v.Zoom * g.Aspect * d * y),
                1 => (fx * r2 * x, fy * r2 * y),
                2 => (fx * r2 * r2 * x, fy * r2 * r2 * y),
                3 => (1.0, 0.0),
                _ => (0.0, 1.0),
            };
        }
    }

    /// <summary>Step of views and groups for a damping; null when the reduced system is not positive.</summary>
    private double[]? Reduce(Equations e, double lambda, bool holdPoints)
    {
        Array.Copy(e.U, e.S, e.U.Length);
        Array.Copy(e.Right, e.Reduced, e.Right.Length);
        for (int i = 0; i < _size; i++)
        {
            e.S[i * _size + i] += lambda * (e.U[i * _size + i] + 1e-9);
        }
        if (!holdPoints)
        {
            e.Gather(e.S, e.Reduced, -1, (from, to, s, right) =>
            {
                Span<double> y = stackalloc double[3 * Widest],
                    group = stackalloc double[15],
                    groupY = stackalloc double[15];
                for (int p = from; p < to; p++)
                {
                    if (_firstOf[p] == _firstOf[p + 1])
                    {
                        continue;
                    }
                    Invert(e.V.AsSpan(6 * p, 6), lambda, e.Inverse.AsSpan(6 * p, 6));
                    ReadOnlySpan<double> inverse = e.Inverse.AsSpan(6 * p, 6);
                    double b0 = e.PointRight[3 * p],
                        b1 = e.PointRight[3 * p + 1],
                        b2 = e.PointRight[3 * p + 2];
                    EliminateViews(e, s, right, p, inverse, b0, b1, b2, y);
                    foreach (int g in _shared)
                    {
                        EliminateShared(e, s, right, p, g, inverse, b0, b1, b2, group, groupY);
                    }
                }
            });
        }
        return Cholesky.Solve(e.S, e.Reduced, _size);
    }

    /// <summary>A shared group of a point against itself, the shared groups before it, and every view that sees the point.</summary>
    private void EliminateShared(
        Equations e,
        double[] s,
        double[] right,
        int p,
        int g,
        ReadOnlySpan<double> inverse,
        double b0,
        double b1,
        double b2,
        Span<double> group,
        Span<double> groupY
    )
    {
        int gn = _intrinsicsOf[g].Length,
            ga = _groupAt[g];
        if (!Gather(e, p, g, group))
        {
            return;
        }
        Times(group, inverse, gn, groupY);
        for (int i = 0; i < gn; i++)
        {
            right[ga + i] += groupY[3 * i] * b0 + groupY[3 * i + 1] * b1 + groupY[3 * i + 2] * b2;
            for (int j = 0; j <= i; j++)
            {
                s[(ga + i) * _size + ga + j] +=
                    groupY[3 * i] * group[3 * j] + groupY[3 * i + 1] * group[3 * j + 1] + groupY[3 * i + 2] * group[3 * j + 2];
            }
        }
        Span<double> other = stackalloc double[15];
        foreach (int h in _shared)
        {
            if (h >= g || !Gather(e, p, h, other))
            {
                continue;
            }
            for (int i = 0; i < gn; i++)
            {
                for (int j = 0; j < _intrinsicsOf[h].Length; j++)
                {
                    s[(ga + i) * _size + _groupAt[h] + j] +=
                        groupY[3 * i] * other[3 * j] + groupY[3 * i + 1] * other[3 * j + 1] + groupY[3 * i + 2] * other[3 * j + 2];
                }
            }
        }
        for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
        {
            int at = _viewAt[_seen[o].View],
                size = _viewSize[_seen[o].View];
            if (at < 0)
            {
                continue;
            }
            ReadOnlySpan<double> w = e.ViewW.AsSpan(3 * Widest * o, 3 * size);
            for (int i = 0; i < gn; i++)
            {
                int row = (ga + i) * _size + at;
                for (int j = 0; j < size; j++)
                {
                    s[row + j] += groupY[3 * i] * w[3 * j] + groupY[3 * i + 1] * w[3 * j + 1] + groupY[3 * i + 2] * w[3 * j + 2];
                }
            }
        }
    }

    /// <summary>Sum of a shared group's part of W over the sights of a point; false when none is of that group.</summary>
    private bool Gather(Equations e, int p, int g, Span<double> sum)
    {
        sum.Clear();
        bool any = false;
        for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
        {
            if (_problem.Views[_seen[o].View].Group != g)
            {
                continue;
            }
            any = true;
            for (int i = 0; i < 3 * _intrinsicsOf[g].Length; i++)
            {
                sum[i] += e.GroupW[15 * o + i];
            }
        }
        return any;
    }

    /// <summary>Views of a point against views: only the lower half.</summary>
    private void EliminateViews(
        Equations e,
        double[] s,
        double[] right,
        int p,
        ReadOnlySpan<double> inverse,
        double b0,
        double b1,
        double b2,
        Span<double> y
    )
    {
        for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
        {
            int at = _viewAt[_seen[o].View],
                size = _viewSize[_seen[o].View];
            if (at < 0)
            {
                continue;
            }
            Times(e.ViewW.AsSpan(3 * Widest * o, 3 * size), inverse, size, y);
            for (int i = 0; i < size; i++)
            {
                right[at + i] += y[3 * i] * b0 + y[3 * i + 1] * b1 + y[3 * i + 2] * b2;
            }
            for (int q = _firstOf[p]; q < _firstOf[p + 1]; q++)
            {
                int bt = _viewAt[_seen[q].View],
                    other = _viewSize[_seen[q].View];
                if (bt < 0 || bt > at)
                {
                    continue;
                }
                ReadOnlySpan<double> w = e.ViewW.AsSpan(3 * Widest * q, 3 * other);
                for (int i = 0; i < size; i++)
                {
                    double y0 = y[3 * i],
                        y1 = y[3 * i + 1],
                        y2 = y[3 * i + 2];
                    Span<double> row = s.AsSpan((at + i) * _size + bt, other);
                    for (int j = 0; j < row.Length; j++)
                    {
                        row[j] += y0 * w[3 * j] + y1 * w[3 * j + 1] + y2 * w[3 * j + 2];
                    }
                }
            }
        }
    }

    /// <summary>rows × 3 times a symmetric 3 × 3.</summary>
    private static void Times(ReadOnlySpan<double> w, ReadOnlySpan<double> v, int rows, Span<double> result)
    {
        for (int i = 0; i < rows; i++)
        {
            double a = w[3 * i],
                b = w[3 * i + 1],
                c = w[3 * i + 2];
            result[3 * i] = a * v[0] + b * v[1] + c * v[2];
            result[3 * i + 1] = a * v[1] + b * v[3] + c * v[4];
            result[3 * i + 2] = a * v[2] + b * v[4] + c * v[5];
        }
    }

    private static void Invert(ReadOnlySpan<double> v, double lambda, Span<double> result)
    {
        double a = v[0] * (1 + lambda) + 1e-12,
            b = v[1],
            c = v[2],
            d = v[3] * (1 + lambda) + 1e-12,
            f = v[4],
            g = v[5] * (1 + lambda) + 1e-12;
        double m0 = d * g - f * f,
            m1 = c * f - b * g,
            m2 = b * f - c * d,
            det = a * m0 + b * m1 + c * m2;
        double inverse = det > 0 ? 1 / det : 0;
        (result[0], result[1], result[2]) = (m0 * inverse, m1 * inverse, m2 * inverse);
        (result[3], result[4], result[5]) = ((a * g - c * c) * inverse, (b * c - a * f) * inverse, (a * d - b * b) * inverse);
    }

    /// <summary>Takes the step; gives the fall of cost that the linear model promises, and the step's size.</summary>
    private double Apply(Equations e, double[] step, double lambda, bool holdPoints, out double size)
    {
        double promised = 0,
            square = 0;
        for (int i = 0; i < _size; i++)
        {
            promised += step[i] * (lambda * (e.U[i * _size + i] + 1e-9) * step[i] + e.Right[i]);
            square += step[i] * step[i];
        }
        for (int p = 0; p < (holdPoints ? 0 : _problem.Points.Length); p++)
        {
            if (_firstOf[p] == _firstOf[p + 1])
            {
                continue;
            }
            double b0 = e.PointRight[3 * p],
                b1 = e.PointRight[3 * p + 1],
                b2 = e.PointRight[3 * p + 2];
            for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
            {
                BundleView v = _problem.Views[_seen[o].View];
                int at = _viewAt[_seen[o].View],
                    rows = _viewSize[_seen[o].View],
                    ga = _groupAt[v.Group],
                    gn = rows > _poseSize[_seen[o].View] ? 0 : _intrinsicsOf[v.Group].Length;
                for (int i = 0; at >= 0 && i < rows; i++)
                {
                    int k = 3 * (Widest * o + i);
                    b0 -= e.ViewW[k] * step[at + i];
                    b1 -= e.ViewW[k + 1] * step[at + i];
                    b2 -= e.ViewW[k + 2] * step[at + i];
                }
                for (int i = 0; i < gn; i++)
                {
                    b0 -= e.GroupW[15 * o + 3 * i] * step[ga + i];
                    b1 -= e.GroupW[15 * o + 3 * i + 1] * step[ga + i];
                    b2 -= e.GroupW[15 * o + 3 * i + 2] * step[ga + i];
                }
            }
            ReadOnlySpan<double> n = e.Inverse.AsSpan(6 * p, 6);
            double x = n[0] * b0 + n[1] * b1 + n[2] * b2,
                y = n[1] * b0 + n[3] * b1 + n[4] * b2,
                z = n[2] * b0 + n[4] * b1 + n[5] * b2;
            promised +=
                x * (lambda * e.V[6 * p] * x + e.PointRight[3 * p])
                + y * (lambda * e.V[6 * p + 3] * y + e.PointRight[3 * p + 1])
                + z * (lambda * e.V[6 * p + 5] * z + e.PointRight[3 * p + 2]);
            square += x * x + y * y + z * z;
            _problem.Points[p] += new Vec3(x, y, z);
        }
        for (int i = 0; i < _viewAt.Length; i++)
        {
            int at = _viewAt[i];
            if (at < 0)
            {
                continue;
            }
            BundleView v = _problem.Views[i];
            var w = new Vec3(step[at], step[at + 1], step[at + 2]);
            double angle = w.Length;
            if (angle > 0)
            {
                v.Rotation = Rotations.FromAxisAngle(w / angle, angle) * v.Rotation;
            }
            if (v.FreeZoom)
            {
                v.Zoom += step[at + _poseSize[i] - 1];
            }
            if (!v.HoldPosition)
            {
                v.Translation += new Vec3(step[at + 3], step[at + 4], step[at + 5]);
            }
        }
        for (int g = 0; g < _groupAt.Length; g++)
        {
            IntrinsicsGroup group = _problem.Groups[g];
            for (int i = 0; i < _intrinsicsOf[g].Length; i++)
            {
                double by = step[_groupAt[g] + i];
                switch (_intrinsicsOf[g][i])
                {
                    case 0:
                        group.Focal += by;
                        break;
                    case 1:
                        group.K1 += by;
                        break;
                    case 2:
                        group.K2 += by;
                        break;
                    case 3:
                        group.Cx += by;
                        break;
                    default:
                        group.Cy += by;
                        break;
                }
            }
        }
        size = Math.Sqrt(square);
        return promised / 2;
    }

    private sealed record State((Matrix3, Vec3, double)[] Views, IntrinsicsGroup[] Groups, Vec3[] Points);

    private State Save() =>
        new(
            [.. _problem.Views.Select(v => (v.Rotation, v.Translation, v.Zoom))],
            [.. _problem.Groups.Select(g => g.Copy())],
            [.. _problem.Points]
        );

    private void Restore(State s)
    {
        for (int i = 0; i < s.Views.Length; i++)
        {
            (_problem.Views[i].Rotation, _problem.Views[i].Translation, _problem.Views[i].Zoom) = s.Views[i];
        }
        for (int i = 0; i < s.Groups.Length; i++)
        {
            _problem.Groups[i] = s.Groups[i];
        }
        _problem.Points = s.Points;
    }
}
