using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// By channel: 1 leaves the shadow as it is, 2 as if it were cast twice, 0 takes it away; likewise for the contact look; and how far its
/// edge is blurred.
/// </summary>
public sealed record ShadowSettings(Vec3 Density, double Contact = 1, double BlurPixels = 0);
