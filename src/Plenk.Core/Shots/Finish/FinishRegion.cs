namespace Plenk.Core.Shots;

/// <summary>Where the plate and the element are held against each other, pixels of the plate.</summary>
public sealed record FinishRegion(int X, int Y, int Width, int Height, int? Frame = null);
