namespace Plenk.Core.Shots;

/// <summary>
/// A thin lens: f-number, the distance it is focused at, metres; a disc, or as many straight blades (3 and more) turned by degrees.
/// </summary>
public sealed record DefocusSettings(double FNumber = 4, double FocusMetres = 5, int Blades = 0, double TurnDegrees = 0);
