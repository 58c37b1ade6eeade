namespace Plenk.Core.Shots;

/// <summary>
/// By shot frame, what takes the reference frame's pixels to that frame's: a homography, row-major, 9 numbers. How it came to be stands
/// beside it.
/// </summary>
public sealed record MatteMotion(int Reference, IReadOnlyList<MatteStep> Steps, string MadeBy = "");
