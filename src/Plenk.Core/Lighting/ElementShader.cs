using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
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
            if (!light.LightsElements || (light.IsAround && material.Diffuse == default)) { continue; }
            LightSample l = light.Sample(p, n, Sampling.Point(index, seed, 20 + (uint)k), openings);
            if (!(l.Factor > 0) || Vector3.Dot(face, l.Direction) <= 0 || !Open(new Ray(p, l.Direction, 0, l.Distance))) { continue; }
            // What comes from all around is mirrored by a ray of its own below.
            result += (light.IsAround ? material.Diffuse / MathF.PI : Bsdf.Evaluate(material, n, l.Direction, v)) * l.Irradiance;
        }
        if (Bsdf.SampleSpecular(material, n, v, Sampling.Point(index, seed, 30), out Vector3 r, out float weight, out float vh)
            && Vector3.Dot(face, r) > 0)
        {
            result += Bsdf.Fresnel(material.F0, vh) * weight * Incoming(new Ray(p, r), index, seed);
        }
        return result;
    }

    /// <summary>How much set and elements leave open within a reach of a place on an element, cosine-weighted.</summary>
    public float Open(in Hit hit, in Ray ray, float reach, uint index, uint seed)
    {
        TraceInstance instance = elementScene.Instances[hit.Instance];
        Vector3 face = instance.FaceNormal(hit);
        if (Vector3.Dot(face, ray.Direction) > 0) { face = -face; }
        Vector3 p = ray.At(hit.T);
        p += face * SetPass.SurfaceOffset(p, hit.T);
        int open = 0;
        for (uint k = 0; k < DifferentialRenderer.ContactRays; k++)
        {
            if (Open(new Ray(p, Sampling.CosineHemisphere(face, Sampling.Point(index * DifferentialRenderer.ContactRays + k, seed, 61)), 0, reach))) { open++; }
        }
        return (float)open / DifferentialRenderer.ContactRays;
    }

    private bool Open(in Ray ray) => !set.Scene.Occluded(ray, RayKinds.LightSet) && !elementScene.Occluded(ray, RayKinds.Element);

    /// <summary>Radiance along a mirror-like ray. The sun's disk is left out: it is counted as a light.</summary>
    private Vector3 Incoming(in Ray ray, uint index, uint seed)
    {
        Hit own = elementScene.Intersect(ray, RayKinds.Element);
        Hit hit = set.Scene.Intersect(ray with { TMax = own.T }, RayKinds.CameraSet | RayKinds.LightSet);
        if (!hit.IsHit)
        {
            if (!own.IsHit) { return rig.Around(ray.Direction); }
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
            if (light.IsAround || !light.LightsSet) { continue; }
            LightSample l = light.Sample(p, n, Sampling.Point(index, seed, 40 + (uint)k), null);
            if (l.Factor > 0 && !set.Scene.Occluded(new Ray(p, l.Direction, 0, l.Distance), RayKinds.LightSet)) { e += l.Irradiance; }
        }
        return AssumedAlbedo / MathF.PI * e;
    }
}
