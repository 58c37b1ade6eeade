using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>The place is the rebuilt set.</summary>
public sealed class SetBehind(SetScene set) : IPlaceBehind
{
    public bool TryPlace(FilmedView view, RayGrid grid, int x, int y, out Vector3 place, out Vector3 normal)
    {
        (place, normal) = (default, default);
        if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
        {
            return false;
        }
        var ray = new Ray(grid.Origin, d);
        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
        if (!hit.IsHit)
        {
            return false;
        }
        place = ray.At(hit.T);
        normal = set.Instances[hit.Instance].FaceNormal(hit);
        normal = Vector3.Dot(normal, d) > 0 ? -normal : normal;
        return true;
    }

    public bool IsHidden(Vector3 place, Vector3 normal, Vector3 eye)
    {
        Vector3 to = eye - place;
        float distance = to.Length(),
            cos = normal == default ? 1 : Vector3.Dot(normal, to) / distance;
        if (cos <= 0.02f)
        {
            return true;
        }
        float lift = 1e-5f * (2 + distance + place.Length()) + 2e-4f * distance * (1 - cos);
        return set.Scene.Occluded(new Ray(place + normal * lift, to / distance, 0, distance), RayKinds.CameraSet);
    }
}
