namespace Plenk.Formats.Cameras.LensMaps;

/// <summary>
/// What the two numbers of a lens map mean: each form has a file of its own here and a line in <see cref="LensMapFile.Forms"/>. Which of
/// them a file has is found by what a lens leaves of it.
/// </summary>
public abstract class LensMapForm
{
    /// <summary>After “counted”, like “in shares from the bottom”.</summary>
    public abstract string Name { get; }

    /// <summary>
    /// A spot of the other picture as shares of its width and height from the top-left corner, 0 to 1; NaN where the numbers name none.
    /// Width and height are the map's.
    /// </summary>
    public abstract (double X, double Y) Spot(double first, double second, int width, int height);
}
