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
    public Vector3 Albedo,
        Diffuse,
        Specular,
        Reflection,
        Emission;

    public readonly Vector3 Color => Diffuse + Specular + Reflection + Emission;

    /// <param name="open">How much of it is seen.</param>
    /// <param name="by">The same, less what the contact look takes from its light.</param>
    internal void Add(in Shaded other, float open, float by)
    {
        Albedo += other.Albedo * open;
        Diffuse += other.Diffuse * by;
        Specular += other.Specular * by;
        Reflection += other.Reflection * by;
        Emission += other.Emission * by;
    }
}

/// <summary>
/// Light that an element sends to the camera: lights through the set and past itself, the fill, one mirror-like ray into the place, and one
/// ray to pieces that shine or bounce. A panorama is asked both ways, by its brightness and by the mirror-like ray, each weighted by how
/// likely both were to find a direction (balance heuristic, Veach and Guibas 1995). What a mirrored ray meets is read from the plate where
/// the camera sees it, else from a panorama that was shot in the place, else estimated by its own light on the mean colour that the plate
/// shows of that piece.
/// </summary>
public sealed class ElementShader(
    SetPass pass,
    SkyOpenings? openings,
    ElementScene scene,
    Pose cameraToWorld,
    FloatImage plate,
    SetSurfaces? surfaces,
    bool directOnly
)
{
    /// <summary>Of a piece that the plate does not show, where it shows nothing at all.</summary>
    private const float AssumedAlbedo = 0.4f;

    /// <summary>Spots of the plate that tell the pieces' mean colours, and how many of them one piece needs to be told by itself.</summary>
    private const int Probes = 3000,
        LeastProbes = 12;
    private readonly Lazy<Vector3[]> _albedo = new(() => MeanColours(pass, openings, cameraToWorld, plate));

    private readonly SetScene _set = pass.Set;
    private readonly LightRig _rig = pass.Rig;
    private readonly Pinhole _pinhole = pass.Camera.Pinhole;

    private readonly record struct Spot(Vector3 Point, Vector3 Face, Vector3 Normal, Vector3 View, Material Material);

    private Spot At(in Hit hit, in Ray ray)
    {
        TraceInstance instance = scene.Instances[hit.Instance];
        Vector3 face = instance.FaceNormal(hit),
            n = instance.Normal(hit),
            v = Vector3.Negate(ray.Direction);
        if (Vector3.Dot(face, v) < 0)
        {
            face = -face;
        }
        if (Vector3.Dot(n, face) < 0)
        {
            n = -n;
        }
        if (Vector3.Dot(n, v) < 1e-3f)
        {
            n = Vector3.Normalize(n + v * (1e-3f - Vector3.Dot(n, v)));
        }
        Vector3 p = ray.At(hit.T);
        return new(p + face * SetPass.SurfaceOffset(p, hit.T), face, n, v, scene.Elements[hit.Instance].Model.At(hit));
    }

    /// <param name="byLight">Takes each sampled light's part, in their order, by <paramref name="share"/>; empty: nobody asks.</param>
    /// <param name="share">How much of the element the camera sees there: what lies before it and the contact look take from it.</param>
    public Shaded Shade(in Hit hit, in Ray ray, uint index, uint seed, Span<Vector3> byLight, float share = 1)
    {
        Spot s = At(hit, ray);
        Material m = s.Material;
        var result = new Shaded
        {
            Albedo = m.BaseColor,
            Emission = m.Emission,
            Diffuse = m.Diffuse / MathF.PI * (_rig.FillPlate + _rig.FillNew),
        };
        // What takes no light asks no lamp.
        if (m.Diffuse == default && !m.Mirrors)
        {
            return result;
        }
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            bool both = light.Kind == Shots.LightKind.Panorama && m.Mirrors;
            if (!light.LightsElements || (light.IsAround && !both && m.Diffuse == default))
            {
                continue;
            }
            uint rays = (uint)(pass.RaysTo(light) * pass.Quality.ElementRays);
            Vector3 diffuse = default,
                specular = default;
            for (uint j = 0; j < rays; j++)
            {
                LightSample l = light.Sample(s.Point, s.Normal, Sampling.Point(index * rays + j, seed, 20 + (uint)k), openings);
                if (!(l.Factor > 0) || Vector3.Dot(s.Face, l.Direction) <= 0 || !Open(new Ray(s.Point, l.Direction, 0, l.Distance)))
                {
                    continue;
                }
                // What comes from all around is mirrored by a ray of its own below.
                if (light.IsAround)
                {
                    diffuse += m.Diffuse / MathF.PI * l.Irradiance;
                }
                if (both)
                {
                    float own = rays * DensityOf(light, s, l.Direction),
                        mirrored = pass.Quality.MirrorRays * Bsdf.SpecularDensity(m, s.Normal, l.Direction, s.View);
                    result.Reflection +=
                        Bsdf.Parts(m, s.Normal, l.Direction, s.View).Specular * l.Irradiance * (own / (rays * (own + mirrored)));
                }
                if (light.IsAround)
                {
                    continue;
                }
                var (d, g) = Bsdf.Parts(m, s.Normal, l.Direction, s.View);
                (diffuse, specular) = (diffuse + d * l.Irradiance, specular + g * l.Irradiance);
            }
            (diffuse, specular) = (diffuse / rays, specular / rays);
            (result.Diffuse, result.Specular) = (result.Diffuse + diffuse, result.Specular + specular);
            if (k < byLight.Length)
            {
                byLight[k] += share * (diffuse + specular);
            }
        }
        int mirrorRays = m.Mirrors ? pass.Quality.MirrorRays : 0;
        for (uint j = 0; j < mirrorRays; j++)
        {
            if (
                !Bsdf.SampleSpecular(
                    m,
                    s.Normal,
                    s.View,
                    Sampling.Point(index * (uint)mirrorRays + j, seed, 30),
                    out Vector3 r,
                    out float weight,
                    out float vh
                )
                || Vector3.Dot(s.Face, r) <= 0
            )
            {
                continue;
            }
            result.Reflection +=
                Bsdf.Fresnel(m.F0, vh, m.F90)
                * (weight / mirrorRays)
                * Incoming(new Ray(s.Point, r), index * (uint)mirrorRays + j, seed, l =>
                {
                    if (l.Kind != Shots.LightKind.Panorama)
                    {
                        return 1;
                    }
                    float mirrored = mirrorRays * Bsdf.SpecularDensity(m, s.Normal, r, s.View);
                    return mirrored / (mirrored + pass.RaysTo(l) * pass.Quality.ElementRays * DensityOf(l, s, r));
                });
        }
        if (surfaces is { AnyLightsElements: true } && !directOnly && m.Diffuse != default)
        {
            result.Diffuse += m.Diffuse * FromPieces(s.Point, s.Face, index, seed);
        }
        return result;
    }

    /// <summary>How densely a light draws a direction; 0 where its ray would not be asked.</summary>
    private float DensityOf(SampledLight light, in Spot s, Vector3 direction) =>
        light.Density(s.Point, s.Normal, direction, light.CastsShadow ? openings : null);

    /// <summary>Radiance from pieces that shine or bounce, along one cosine-weighted ray.</summary>
    private Vector3 FromPieces(Vector3 point, Vector3 normal, uint index, uint seed)
    {
        var ray = new Ray(point, Sampling.CosineHemisphere(normal, Sampling.Point(index, seed, 31)));
        Hit hit = _set.Scene.Intersect(ray, RayKinds.CameraSet | RayKinds.LightSet | RayKinds.Shine);
        if (
            !hit.IsHit
            || surfaces!.ByPiece[_set.PieceOf(hit)] is not { LightsElements: true } piece
            || scene.Occluded(ray with { TMax = hit.T })
        )
        {
            return default;
        }
        Vector3 n = _set.Instances[hit.Instance].FaceNormal(hit);
        if (Vector3.Dot(n, ray.Direction) > 0)
        {
            n = -n;
        }
        Vector3 p = ray.At(hit.T),
            sent = piece.Shines?.Invoke(p, n) ?? default;
        if (piece.Bounces is { } albedo)
        {
            sent += albedo / MathF.PI * OnSet(p + n * SetPass.SurfaceOffset(p, hit.T), n, index, seed, openings);
        }
        return sent;
    }

    /// <summary>
    /// What an element sends back from where a ray met it, its own light counted: by the lights of the plate, and by new ones. A metal
    /// sends as much, but evenly, as if it were rough.
    /// </summary>
    public (Vector3 Plate, Vector3 Added) Bounced(in Hit hit, in Ray ray, uint index, uint seed)
    {
        Spot s = At(hit, ray);
        Vector3 plate = _rig.FillPlate,
            added = _rig.FillNew,
            colour = s.Material.BaseColor / MathF.PI;
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            if (!light.LightsElements)
            {
                continue;
            }
            LightSample l = light.Sample(s.Point, s.Normal, Sampling.Point(index, seed, 70 + (uint)k), openings);
            if (!(l.Factor > 0) || Vector3.Dot(s.Face, l.Direction) <= 0 || !Open(new Ray(s.Point, l.Direction, 0, l.Distance)))
            {
                continue;
            }
            if (light.InPlate)
            {
                plate += l.Irradiance;
            }
            else
            {
                added += l.Irradiance;
            }
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
            if (
                Open(
                    new Ray(
                        s.Point,
                        Sampling.CosineHemisphere(s.Face, Sampling.Point(index * DifferentialRenderer.ContactRays + k, seed, 61)),
                        0,
                        reach
                    )
                )
            )
            {
                open++;
            }
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
        if (hit.IsHit)
        {
            return directOnly ? default : FromSet(ray, hit, index, seed, besideElements: true);
        }
        if (!own.IsHit)
        {
            return _rig.Around(ray.Direction, share);
        }
        if (directOnly)
        {
            return scene.Elements[own.Instance].Model.At(own).Emission;
        }
        var (plateLit, added) = Bounced(own, ray, index, seed);
        return plateLit + added;
    }

    /// <summary>What the place alone sends along a ray.</summary>
    public Vector3 FromPlace(in Ray ray, uint index, uint seed)
    {
        Hit hit = _set.Scene.Intersect(ray, RayKinds.CameraSet | RayKinds.LightSet);
        return hit.IsHit ? FromSet(ray, hit, index, seed, besideElements: false) : _rig.Around(ray.Direction);
    }

    /// <param name="besideElements">What elements keep from the place is taken off: a bell mirrors the floor in its own shadow.</param>
    private Vector3 FromSet(in Ray ray, in Hit hit, uint index, uint seed, bool besideElements)
    {
        TraceInstance instance = _set.Instances[hit.Instance];
        Vector3 n = instance.FaceNormal(hit);
        if (Vector3.Dot(n, ray.Direction) > 0)
        {
            n = -n;
        }
        Vector3 p = ray.At(hit.T);
        p += n * SetPass.SurfaceOffset(p, hit.T);
        int piece = _set.PieceOf(hit);
        Vector3 without = WithoutElements(instance, piece, p, n, index, seed);
        return besideElements ? without - _albedo.Value[piece] / MathF.PI * Kept(p, n, index, seed) : without;
    }

    /// <summary>
    /// What a spot of the set sends: as the plate shows it, else as a picture of the place does, else as its piece shines, else its light
    /// on its mean colour.
    /// </summary>
    private Vector3 WithoutElements(TraceInstance instance, int piece, Vector3 p, Vector3 n, uint index, uint seed)
    {
        if (
            (instance.Kinds & RayKinds.CameraSet) != 0
            && _pinhole.TryProject(cameraToWorld, Vec3.From(p), out double px, out double py)
            && OnPlate(px, py)
        )
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
        foreach (PlacePicture picture in _rig.Places)
        {
            if (picture.TryAt(p, n, _set.Scene, out Vector3 shown))
            {
                return shown;
            }
        }
        if (surfaces?.ByPiece[piece]?.Shines is { } shines && shines(p, n) is var sent && sent != default)
        {
            return sent;
        }
        return _albedo.Value[piece] / MathF.PI * OnSet(p, n, index, seed, openings);
    }

    private bool OnPlate(double x, double y) =>
        x >= pass.Margin && y >= pass.Margin && x < _pinhole.Width - pass.Margin && y < _pinhole.Height - pass.Margin;

    /// <summary>Irradiance by the plate's lights that elements keep from a spot of the set.</summary>
    private Vector3 Kept(Vector3 p, Vector3 n, uint index, uint seed)
    {
        Vector3 e = default;
        for (int k = 0; k < _rig.Sampled.Count; k++)
        {
            SampledLight light = _rig.Sampled[k];
            if (!light.LightsSet || !light.InPlate)
            {
                continue;
            }
            LightSample l = light.Sample(p, n, Sampling.Point(index, seed, 40 + (uint)k), openings);
            var ray = new Ray(p, l.Direction, 0, l.Distance);
            if (l.Factor > 0 && scene.Occluded(ray) && !_set.Scene.Occluded(ray, RayKinds.LightSet))
            {
                e += l.Irradiance;
            }
        }
        return e;
    }

    /// <summary>Irradiance on a spot of the set from the lights, elements left out.</summary>
    private Vector3 OnSet(Vector3 p, Vector3 n, uint index, uint seed, SkyOpenings? around) =>
        OnSet(_set, _rig, p, n, index, seed, around, all: true);

    private static Vector3 OnSet(SetScene set, LightRig rig, Vector3 p, Vector3 n, uint index, uint seed, SkyOpenings? around, bool all)
    {
        Vector3 e = all ? rig.FillPlate + rig.FillNew : rig.FillPlate;
        for (int k = 0; k < rig.Sampled.Count; k++)
        {
            SampledLight light = rig.Sampled[k];
            if (!light.LightsSet || (!all && !light.InPlate))
            {
                continue;
            }
            LightSample l = light.Sample(p, n, Sampling.Point(index, seed, 40 + (uint)k), around);
            if (l.Factor > 0 && !set.Scene.Occluded(new Ray(p, l.Direction, 0, l.Distance), RayKinds.LightSet))
            {
                e += l.Irradiance;
            }
        }
        return e;
    }

    /// <summary>
    /// By piece, the albedo that the plate shows on the average where the camera sees it: π Σ L ÷ Σ E over spots spread over the picture;
    /// of a piece that is seen too little, that of all.
    /// </summary>
    private static Vector3[] MeanColours(SetPass pass, SkyOpenings? openings, Pose cameraToWorld, FloatImage plate)
    {
        const int rays = 8;
        SetScene set = pass.Set;
        var (light, received, count) = (
            new Vector3[set.Pieces.Count + 1],
            new Vector3[set.Pieces.Count + 1],
            new int[set.Pieces.Count + 1]
        );
        for (uint i = 0; i < Probes; i++)
        {
            Vector2 u = Sampling.Point(i, 90, 3);
            int w = plate.Width - 2 * pass.Margin,
                h = plate.Height - 2 * pass.Margin,
                x = pass.Margin + Math.Min(w - 1, (int)(u.X * w)),
                y = pass.Margin + Math.Min(h - 1, (int)(u.Y * h));
            if (!pass.Camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
            {
                continue;
            }
            var ray = new Ray(cameraToWorld.Position.ToSingle(), d);
            Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit)
            {
                continue;
            }
            Vector3 n = set.Instances[hit.Instance].FaceNormal(hit),
                p = ray.At(hit.T),
                e = default;
            if (Vector3.Dot(n, d) > 0)
            {
                n = -n;
            }
            p += n * SetPass.SurfaceOffset(p, hit.T);
            for (uint k = 0; k < rays; k++)
            {
                e += OnSet(set, pass.Rig, p, n, i * rays + k, 91, openings, all: false) / rays;
            }
            var l = new Vector3(plate[x, y, 0], plate[x, y, 1], plate[x, y, 2]);
            foreach (int to in (ReadOnlySpan<int>)[set.PieceOf(hit), set.Pieces.Count])
            {
                (light[to], received[to], count[to]) = (light[to] + l, received[to] + e, count[to] + 1);
            }
        }
        Vector3 Of(int k) => new(Share(light[k].X, received[k].X), Share(light[k].Y, received[k].Y), Share(light[k].Z, received[k].Z));
        static float Share(float l, float e) => e > 0 ? Math.Clamp(MathF.PI * l / e, 0, 0.95f) : AssumedAlbedo;
        Vector3 all = count[^1] > 0 ? Of(set.Pieces.Count) : new(AssumedAlbedo);
        return [.. Enumerable.Range(0, set.Pieces.Count).Select(k => count[k] >= LeastProbes ? Of(k) : all)];
    }
}
