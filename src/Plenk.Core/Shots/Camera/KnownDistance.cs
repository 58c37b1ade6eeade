namespace Plenk.Core.Shots;

public sealed record KnownDistance(string From, string To, double Metres);
