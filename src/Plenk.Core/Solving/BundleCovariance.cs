using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>
/// How sure an adjustment is: covariance of the views' small turns (left-multiplied, radians) and shifts, of the lens, and of
/// each point, in a gauge that holds the first view and the distance to the view farthest from it. From the inverse of the
/// normal equations times the residuals' variance (Hartley and Zisserman 5.2 and A6.3).
/// </summary>
public sealed class BundleCovariance
{
    internal double[] Full { get; init; } = [];
    internal int Size { get; init; }
    internal int[] ViewAt { get; init; } = [];
    internal int[] PoseSize { get; init; } = [];
    internal int[] GroupAt { get; init; } = [];
    internal int[][] IntrinsicsOf { get; init; } = [];
    internal BundleProblem Problem { get; init; } = new();

    /// <summary>Standard deviation of a measured coordinate as the residuals tell it, pixels.</summary>
    public required double Sigma { get; init; }

    /// <summary>Upper half of each point's 3 × 3 covariance: xx, xy, xz, yy, yz, zz.</summary>
    public required double[][] Points { get; init; }

    public int Views => ViewAt.Length;

    /// <summary>What of the lens was refined.</summary>
    public Intrinsics Refined => Problem.Groups[0].Refine;

    /// <summary>The lower half of the views' and lens' covariance, row by row.</summary>
    public IEnumerable<double> Lower()
    {
        for (int i = 0; i < Size; i++)
        {
            for (int j = 0; j <= i; j++)
            {
                yield return Full[i * Size + j];
            }
        }
    }

    /// <summary>
    /// The same again from its problem's views and first lens, and the kept lower half. Null where they do not belong together.
    /// </summary>
    public static BundleCovariance? Restore(BundleProblem problem, IReadOnlyList<float> lower, double sigma) =>
        BundleAdjustment.Restore(problem, lower, sigma);

    private double At(int row, int column) => row >= column ? Full[row * Size + column] : Full[column * Size + row];

    /// <summary>Standard deviations of a view: turn in radians and shift in the solve's unit, each the root of its trace.</summary>
    public (double Turn, double Shift) OfView(int view)
    {
        int at = ViewAt[view];
        if (at < 0)
        {
            return (0, 0);
        }
        double turn = 0,
            shift = 0;
        for (int i = 0; i < 3; i++)
        {
            turn += At(at + i, at + i);
            if (PoseSize[view] >= 6)
            {
                shift += At(at + 3 + i, at + 3 + i);
            }
        }
        return (Math.Sqrt(turn), Math.Sqrt(shift));
    }

    /// <summary>Standard deviation of a lens value that was refined; 0 for one that was held.</summary>
    public double OfIntrinsic(int group, Intrinsics which)
    {
        int index = which switch
        {
            Intrinsics.Focal => 0,
            Intrinsics.K1 => 1,
            Intrinsics.K2 => 2,
            Intrinsics.PrincipalPoint => 3,
            _ => -1,
        };
        int at = Array.IndexOf(IntrinsicsOf[group], index);
        return at < 0 ? 0 : Math.Sqrt(At(GroupAt[group] + at, GroupAt[group] + at));
    }

    /// <summary>
    /// Covariance (xx, xy, yy; px²) of where a spot that is fixed in the solve's space is seen in one view, or, with
    /// <paramref name="then"/>, of how far it slides from the first view to the second. Null behind a view.
    /// </summary>
    public (double XX, double XY, double YY)? OfSpot(Vec3 spot, int view, int? then = null)
    {
        var x = new Dictionary<int, double>();
        var y = new Dictionary<int, double>();
        if (!Gather(spot, view, then is null ? 1 : -1, x, y) || (then is { } next && !Gather(spot, next, 1, x, y)))
        {
            return null;
        }
        double Product(Dictionary<int, double> a, Dictionary<int, double> b)
        {
            double sum = 0;
            foreach (var (i, u) in a)
            {
                foreach (var (j, v) in b)
                {
                    sum += u * v * At(i, j);
                }
            }
            return sum;
        }
        return (Product(x, x), Product(x, y), Product(y, y));
    }

    private bool Gather(Vec3 spot, int view, double sign, Dictionary<int, double> x, Dictionary<int, double> y)
    {
        Span<double> pose = stackalloc double[2 * BundleAdjustment.Widest],
            lens = stackalloc double[10],
            point = stackalloc double[6];
        BundleView v = Problem.Views[view];
        if (!((v.Rotation * spot + v.Translation).Z > 1e-9))
        {
            return false;
        }
        BundleAdjustment.Jacobian(v, Problem.Groups[v.Group], IntrinsicsOf[v.Group], spot, 0, 0, pose, lens, point, out _, out _);
        void Put(int index, double dx, double dy)
        {
            x[index] = x.GetValueOrDefault(index) + sign * dx;
            y[index] = y.GetValueOrDefault(index) + sign * dy;
        }
        for (int i = 0; ViewAt[view] >= 0 && i < PoseSize[view]; i++)
        {
            Put(ViewAt[view] + i, pose[i], pose[BundleAdjustment.Widest + i]);
        }
        for (int i = 0; i < IntrinsicsOf[v.Group].Length; i++)
        {
            Put(GroupAt[v.Group] + i, lens[i], lens[5 + i]);
        }
        return true;
    }
}

public sealed partial class BundleAdjustment
{
    private const double LeastSigma = 0.02; // pixels

    /// <summary>
    /// Covariance at the problem's present state, which must be an adjusted one with its first view held. Null where the
    /// sights do not determine everything.
    /// </summary>
    public static BundleCovariance? Covariance(BundleProblem problem, RobustLoss loss = RobustLoss.Squares, double width = 1) =>
        new BundleAdjustment(problem, loss, width).Covariance();

    internal static BundleCovariance? Restore(BundleProblem problem, IReadOnlyList<float> lower, double sigma)
    {
        var shape = new BundleAdjustment(problem, RobustLoss.Squares, 1);
        if (lower.Count != shape._size * (shape._size + 1) / 2)
        {
            return null;
        }
        var full = new double[shape._size * shape._size];
        for (int i = 0, k = 0; i < shape._size; i++)
        {
            for (int j = 0; j <= i; j++)
            {
                full[i * shape._size + j] = lower[k++];
            }
        }
        return new()
        {
            Full = full,
            Size = shape._size,
            ViewAt = shape._viewAt,
            PoseSize = shape._poseSize,
            GroupAt = shape._groupAt,
            IntrinsicsOf = shape._intrinsicsOf,
            Problem = problem,
            Sigma = sigma,
            Points = [],
        };
    }

    private BundleCovariance? Covariance()
    {
        var e = new Equations(_size, _problem.Points.Length, _seen.Length);
        Linearise(e, holdPoints: false);
        HoldLength(e);
        if (Reduce(e, 1e-12, holdPoints: false) is null)
        {
            return null;
        }
        double[] full = Cholesky.InverseOfFactor(e.S, _size);
        var (cost, _) = Cost();
        int seen = _seen.Length,
            points = _firstOf.Zip(_firstOf.Skip(1)).Count(p => p.First < p.Second);
        double free = 2.0 * seen - _size - (_problem.PointsAreDirections ? 2 : 3) * points + 1;
        if (!(free > 0))
        {
            return null;
        }
        // No measured place is surer than this, however well a few sights agree.
        double variance = Math.Max(2 * cost / free, LeastSigma * LeastSigma);
        for (int i = 0; i < full.Length; i++)
        {
            full[i] *= variance;
        }
        var result = new BundleCovariance
        {
            Full = full,
            Size = _size,
            ViewAt = _viewAt,
            PoseSize = _poseSize,
            GroupAt = _groupAt,
            IntrinsicsOf = _intrinsicsOf,
            Problem = _problem,
            Sigma = Math.Sqrt(variance),
            Points = new double[_problem.Points.Length][],
        };
        Parallel.For(0, _problem.Points.Length, Cores.All, p => result.Points[p] = OfPoint(e, full, variance, p));
        return result;
    }

    /// <summary>Scale is free in what cameras see: the distance from the first view to the one farthest from it is held.</summary>
    private void HoldLength(Equations e)
    {
        if (_problem.PointsAreDirections)
        {
            return;
        }
        BundleView first = _problem.Views[0];
        int farthest = -1;
        double most = 0;
        for (int i = 1; i < _viewAt.Length; i++)
        {
            double far = (_problem.Views[i].CameraToWorld.Position - first.CameraToWorld.Position).LengthSquared;
            if (_viewAt[i] >= 0 && far > most)
            {
                (farthest, most) = (i, far);
            }
        }
        if (farthest < 0)
        {
            return;
        }
        // C = −Rᵀ t; a turn ω and a shift δt move it by −Rᵀ (δt − ω × t).
        BundleView view = _problem.Views[farthest];
        Vec3 away = (view.CameraToWorld.Position - first.CameraToWorld.Position).Normalized(),
            inView = view.Rotation * away;
        Vec3 turn = Vec3.Cross(inView, view.Translation);
        ReadOnlySpan<double> row = [turn.X, turn.Y, turn.Z, inView.X, inView.Y, inView.Z];
        int at = _viewAt[farthest];
        double stiff = 0;
        for (int i = 0; i < 6; i++)
        {
            stiff = Math.Max(stiff, e.U[(at + i) * _size + at + i]);
        }
        for (int i = 0; i < 6; i++)
        {
            for (int j = 0; j <= i; j++)
            {
                e.U[(at + i) * _size + at + j] += stiff * row[i] * row[j];
            }
        }
    }

    /// <summary>V⁻¹ (σ² + Wᵀ Σ W V⁻¹): what its own sights leave open, and what the views' doubts add.</summary>
    private double[] OfPoint(Equations e, double[] full, double variance, int p)
    {
        var columns = new List<(int At, int Observation, int Row, bool Shared)>();
        for (int o = _firstOf[p]; o < _firstOf[p + 1]; o++)
        {
            int view = _seen[o].View,
                group = _problem.Views[view].Group;
            for (int i = 0; _viewAt[view] >= 0 && i < _viewSize[view]; i++)
            {
                columns.Add((_viewAt[view] + i, o, i, false));
            }
            if (_shared.Contains(group))
            {
                for (int i = 0; i < _intrinsicsOf[group].Length; i++)
                {
                    columns.Add((_groupAt[group] + i, o, i, true));
                }
            }
        }
        // W per parameter, summed where a shared lens is seen more than once.
        var w = new Dictionary<int, Vec3>();
        foreach (var (at, o, row, shared) in columns)
        {
            int k = shared ? 15 * o + 3 * row : 3 * (Widest * o + row);
            double[] from = shared ? e.GroupW : e.ViewW;
            w[at] = w.GetValueOrDefault(at) + new Vec3(from[k], from[k + 1], from[k + 2]);
        }
        KeyValuePair<int, Vec3>[] rows = [.. w];
        var m = new double[9];
        foreach (var (i, a) in rows)
        {
            Vec3 sum = default;
            foreach (var (j, b) in rows)
            {
                sum += (i >= j ? full[i * _size + j] : full[j * _size + i]) * b;
            }
            m[0] += a.X * sum.X;
            m[1] += a.X * sum.Y;
            m[2] += a.X * sum.Z;
            m[4] += a.Y * sum.Y;
            m[5] += a.Y * sum.Z;
            m[8] += a.Z * sum.Z;
        }
        ReadOnlySpan<double> v = e.Inverse.AsSpan(6 * p, 6);
        var inverse = new Matrix3(v[0], v[1], v[2], v[1], v[3], v[4], v[2], v[4], v[5]);
        var middle = new Matrix3(m[0], m[1], m[2], m[1], m[4], m[5], m[2], m[5], m[8]);
        Matrix3 c = inverse * middle * inverse;
        return
        [
            variance * v[0] + c.M11,
            variance * v[1] + c.M12,
            variance * v[2] + c.M13,
            variance * v[3] + c.M22,
            variance * v[4] + c.M23,
            variance * v[5] + c.M33,
        ];
    }
}
