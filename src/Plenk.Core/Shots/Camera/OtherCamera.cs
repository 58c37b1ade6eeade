using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Another camera and what it filmed; its samples stand in the world already.</summary>
public sealed record OtherCamera : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public required PlateSource Plate { get; init; }

    /// <summary>Null: only its plate has come.</summary>
    public CameraSource? Camera { get; init; }

    /// <summary>What makes its exposure and white those of the shot's own plate, linear, a channel.</summary>
    public Vec3 Gain { get; init; } = new(1, 1, 1);
}
