namespace Plenk.Core.Shots;

/// <summary>Along is x, y, z or floor; null: found from the picture.</summary>
public sealed record StillLengthLine(double[] From, double[] To, double Metres, string? Along = null);
