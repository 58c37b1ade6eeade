namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// A point of a curve: its place, its two handles off it, and how far its edge is soft outwards and inwards, all in pixels (the first pixel's
/// centre at 0.5, 0.5).
/// </summary>
public readonly record struct Knot(
    double X,
    double Y,
    double InX = 0,
    double InY = 0,
    double OutX = 0,
    double OutY = 0,
    double Feather = 0,
    double FeatherIn = 0
)
{
    /// <summary>The curve has no corner here: its handles lie in one line, on either side.</summary>
    public bool IsSmooth
    {
        get
        {
            double a = Math.Sqrt(InX * InX + InY * InY),
                b = Math.Sqrt(OutX * OutX + OutY * OutY);
            return a > 1e-6 && b > 1e-6 && (InX * OutX + InY * OutY) / (a * b) < -0.98;
        }
    }
}
