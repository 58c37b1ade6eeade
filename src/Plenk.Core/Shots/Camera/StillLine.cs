namespace Plenk.Core.Shots;

/// <summary>Axis is x, y or z.</summary>
public sealed record StillLine(string Axis, double X1, double Y1, double X2, double Y2);
