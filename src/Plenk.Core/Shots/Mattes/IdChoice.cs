namespace Plenk.Core.Shots;

/// <summary>A layer of ID mattes, and the names in it that count together.</summary>
public sealed record IdChoice(string Layer, IReadOnlyList<string> Names);
