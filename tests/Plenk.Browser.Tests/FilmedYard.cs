namespace Plenk.Browser.Tests;

/// <summary>
/// Made-up footage of a paved yard before a wall with a shut door, by a camera that goes sideways. All of it by its own small arithmetic
/// (similar triangles), so that what comes out can be held against it.
/// </summary>
internal static class FilmedYard
{
    public const int Width = 480,
        Height = 270,
        First = 1001,
        Count = 12;
    public const double Focal = 480,
        Eye = 1.6,
        WallAt = 8;

    /// <summary>The door in the wall: left, right, top, metres; it stands on the ground.</summary>
    public static readonly (double Left, double Right, double Top) Door = (0.3, 1.5, 2.1);

    public static double CameraX(int frame) => 0.04 * (frame - First);

    /// <summary>Where a place of the yard is seen, pixels; its z is negative.</summary>
    public static (double X, double Y) Seen(double x, double y, double z, int frame) =>
        (Width / 2.0 + (x - CameraX(frame)) / -z * Focal, Height / 2.0 + (Eye - y) / -z * Focal);

    public static double[] Ground(double x, double z) =>
        [0.22 + 0.05 * Math.Sin(5 * x) * Math.Sin(4 * z), 0.2 + 0.05 * Math.Sin(5 * x) * Math.Sin(4 * z), 0.18];

    public static double[] Wall(double x, double y) =>
        x > Door.Left && x < Door.Right && y < Door.Top
            ? [0.10, 0.12 + 0.04 * Math.Sin(9 * x), 0.30 + 0.06 * Math.Sin(7 * y)]
            : [0.35 + 0.06 * Math.Sin(4 * x), 0.28 + 0.05 * Math.Sin(5 * y), 0.24];

    /// <summary>Linear light of the plate at a place of a frame.</summary>
    public static double[] Plate(double px, double py, int frame)
    {
        double right = (px - Width / 2.0) / Focal,
            down = (py - Height / 2.0) / Focal;
        return down > Eye / WallAt
            ? Ground(CameraX(frame) + right * Eye / down, -Eye / down)
            : Wall(CameraX(frame) + right * WallAt, Eye - down * WallAt);
    }

    /// <summary>Frames and camera as files.</summary>
    public static (string[] Frames, string Camera) Write(string folder) =>
        FilmedFrames.Write(folder, "yard", (Width, Height, Focal), Enumerable.Range(First, Count), Plate, f => (CameraX(f), Eye));
}
