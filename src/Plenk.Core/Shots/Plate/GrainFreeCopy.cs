namespace Plenk.Core.Shots;

/// <summary>
/// Sixteen-bit frames in the plate's encoding; the grain's standard deviation before and left, codes 0..1, mean over its frames.
/// </summary>
public sealed record GrainFreeCopy(IReadOnlyList<PlateFrame> Frames, double NoiseBefore, double NoiseLeft);
