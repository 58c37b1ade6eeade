namespace Plenk.Core.Shots;

/// <summary>
/// What lens and film give the whole comp: a glow of all that is brighter than a level (its share, reach and level), and the plate's grain
/// once more.
/// </summary>
public sealed record WholeSettings(double Glow = 0, double GlowPixels = 12, double GlowFrom = 1, double Grain = 0);
