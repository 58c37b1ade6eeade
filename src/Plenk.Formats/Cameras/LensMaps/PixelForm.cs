namespace Plenk.Formats.Cameras.LensMaps;

/// <summary>
/// Pixels from the left and from the top, the middle of the first pixel at 0: dst(x, y) = src(map1(x, y), map2(x, y)), as the OpenCV
/// documentation defines the maps of remap and initUndistortRectifyMap.
/// </summary>
public sealed class PixelForm : LensMapForm
{
    public override string Name => "in pixels from the top";

    public override (double X, double Y) Spot(double first, double second, int width, int height) =>
        first >= -0.5 && first <= width - 0.5 && second >= -0.5 && second <= height - 0.5
            ? ((first + 0.5) / width, (second + 0.5) / height)
            : (double.NaN, double.NaN);
}
