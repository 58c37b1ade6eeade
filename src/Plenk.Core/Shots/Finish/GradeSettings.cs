using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// Un-premultiplied, in linear light, in this order: exposure in stops, white balance as gains, (gain · x + lift)^(1 / gamma), saturation
/// about the BT.709 luminance, the curve (null: straight), and an ASC CDL on ACEScct codes (null: none).
/// </summary>
public sealed record GradeSettings
{
    public double Stops { get; init; }
    public Vec3 White { get; init; } = new(1, 1, 1);
    public Vec3 Lift { get; init; }
    public Vec3 Gamma { get; init; } = new(1, 1, 1);
    public Vec3 Gain { get; init; } = new(1, 1, 1);
    public double Saturation { get; init; } = 1;
    public IReadOnlyList<CurvePoint>? Curve { get; init; }
    public Grade? Cdl { get; init; }
}
