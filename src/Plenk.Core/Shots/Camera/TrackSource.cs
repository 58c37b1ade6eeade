namespace Plenk.Core.Shots;

/// <summary>Features followed through the plate, by shot frame; the places stand in the media.</summary>
public sealed record TrackSource : Extensible
{
    public required string Media { get; init; }
    public int Count { get; init; }
}
