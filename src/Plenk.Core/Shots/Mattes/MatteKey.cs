namespace Plenk.Core.Shots;

/// <summary>
/// Corners x0 y0 x1 y1 …; every key of a matte has as many. With a motion they are where they are at the key's own frame.
/// </summary>
public sealed record MatteKey(int Frame, double[] Corners)
{
    /// <summary>Off each corner, to the curve before and after it: in x, in y, out x, out y; null: it goes straight from corner to corner.</summary>
    public double[]? Handles { get; init; }

    /// <summary>How far the edge is soft at each corner, outwards and inwards, pixels of the plate; null: as the matte's own edge.</summary>
    public double[]? Feathers { get; init; }

    /// <summary>What it was found from; none: it was drawn, or pulled since.</summary>
    public IReadOnlyList<MatteStroke> Strokes { get; init; } = [];

    /// <summary>It was followed to here; else it was drawn.</summary>
    public bool Found { get; init; }
}
