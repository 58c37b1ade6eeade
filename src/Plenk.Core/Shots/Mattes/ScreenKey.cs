using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A key of a coloured screen: its colour (linear), and the band of difference over which it goes from screen to foreground.
/// </summary>
/// <param name="EdgeBySides">
/// Along its edge, coverage is how far a pixel lies from the screen's colour to the foreground's, both as they are beside it. New keys have
/// it; one that was kept before keeps its edge.
/// </param>
public sealed record ScreenKey(Vec3 Color, double Low = 0.1, double High = 0.5, bool TakesSpillOff = true, bool EdgeBySides = false);
