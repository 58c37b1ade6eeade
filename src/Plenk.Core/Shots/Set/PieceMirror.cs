namespace Plenk.Core.Shots;

/// <summary>
/// How a piece mirrors elements: reflectivity where it is faced (0.02 is water, 0.04 varnish or glaze), roughness 0..1, and the matte of
/// what is wet or polished.
/// </summary>
public sealed record PieceMirror(double Reflectivity = 0.02, double Roughness = 0.1, string? Matte = null);
