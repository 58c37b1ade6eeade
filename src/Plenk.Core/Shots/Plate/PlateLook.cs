using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>What the plate can be seen through besides its display encoding; its data stays as it is.</summary>
public sealed record PlateLook : Extensible
{
    public Grade? Cdl { get; init; }
    public string? LutMedia { get; init; }
    public string LutName { get; init; } = "";

    /// <summary>For log or flat footage.</summary>
    public ContrastCurve? Curve { get; init; }

    /// <summary>Features are found and followed in what the curve shows.</summary>
    public bool TrackThroughCurve { get; init; }

    /// <summary>They are followed in the grain-free copy, where there is one.</summary>
    public bool TrackGrainFree { get; init; }
}
