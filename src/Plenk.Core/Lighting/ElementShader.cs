using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// Light that an element sends to the camera: sun and sky through the set and past itself, the fill, and one mirror-like ray
/// into the place. What that ray meets is read from the plate where the camera sees it, else estimated by its own sun and
/// fill on an assumed albedo.
/// </summary>
public sealed class ElementShader(SetScene set, LightRig rig, SkyOpenings? openings, TraceScene elementScene,
    IReadOnlyList<PlacedElement> elements, Pinhole pinhole, Pose cameraToWorld, FloatImage plate)
{
    /// <summary>Stands for what the plate does not show.</summary>
    private const float AssumedAlbedo = 0.4f;

    public Vector3 Shade(in Hit hit, in Ray ray, uint index, uint seed)
    {
        TraceInstance instance = elementScene.Instances[hit.Instance];
        Material material = elements[hit.Instance].Model.MaterialOf(hit.Triangle);
        Vector3 face = instance.FaceNormal(hit), n = instance.Normal(hit), v = Vector3.Negate(ray.Direction);
        if (Vector3.Dot(face, v) < 0) { face = -face; }
        if (Vector3.Dot(n, face) < 0) { n = -n; }
        if (Vector3.Dot(n, v) < 1e-3f) { n = Vector3.Normalize(n + v * (1e-3f - Vector3.Dot(n, v))); }
        Vector3 p = ray.At(hit.T);
        p += face * SetPass.SurfaceOffset(p, hit.T);

        Vector3 result = material.Diffuse / MathF.PI * (rig.FillPlate + rig.FillNew);
        for (int k = 0; k < rig.Sampled.Count; k++)
        {
            SampledLight light = rig.Sampled[k];
            Vector2 u = Sampling.Point(index, seed, 20 + (uint)k);
            if (light.Kind == LightKind.Sun)
            {
                Vector3 d = Sampling.Cone(light.Direction, light.CosHalfAngle, u);
                float cos = Vector3.Dot(n, d);
                if (cos > 0 && Vector3.Dot(face, d) > 0 && Open(new Ray(p, d)))
                {
                    result += Bsdf.Evaluate(material, n, d, v) * light.Strength * cos;
                }
            }
            else if (material.Diffuse != default)
            {
                (Vector3 d, float factor) = openings is not null ? openings.Sample(p, n, u) : (Sampling.CosineHemisphere(n, u), 1f);
                if (factor > 0 && Vector3.Dot(face, d) > 0 && Open(new Ray(p, d)))
                {
                    result += material.Diffuse / MathF.PI * light.Strength * factor;
                }
            }
        }
        if (Bsdf.SampleSpecular(material, n, v, Sampling.Point(index, seed, 30), out Vector3 r, out float weight, out float vh)
            && Vector3.Dot(face, r) > 0)
        {
            result += Bsdf.Fresnel(material.F0, vh) * weight * Incoming(new Ray(p, r), index, seed);
        }
        return result;
    }

    private bool Open(in Ray ray) => !set.Scene.Occluded(ray, RayKinds.LightSet) && !elementScene.Occluded(ray, RayKinds.Element);

    /// <summary>Radiance along a mirror-like ray. The sun's disk is left out: it is counted as a light.</summary>
    private Vector3 Incoming(in Ray ray, uint index, uint seed)
    {
        Hit own = elementScene.Intersect(ray, RayKinds.Element);
        Hit hit = set.Scene.Intersect(ray with { TMax = own.T }, RayKinds.CameraSet | RayKinds.LightSet);
        if (!hit.IsHit)
        {
            if (!own.IsHit) { return rig.SkyRadiance; }
            Material m = elements[own.Instance].Model.MaterialOf(own.Triangle);
            return m.BaseColor * (rig.FillPlate / MathF.PI);
        }
        TraceInstance instance = set.Instances[hit.Instance];
        Vector3 n = instance.FaceNormal(hit);
        if (Vector3.Dot(n, ray.Direction) > 0) { n = -n; }
        Vector3 p = ray.At(hit.T);
        p += n * SetPass.SurfaceOffset(p, hit.T);
        if ((instance.Kinds & RayKinds.CameraSet) != 0 && pinhole.TryProject(cameraToWorld, Vec3.From(p), out double px, out double py) && pinhole.Contains(px, py))
        {
            Vector3 toCamera = cameraToWorld.Position.ToSingle() - p;
            float distance = toCamera.Length();
            if (Vector3.Dot(toCamera, n) > 0 && !set.Scene.Occluded(new Ray(p, toCamera / distance, 0, distance), RayKinds.CameraSet))
            {
                Span<float> rgb = stackalloc float[3];
                plate.SampleBilinear(px * plate.Width / pinhole.Width, py * plate.Height / pinhole.Height, rgb);
                return new Vector3(rgb[0], rgb[1], rgb[2]);
            }
        }
        Vector3 e = rig.FillPlate;
        for (int k = 0; k < rig.Sampled.Count; k++)
        {
            SampledLight light = rig.Sampled[k];
            if (light.Kind != LightKind.Sun) { continue; }
            Vector3 d = Sampling.Cone(light.Direction, light.CosHalfAngle, Sampling.Point(index, seed, 40 + (uint)k));
            float cos = Vector3.Dot(n, d);
            if (cos > 0 && !set.Scene.Occluded(new Ray(p, d), RayKinds.LightSet)) { e += light.Strength * cos; }
        }
        return AssumedAlbedo / MathF.PI * e;
    }
}
