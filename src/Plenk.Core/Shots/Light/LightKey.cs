using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>What a light is at a frame; what is null is not keyed there.</summary>
public sealed record LightKey(int Frame, double? Strength = null, Vec3? Color = null, Vec3? Direction = null, Vec3? Position = null);
