namespace Plenk.Core.Shots;

/// <summary>How the finished picture is framed at a frame; null: not keyed there. Pixels of the plate, degrees, times.</summary>
public sealed record FrameKey(
    int Frame,
    double? X = null,
    double? Y = null,
    double? TurnDegrees = null,
    double? Scale = null,
    KeyEase Ease = KeyEase.Smooth
);
