using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>Renders the hall: one sun and one sky sample a camera sample, mirror reflections, motion blur by camera time.</summary>
public sealed class HallRenderer
{
    private const int Times = 32;
    private readonly FilmedShot _shot;
    private readonly TraceScene _scene;
    private readonly MeshTree? _trolley;
    private readonly int _bellInstance = -1;

    public HallRenderer(FilmedShot shot, TriangleMesh? bell = null, Similarity? bellPlace = null)
    {
        IReadOnlyList<HallPiece> pieces = shot.Place();
        _shot = shot;
        if (shot.TrolleyToWorld is not null)
        {
            _trolley = new(LockerTrolley.Build());
        }
        var instances = new List<TraceInstance>
        {
            new(new MeshTree(Merge(pieces.Where(p => !p.OnlyBlocksLight))), Similarity.Identity, RayKinds.CameraSet | RayKinds.LightSet),
            new(new MeshTree(Merge(pieces.Where(p => p.OnlyBlocksLight))), Similarity.Identity, RayKinds.LightSet),
        };
        if (bell is not null)
        {
            _bellInstance = instances.Count;
            instances.Add(new(new MeshTree(bell), bellPlace!.Value, RayKinds.Element));
        }
        _scene = new(instances);
    }

    public static TriangleMesh Merge(IEnumerable<HallPiece> pieces)
    {
        var positions = new List<Vector3>();
        var normals = new List<Vector3>();
        var indices = new List<int>();
        var materials = new List<int>();
        foreach (HallPiece p in pieces)
        {
            indices.AddRange(p.Mesh.Indices.Select(i => i + positions.Count));
            positions.AddRange(p.Mesh.Positions);
            normals.AddRange(p.Mesh.Normals!);
            materials.AddRange(p.Mesh.Materials!);
        }
        return new([.. positions], [.. indices]) { Normals = [.. normals], Materials = [.. materials] };
    }

    /// <summary>Scene-linear RGB of a frame, without sensor noise.</summary>
    public FloatImage Plate(int frame, int samples)
    {
        double[] open = WhileOpen(frame);
        TraceScene[] scenes = [.. open.Select(SceneAt)];
        return Film(_shot.Pinhole, 3, [.. open.Select(_shot.CameraToWorld)], samples, (uint)frame, (when, ray, i, seed) =>
            Vector3.Min(Radiance(scenes[when], ray, i, seed, mirror: true), new Vector3(4))
        );
    }

    /// <summary>The same with the bell as if it had stood there: lit, mirrored in what is wet, throwing its shadow. Without noise.</summary>
    /// <param name="only">Left, top, right and bottom of what is filmed, the last two included; the rest stays black.</param>
    /// <param name="without">The place as it is, by the same samples: what the bell changes is then all that differs.</param>
    public FloatImage PlateWithBell(int frame, int samples, (int Left, int Top, int Right, int Bottom) only, bool without = false)
    {
        double[] open = WhileOpen(frame);
        TraceScene[] scenes = [.. open.Select(SceneAt)];
        return Film(
            _shot.Pinhole,
            3,
            [.. open.Select(_shot.CameraToWorld)],
            samples,
            (uint)frame + 55,
            (when, ray, i, seed) =>
                Vector3.Min(
                    without ? Radiance(scenes[when], ray, i, seed, mirror: true) : Seen(scenes[when], ray, i, seed),
                    new Vector3(4)
                ),
            only
        );
    }

    private Vector3 Seen(TraceScene scene, in Ray ray, uint index, uint seed)
    {
        Hit hit = scene.Intersect(ray, RayKinds.CameraSet | RayKinds.Element);
        return hit.IsHit && hit.Instance == _bellInstance
            ? Bell(scene, ray, hit, index, seed, wet: true)
            : Radiance(scene, ray, index, seed, mirror: true, bell: true);
    }

    /// <summary>Metal and glass of the bell: irradiance on what is diffuse, the sun's highlight, and one mirrored ray into the place.</summary>
    /// <param name="wet">What it mirrors mirrors in its turn, once.</param>
    private static Vector3 Bell(TraceScene scene, in Ray ray, in Hit hit, uint index, uint seed, bool wet)
    {
        TraceInstance instance = scene.Instances[hit.Instance];
        var (name, colour, metallic, roughness) = BellModel.Materials[instance.Tree.Mesh.Materials![hit.Triangle]];
        var material = new Core.Contact.Material(name, colour, metallic, roughness);
        Vector3 n = instance.Normal(hit),
            face = instance.FaceNormal(hit),
            v = Vector3.Negate(ray.Direction);
        if (Vector3.Dot(face, v) < 0)
        {
            (n, face) = (-n, -face);
        }
        if (Vector3.Dot(n, v) < 1e-3f)
        {
            n = Vector3.Normalize(n + v * (1e-3f - Vector3.Dot(n, v)));
        }
        Vector3 p = ray.At(hit.T) + face * 2e-4f;
        Vector3 result =
            material.Diffuse
            / MathF.PI
            * HallLight.Irradiance(scene, p, n, Sampling.Point(index, seed, 2), Sampling.Point(index, seed, 3), element: true).With;
        Vector3 sun = Sampling.Cone(
            BathHall.TowardsSun,
            (float)Math.Cos(HallLight.SunAngularDiameterDegrees / 2 * Math.PI / 180),
            Sampling.Point(index, seed, 7)
        );
        if (Vector3.Dot(n, sun) > 0 && Vector3.Dot(face, sun) > 0 && !scene.Occluded(new Ray(p, sun), RayKinds.LightSet | RayKinds.Element))
        {
            result += Core.Lighting.Bsdf.Parts(material, n, sun, v).Specular * HallLight.SunIrradiance * Vector3.Dot(n, sun);
        }
        if (
            Core.Lighting.Bsdf.SampleSpecular(material, n, v, Sampling.Point(index, seed, 8), out Vector3 r, out float weight, out float vh)
            && Vector3.Dot(face, r) > 0
        )
        {
            var mirrored = new Ray(p, r);
            Hit own = scene.Intersect(mirrored, Place | RayKinds.Element);
            // A second bounce within the bell counts as its colour in the light that falls there.
            Vector3 sees =
                own.IsHit && scene.Instances[own.Instance] == instance
                    ? BellModel.Materials[instance.Tree.Mesh.Materials[own.Triangle]].BaseColor
                        / MathF.PI
                        * HallLight
                            .Irradiance(
                                scene,
                                mirrored.At(own.T) + instance.FaceNormal(own) * 2e-4f,
                                instance.Normal(own),
                                Sampling.Point(index, seed, 9),
                                Sampling.Point(index, seed, 10),
                                element: true
                            )
                            .With
                    : Radiance(scene, mirrored, index, wet ? Sampling.Hash(seed) : seed, mirror: wet, bell: true, seen: Place);
            result += Core.Lighting.Bsdf.Fresnel(material.F0, vh, material.F90) * weight * sees;
        }
        return result;
    }

    /// <summary>Moments spread over the time that the shutter is open.</summary>
    private static double[] WhileOpen(int frame) =>
        [.. Enumerable.Range(0, Times).Select(i => frame + ((i + 0.5) / Times - 0.5) * FilmedShot.ShutterDegrees / 360)];

    /// <summary>The mean of what a pixel's rays see, each at one of the moments that the poses stand for. The ray comes with the moment's number, its own and its seed.</summary>
    private static FloatImage Film(
        Pinhole camera,
        int channels,
        Pose[] poses,
        int samples,
        uint seedOf,
        Func<int, Ray, uint, uint, Vector3> sees,
        (int Left, int Top, int Right, int Bottom)? only = null
    )
    {
        var image = new FloatImage(camera.Width, camera.Height, channels);
        var (left, top, right, bottom) = only ?? (0, 0, camera.Width - 1, camera.Height - 1);
        Parallel.For(top, bottom + 1, y =>
        {
            for (int x = left; x <= right; x++)
            {
                uint seed = Sampling.PixelSeed(x, y, seedOf);
                Vector3 sum = default;
                for (uint i = 0; i < samples; i++)
                {
                    Vector2 aa = Sampling.Point(i, seed, 0);
                    int when = (int)(Sampling.Point(i, seed, 1).X * poses.Length);
                    if (!camera.TryDirection(x + aa.X, y + aa.Y, out Vec3 d))
                    {
                        continue;
                    }
                    sum += sees(
                        when,
                        new Ray(poses[when].Position.ToSingle(), (poses[when].Rotation * d).Normalized().ToSingle()),
                        i,
                        seed
                    );
                }
                for (int c = 0; c < channels; c++)
                {
                    image[x, y, c] = sum[c] / samples;
                }
            }
        });
        return image;
    }

    /// <summary>The place at a time, with the trolley and the attendant where they then are.</summary>
    private TraceScene SceneAt(double frame)
    {
        var moving = new List<TraceInstance>();
        if (_trolley is not null)
        {
            moving.Add(
                new(
                    _trolley,
                    new Similarity(1, _shot.TrolleyToWorld!(frame).Rotation, _shot.TrolleyToWorld(frame).Position),
                    RayKinds.CameraSet | RayKinds.LightSet
                )
            );
        }
        if (_shot.AttendantAt is { } attendant)
        {
            var (place, walked) = attendant(frame);
            moving.Add(
                new(
                    new MeshTree(Attendant.At(walked)),
                    new Similarity(1, place.Rotation, place.Position),
                    RayKinds.CameraSet | RayKinds.LightSet
                )
            );
        }
        return moving.Count == 0 ? _scene : new([.. _scene.Instances, .. moving]);
    }

    /// <summary>How much of each pixel the attendant covers while the shutter is open.</summary>
    public FloatImage AttendantCoverage(int frame, int samples)
    {
        double[] open = WhileOpen(frame);
        TraceScene[] scenes = [.. open.Select(SceneAt)];
        int own = _scene.Instances.Count;
        return Film(_shot.Pinhole, 1, [.. open.Select(_shot.CameraToWorld)], samples, (uint)frame + 33, (when, ray, _, _) =>
            scenes[when].Intersect(ray, RayKinds.CameraSet).Instance == own ? Vector3.One : default
        );
    }

    /// <summary>All that stands there, the wall behind the camera too: mirrors and panoramas see it.</summary>
    private const RayKinds Place = RayKinds.CameraSet | RayKinds.LightSet;

    /// <summary>The place all around a spot, lat-long, as a crew shoots it before anything is put there.</summary>
    public FloatImage Around(Vec3 from, int width, int samples)
    {
        var image = new FloatImage(width, width / 2, 3);
        Vector3 eye = from.ToSingle();
        Parallel.For(0, width / 2, y =>
        {
            for (int x = 0; x < width; x++)
            {
                uint seed = Sampling.PixelSeed(x, y, 88);
                Vector3 sum = default;
                for (uint i = 0; i < samples; i++)
                {
                    Vector2 aa = Sampling.Point(i, seed, 0);
                    sum += Radiance(
                        _scene,
                        new Ray(eye, Core.Lighting.Panorama.DirectionAt((x + aa.X) / width, (y + aa.Y) / (width / 2)).ToSingle()),
                        i,
                        seed,
                        mirror: true,
                        seen: Place
                    );
                }
                for (int c = 0; c < 3; c++)
                {
                    image[x, y, c] = sum[c] / samples;
                }
            }
        });
        return image;
    }

    private static Vector3 Radiance(
        TraceScene scene,
        in Ray ray,
        uint index,
        uint seed,
        bool mirror,
        bool bell = false,
        RayKinds seen = RayKinds.CameraSet
    )
    {
        Hit hit = scene.Intersect(ray, seen);
        if (!hit.IsHit)
        {
            return HallLight.SkyRadiance;
        }
        TraceInstance instance = scene.Instances[hit.Instance];
        Vector3 n = instance.Normal(hit),
            face = instance.FaceNormal(hit);
        if (Vector3.Dot(face, ray.Direction) > 0)
        {
            (n, face) = (-n, -face);
        }
        Vector3 p = ray.At(hit.T) + face * 2e-4f;
        uint pair = mirror ? 2u : 5u;
        // What moves carries its paint with it.
        Pose own = new(instance.ObjectToWorld.Rotation, instance.ObjectToWorld.Translation);
        bool moves = instance.ObjectToWorld != Similarity.Identity;
        Surface s = moves
            ? Surfaces.At(
                (Stuff)instance.Tree.Mesh.Materials![hit.Triangle],
                own.ToLocal(Vec3.From(p)).ToSingle(),
                (own.Rotation.Transpose() * Vec3.From(n)).ToSingle()
            ) with
            {
                MirrorNormal = n,
            }
            : Surfaces.At((Stuff)instance.Tree.Mesh.Materials![hit.Triangle], p, n);
        Vector3 e = HallLight
            .Irradiance(scene, p, n, Sampling.Point(index, seed, pair), Sampling.Point(index, seed, pair + 1), element: bell)
            .With;
        Vector3 result = s.Albedo / MathF.PI * e;
        if (mirror && s.Mirror > 0)
        {
            float cos = MathF.Max(0, -Vector3.Dot(s.MirrorNormal, ray.Direction));
            float fresnel = s.Mirror + (1 - s.Mirror) * MathF.Pow(1 - cos, 5); // Schlick 1994
            float chance = Math.Clamp(fresnel * 4, 0.15f, 1);
            if (Sampling.Point(index, seed, 4).X < chance)
            {
                Vector3 d = Vector3.Reflect(ray.Direction, s.MirrorNormal);
                if (Vector3.Dot(d, face) > 0)
                {
                    var mirrored = new Ray(p, Vector3.Normalize(d));
                    Hit other = bell ? scene.Intersect(mirrored, RayKinds.CameraSet | RayKinds.Element) : Hit.None;
                    bool isBell = other.IsHit && (scene.Instances[other.Instance].Kinds & RayKinds.Element) != 0;
                    result +=
                        (
                            isBell
                                ? Bell(scene, mirrored, other, index, seed, wet: false)
                                : Radiance(scene, mirrored, index, seed, mirror: false, bell)
                        ) * (fresnel / chance);
                }
            }
        }
        return result;
    }

    /// <summary>E0, E1 and S′ of a frame's receivers at the shutter's middle, as box averages over the pixels; albedo as weight.</summary>
    public (FloatImage E0, FloatImage E1, FloatImage Ratio) Differential(int frame, int samples, int reduce)
    {
        var camera = _shot.Pinhole.Resized(_shot.Pinhole.Width / reduce, _shot.Pinhole.Height / reduce);
        var e0 = new FloatImage(camera.Width, camera.Height, 3);
        var e1 = new FloatImage(camera.Width, camera.Height, 3);
        var ratio = new FloatImage(camera.Width, camera.Height, 3);
        Pose pose = _shot.CameraToWorld(frame);
        TraceScene place = SceneAt(frame);
        Parallel.For(0, camera.Height, y =>
        {
            for (int x = 0; x < camera.Width; x++)
            {
                uint seed = Sampling.PixelSeed(x, y, (uint)frame + 77);
                Vector3 sum0 = default,
                    sum1 = default,
                    weighted0 = default,
                    weighted1 = default;
                int receivers = 0;
                for (uint i = 0; i < samples; i++)
                {
                    Vector2 aa = Sampling.Point(i, seed, 0);
                    if (!camera.TryDirection(x + aa.X, y + aa.Y, out Vec3 d))
                    {
                        continue;
                    }
                    var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
                    Hit hit = place.Intersect(ray, RayKinds.CameraSet);
                    if (!hit.IsHit)
                    {
                        continue;
                    }
                    receivers++;
                    TraceInstance instance = place.Instances[hit.Instance];
                    Vector3 n = instance.Normal(hit),
                        face = instance.FaceNormal(hit);
                    if (Vector3.Dot(face, ray.Direction) > 0)
                    {
                        (n, face) = (-n, -face);
                    }
                    Vector3 p = ray.At(hit.T) + face * 2e-4f;
                    Vec3 own = instance.ObjectToWorld.Inverse().Apply(Vec3.From(p));
                    Vector3 albedo = Surfaces
                        .At(
                            (Stuff)instance.Tree.Mesh.Materials![hit.Triangle],
                            own.ToSingle(),
                            (instance.ObjectToWorld.Rotation.Transpose() * Vec3.From(n)).ToSingle()
                        )
                        .Albedo;
                    var (without, with) = HallLight.Irradiance(
                        place,
                        p,
                        n,
                        Sampling.Point(i, seed, 2),
                        Sampling.Point(i, seed, 3),
                        element: true
                    );
                    sum0 += without;
                    sum1 += with;
                    weighted0 += albedo * without;
                    weighted1 += albedo * with;
                }
                float c = (float)receivers / samples;
                for (int k = 0; k < 3; k++)
                {
                    e0[x, y, k] = receivers > 0 ? sum0[k] / receivers : 0;
                    e1[x, y, k] = receivers > 0 ? sum1[k] / receivers : 0;
                    ratio[x, y, k] = weighted0[k] > 0 && weighted0[k] != weighted1[k] ? c * weighted1[k] / weighted0[k] + 1 - c : 1;
                }
            }
        });
        return (e0, e1, ratio);
    }

    /// <summary>Area of each pixel covered by the bell, set occlusion counted: what a held-out element should show.</summary>
    public FloatImage BellCoverage(int frame, int samples, int reduce)
    {
        TraceScene place = SceneAt(frame);
        return Film(
            _shot.Pinhole.Resized(_shot.Pinhole.Width / reduce, _shot.Pinhole.Height / reduce),
            1,
            [_shot.CameraToWorld(frame)],
            samples,
            (uint)frame + 99,
            (_, ray, _, _) => place.Intersect(ray, RayKinds.CameraSet | RayKinds.Element).Instance == _bellInstance ? Vector3.One : default
        );
    }

    /// <summary>Shot noise and read noise of a sensor: variance = a · light + b, seeded by frame and pixel.</summary>
    public static void AddNoise(FloatImage image, int frame)
    {
        Parallel.For(0, image.Height, y =>
        {
            for (int i = y * image.Width * 3; i < (y + 1) * image.Width * 3; i++)
            {
                uint h = Sampling.Hash((uint)i + Sampling.Hash((uint)frame * 2654435761u + 5));
                float u = (h >> 8) * (1f / 16777216) + 1e-7f,
                    v = (Sampling.Hash(h) >> 8) * (1f / 16777216);
                float normal = MathF.Sqrt(-2 * MathF.Log(u)) * MathF.Cos(2 * MathF.PI * v); // Box–Muller
                float value = image.Data[i];
                image.Data[i] = value + normal * MathF.Sqrt(1.1e-4f * MathF.Max(0, value) + 1.2e-6f);
            }
        });
    }
}
