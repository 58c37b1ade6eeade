namespace Plenk.Core.Shots;

/// <summary>A camera as it came in, in its own space; <see cref="Orientation"/> takes it to the world.</summary>
public sealed record CameraSource : Extensible
{
    public string Name { get; init; } = "";
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public LensValues Lens { get; init; } = new();

    /// <summary>Size of the picture that focal lengths and principal points in pixels refer to.</summary>
    public int Width { get; init; }
    public int Height { get; init; }
    public IReadOnlyList<CameraSample> Samples { get; init; } = [];

    /// <summary>It is set by hand, and the samples follow from that; null: they came so.</summary>
    public HandCamera? Hand { get; init; }
}
