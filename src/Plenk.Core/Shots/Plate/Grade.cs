using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>The numbers of an ASC CDL, and the file's name.</summary>
public sealed record Grade(string Name, Vec3 Slope, Vec3 Offset, Vec3 Power, double Saturation)
{
    public Cdl ToCdl() => new(Slope.ToSingle(), Offset.ToSingle(), Power.ToSingle(), (float)Saturation);
}
