using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Every column of the bundle adjustment's derivatives against central differences of its residuals.</summary>
public class JacobianTests
{
    private static readonly Vec3 Place = new(0.7, -0.4, 5.2);

    private static (BundleProblem Problem, BundleView View, IntrinsicsGroup Lens) Made(bool turning, bool zooms)
    {
        var lens = new IntrinsicsGroup
        {
            Focal = 1400,
            K1 = -0.09,
            K2 = 0.021,
            Cx = 950,
            Cy = 552,
            Aspect = 1.07,
            Refine = Intrinsics.Focal | Intrinsics.K1 | Intrinsics.K2 | Intrinsics.PrincipalPoint,
        };
        var view = new BundleView
        {
            Rotation = Rotations.FromAxisAngle(new Vec3(0.3, -0.8, 0.5).Normalized(), 0.35),
            Translation = turning ? Vec3.Zero : new(0.4, 0.2, 0.9),
            HoldPosition = turning,
            FreeZoom = zooms,
            Zoom = zooms ? 1.13 : 1,
        };
        var problem = new BundleProblem { Points = [Place], Observations = [new(0, 0, 900, 500)] };
        problem.Groups.Add(lens);
        problem.Views.Add(view);
        return (problem, view, lens);
    }

    [Theory]
    [InlineData(false, false)]
    [InlineData(false, true)]
    [InlineData(true, true)]
    [InlineData(true, false)]
    public void Every_column_is_the_slope_of_its_residual(bool turning, bool zooms)
    {
        var (problem, view, lens) = Made(turning, zooms);
        Span<double> byView = stackalloc double[2 * BundleAdjustment.Widest],
            byLens = stackalloc double[10],
            byPoint = stackalloc double[6];
        BundleAdjustment.Jacobian(view, lens, [0, 1, 2, 3, 4], Place, 900, 500, byView, byLens, byPoint, out double rx, out double ry);
        Assert.True(problem.TryResidual(problem.Observations[0], out double x, out double y));
        Assert.Equal(x, rx, 9);
        Assert.Equal(y, ry, 9);
        var (rotation, translation, zoom, before) = (view.Rotation, view.Translation, view.Zoom, lens.Copy());
        (double X, double Y) Slope(double h, Action<double> set)
        {
            (double, double) At(double by)
            {
                set(by);
                Assert.True(problem.TryResidual(problem.Observations[0], out double dx, out double dy));
                (view.Rotation, view.Translation, view.Zoom, problem.Points[0]) = (rotation, translation, zoom, Place);
                (lens.Focal, lens.K1, lens.K2, lens.Cx, lens.Cy) = (before.Focal, before.K1, before.K2, before.Cx, before.Cy);
                return (dx, dy);
            }
            var (ax, ay) = At(-h);
            var (bx, by) = At(h);
            return ((bx - ax) / (2 * h), (by - ay) / (2 * h));
        }
        void Column(string name, (double X, double Y) slope, double dx, double dy)
        {
            double size = Math.Max(1, Math.Sqrt(slope.X * slope.X + slope.Y * slope.Y));
            Assert.True(
                Math.Abs(slope.X - dx) < 1e-6 * size && Math.Abs(slope.Y - dy) < 1e-6 * size,
                $"{name}: ({dx}, {dy}) where the slope is ({slope.X}, {slope.Y})"
            );
        }
        Vec3[] axes = [Vec3.UnitX, Vec3.UnitY, Vec3.UnitZ];
        for (int i = 0; i < 3; i++)
        {
            Vec3 axis = axes[i];
            Column(
                $"rotation {i}",
                Slope(1e-6, h => view.Rotation = Rotations.FromAxisAngle(axis, h) * rotation),
                byView[i],
                byView[BundleAdjustment.Widest + i]
            );
            if (!turning)
            {
                Column(
                    $"translation {i}",
                    Slope(1e-5, h => view.Translation = translation + h * axis),
                    byView[3 + i],
                    byView[BundleAdjustment.Widest + 3 + i]
                );
            }
            Column($"point {i}", Slope(1e-5, h => problem.Points[0] = Place + h * axis), byPoint[i], byPoint[3 + i]);
        }
        int at = turning ? 3 : 6;
        if (zooms)
        {
            Column("zoom", Slope(1e-6, h => view.Zoom = zoom + h), byView[at], byView[BundleAdjustment.Widest + at]);
        }
        Column("focal length", Slope(1e-3, h => lens.Focal = before.Focal + h), byLens[0], byLens[5]);
        Column("k1", Slope(1e-6, h => lens.K1 = before.K1 + h), byLens[1], byLens[6]);
        Column("k2", Slope(1e-6, h => lens.K2 = before.K2 + h), byLens[2], byLens[7]);
        Column("cx", Slope(1e-3, h => lens.Cx = before.Cx + h), byLens[3], byLens[8]);
        Column("cy", Slope(1e-3, h => lens.Cy = before.Cy + h), byLens[4], byLens[9]);
    }
}
