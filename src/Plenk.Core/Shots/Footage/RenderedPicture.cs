using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>A picture of a frame with position and normal passes, through the shot's camera.</summary>
public sealed record RenderedPicture : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public int Frame { get; init; }

    /// <summary>Its files and their names.</summary>
    public IReadOnlyList<string> Media { get; init; } = [];
    public IReadOnlyList<string> Names { get; init; } = [];

    /// <summary>How depth is meant where it brings no positions.</summary>
    public DepthConvention Depth { get; init; } = new(DepthKind.Axis);

    /// <summary>Ids of the lights that shade it anew.</summary>
    public IReadOnlyList<string> Lamps { get; init; } = [];
    public RelightLook Look { get; init; } = new();

    /// <summary>Shadows are cast by the set; else by the surface that its own positions show.</summary>
    public bool ShadowsBySet { get; init; }

    /// <summary>Only the new light is shown; else it is added to the picture.</summary>
    public bool Alone { get; init; }
}
