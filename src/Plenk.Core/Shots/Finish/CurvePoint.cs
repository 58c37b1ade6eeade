namespace Plenk.Core.Shots;

/// <summary>A spot of a curve, linear light.</summary>
public sealed record CurvePoint(double In, double Out);
