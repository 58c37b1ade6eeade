namespace Plenk.Core.Shots;

/// <summary>Where a point is seen: shot frame, pixels of the plate.</summary>
public sealed record PointClick(int Frame, double X, double Y);
