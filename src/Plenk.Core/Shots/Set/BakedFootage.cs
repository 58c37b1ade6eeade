namespace Plenk.Core.Shots;

/// <summary>A piece's footage in textures of its own: they stay on it wherever it goes, until its shape changes.</summary>
/// <param name="Texel">Side of a texel in the piece's own space.</param>
/// <param name="Tiles">Sixteen-bit sRGB pictures with what is covered as alpha.</param>
/// <param name="Shape">What the shape was when they were made.</param>
/// <param name="Frame">In whose light it was filmed; null: it is not known.</param>
public sealed record BakedFootage(double Texel, IReadOnlyList<string> Tiles, string Shape, double Covered, int? Frame = null);
