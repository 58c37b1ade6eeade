using System.Numerics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Images;

/// <summary>What a picture is seen through. It never touches the data.</summary>
public enum SeenThrough
{
    /// <summary>Its light, encoded for an sRGB display.</summary>
    Display,

    /// <summary>The shot's CDL, then its LUT; without a LUT the display encoding after the CDL.</summary>
    Look,

    /// <summary>Its code values through the contrast curve, for tracking flat footage.</summary>
    Curve,

    /// <summary>Its code values as they are.</summary>
    Codes,
}

/// <summary>
/// Code values from <see cref="Black"/> to <see cref="White"/> spread over the whole range, then to the power 1 ÷ <see cref="Gamma"/>.
/// </summary>
public sealed record ContrastCurve(double Black = 0, double White = 1, double Gamma = 1)
{
    public float Apply(float code) => (float)Elementary.Pow(Math.Clamp((code - Black) / (White - Black), 0, 1), 1 / Gamma);

    /// <summary>
    /// The curve that spreads what lies between the darkest and the brightest hundredth of the codes, its middle one brought to 0.5; 0..1.
    /// </summary>
    public static ContrastCurve For(IReadOnlyList<float> codes)
    {
        float[] sorted = [.. codes.Order()];
        float At(double part) => sorted[(int)(part * (sorted.Length - 1))];
        double black = At(0.01),
            white = Math.Max(At(0.99), black + 1e-3),
            middle = Math.Clamp((At(0.5) - black) / (white - black), 0.05, 0.95);
        return new(
            Math.Round(black, 4),
            Math.Round(white, 4),
            Math.Round(Math.Clamp(Elementary.Log(middle) / Elementary.Log(0.5), 0.25, 4), 3)
        );
    }
}

/// <summary>From code values 0..1 of a picture to those of an 8-bit sRGB display.</summary>
public sealed class PlateView(SeenThrough through, ColorSpace space, Cdl? cdl, Lut? lut, ContrastCurve? curve)
{
    private readonly bool _isSrgb = space == ColorSpace.Srgb;

    /// <summary>It changes nothing: the codes can be shown as they are.</summary>
    public bool IsIdentity =>
        through switch
        {
            SeenThrough.Display => _isSrgb,
            SeenThrough.Look => _isSrgb && cdl is null && lut is null,
            SeenThrough.Curve => curve is null,
            _ => true,
        };

    public Vector3 Apply(Vector3 code)
    {
        switch (through)
        {
            case SeenThrough.Look:
                if (cdl is not null)
                {
                    code = cdl.Apply(code);
                }
                return lut is not null ? lut.Apply(code) : Display(code);
            case SeenThrough.Curve:
                return curve is null ? code : new(curve.Apply(code.X), curve.Apply(code.Y), curve.Apply(code.Z));
            case SeenThrough.Display:
                return Display(code);
            default:
                return code;
        }
    }

    private Vector3 Display(Vector3 code) => _isSrgb ? code : ColorSpace.Srgb.ToCodes(space.ToLinear(code));
}
