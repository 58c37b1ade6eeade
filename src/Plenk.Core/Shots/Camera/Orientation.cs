namespace Plenk.Core.Shots;

/// <summary>What the artist named: the points of the floor, of the origin, of an axis, and a known distance.</summary>
public sealed record Orientation : Extensible
{
    public IReadOnlyList<string> Floor { get; init; } = [];
    public string? Origin { get; init; }
    public NamedAxis? Axis { get; init; }
    public KnownDistance? Scale { get; init; }

    /// <summary>Lines that say which way is up where no floor is named.</summary>
    public IReadOnlyList<LevelLine> Level { get; init; } = [];
}
