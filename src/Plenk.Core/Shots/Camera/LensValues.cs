namespace Plenk.Core.Shots;

/// <summary>Distortion of the radial and tangential model that a lens is kept by.</summary>
public sealed record LensValues(double K1 = 0, double K2 = 0, double P1 = 0, double P2 = 0, double K3 = 0);
