using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A survey point's name and its place in the cloud's own space.</summary>
public sealed record CloudTarget(string Point, Vec3 Place);
