using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

public sealed record MatteStep(int Frame, double[] Homography);
