namespace Plenk.Core.Shots;

/// <summary>A pass of rendered frames that came in files of its own: what it is called, and its frames.</summary>
public sealed record PassFrames(string Name, IReadOnlyList<PlateFrame> Frames);
