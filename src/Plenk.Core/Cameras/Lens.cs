using Plenk.Core.Algebra;

namespace Plenk.Core.Cameras;

/// <summary>
/// Brown–Conrady distortion from undistorted to distorted, at unit focal length, y down (Brown 1971, Conrady 1919):
/// x_d = x s + 2 p1 x y + p2 (r² + 2x²), y_d = y s + p1 (r² + 2y²) + 2 p2 x y, s = 1 + k1 r² + k2 r⁴ + k3 r⁶.
/// </summary>
public sealed record Lens(double K1 = 0, double K2 = 0, double P1 = 0, double P2 = 0, double K3 = 0)
{
    public static readonly Lens None = new();

    /// <summary>The radius of undistorted points up to which the lens is defined: the first r with d(r s)/dr = 0.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public double FoldRadius { get; } = FindFold(K1, K2, K3);

    public bool IsIdentity => K1 == 0 && K2 == 0 && P1 == 0 && P2 == 0 && K3 == 0;

    /// <summary>Undistorted to distorted. Outside the fold radius the answer is false: "outside the lens".</summary>
    public bool TryDistort(double x, double y, out double xd, out double yd)
    {
        double r2 = x * x + y * y;
        double s = 1 + r2 * (K1 + r2 * (K2 + r2 * K3));
        xd = x * s + 2 * P1 * x * y + P2 * (r2 + 2 * x * x);
        yd = y * s + P1 * (r2 + 2 * y * y) + 2 * P2 * x * y;
        return r2 <= FoldRadius * FoldRadius;
    }

    /// <summary>
    /// Distorted to undistorted by Newton's method on the 2×2 system, to 1e-13 of the unit focal length
    /// (under 1e-9 px for any focal length below 10,000 px). False where no point of the lens maps there.
    /// </summary>
    public bool TryUndistort(double xd, double yd, out double x, out double y)
    {
        (x, y) = (xd, yd);
        if (IsIdentity)
        {
            return true;
        }
        // Begin inside the valid disk: the radial part alone is monotone there, so bisection on r always brackets the root.
        double rd = Math.Sqrt(xd * xd + yd * yd);
        if (rd > 0)
        {
            double high = double.IsFinite(FoldRadius) ? FoldRadius : Math.Max(4 * rd, 8);
            if (P1 == 0 && P2 == 0 && Radial(high) < rd * (1 - 1e-15))
            {
                return false;
            }
            double low = 0;
            for (int i = 0; i < 12; i++)
            {
                double mid = 0.5 * (low + high);
                if (Radial(mid) < rd)
                {
                    low = mid;
                }
                else
                {
                    high = mid;
                }
            }
            double scale = 0.5 * (low + high) / rd;
            (x, y) = (xd * scale, yd * scale);
        }
        for (int i = 0; i < 50; i++)
        {
            double r2 = x * x + y * y;
            double s = 1 + r2 * (K1 + r2 * (K2 + r2 * K3));
            double ds = K1 + r2 * (2 * K2 + r2 * 3 * K3); // ds/d(r²)
            double ex = x * s + 2 * P1 * x * y + P2 * (r2 + 2 * x * x) - xd;
            double ey = y * s + P1 * (r2 + 2 * y * y) + 2 * P2 * x * y - yd;
            double a = s + 2 * x * x * ds + 2 * P1 * y + 6 * P2 * x;
            double b = 2 * x * y * ds + 2 * P1 * x + 2 * P2 * y;
            double d = s + 2 * y * y * ds + 6 * P1 * y + 2 * P2 * x;
            double det = a * d - b * b;
            double stepX = (d * ex - b * ey) / det,
                stepY = (a * ey - b * ex) / det;
            (x, y) = (x - stepX, y - stepY);
            if (!(stepX * stepX + stepY * stepY > 1e-26))
            {
                break;
            }
        }
        return double.IsFinite(x)
            && double.IsFinite(y)
            && x * x + y * y <= FoldRadius * FoldRadius * (1 + 1e-9)
            && TryDistort(x * (1 - 1e-12), y * (1 - 1e-12), out double fx, out double fy)
            && Math.Abs(fx - xd) + Math.Abs(fy - yd) < 1e-9;
    }

    private double Radial(double r) => r * (1 + r * r * (K1 + r * r * (K2 + r * r * K3)));

    /// <summary>Smallest positive root of 1 + 3 k1 q + 5 k2 q² + 7 k3 q³ in q = r², or infinity.</summary>
    private static double FindFold(double k1, double k2, double k3)
    {
        double Slope(double q) => 1 + q * (3 * k1 + q * (5 * k2 + q * 7 * k3));
        const double limit = 100; // r = 10: beyond 84° off the axis nothing is drawn
        double previous = 0;
        for (int i = 1; i <= 4000; i++)
        {
            double q = limit * Elementary.Pow(i / 4000.0, 2);
            if (Slope(q) <= 0)
            {
                double low = previous,
                    high = q;
                for (int j = 0; j < 80; j++)
                {
                    double mid = 0.5 * (low + high);
                    if (Slope(mid) > 0)
                    {
                        low = mid;
                    }
                    else
                    {
                        high = mid;
                    }
                }
                return Math.Sqrt(0.5 * (low + high));
            }
            previous = q;
        }
        return double.PositiveInfinity;
    }
}
