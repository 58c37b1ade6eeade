using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Algebra;

namespace Plenk.Core.Cameras;

/// <summary>A lens laid through a map of where straight pixels come from; what it leaves, in pixels.</summary>
public sealed record LensFitResult(Lens Lens, double RmsPx, double WorstPx);

/// <summary>
/// Brown–Conrady terms from a lens map, by linear least squares: under a known focal length they enter the map linearly (Brown 1971).
/// </summary>
public static class LensFit
{
    /// <param name="map">Straight pixel to the plate's pixel it is taken from; pixels.</param>
    /// <param name="pinhole">Focal length and principal point; its own lens is not used.</param>
    /// <param name="reason">What is wrong with the map, null where a lens was found.</param>
    public static LensFitResult? FromMap(
        IReadOnlyList<(double X, double Y, double FromX, double FromY)> map,
        Pinhole pinhole,
        out string? reason
    )
    {
        if (map.Count < 20)
        {
            reason = $"it has only {map.Count} spots within the picture";
            return null;
        }
        var a = Matrix<double>.Build.Dense(2 * map.Count, 5);
        var b = Vector<double>.Build.Dense(2 * map.Count);
        for (int i = 0; i < map.Count; i++)
        {
            double x = (map[i].X - pinhole.Cx) / pinhole.Fx,
                y = (map[i].Y - pinhole.Cy) / pinhole.Fy,
                r2 = x * x + y * y;
            a.SetRow(2 * i, [x * r2, x * r2 * r2, 2 * x * y, r2 + 2 * x * x, x * r2 * r2 * r2]);
            a.SetRow(2 * i + 1, [y * r2, y * r2 * r2, r2 + 2 * y * y, 2 * x * y, y * r2 * r2 * r2]);
            b[2 * i] = (map[i].FromX - pinhole.Cx) / pinhole.Fx - x;
            b[2 * i + 1] = (map[i].FromY - pinhole.Cy) / pinhole.Fy - y;
        }
        Vector<double> k = a.QR().Solve(b);
        var lens = new Lens(k[0], k[1], k[2], k[3], k[4]);
        Vector<double> left = a * k - b;
        double sum = 0,
            worst = 0;
        for (int i = 0; i < map.Count; i++)
        {
            double off = Math.Sqrt(Elementary.Pow(left[2 * i] * pinhole.Fx, 2) + Elementary.Pow(left[2 * i + 1] * pinhole.Fy, 2));
            sum += off * off;
            worst = Math.Max(worst, off);
        }
        reason = null;
        return new(lens, Math.Sqrt(sum / map.Count), worst);
    }
}
