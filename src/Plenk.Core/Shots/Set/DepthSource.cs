namespace Plenk.Core.Shots;

/// <summary>Depth maps by shot frame, EXR with depth.Z (metres along the camera's axis) and confidence.Y.</summary>
public sealed record DepthSource : Extensible
{
    public IReadOnlyList<DepthFrame> Frames { get; init; } = [];

    /// <summary>What is nearer than an element hides it, in frames that have a map.</summary>
    public bool Hides { get; init; }

    /// <summary>Spots that are less sure are left out, 0..1.</summary>
    public double LeastConfidence { get; init; } = 0.3;
}
