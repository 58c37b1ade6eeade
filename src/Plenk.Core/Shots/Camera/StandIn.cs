using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A standing figure, or a box as wide and deep as it is high; position of its foot, metres.</summary>
public sealed record StandIn(string Id, bool Box, Vec3 Position, double HeightMetres);
