using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>What an element sends to the camera, in its parts: linear radiance, and the surface's own colour.</summary>
public struct Shaded
{
    public Vector3 Albedo, Diffuse, Specular, Reflection, Emission;

    public readonly Vector3 Color => Diffuse + Specular + Reflection + Emission;
}

/// <summary>
/// Light that an element sends to the camera: lights through the set and past itself, the fill, one mirror-like ray into the place, and
/// one ray to pieces that shine or bounce. A panorama is asked both ways, by its brightness and by the mirror-like ray, each weighted by how
/// likely both were to find a direction (balance heuristic, Veach and Guibas 1995). What a mirrored ray meets is read from the plate where the camera sees it, else estimated by its
/// own sun and fill on an assumed albedo.
/// </summary>
public sealed class ElementShader(SetPass pass, SkyOpenings? openings, ElementScene scene, Pose cameraToWorld, FloatImage plate, SetSurfaces? surfaces, bool directOnly)
{
    /// <summary>Stands for what the plate does not show.</summary>
    private const float AssumedAlbedo = 0.4f;

    private readonly SetScene _set = pass.Set;
    private readonly LightRig _rig = pass.Rig;
    private readonly Pinhole _pinhole = pass.Camera.Pinhole;

    private readonly record struct Spot(Vector3 Point, Vector3 Face, Vector3 Normal, Vector3 View, Material Material);

    private Spot At(in Hit hit, in Ray ray)
    {
        TraceInstance instance = scene.Instances[hit.Instance];
        Vector3 face = instance.FaceNormal(hit), n = instance.Normal(hit), v = Vector3.Negate(ray.Direction);
        if (Vector3.Dot(face, v) < 0) { face = -face; }
        if (Vector3.Dot(n, face) < 0) { n = -n; }
        if (Vector3.Dot(n, v) < 1e-3f) { n = Vector3.Normalize(n + v * (1e-3f - Vector3.Dot(n, v))); }
        Vector3 p = ray.At(hit.T);
        return new(p + face * SetPass.SurfaceOffset(p, hit.T), face, n, v, scene.Elements[hit.Instance].Model.At(hit));
    }

    /// <param name="byLight">Takes each sampled light's part, in their order, by <paramref name="share"/>; empty: nobody asks.</param>
    /// <param name="share">How much of the element the camera sees there: what lies before it and the contact look take from it.</param>
    public Shaded Shade(in Hit hit, in Ray ray, uint index, uint seed, Span<Vector3> byLight, float share = 1)
    {
        Spot s = At(hit, ray);
        Material m = s.Material;
        var result = new Shaded { Albedo = m.BaseColor, Emission = m.Emission, Diffuse = m.Diffuse / MathF.PI * (_rig.FillPlate + _rig.FillNew) };
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            bool both = light.Kind == Shots.LightKind.Panorama && m.Mirrors;
            if (!light.LightsElements || (light.IsAround && !both && m.Diffuse == default)) { continue; }
            uint rays = (uint)pass.RaysTo(light);
            Vector3 diffuse = default, specular = default;
            for (uint j = 0; j < rays; j++)
            {
                LightSample l = light.Sample(s.Point, s.Normal, Sampling.Point(index * rays + j, seed, 20 + (uint)k), openings);
                if (!(l.Factor > 0) || Vector3.Dot(s.Face, l.Direction) <= 0 || !Open(new Ray(s.Point, l.Direction, 0, l.Distance))) { continue; }
                // What comes from all around is mirrored by a ray of its own below.
                if (light.IsAround) { diffuse += m.Diffuse / MathF.PI * l.Irradiance; }
                if (both)
                {
                    float own = rays * DensityOf(light, s, l.Direction), mirrored = Bsdf.SpecularDensity(m, s.Normal, l.Direction, s.View);
                    result.Reflection += Bsdf.Parts(m, s.Normal, l.Direction, s.View).Specular * l.Irradiance * (own / (rays * (own + mirrored)));
                }
                if (light.IsAround) { continue; }
                var (d, g) = Bsdf.Parts(m, s.Normal, l.Direction, s.View);
                (diffuse, specular) = (diffuse + d * l.Irradiance, specular + g * l.Irradiance);
            }
            (diffuse, specular) = (diffuse / rays, specular / rays);
            (result.Diffuse, result.Specular) = (result.Diffuse + diffuse, result.Specular + specular);
            if (k < byLight.Length) { byLight[k] += share * (diffuse + specular); }
        }
        if (m.Mirrors && Bsdf.SampleSpecular(m, s.Normal, s.View, Sampling.Point(index, seed, 30), out Vector3 r, out float weight, out float vh) && Vector3.Dot(s.Face, r) > 0)
        {
            result.Reflection += Bsdf.Fresnel(m.F0, vh, m.F90) * weight * Incoming(new Ray(s.Point, r), index, seed, l =>
            {
                if (l.Kind != Shots.LightKind.Panorama) { return 1; }
                float mirrored = Bsdf.SpecularDensity(m, s.Normal, r, s.View);
                return mirrored / (mirrored + pass.RaysTo(l) * DensityOf(l, s, r));
            });
        }
        if (surfaces is { AnyLightsElements: true } && !directOnly && m.Diffuse != default)
        {
            result.Diffuse += m.Diffuse * FromPieces(s.Point, s.Face, index, seed);
        }
        return result;
    }

    /// <summary>How densely a light draws a direction; 0 where its ray would not be asked.</summary>
    private float DensityOf(SampledLight light, in Spot s, Vector3 direction) => light.Density(s.Point, s.Normal, direction, light.CastsShadow ? openings : null);

    /// <summary>Radiance from pieces that shine or bounce, along one cosine-weighted ray.</summary>
    private Vector3 FromPieces(Vector3 point, Vector3 normal, uint index, uint seed)
    {
        var ray = new Ray(point, Sampling.CosineHemisphere(normal, Sampling.Point(index, seed, 31)));
        Hit hit = _set.Scene.Intersect(ray, RayKinds.CameraSet | RayKinds.LightSet | RayKinds.Shine);
        if (!hit.IsHit || surfaces!.ByPiece[_set.PieceOf(hit)] is not { LightsElements: true } piece || scene.Occluded(ray with { TMax = hit.T })) { return default; }
        Vector3 n = _set.Instances[hit.Instance].FaceNormal(hit);
        if (Vector3.Dot(n, ray.Direction) > 0) { n = -n; }
        Vector3 p = ray.At(hit.T), sent = piece.Shines?.Invoke(p, n) ?? default;
        if (piece.Bounces is { } albedo) { sent += albedo / MathF.PI * OnSet(p + n * SetPass.SurfaceOffset(p, hit.T), n, index, seed, openings); }
        return sent;
    }

    /// <summary>
    /// What an element sends back from where a ray met it, its own light counted: by the lights of the plate, and by new ones. A metal sends as
    /// much, but evenly, as if it were rough.
    /// </summary>
    public (Vector3 Plate, Vector3 Added) Bounced(in Hit hit, in Ray ray, uint index, uint seed)
    {
        Spot s = At(hit, ray);
        Vector3 plate = _rig.FillPlate, added = _rig.FillNew, colour = s.Material.BaseColor / MathF.PI;
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            if (!light.LightsElements) { continue; }
            LightSample l = light.Sample(s.Point, s.Normal, Sampling.Point(index, seed, 70 + (uint)k), openings);
            if (!(l.Factor > 0) || Vector3.Dot(s.Face, l.Direction) <= 0 || !Open(new Ray(s.Point, l.Direction, 0, l.Distance))) { continue; }
            if (light.InPlate) { plate += l.Irradiance; } else { added += l.Irradiance; }
        }
        return (colour * plate, colour * added + s.Material.Emission);
    }

    /// <summary>How much set and elements leave open within a reach of a place on an element, cosine-weighted.</summary>
    public float Open(in Hit hit, in Ray ray, float reach, uint index, uint seed)
    {
        Spot s = At(hit, ray);
        int open = 0;
        for (uint k = 0; k < DifferentialRenderer.ContactRays; k++)
        {
            if (Open(new Ray(s.Point, Sampling.CosineHemisphere(s.Face, Sampling.Point(index * DifferentialRenderer.ContactRays + k, seed, 61)), 0, reach))) { open++; }
        }
        return (float)open / DifferentialRenderer.ContactRays;
    }

    private bool Open(in Ray ray) => !_set.Scene.Occluded(ray, RayKinds.LightSet) && !scene.Occluded(ray);

    /// <summary>Radiance along a mirror-like ray. The sun's disk is left out: it is counted as a light.</summary>
    /// <param name="share">What of each light beyond the set is counted.</param>
    private Vector3 Incoming(in Ray ray, uint index, uint seed, Func<SampledLight, float> share)
    {
        Hit own = scene.Intersect(ray);
        Hit hit = _set.Scene.Intersect(ray with { TMax = own.T }, RayKinds.CameraSet | RayKinds.LightSet);
        if (hit.IsHit) { return directOnly ? default : FromSet(ray, hit, index, seed); }
        if (!own.IsHit) { return _rig.Around(ray.Direction, share); }
        if (directOnly) { return scene.Elements[own.Instance].Model.At(own).Emission; }
        var (plateLit, added) = Bounced(own, ray, index, seed);
        return plateLit + added;
    }

    /// <summary>What the place alone sends along a ray.</summary>
    public Vector3 FromPlace(in Ray ray, uint index, uint seed)
    {
        Hit hit = _set.Scene.Intersect(ray, RayKinds.CameraSet | RayKinds.LightSet);
        return hit.IsHit ? FromSet(ray, hit, index, seed) : _rig.Around(ray.Direction);
    }

    private Vector3 FromSet(in Ray ray, in Hit hit, uint index, uint seed)
    {
        TraceInstance instance = _set.Instances[hit.Instance];
        Vector3 n = instance.FaceNormal(hit);
        if (Vector3.Dot(n, ray.Direction) > 0) { n = -n; }
        Vector3 p = ray.At(hit.T);
        p += n * SetPass.SurfaceOffset(p, hit.T);
        if ((instance.Kinds & RayKinds.CameraSet) != 0 && _pinhole.TryProject(cameraToWorld, Vec3.From(p), out double px, out double py) && _pinhole.Contains(px, py))
        {
            Vector3 toCamera = cameraToWorld.Position.ToSingle() - p;
            float distance = toCamera.Length();
            if (Vector3.Dot(toCamera, n) > 0 && !_set.Scene.Occluded(new Ray(p, toCamera / distance, 0, distance), RayKinds.CameraSet))
            {
                Span<float> rgb = stackalloc float[3];
                plate.SampleBilinear(px * plate.Width / _pinhole.Width, py * plate.Height / _pinhole.Height, rgb);
                return new Vector3(rgb[0], rgb[1], rgb[2]);
            }
        }
        if (surfaces?.ByPiece[_set.PieceOf(hit)]?.Shines is { } shines && shines(p, n) is var sent && sent != default) { return sent; }
        return AssumedAlbedo / MathF.PI * OnSet(p, n, index, seed, null);
    }

    /// <summary>Irradiance on a spot of the set from the lights, elements left out.</summary>
    private Vector3 OnSet(Vector3 p, Vector3 n, uint index, uint seed, SkyOpenings? around)
    {
        Vector3 e = _rig.FillPlate + _rig.FillNew;
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            if ((light.IsAround && around is null) || !light.LightsSet) { continue; }
            LightSample l = light.Sample(p, n, Sampling.Point(index, seed, 40 + (uint)k), around);
            if (l.Factor > 0 && !_set.Scene.Occluded(new Ray(p, l.Direction, 0, l.Distance), RayKinds.LightSet)) { e += l.Irradiance; }
        }
        return e;
    }
}
