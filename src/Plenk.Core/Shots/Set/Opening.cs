namespace Plenk.Core.Shots;

/// <summary>
/// A door or window in an outline's wall: the wall's number from 0, metres along it from its first corner, and above its foot.
/// </summary>
public sealed record Opening(int Wall, double From, double To, double Bottom, double Top);
