using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class PointForm : LightForm
{
    public override LightKind Kind => LightKind.Point;
    public override string Strength => "Intensity";
    public override bool Hangs => true;
    public override Light Default => base.Default with { Strength = 5, InPlate = false };

    public override void Into(RigParts rig, Light light, Vector3 strength) => rig.Sampled.Add(new PointLight(light));
}

internal sealed class PointLight(Light light) : SampledLight(light)
{
    private readonly Vector3 _intensity = ColourOf(light),
        _position = light.Position.ToSingle(),
        _axis = -light.Direction.Normalized().ToSingle();
    private readonly float _cosInner = (float)Elementary.Cos(Rotations.Radians(light.InnerDegrees)),
        _cosOuter = (float)Elementary.Cos(Rotations.Radians(light.OuterDegrees));
    private readonly bool _spot = light.Kind == LightKind.Spot;

    /// <summary>Irradiance on a spot with a normal, and the way to the light; (0, 0, 0) where it does not reach.</summary>
    public Vector3 At(Vector3 point, Vector3 normal, out Vector3 direction, out float distance)
    {
        Vector3 to = _position - point;
        float square = to.LengthSquared(),
            facing = Vector3.Dot(normal, to);
        (direction, distance) = (default, 0);
        if (!(facing > 0) || !(square > 1e-12f))
        {
            return default;
        }
        distance = MathF.Sqrt(square);
        direction = to / distance;
        float by = facing / (square * distance);
        if (_spot)
        {
            by *= Cone(Vector3.Dot(-direction, _axis), _cosInner, _cosOuter);
        }
        return _intensity * by;
    }

    /// <summary>A spot's share at the cosine of an angle off its axis: whole within the inner, dark beyond the outer.</summary>
    internal static float Cone(float cosine, float inner, float outer)
    {
        float t = Math.Clamp((cosine - outer) / MathF.Max(1e-6f, inner - outer), 0, 1);
        return t * t;
    }

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 e = At(point, normal, out Vector3 d, out float distance);
        return e != default ? new(d, 1, e, distance * (1 - 1e-5f)) : default;
    }
}
