namespace Plenk.Core.Shots;

/// <summary>Where the corners are in a shot frame, in their order: x0 y0 x1 y1 x2 y2 x3 y3, pixels of the plate.</summary>
public sealed record RectangleCorners(int Frame, double[] Corners);
