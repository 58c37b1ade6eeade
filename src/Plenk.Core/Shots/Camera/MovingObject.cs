namespace Plenk.Core.Shots;

/// <summary>
/// A thing that moves on its own: found from the tracks inside its matte, or a mesh held to the picture in some frames and
/// followed between. <see cref="Frames"/> says where it is, frame by frame.
/// </summary>
public sealed record MovingObject : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>Id of the matte around it; for a thing found from tracks.</summary>
    public string? Matte { get; init; }

    /// <summary>Its mesh, in metres, in its own space; for a thing that is held.</summary>
    public string? Media { get; init; }
    public IReadOnlyList<ObjectHold> Holds { get; init; } = [];
    public IReadOnlyList<ObjectPose> Frames { get; init; } = [];

    /// <summary>Its distance from the camera in the first frame, metres, where the artist gives it.</summary>
    public double? DistanceMetres { get; init; }

    /// <summary>How its size was found, and how far it may be off, as a share; of a thing found from tracks.</summary>
    public string SizeBy { get; init; } = "";
    public double SizeDoubt { get; init; }
    public double RmsPx { get; init; }

    /// <summary>What was told when it was last followed.</summary>
    public IReadOnlyList<string> Warnings { get; init; } = [];
}
