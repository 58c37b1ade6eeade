namespace Plenk.Core.Images;

/// <summary>How pixel codes stand for light. Names are those of the standards.</summary>
public enum ColorEncoding
{
    /// <summary>IEC 61966-2-1.</summary>
    Srgb,
    /// <summary>ITU-R BT.1886: a pure power of 2.4 (black at 0).</summary>
    Bt1886,
    Linear,
    /// <summary>ACES S-2016-001, on whatever primaries the production works in.</summary>
    AcesCct,
}

/// <summary>Transfer functions: code value 0..1 to scene-linear and back.</summary>
public static class ColorEncodings
{
    /// <summary>As its standard calls it.</summary>
    public static string NameOf(ColorEncoding encoding) => encoding switch { ColorEncoding.Srgb => "sRGB", ColorEncoding.Bt1886 => "BT.1886", ColorEncoding.AcesCct => "ACEScct", _ => "linear light" };

    public static float ToLinear(ColorEncoding encoding, float code) => encoding switch
    {
        ColorEncoding.Srgb => SrgbToLinear(code),
        ColorEncoding.Bt1886 => MathF.Pow(MathF.Max(code, 0), 2.4f),
        ColorEncoding.AcesCct => (float)AcesCctToLinear(code),
        _ => code,
    };

    public static float FromLinear(ColorEncoding encoding, float linear) => encoding switch
    {
        ColorEncoding.Srgb => LinearToSrgb(linear),
        ColorEncoding.Bt1886 => MathF.Pow(MathF.Max(linear, 0), 1 / 2.4f),
        ColorEncoding.AcesCct => (float)LinearToAcesCct(linear),
        _ => linear,
    };

    /// <summary>IEC 61966-2-1:1999; switches at 0.04045.</summary>
    public static float SrgbToLinear(float v) =>
        v <= 0.04045f ? v / 12.92f : (float)Math.Pow((v + 0.055) / 1.055, 2.4);

    /// <summary>IEC 61966-2-1:1999; switches at 0.0031308. Negative light stays on the straight part.</summary>
    public static float LinearToSrgb(float l) =>
        l <= 0.0031308f ? 12.92f * l : (float)(1.055 * Math.Pow(l, 1 / 2.4) - 0.055);

    public static double LinearToAcesCct(double l) =>
        l <= 0.0078125 ? 10.5402377416545 * l + 0.0729055341958355 : (Math.Log2(l) + 9.72) / 17.52;

    public static double AcesCctToLinear(double v) =>
        v <= 0.155251141552511 ? (v - 0.0729055341958355) / 10.5402377416545 : Math.Pow(2, v * 17.52 - 9.72);

    /// <summary>Linear values of all codes of an integer picture, index = code.</summary>
    public static float[] LinearTable(ColorEncoding encoding, int bits)
    {
        int top = (1 << bits) - 1;
        var table = new float[top + 1];
        for (int i = 0; i <= top; i++) { table[i] = ToLinear(encoding, (float)i / top); }
        return table;
    }

    /// <summary>Nearest integer code of a linear value; values outside the range are clamped, a NaN becomes 0.</summary>
    public static int ToCode(ColorEncoding encoding, float linear, int bits)
    {
        int top = (1 << bits) - 1;
        float v = FromLinear(encoding, linear);
        return v > 0 ? (int)Math.Min(top, v * (double)top + 0.5) : 0;
    }
}
