using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting.Kinds;

public sealed class SkyForm : LightForm
{
    public override LightKind Kind => LightKind.Sky;
    public override string Strength => "Radiance";

    public override void Into(RigParts rig, Light light, Vector3 strength) => rig.Sampled.Add(new SkyLight(light, rig.Sun));
}

internal sealed class SkyLight : SampledLight
{
    private readonly Func<Vector3, Vector3>? _radiance;
    private readonly Vector3 _uniform;
    private readonly float _strength;

    public SkyLight(Light light, Vec3? sun)
        : base(light)
    {
        Light tinted = light.Kelvin is { } k ? light with { Color = Vec3.From(ColorTemperature.Of(k)) } : light;
        _strength = (float)light.Strength;
        _uniform = tinted.Color.ToSingle() * _strength;
        _radiance = light.Sky == SkyKind.Uniform ? null : SkyModel.Of(tinted, sun);
    }

    public override Vector3 Radiance(Vector3 direction) => _radiance is null ? _uniform : _radiance(direction) * _strength;

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        (Vector3 d, float factor) = openings is not null ? openings.Sample(point, normal, u) : (Sampling.CosineHemisphere(normal, u), 1f);
        return new(d, factor, Radiance(d) * (MathF.PI * factor), float.PositiveInfinity);
    }
}
