namespace Plenk.Core.Shots;

/// <summary>Points of a scanner or of another program, in their own space.</summary>
public sealed record PointCloud : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";

    /// <summary>The PLY file.</summary>
    public required string Media { get; init; }
    public int Count { get; init; }

    /// <summary>Places in the cloud that are survey points of the shot; three and more say how it lies.</summary>
    public IReadOnlyList<CloudTarget> Targets { get; init; } = [];

    /// <summary>It is in metres already; else its scale is found too.</summary>
    public bool HoldScale { get; init; } = true;
    public bool Off { get; init; }
}
