using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>What an artist set for a material in the place of what the file says; null: the file's. Colours linear.</summary>
public sealed record MaterialChoice(
    string Name,
    Vec3? BaseColor = null,
    double? Metallic = null,
    double? Roughness = null,
    Vec3? Emission = null
);
