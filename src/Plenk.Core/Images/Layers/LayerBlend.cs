using System.Numerics;
using System.Text.Json.Serialization;

namespace Plenk.Core.Images.Layers;

/// <summary>How a layer of paint meets what lies beneath it, by the names of W3C Compositing and Blending Level 1.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<LayerBlend>))]
public enum LayerBlend
{
    Normal,
    Multiply,
    Screen,
    Overlay,
    Darken,
    Lighten,
    ColorDodge,
    ColorBurn,
    HardLight,
    SoftLight,
    Difference,
    Exclusion,

    /// <summary>The sum; of no blend of that paper, but of its operators (section 9.1.14, "lighter").</summary>
    Plus,
    Hue,
    Saturation,
    Color,
    Luminosity,
}

/// <summary>
/// The blend functions B(Cb, Cs) of W3C Compositing and Blending Level 1, sections 10.1 and 10.2, on values of the file's own encoding. They
/// are made for 0 to 1; light beyond 1 goes through those that have a meaning for it, and is held at 1 in the others.
/// </summary>
public static class LayerBlends
{
    /// <summary>What is seen of a layer's colour over an opaque backdrop.</summary>
    public static Vector3 Of(LayerBlend blend, Vector3 backdrop, Vector3 source) =>
        blend switch
        {
            LayerBlend.Normal => source,
            LayerBlend.Multiply => backdrop * source,
            LayerBlend.Screen => Held(backdrop) is var b && Held(source) is var s ? b + s - b * s : default,
            LayerBlend.Darken => Vector3.Min(backdrop, source),
            LayerBlend.Lighten => Vector3.Max(backdrop, source),
            LayerBlend.Difference => Vector3.Abs(backdrop - source),
            LayerBlend.Exclusion => Held(backdrop) is var b && Held(source) is var s ? b + s - 2 * b * s : default,
            LayerBlend.Plus => backdrop + source,
            LayerBlend.Overlay => Each(Held(source), Held(backdrop), HardLight),
            LayerBlend.HardLight => Each(Held(backdrop), Held(source), HardLight),
            LayerBlend.ColorDodge => Each(Held(backdrop), Held(source), (b, s) => b == 0 ? 0
                : s >= 1 ? 1
                : MathF.Min(1, b / (1 - s))),
            LayerBlend.ColorBurn => Each(Held(backdrop), Held(source), (b, s) => b >= 1 ? 1
                : s <= 0 ? 0
                : 1 - MathF.Min(1, (1 - b) / s)),
            LayerBlend.SoftLight => Each(Held(backdrop), Held(source), SoftLight),
            LayerBlend.Hue => Lit(Saturated(Held(source), Spread(Held(backdrop))), Light(Held(backdrop))),
            LayerBlend.Saturation => Lit(Saturated(Held(backdrop), Spread(Held(source))), Light(Held(backdrop))),
            LayerBlend.Color => Lit(Held(source), Light(Held(backdrop))),
            LayerBlend.Luminosity => Lit(Held(backdrop), Light(Held(source))),
            _ => throw new ArgumentOutOfRangeException(nameof(blend)),
        };

    private static Vector3 Held(Vector3 v) => Vector3.Clamp(v, Vector3.Zero, Vector3.One);

    private static Vector3 Each(Vector3 b, Vector3 s, Func<float, float, float> of) => new(of(b.X, s.X), of(b.Y, s.Y), of(b.Z, s.Z));

    private static float HardLight(float b, float s) => s <= 0.5f ? b * 2 * s : b + (2 * s - 1) - b * (2 * s - 1);

    private static float SoftLight(float b, float s)
    {
        if (s <= 0.5f)
        {
            return b - (1 - 2 * s) * b * (1 - b);
        }
        float d = b <= 0.25f ? ((16 * b - 12) * b + 4) * b : MathF.Sqrt(b);
        return b + (2 * s - 1) * (d - b);
    }

    private static float Light(Vector3 c) => 0.3f * c.X + 0.59f * c.Y + 0.11f * c.Z;

    private static float Spread(Vector3 c) => MathF.Max(c.X, MathF.Max(c.Y, c.Z)) - MathF.Min(c.X, MathF.Min(c.Y, c.Z));

    /// <summary>SetLum and ClipColor of section 10.2.</summary>
    private static Vector3 Lit(Vector3 c, float light)
    {
        c += new Vector3(light - Light(c));
        float l = Light(c),
            low = MathF.Min(c.X, MathF.Min(c.Y, c.Z)),
            high = MathF.Max(c.X, MathF.Max(c.Y, c.Z));
        if (low < 0)
        {
            c = new Vector3(l) + (c - new Vector3(l)) * (l / (l - low));
        }
        if (high > 1)
        {
            c = new Vector3(l) + (c - new Vector3(l)) * ((1 - l) / (high - l));
        }
        return c;
    }

    /// <summary>SetSat: the largest channel becomes the spread, the smallest 0, the middle one in proportion.</summary>
    private static Vector3 Saturated(Vector3 c, float spread)
    {
        float low = MathF.Min(c.X, MathF.Min(c.Y, c.Z)),
            own = Spread(c);
        return own <= 0 ? Vector3.Zero : (c - new Vector3(low)) * (spread / own);
    }
}
