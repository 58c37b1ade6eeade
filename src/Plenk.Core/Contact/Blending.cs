using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Contact;

/// <summary>
/// Pictures that come together with what is behind them in another way than over it: “Compositing and Blending Level 1” (W3C), sections
/// 9.1.2 multiply, 9.1.3 screen, 9.1.4 overlay, each mixed by the picture's alpha with an opaque backdrop; in linear light.
/// </summary>
public static class Blending
{
    /// <summary>The light that it adds by itself, of its own premultiplied colour.</summary>
    public static Vector3 Adds(ElementBlend how, Vector3 colour) =>
        how switch
        {
            ElementBlend.Added => colour,
            ElementBlend.Screened => Vector3.Clamp(colour, default, Vector3.One),
            _ => default,
        };

    /// <summary>By what it multiplies what is behind it.</summary>
    /// <param name="colour">Premultiplied by its alpha.</param>
    /// <param name="behind">What is there.</param>
    public static Vector3 Leaves(ElementBlend how, Vector3 colour, float alpha, Vector3 behind)
    {
        Vector3 s = Vector3.Clamp(colour, default, new(MathF.Max(0, alpha)));
        return how switch
        {
            ElementBlend.Screened => Vector3.One - s,
            ElementBlend.Multiplied => new Vector3(1 - alpha) + s,
            ElementBlend.Overlaid => new(Overlaid(s.X, alpha, behind.X), Overlaid(s.Y, alpha, behind.Y), Overlaid(s.Z, alpha, behind.Z)),
            _ => Vector3.One,
        };
    }

    private static float Overlaid(float s, float alpha, float behind) =>
        behind <= 0.5f ? 1 - alpha + 2 * s
        // Beyond white nothing is lighter than it.
        : behind >= 1 ? 1
        : 1 - alpha + (alpha - 2 * (alpha - s) * (1 - behind)) / behind;
}
