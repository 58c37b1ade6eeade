namespace Plenk.Core.Shots;

/// <summary>Rendered frames lit again by the shot's lights, from their own positions and normals.</summary>
public sealed record Relit : Extensible
{
    /// <summary>Ids of the lights that shade it anew.</summary>
    public IReadOnlyList<string> Lamps { get; init; } = [];
    public RelightLook Look { get; init; } = new();

    /// <summary>The set keeps the new light from it too; else its own surface alone does.</summary>
    public bool ShadowsBySet { get; init; } = true;

    /// <summary>Only the new light is shown; else it is added to the picture.</summary>
    public bool Alone { get; init; }
}
