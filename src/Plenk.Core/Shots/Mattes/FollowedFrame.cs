namespace Plenk.Core.Shots;

/// <summary>How an outline was followed into a frame.</summary>
/// <param name="Confidence">How well what lies on either side is told apart there, 0..1.</param>
/// <param name="DriftPixels">How far the picture put it right after it had been moved.</param>
public sealed record FollowedFrame(int Frame, double Confidence, double DriftPixels);
