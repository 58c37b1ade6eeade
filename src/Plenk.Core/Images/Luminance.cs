using System.Numerics;

namespace Plenk.Core.Images;

/// <summary>Luminance of linear RGB (ITU-R BT.709).</summary>
public static class Luminance
{
    public static float Of(Vector3 rgb) => 0.2126f * rgb.X + 0.7152f * rgb.Y + 0.0722f * rgb.Z;

    /// <param name="rgb">The first three values.</param>
    public static float Of(ReadOnlySpan<float> rgb) => 0.2126f * rgb[0] + 0.7152f * rgb[1] + 0.0722f * rgb[2];
}
