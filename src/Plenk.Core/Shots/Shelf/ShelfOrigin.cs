namespace Plenk.Core.Shots;

/// <summary>Where on the shelf something was taken from: it stays that version until another is taken.</summary>
/// <param name="Part">Its id in what lies there; several things may be taken as one.</param>
public sealed record ShelfOrigin(long Thing, int Version, string Name, string Part);
