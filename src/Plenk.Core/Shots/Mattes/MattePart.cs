namespace Plenk.Core.Shots;

/// <summary>Another matte that is joined to one.</summary>
public sealed record MattePart(string Matte, MatteJoin Join = MatteJoin.Add);
