using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting.Kinds;

public sealed class SunForm : LightForm
{
    public override LightKind Kind => LightKind.Sun;
    public override string Strength => "Irradiance";
    public override bool IsAimed => true;
    public override Light Default => base.Default with { Strength = 3 };
    public override IReadOnlyList<KindField> Fields => [new("angularDiameterDegrees", "Angular size", "°", Min: 0, Max: 90)];

    public override void Into(RigParts rig, Light light, Vector3 strength) => rig.Sampled.Add(new SunLight(light));
}

internal sealed class SunLight(Light light) : SampledLight(light)
{
    private readonly Vector3 _strength = ColourOf(light),
        _direction = light.Direction.Normalized().ToSingle();
    private readonly float _cosHalfAngle = (float)Elementary.Cos(Rotations.Radians(light.AngularDiameterDegrees / 2));

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 d = Sampling.Cone(_direction, _cosHalfAngle, u);
        float cos = Vector3.Dot(normal, d);
        return new(d, cos, _strength * cos, float.PositiveInfinity);
    }
}
