namespace Plenk.Core.Shots;

/// <summary>A picture that moves the finished one: its red and green about 0.5 as pixels across and down.</summary>
public sealed record RippleSettings(double Pixels = 2, FrameSource? Frames = null, double SizePixels = 40, double PerSecond = 1.5);
