using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Where a thing looks, kept over all frames: a lamp shines there, an element turns its front (+Z) there.</summary>
public sealed record Aim : Extensible
{
    /// <summary>A thing of the shot, as <see cref="Carrier.On"/> names it; null: a place of the world.</summary>
    public string? On { get; init; }

    /// <summary>Metres, in that thing's frame, or in the world.</summary>
    public Vec3 Place { get; init; }
}
