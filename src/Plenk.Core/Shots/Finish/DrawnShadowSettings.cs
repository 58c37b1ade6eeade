using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A shadow by the step's matte: by channel the share of light that it leaves, and what it lies on. Where a traced shadow is darker that
/// counts.
/// </summary>
/// <param name="OnFilmed">On what was filmed in mattes that stand before what is added.</param>
public sealed record DrawnShadowSettings(Vec3 Leaves, bool OnSet = true, bool OnFilmed = true, bool OnElements = false);
