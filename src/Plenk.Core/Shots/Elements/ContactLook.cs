namespace Plenk.Core.Shots;

/// <summary>Ambient occlusion of short reach, metres: set by element and element by set.</summary>
public sealed record ContactLook(double Strength = 0, double ReachMetres = 0.06);
