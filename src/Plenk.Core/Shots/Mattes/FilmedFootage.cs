using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Somebody or something filmed on another plate, as a layer of this shot: the plate, what of it comes, and where it stands.</summary>
public sealed record FilmedFootage : Extensible
{
    /// <summary>Id among <see cref="ShotDocument.OtherCameras"/>: its plate, with rate and start, and its camera where it has one.</summary>
    public required string Camera { get; init; }

    /// <summary>
    /// It stands upright at <see cref="At"/>, turned to its own camera, and is seen from the shot's; else its pixels are the shot's.
    /// </summary>
    public bool ThroughItsCamera { get; init; }

    /// <summary>Where its foot stands, in the world: its distance follows from it. Null: the matte says from which distance on it hides.</summary>
    public Vec3? At { get; init; }

    /// <summary>So many frames of the shot later than its plate is counted.</summary>
    public int Later { get; init; }

    /// <summary>Mattes on that plate: its own pixels and its own frame numbers.</summary>
    public IReadOnlyList<Matte> Mattes { get; init; } = [];

    /// <summary>Id of the one of these that comes.</summary>
    public string Matte { get; init; } = "";
}
