namespace Plenk.Core.Shots;

/// <summary>A lit and a shadowed spot of one surface in a frame; pixels of the plate.</summary>
public sealed record ShadowPair(int Frame, double LitX, double LitY, double DarkX, double DarkY);
