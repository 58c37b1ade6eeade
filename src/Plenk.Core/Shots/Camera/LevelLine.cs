namespace Plenk.Core.Shots;

/// <summary>A horizon, or an edge that is upright in the place, drawn on a shot frame; pixels of the plate.</summary>
public sealed record LevelLine(int Frame, bool Horizon, double X1, double Y1, double X2, double Y2);
