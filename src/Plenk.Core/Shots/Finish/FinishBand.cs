namespace Plenk.Core.Shots;

/// <summary>
/// What of the place a step is kept to: between two distances from the camera along the line of sight and between two heights above the
/// floor, metres (null: no bound), with edges so many metres wide.
/// </summary>
public sealed record FinishBand : Extensible
{
    public double? FromMetres { get; init; }
    public double? ToMetres { get; init; }
    public double? FromHeight { get; init; }
    public double? ToHeight { get; init; }
    public double SoftMetres { get; init; } = 0.2;
}
