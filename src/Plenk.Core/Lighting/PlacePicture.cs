using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// A panorama of the place itself and where it was shot: a spot of the set is looked up in the direction it stands from there, so that what
/// mirrors shows it where it is, however near. It lights nothing.
/// </summary>
public sealed class PlacePicture(Light light, Panorama picture)
{
    private readonly Vector3 _from = light.Position.ToSingle(),
        _strength = SampledLight.ColourOf(light);

    /// <summary>The content is moved towards larger u by the heading; so what is seen in a direction stands that much before.</summary>
    public static Vec3 Unturned(Vec3 direction, double headingDegrees) => Rotations.AboutY(Rotations.Radians(headingDegrees)) * direction;

    /// <summary>The radiance of a spot (just off its surface, with its normal); false where it was not seen from there.</summary>
    public bool TryAt(Vector3 point, Vector3 normal, TraceScene set, out Vector3 radiance)
    {
        Vector3 to = _from - point;
        float distance = to.Length();
        radiance = default;
        if (
            !(distance > 1e-4f)
            || Vector3.Dot(to, normal) <= 0
            || set.Occluded(new Ray(point, to / distance, 0, distance), RayKinds.CameraSet)
        )
        {
            return false;
        }
        radiance = picture.At(Unturned(Vec3.From(Vector3.Negate(to)), light.HeadingDegrees)) * _strength;
        return true;
    }
}
