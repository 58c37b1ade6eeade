using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// The plate's own shadow of the same light: where a matte says it is, and the ratio it leaves; null matte: only shadows that came with
/// rendered elements are joined.
/// </summary>
public sealed record ShadowJoinSettings(string? Matte = null, Vec3? Level = null);
