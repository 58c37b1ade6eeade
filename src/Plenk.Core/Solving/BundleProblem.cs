using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>Inner values of a camera that may be refined: focal length in pixels, two radial terms, principal point.</summary>
[Flags]
public enum Intrinsics
{
    None = 0,
    Focal = 1,
    K1 = 2,
    K2 = 4,
    PrincipalPoint = 8,
}

/// <summary>A lens and sensor that one or more views share. Pixels; <see cref="Aspect"/> is fy ÷ fx.</summary>
public sealed class IntrinsicsGroup
{
    public double Focal,
        K1,
        K2,
        Cx,
        Cy,
        Aspect = 1;
    public Intrinsics Refine;

    public IntrinsicsGroup Copy() => (IntrinsicsGroup)MemberwiseClone();
}

/// <summary>
/// A view in the form that vision literature uses: x_camera = Rotation · x_world + Translation, looking along +Z, y down.
/// </summary>
public sealed class BundleView
{
    public Matrix3 Rotation = Matrix3.Identity;
    public Vec3 Translation;
    public int Group;
    public bool Fixed;

    /// <summary>Only the rotation is refined: a camera that turns on its tripod.</summary>
    public bool HoldPosition;

    /// <summary>Factor on its group's focal length, refined where <see cref="FreeZoom"/> says so: a lens that zooms.</summary>
    public double Zoom = 1;
    public bool FreeZoom;

    public BundleView Copy() => (BundleView)MemberwiseClone();

    /// <summary>The product's form: camera to world, looking along −Z, +Y up.</summary>
    public Pose CameraToWorld
    {
        get
        {
            Matrix3 back = Rotation.Transpose();
            return new(Matrix3.FromColumns(back.Column(0), -back.Column(1), -back.Column(2)), -(back * Translation));
        }
        set
        {
            Matrix3 r = value.Rotation;
            Rotation = Matrix3.FromColumns(r.Column(0), -r.Column(1), -r.Column(2)).Transpose();
            Translation = -(Rotation * value.Position);
        }
    }
}

/// <summary>Where a view saw a point, in pixels.</summary>
public readonly record struct BundleObservation(int View, int Point, double X, double Y);

/// <summary>Views, lenses, points and what was seen; <see cref="BundleAdjustment"/> changes the first three in place.</summary>
public sealed class BundleProblem
{
    public List<IntrinsicsGroup> Groups { get; } = [];
    public List<BundleView> Views { get; } = [];
    public Vec3[] Points { get; set; } = [];
    public BundleObservation[] Observations { get; set; } = [];

    /// <summary>The points are directions from the one place all views share: their distance says nothing and is kept.</summary>
    public bool PointsAreDirections { get; init; }

    /// <summary>
    /// Turned so that the first view's camera has the world's axes: upright in the picture is up, until a floor says better. What is seen
    /// stays.
    /// </summary>
    public void StandUpright()
    {
        // Columns of the first view's camera-to-world rotation are its axes.
        Matrix3 by = Views[0].CameraToWorld.Rotation.Transpose();
        foreach (BundleView v in Views)
        {
            v.Rotation *= by.Transpose();
        }
        Points = [.. Points.Select(p => by * p)];
    }

    /// <summary>Pixel residual (seen − measured) of an observation; false behind the view.</summary>
    public bool TryResidual(in BundleObservation o, out double dx, out double dy)
    {
        BundleView v = Views[o.View];
        IntrinsicsGroup g = Groups[v.Group];
        Vec3 p = v.Rotation * Points[o.Point] + v.Translation;
        dx = dy = double.NaN;
        if (!(p.Z > 1e-9))
        {
            return false;
        }
        double x = p.X / p.Z,
            y = p.Y / p.Z,
            r2 = x * x + y * y,
            d = 1 + r2 * (g.K1 + g.K2 * r2);
        dx = g.Cx + g.Focal * v.Zoom * d * x - o.X;
        dy = g.Cy + g.Focal * v.Zoom * g.Aspect * d * y - o.Y;
        return true;
    }
}

/// <summary>How residuals count. Costs are ½ Σ ρ(r²) with r in pixels.</summary>
public enum RobustLoss
{
    /// <summary>ρ(s) = s.</summary>
    Squares,

    /// <summary>Huber: ρ(s) = s within the width, 2 w √s − w² beyond.</summary>
    Huber,

    /// <summary>Cauchy: ρ(s) = w² log(1 + s/w²).</summary>
    Cauchy,
}

/// <summary>What an adjustment did.</summary>
public sealed record BundleReport(double StartCost, double EndCost, double StartRms, double EndRms, int Iterations, string Stopped);
