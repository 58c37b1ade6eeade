using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>How pixel codes stand for light. Names are those of the standards.</summary>
public enum ColorEncoding
{
    /// <summary>IEC 61966-2-1.</summary>
    Srgb,

    /// <summary>ITU-R BT.1886: a pure power of 2.4 (black at 0).</summary>
    Bt1886,
    Linear,

    /// <summary>ACES S-2016-001.</summary>
    AcesCct,

    /// <summary>ITU-R BT.709-6, as a camera encodes it; for a picture made to be looked at take <see cref="Bt1886"/>.</summary>
    Bt709,

    /// <summary>ITU-R BT.2100 PQ (SMPTE ST 2084); linear 1 is 203 cd/m², the reference white of BT.2408.</summary>
    Pq,

    /// <summary>ITU-R BT.2100 HLG, scene light; linear 1 is its 75 %, the reference white of BT.2408.</summary>
    Hlg,

    /// <summary>
    /// Printing density of scanned film: black 95, white 685 of 1023, 0.002 density a code, gamma 0.6 (common convention, no standard fixes
    /// it).
    /// </summary>
    PrintingDensity,
}

/// <summary>Transfer functions: code value 0..1 to scene-linear and back.</summary>
public static class ColorEncodings
{
    /// <summary>As its standard calls it.</summary>
    public static string NameOf(ColorEncoding encoding) => Named.First(n => n.Encoding == encoding).Name;

    /// <summary>All encodings: as commands and pages name them, and as their standards do.</summary>
    public static readonly IReadOnlyList<(string Key, ColorEncoding Encoding, string Name)> Named =
    [
        ("srgb", ColorEncoding.Srgb, "sRGB"),
        ("bt1886", ColorEncoding.Bt1886, "BT.1886"),
        ("bt709", ColorEncoding.Bt709, "BT.709 camera"),
        ("pq", ColorEncoding.Pq, "BT.2100 PQ"),
        ("hlg", ColorEncoding.Hlg, "BT.2100 HLG"),
        ("acescct", ColorEncoding.AcesCct, "ACEScct"),
        ("printingdensity", ColorEncoding.PrintingDensity, "printing density"),
        ("linear", ColorEncoding.Linear, "linear light"),
    ];

    /// <summary>By its key, in any case; null: none is called so.</summary>
    public static ColorEncoding? Of(string? key) =>
        Named.Where(n => n.Key.Equals(key, StringComparison.OrdinalIgnoreCase)).Select(n => (ColorEncoding?)n.Encoding).FirstOrDefault();

    public static float ToLinear(ColorEncoding encoding, float code) =>
        encoding switch
        {
            ColorEncoding.Srgb => SrgbToLinear(code),
            ColorEncoding.Bt1886 => ElementaryF.Pow(MathF.Max(code, 0), 2.4f),
            ColorEncoding.AcesCct => (float)AcesCctToLinear(code),
            ColorEncoding.Bt709 => (float)Bt709ToLinear(code),
            ColorEncoding.Pq => (float)(PqToNits(code) / ReferenceWhiteNits),
            ColorEncoding.Hlg => (float)(HlgToScene(code) / HlgReferenceWhite),
            ColorEncoding.PrintingDensity => (float)DensityToLinear(code),
            _ => code,
        };

    public static float FromLinear(ColorEncoding encoding, float linear) =>
        encoding switch
        {
            ColorEncoding.Srgb => LinearToSrgb(linear),
            ColorEncoding.Bt1886 => ElementaryF.Pow(MathF.Max(linear, 0), 1 / 2.4f),
            ColorEncoding.AcesCct => (float)LinearToAcesCct(linear),
            ColorEncoding.Bt709 => (float)LinearToBt709(linear),
            ColorEncoding.Pq => (float)NitsToPq(linear * ReferenceWhiteNits),
            ColorEncoding.Hlg => (float)SceneToHlg(linear * HlgReferenceWhite),
            ColorEncoding.PrintingDensity => (float)LinearToDensity(linear),
            _ => linear,
        };

    /// <summary>IEC 61966-2-1:1999; switches at 0.04045.</summary>
    public static float SrgbToLinear(float v) => v <= 0.04045f ? v / 12.92f : (float)Elementary.PowShort((v + 0.055) / 1.055, 2.4);

    /// <summary>IEC 61966-2-1:1999; switches at 0.0031308. Negative light stays on the straight part.</summary>
    public static float LinearToSrgb(float l) => l <= 0.0031308f ? 12.92f * l : (float)(1.055 * Elementary.PowShort(l, 1 / 2.4) - 0.055);

    public static double LinearToAcesCct(double l) =>
        l <= 0.0078125 ? 10.5402377416545 * l + 0.0729055341958355 : (Elementary.Log2(l) + 9.72) / 17.52;

    public static double AcesCctToLinear(double v) =>
        v <= 0.155251141552511 ? (v - 0.0729055341958355) / 10.5402377416545 : Elementary.Pow(2, v * 17.52 - 9.72);

    /// <summary>ITU-R BT.709-6, item 1.2: V = 4.5 L below 0.018, else 1.099 L^0.45 − 0.099.</summary>
    public static double LinearToBt709(double l) => l < 0.018 ? 4.5 * l : 1.099 * Elementary.Pow(l, 0.45) - 0.099;

    public static double Bt709ToLinear(double v) => v < 4.5 * 0.018 ? v / 4.5 : Elementary.Pow((v + 0.099) / 1.099, 1 / 0.45);

    /// <summary>Reference white of BT.2408, cd/m²; in HLG it is the scene light of 75 %.</summary>
    public const double ReferenceWhiteNits = 203;
    private static readonly double HlgReferenceWhite = HlgToScene(0.75);
    private const double M1 = 0.1593017578125,
        M2 = 78.84375,
        C1 = 0.8359375,
        C2 = 18.8515625,
        C3 = 18.6875;

    /// <summary>SMPTE ST 2084: code of a luminance in cd/m², 0 to 10,000.</summary>
    public static double NitsToPq(double nits)
    {
        double y = Elementary.Pow(Math.Max(0, nits) / 10_000, M1);
        return Elementary.Pow((C1 + C2 * y) / (1 + C3 * y), M2);
    }

    public static double PqToNits(double code)
    {
        double v = Elementary.Pow(Math.Max(0, code), 1 / M2);
        return 10_000 * Elementary.Pow(Math.Max(0, v - C1) / (C2 - C3 * v), 1 / M1);
    }

    private const double HlgA = 0.17883277,
        HlgB = 0.28466892,
        HlgC = 0.55991073;

    /// <summary>ITU-R BT.2100-2, table 5: code of scene light, 0 to 1.</summary>
    public static double SceneToHlg(double e) =>
        e <= 0 ? 0
        : e <= 1 / 12.0 ? Math.Sqrt(3 * e)
        : HlgA * Elementary.Log(12 * e - HlgB) + HlgC;

    public static double HlgToScene(double code) =>
        code <= 0 ? 0
        : code <= 0.5 ? code * code / 3
        : (Elementary.Exp((code - HlgC) / HlgA) + HlgB) / 12;

    private const double DensityBlack = 95,
        DensityWhite = 685,
        PerCode = 0.002 / 0.6;
    private static readonly double DensityOffset = Elementary.Pow(10, (DensityBlack - DensityWhite) * PerCode);

    /// <summary>Light of a code 0..1 of printing density, white 1; below black it is negative.</summary>
    public static double DensityToLinear(double code) =>
        (Elementary.Pow(10, (code * 1023 - DensityWhite) * PerCode) - DensityOffset) / (1 - DensityOffset);

    public static double LinearToDensity(double l) =>
        (DensityWhite + Elementary.Log10(Math.Max(1e-9, l * (1 - DensityOffset) + DensityOffset)) / PerCode) / 1023;

    /// <summary>Linear values of all codes of an integer picture, index = code.</summary>
    public static float[] LinearTable(ColorEncoding encoding, int bits)
    {
        int top = (1 << bits) - 1;
        var table = new float[top + 1];
        for (int i = 0; i <= top; i++)
        {
            table[i] = ToLinear(encoding, (float)i / top);
        }
        return table;
    }

    /// <summary>Nearest integer code of a linear value; values outside the range are clamped, a NaN becomes 0.</summary>
    public static int ToCode(ColorEncoding encoding, float linear, int bits) => Rounded(FromLinear(encoding, linear), bits);

    /// <summary>The integer that stands for a code 0..1; outside of that it is clamped, a NaN becomes 0.</summary>
    public static int Rounded(float code, int bits)
    {
        int top = (1 << bits) - 1;
        return code > 0 ? (int)Math.Min(top, code * (double)top + 0.5) : 0;
    }
}
