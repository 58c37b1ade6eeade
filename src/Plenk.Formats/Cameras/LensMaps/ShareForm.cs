namespace Plenk.Formats.Cameras.LensMaps;

/// <summary>
/// Shares of width and height, 0 to 1, from the left and from the bottom or the top (common practice, no source; as <see
/// cref="CameraExport.LensMaps"/> writes them from the bottom).
/// </summary>
public sealed class ShareForm(bool fromBottom) : LensMapForm
{
    public override string Name => fromBottom ? "in shares from the bottom" : "in shares from the top";

    public override (double X, double Y) Spot(double first, double second, int width, int height) =>
        first is >= 0 and <= 1 && second is >= 0 and <= 1 ? (first, fromBottom ? 1 - second : second) : (double.NaN, double.NaN);
}
