namespace Plenk.Core.Shots;

/// <summary>A frame in which a mesh is held, row-major ObjectToWorld, and the pins that hold it.</summary>
public sealed record ObjectHold(int Frame, double[] ObjectToWorld, IReadOnlyList<ObjectPin> Pins);
