using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A correction of a figure at a frame: moved in the world, and sized about its foot.</summary>
public sealed record FigureKey(int Frame, Vec3? Shift = null, double? Scale = null, KeyEase Ease = KeyEase.Straight);
