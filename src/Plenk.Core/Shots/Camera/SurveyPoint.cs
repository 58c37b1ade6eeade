using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A place clicked on the plate and known in space, in the camera's own: measured on set, or found from its clicks
/// (<see cref="FromClicks"/>). Position is null until two clicks have found it.
/// </summary>
public sealed record SurveyPoint : Extensible
{
    public required string Name { get; init; }
    public Vec3? Position { get; init; }
    public bool FromClicks { get; init; }
    public IReadOnlyList<PointClick> Clicks { get; init; } = [];
}
