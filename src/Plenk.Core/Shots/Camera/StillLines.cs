namespace Plenk.Core.Shots;

/// <summary>What is drawn on a still: edges along the axes, the origin, a known length; pixels of the plate.</summary>
public sealed record StillLines : Extensible
{
    public int Frame { get; init; }
    public IReadOnlyList<StillLine> Lines { get; init; } = [];
    public double[]? Origin { get; init; }
    public StillLengthLine? Length { get; init; }
}
