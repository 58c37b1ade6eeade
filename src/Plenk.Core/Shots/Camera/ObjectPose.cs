namespace Plenk.Core.Shots;

/// <summary>Row-major ObjectToWorld at a shot frame; how far what it was found by lies off, pixels, where it is known.</summary>
public sealed record ObjectPose(int Frame, double[] ObjectToWorld, double? RmsPx = null);
