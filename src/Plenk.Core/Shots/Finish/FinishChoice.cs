namespace Plenk.Core.Shots;

/// <summary>How a shot is closed.</summary>
public sealed record FinishChoice : Extensible
{
    public IReadOnlyList<FinishStep> Steps { get; init; } = [];

    /// <summary>Of the plate, near the element; null: around the element's bounds.</summary>
    public FinishRegion? Region { get; init; }

    /// <summary>The steps that act, in their order.</summary>
    public IReadOnlyList<FinishStep> InOrder() => [.. Steps.Where(s => s is { Off: false, Strength: > 0 }).OrderBy(s => s.Kind)];
}
