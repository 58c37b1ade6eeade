namespace Plenk.Core.Shots;

/// <summary>A frame by its own number in the source, and the hash of its file.</summary>
public sealed record PlateFrame(int Frame, string File, string Media);
