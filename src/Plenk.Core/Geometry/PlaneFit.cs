using MathNet.Numerics.LinearAlgebra;

namespace Plenk.Core.Geometry;

/// <summary>A plane n·x = Offset with unit normal, and how far the points lie from it, in metres.</summary>
public sealed record PlaneFitResult(Vec3 Normal, double Offset, Vec3 Centroid, double Rms, double Largest, int LargestIndex);

/// <summary>Orthogonal least squares: the smallest singular direction of the centred points.</summary>
public static class PlaneFit
{
    /// <summary>Null and a reason when fewer than three points are given or they lie in a line.</summary>
    public static PlaneFitResult? Fit(IReadOnlyList<Vec3> points, out string? reason)
    {
        if (points.Count < 3)
        {
            reason = $"a plane needs three points or more; {points.Count} {(points.Count == 1 ? "is" : "are")} named";
            return null;
        }
        if (points.Any(p => !p.IsFinite))
        {
            reason = "one of the points has a position that is not a number";
            return null;
        }
        Vec3 centre = Vec3.Zero;
        foreach (Vec3 p in points)
        {
            centre += p;
        }
        centre /= points.Count;
        Matrix<double> m = Matrix<double>.Build.Dense(points.Count, 3);
        for (int i = 0; i < points.Count; i++)
        {
            Vec3 d = points[i] - centre;
            m.SetRow(i, [d.X, d.Y, d.Z]);
        }
        var svd = (m.TransposeThisAndMultiply(m)).Evd(Symmetricity.Symmetric);
        double[] size = [.. svd.EigenValues.Select(v => Math.Sqrt(Math.Max(0, v.Real)))];
        if (!(size[1] > 1e-4 * size[2]) || size[2] == 0)
        {
            reason = "the points lie in a line (or in one place), so they do not say how the floor tilts; name one to the side of it";
            return null;
        }
        Vector<double> v = svd.EigenVectors.Column(0);
        var n = new Vec3(v[0], v[1], v[2]);
        if (n.Y < 0)
        {
            n = -n;
        }
        double offset = Vec3.Dot(n, centre),
            sum = 0,
            largest = -1;
        int at = 0;
        for (int i = 0; i < points.Count; i++)
        {
            double d = Math.Abs(Vec3.Dot(n, points[i]) - offset);
            sum += d * d;
            if (d > largest)
            {
                (largest, at) = (d, i);
            }
        }
        reason = null;
        return new(n, offset, centre, Math.Sqrt(sum / points.Count), largest, at);
    }
}
