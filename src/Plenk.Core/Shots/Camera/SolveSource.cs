using System.Text.Json.Serialization;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A solve that gave the shot its camera; frames, points and doubts stand in the media.</summary>
public sealed record SolveSource : Extensible
{
    public required string Media { get; init; }
    public bool Turns { get; init; }
    public double RmsPx { get; init; }
    public int TracksUsed { get; init; }

    /// <summary>
    /// From the solve's own space to the shot's camera space, where it was laid over an earlier camera: a scale, and a row-major placement.
    /// </summary>
    public double GaugeScale { get; init; } = 1;
    public double[]? Gauge { get; init; }

    [JsonIgnore]
    public Similarity ToCamera =>
        Gauge is { } g && Pose.FromRowMajor16(g, out _) is { } pose ? new(GaugeScale, pose.Rotation, pose.Position) : Similarity.Identity;
}
