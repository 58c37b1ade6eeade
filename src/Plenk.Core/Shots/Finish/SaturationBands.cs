namespace Plenk.Core.Shots;

/// <summary>
/// How much colour darks, lights and what lies between keep, 1: all of it; and where darks end and lights begin, linear luminance.
/// </summary>
public sealed record SaturationBands(
    double Dark = 1,
    double Middle = 1,
    double Light = 1,
    double DarkBelow = 0.05,
    double LightAbove = 0.6
);
