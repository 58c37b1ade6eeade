using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class RectangleForm : LightForm
{
    public override LightKind Kind => LightKind.Rectangle;
    public override string Strength => "Radiance";
    public override bool Hangs => true;
    public override bool IsAimed => true;
    public override Light Default => base.Default with { Strength = 3, InPlate = false };
    public override IReadOnlyList<KindField> Fields => [new("width", "Wide", "m", Min: 0.001), new("height", "High", "m", Min: 0.001)];

    public override string? Fault(Light light) =>
        light.Width > 0 && light.Height > 0 && double.IsFinite(light.Width + light.Height)
            ? null
            : "its width and height must be positive.";

    public override void Into(RigParts rig, Light light, Vector3 strength) => rig.Sampled.Add(new RectangleLight(light));
}

internal sealed class RectangleLight : SampledLight
{
    private readonly Vector3 _radiance,
        _corner,
        _u,
        _v,
        _front;
    private readonly float _area;

    public RectangleLight(Light light)
        : base(light)
    {
        _radiance = ColourOf(light);
        _front = -light.Direction.Normalized().ToSingle();
        // Upright where it can be: its width runs level.
        Vector3 across = MathF.Abs(_front.Y) > 0.999f ? Vector3.UnitX : Vector3.Normalize(Vector3.Cross(Vector3.UnitY, _front)),
            up = Vector3.Cross(_front, across);
        (_u, _v) = light is { HalfU: { } u, HalfV: { } v }
            ? (2 * u.ToSingle(), 2 * v.ToSingle())
            : (across * (float)light.Width, up * (float)light.Height);
        _corner = light.Position.ToSingle() - _u / 2 - _v / 2;
        _area = Vector3.Cross(_u, _v).Length();
    }

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 to = _corner + _u * u.X + _v * u.Y - point;
        float square = to.LengthSquared(),
            distance = MathF.Sqrt(square);
        Vector3 d = to / distance;
        float cos = Vector3.Dot(normal, d),
            own = -Vector3.Dot(_front, d);
        return cos > 0 && own > 0 && distance > 1e-6f
            ? new(d, 1, _radiance * (cos * own * _area / square), distance * (1 - 1e-5f))
            : default;
    }
}
