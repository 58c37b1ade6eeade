namespace Plenk.Core.Shots;

/// <summary>Keys of the framing, and a hand that shakes it: pixels (standard deviation) and times a second.</summary>
public sealed record ReframeSettings(IReadOnlyList<FrameKey> Keys, double ShakePixels = 0, double ShakePerSecond = 4);
