namespace Plenk.Core.Shots;

/// <summary>Direction is one of +X, −X, +Z, −Z, written with an ASCII minus.</summary>
public sealed record NamedAxis(string From, string To, string Direction = "+X");
