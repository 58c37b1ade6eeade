using Plenk.Core.Tracing;

namespace Plenk.Browser.Tests;

/// <summary>
/// Made-up footage of a far ridge with trees before a hazy sky, by a camera that goes sideways. All of it by its own small arithmetic, so that what
/// comes out can be held against it.
/// </summary>
internal static class FilmedRidge
{
    public const int Width = 480,
        Height = 270,
        First = 1001,
        Count = 7;
    public const double Focal = 480,
        Eye = 1.6,
        RidgeAt = 60;

    public static double CameraX(int frame) => 0.15 * (frame - First);

    /// <summary>How high the ridge is, metres: hills, and trees on them.</summary>
    public static double High(double x) => 9 + 3 * Math.Sin(0.11 * x + 1) + 1.4 * Math.Sin(0.37 * x) + 0.7 * Math.Abs(Math.Sin(0.8 * x));

    /// <summary>The row of the picture that the ridge reaches up to in a column.</summary>
    public static double Row(double px, int frame) =>
        Height / 2.0 - (High(CameraX(frame) + (px - Width / 2.0) / Focal * RidgeAt) - Eye) / RidgeAt * Focal;

    private static double Noise(double x, double y, double size)
    {
        double gx = x / size,
            gy = y / size;
        int i = (int)Math.Floor(gx),
            j = (int)Math.Floor(gy);
        double Of(int a, int b) => Sampling.Hash((uint)(a * 7919 + b * 104729)) / (double)uint.MaxValue - 0.5;
        double s = gx - i,
            t = gy - j;
        return (1 - t) * ((1 - s) * Of(i, j) + s * Of(i + 1, j)) + t * ((1 - s) * Of(i, j + 1) + s * Of(i + 1, j + 1));
    }

    /// <summary>Linear light at a place of a frame.</summary>
    public static double[] Plate(double px, double py, int frame)
    {
        double x = CameraX(frame) + (px - Width / 2.0) / Focal * RidgeAt,
            y = Eye - (py - Height / 2.0) / Focal * RidgeAt,
            // A pixel that the edge goes through has some of either.
            a = Math.Clamp(py - Row(px, frame) + 0.5, 0, 1),
            leaf = 0.09 + 0.06 * Noise(x, y, 0.7) + 0.05 * Noise(x, y, 2.5),
            haze = 0.55 + 0.1 * Noise(px, 2 * py, 60) + 0.05 * py / Height;
        return [a * leaf + (1 - a) * haze, a * 1.3 * leaf + (1 - a) * haze, a * 0.7 * leaf + (1 - a) * 1.15 * haze];
    }

    /// <summary>Frames and camera as files.</summary>
    public static (string[] Frames, string Camera) Write(string folder) =>
        FilmedFrames.Write(folder, "ridge", (Width, Height, Focal), Enumerable.Range(First, Count), Plate, f => (CameraX(f), Eye));
}
