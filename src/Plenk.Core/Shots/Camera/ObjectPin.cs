using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A place of the mesh, in its own space, pinned to a spot of the picture; pixels of the plate.</summary>
public sealed record ObjectPin(Vec3 Place, double X, double Y);
