namespace Plenk.Core.Shots;

/// <summary>
/// Corners x0 y0 x1 y1 …; every key of a matte has as many. With a motion they are where they are at the key's own frame.
/// </summary>
public sealed record MatteKey(int Frame, double[] Corners);
