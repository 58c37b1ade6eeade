namespace Plenk.Core.Shots;

/// <summary>A lamp's light seen in the air: how much of it a metre scatters, and whether forwards (towards 1) or evenly (0).</summary>
public sealed record BeamSettings(string Light, double PerMetre = 0.02, double Forwards = 0.3);
