namespace Plenk.Core.Shots;

public sealed record DepthFrame(int Frame, string Media);
