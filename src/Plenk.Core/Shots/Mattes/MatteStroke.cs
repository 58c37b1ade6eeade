namespace Plenk.Core.Shots;

/// <summary>A stroke over what a matte is to hold, or not.</summary>
/// <param name="Inside">What lies under it is held; else it is not.</param>
/// <param name="WidthPixels">Pixels of the plate.</param>
/// <param name="Points">x0 y0 x1 y1 …, pixels of the plate.</param>
public sealed record MatteStroke(bool Inside, double WidthPixels, double[] Points)
{
    public MatteStroke Sized(double by) => new(Inside, WidthPixels * by, [.. Points.Select(v => v * by)]);
}
