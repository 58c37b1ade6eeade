namespace Plenk.Core.Shots;

/// <summary>
/// Vignette: 1 + r² A2 + r⁴ A4 of the light, r the distance from the middle over half the diagonal; red and blue enlarged about the middle
/// by parts in a thousand.
/// </summary>
public sealed record LensMarks(double A2 = 0, double A4 = 0, double RedPermille = 0, double BluePermille = 0);
