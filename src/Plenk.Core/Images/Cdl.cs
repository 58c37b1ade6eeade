using System.Numerics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>
/// ASC Color Decision List v1.2: clamp(in · slope + offset)^power per channel, then saturation about the BT.709 luma. It acts on
/// code values as the file's maker saw them.
/// </summary>
public sealed record Cdl(Vector3 Slope, Vector3 Offset, Vector3 Power, float Saturation)
{
    public static readonly Cdl Identity = new(Vector3.One, Vector3.Zero, Vector3.One, 1);

    public Vector3 Apply(Vector3 code)
    {
        Vector3 v = Vector3.Clamp(code * Slope + Offset, Vector3.Zero, Vector3.One);
        v = new(ElementaryF.Pow(v.X, Power.X), ElementaryF.Pow(v.Y, Power.Y), ElementaryF.Pow(v.Z, Power.Z));
        float luma = Luminance.Of(v);
        return Vector3.Clamp(new Vector3(luma) + Saturation * (v - new Vector3(luma)), Vector3.Zero, Vector3.One);
    }
}
