namespace Plenk.Core.Shots;

/// <summary>What shines into the lens: a lamp's veil, streaks and ghosts, and shafts through what stands before it.</summary>
public sealed record FlareSettings(
    string Light,
    double Veil = 0.05,
    double RadiusPixels = 120,
    int Streaks = 6,
    double Ghosts = 0.02,
    double Shafts = 0
);
