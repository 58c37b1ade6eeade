namespace Plenk.Core.Shots;

/// <summary>A name in a layer of the ID mattes that a rendered element brings.</summary>
public sealed record RenderedId(string Element, string Layer, string Name);
