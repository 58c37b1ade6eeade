namespace Plenk.Core.Shots;

/// <summary>A solve that gave the shot its camera; frames, points and doubts stand in the media.</summary>
public sealed record SolveSource : Extensible
{
    public required string Media { get; init; }
    public bool Turns { get; init; }
    public double RmsPx { get; init; }
    public int TracksUsed { get; init; }
}
