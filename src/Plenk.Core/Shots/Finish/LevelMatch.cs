using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Black and white level by an affine map a channel: gain · x + lift.</summary>
public sealed record LevelMatch(Vec3 Lift, Vec3 Gain);
