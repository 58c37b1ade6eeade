using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A place of a piece's shape pinned to a spot of the picture; pixels of the plate. With a direction it is an edge, which may slide along
/// itself.
/// </summary>
public sealed record PiecePin(int Frame, Vec3 Place, Vec3? Along, double X, double Y);
