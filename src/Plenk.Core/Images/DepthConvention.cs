using System.Text.Json.Serialization;

namespace Plenk.Core.Images;

/// <summary>What the numbers of a depth picture stand for.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<DepthKind>))]
public enum DepthKind
{
    /// <summary>Along the camera's axis.</summary>
    Axis,

    /// <summary>Along the pixel's ray.</summary>
    Ray,

    /// <summary>A perspective depth buffer from −1 at the near plane to 1 at the far one.</summary>
    BufferSigned,

    /// <summary>The same from 0 to 1.</summary>
    Buffer,

    /// <summary>From 1 at the near plane to 0 at the far one.</summary>
    BufferReversed,

    /// <summary>near ÷ z: reversed, with its far plane at infinity.</summary>
    BufferInfinite,

    /// <summary>Straight from 0 at near to 1 at far.</summary>
    Straight,

    /// <summary>Straight from 1 at near to 0 at far.</summary>
    StraightInverted,

    /// <summary>1 ÷ z.</summary>
    Inverse,

    /// <summary>Straight in 1 ÷ z: 1 at near, 0 at far.</summary>
    InverseNormalised,
}

/// <summary>
/// Depth of any convention to metres along the camera's axis and back. What stands for "nothing hit" (not finite, not positive, 1e9 and
/// more; at or beyond far where there is one) becomes +∞.
/// </summary>
/// <param name="Near">
/// Metres; void for <see cref="DepthKind.Axis"/>, <see cref="DepthKind.Ray"/> and <see cref="DepthKind.Inverse"/>.
/// </param>
/// <param name="UnitMetres">What one of a distance is, metres.</param>
public sealed record DepthConvention(DepthKind Kind, double Near = 0.1, double Far = 1000, double UnitMetres = 1)
{
    private const double Nothing = 1e9;

    [JsonIgnore]
    public string? Fault =>
        !(UnitMetres > 0) || !double.IsFinite(UnitMetres) ? "A depth's unit must be positive, in metres."
        : NeedsRange && !(Near > 0 && Far > Near && double.IsFinite(Far)) ? "The near plane must be positive and before the far one."
        : null;

    private bool NeedsRange => Kind is not (DepthKind.Axis or DepthKind.Ray or DepthKind.Inverse);

    /// <summary>Metres along the axis.</summary>
    /// <param name="stretch">How much longer the pixel's ray is than its way along the axis: √(1 + ((u − cx)² + (v − cy)²) ÷ f²).</param>
    public double ToAxis(double value, double stretch = 1)
    {
        if (!double.IsFinite(value))
        {
            return double.PositiveInfinity;
        }
        double n = Near,
            f = Far,
            z;
        switch (Kind)
        {
            // OpenGL 4.6, section 13.8.1 for the buffers; the others derived.
            case DepthKind.Axis:
                z = value * UnitMetres;
                break;
            case DepthKind.Ray:
                z = value * UnitMetres / stretch;
                break;
            case DepthKind.BufferSigned:
                if (value >= 1)
                {
                    return double.PositiveInfinity;
                }
                z = 2 * f * n / (f + n - value * (f - n));
                break;
            case DepthKind.Buffer:
                if (value >= 1)
                {
                    return double.PositiveInfinity;
                }
                z = f * n / (f - value * (f - n));
                break;
            case DepthKind.BufferReversed:
                if (value <= 0)
                {
                    return double.PositiveInfinity;
                }
                z = f * n / (n + value * (f - n));
                break;
            case DepthKind.BufferInfinite:
                if (value <= 0)
                {
                    return double.PositiveInfinity;
                }
                z = n / value;
                break;
            case DepthKind.Straight:
                if (value >= 1)
                {
                    return double.PositiveInfinity;
                }
                z = n + value * (f - n);
                break;
            case DepthKind.StraightInverted:
                if (value <= 0)
                {
                    return double.PositiveInfinity;
                }
                z = f - value * (f - n);
                break;
            case DepthKind.Inverse:
                if (value <= 0)
                {
                    return double.PositiveInfinity;
                }
                z = UnitMetres / value;
                break;
            default:
                if (value <= 0)
                {
                    return double.PositiveInfinity;
                }
                z = 1 / (1 / f + value * (1 / n - 1 / f));
                break;
        }
        return z > 0 && z < Nothing ? z : double.PositiveInfinity;
    }

    /// <summary>
    /// The way back; what is infinitely far has the value of the far plane, 0 for reciprocals, and stays infinite for distances.
    /// </summary>
    public double FromAxis(double metres, double stretch = 1)
    {
        double n = Near,
            f = Far,
            z = Math.Min(metres, NeedsRange && Kind != DepthKind.BufferInfinite ? f : double.PositiveInfinity);
        return Kind switch
        {
            DepthKind.Axis => z / UnitMetres,
            DepthKind.Ray => z * stretch / UnitMetres,
            DepthKind.BufferSigned => (f + n) / (f - n) - 2 * f * n / ((f - n) * z),
            DepthKind.Buffer => f / (f - n) - f * n / ((f - n) * z),
            DepthKind.BufferReversed => f * n / ((f - n) * z) - n / (f - n),
            DepthKind.BufferInfinite => n / z,
            DepthKind.Straight => Math.Clamp((z - n) / (f - n), 0, 1),
            DepthKind.StraightInverted => Math.Clamp((f - z) / (f - n), 0, 1),
            DepthKind.Inverse => UnitMetres / z,
            _ => (1 / z - 1 / f) / (1 / n - 1 / f),
        };
    }
}
