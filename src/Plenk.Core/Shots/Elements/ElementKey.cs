using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Where an element is at a frame; what is null is not keyed there.</summary>
public sealed record ElementKey(
    int Frame,
    Vec3? Position = null,
    double? TurnDegrees = null,
    double? Scale = null,
    KeyEase Ease = KeyEase.Eased
)
{
    public double? Opacity { get; init; }
    public double? Saturation { get; init; }
    public double? Stops { get; init; }
    public double? LightStops { get; init; }
}
