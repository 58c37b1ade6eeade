using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>The set wearing its projections, through any camera.</summary>
public static class ProjectedView
{
    /// <summary>What lets through less is closed.</summary>
    private const float Closed = 1e-3f;

    /// <summary>RGBA premultiplied: alpha is the part of a pixel that is covered. Four samples a pixel by default.</summary>
    /// <param name="baked">By piece: its own textures, which it wears instead; null: none.</param>
    public static FloatImage Render(
        IViewRays camera,
        SetScene set,
        IReadOnlyList<Projector> projectors,
        int samples = 4,
        uint seed = 1,
        SourceMix mix = SourceMix.Order,
        CancellationToken stop = default,
        Action<double>? progress = null,
        IReadOnlyList<BakedSurface?>? baked = null
    )
    {
        int width = camera.Width,
            height = camera.Height,
            done = 0;
        float spacing = 1 / MathF.Sqrt(samples);
        var image = new FloatImage(width, height, 4);
        Parallel.For(0, height, Cores.Until(stop), y =>
        {
            for (int x = 0; x < width; x++)
            {
                uint pixelSeed = Sampling.PixelSeed(x, y, seed);
                Vector4 sum = default;
                float angle = spacing * camera.PixelAngle(x, y);
                for (uint i = 0; i < samples; i++)
                {
                    Vector2 spot = samples == 1 ? new(0.5f, 0.5f) : Sampling.Point(i, pixelSeed, 0);
                    if (!camera.TryDirection(x, y, spot, out Vector3 d))
                    {
                        continue;
                    }
                    var ray = new Ray(camera.Origin, d);
                    // A seen piece lets through what nothing is laid on, as in the comp: a painted card is as large as its paint.
                    float open = 1;
                    for (int layer = 0; layer < SeenSet.MostLayers && open > Closed; layer++)
                    {
                        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                        if (!hit.IsHit || set.Pieces[set.PieceOf(hit)] is not { Duties.WearsFootage: true } piece)
                        {
                            break;
                        }
                        Vector4 worn = Worn(set, hit, ray, angle, projectors, baked, null, mix, out _, out _);
                        sum += open * worn;
                        if (!piece.IsSeen)
                        {
                            break;
                        }
                        open *= 1 - worn.W;
                        ray = ray.Beyond(hit);
                    }
                }
                Vector4 mean = sum / samples;
                Span<float> pixel = image.Pixel(x, y);
                (pixel[0], pixel[1], pixel[2], pixel[3]) = (mean.X, mean.Y, mean.Z, mean.W);
            }
            progress?.Invoke((double)Interlocked.Increment(ref done) / height);
        });
        return image;
    }

    /// <summary>What a piece wears at a hit, premultiplied: its own textures, else what is laid on it.</summary>
    /// <param name="angle">A sample is so wide, radians.</param>
    /// <param name="toFrame">By piece, what takes it to where its projections find it; null: it stands there.</param>
    /// <param name="light">Of pieces that are not shown as filmed; null: all are.</param>
    /// <param name="index">Number of the sample, and what its light is drawn from.</param>
    /// <inheritdoc cref="Mix(IReadOnlyList{Projector}, Vector3, Vector3, int, Vector3, Vector3, SourceMix, out float, out float)"/>
    internal static Vector4 Worn(
        SetScene set,
        in Hit hit,
        in Ray ray,
        float angle,
        IReadOnlyList<Projector> projectors,
        IReadOnlyList<BakedSurface?>? baked,
        IReadOnlyList<Similarity?>? toFrame,
        SourceMix mix,
        out float lookedAt,
        out float quiet,
        SeenLight? light = null,
        uint index = 0,
        uint seed = 0
    )
    {
        int piece = set.PieceOf(hit);
        PieceLit lit = light is null ? PieceLit.AsFilmed : set.Pieces[piece].Duties.Lit;
        float width = hit.T * angle;
        Vector3 n = set.Instances[hit.Instance].FaceNormal(hit),
            p = ray.At(hit.T);
        if (Vector3.Dot(n, ray.Direction) > 0)
        {
            n = -n;
        }
        if (baked?[piece] is { } own)
        {
            (lookedAt, quiet) = (0, 1);
            Vector4 worn = own.At(set.TriangleOf(hit), hit.U, hit.V, width / (float)set.Pieces[piece].Scale);
            if (lit == PieceLit.AsFilmed || light!.BakedThen[piece] is not { } filmed)
            {
                return worn;
            }
            if (toFrame?[piece] is { } place)
            {
                (p, n) = (place.Apply(Vec3.From(p)).ToSingle(), (place.Rotation * Vec3.From(n)).ToSingle());
            }
            return worn * new Vector4(SeenLight.Ratio(light.Now(p, n, piece, index, seed), filmed(p, n, piece, index, seed)), 1);
        }
        var (u, v) = Footprint(ray.Direction, n, width);
        if (toFrame?[piece] is { } there)
        {
            p = there.Apply(Vec3.From(p)).ToSingle();
            Vector3 Turned(Vector3 a) => (there.Rotation * Vec3.From(a)).ToSingle();
            (n, u, v) = (Turned(n), Turned(u), Turned(v));
        }
        return Mix(
            projectors,
            p,
            n,
            piece,
            u,
            v,
            mix,
            out lookedAt,
            out quiet,
            lit == PieceLit.AsFilmed ? null : Lit(light!, lit, p, n, piece, index, seed)
        );
    }

    /// <summary>By projection, what its colour is multiplied by at a spot.</summary>
    private static Func<int, Vector3> Lit(SeenLight light, PieceLit lit, Vector3 p, Vector3 n, int piece, uint index, uint seed)
    {
        Vector3 now = light.Now(p, n, piece, index, seed);
        return k =>
            lit == PieceLit.Here && light.IsOwnColour[k] ? now / MathF.PI : SeenLight.Ratio(now, light.Then[k](p, n, piece, index, seed));
    }

    /// <summary>
    /// Where the set is at each pixel's middle: depth along the camera's axis (of a sphere: distance from its middle), metres, +∞ where
    /// nothing is; and the place, 0 there.
    /// </summary>
    public static (FloatImage Depth, FloatImage Position) Places(IViewRays camera, SetScene set, CancellationToken stop = default)
    {
        FloatImage depth = new(camera.Width, camera.Height, 1),
            position = new(camera.Width, camera.Height, 3);
        Parallel.For(0, camera.Height, Cores.Until(stop), y =>
        {
            for (int x = 0; x < camera.Width; x++)
            {
                Hit hit = Hit.None;
                var ray = new Ray(camera.Origin, default);
                if (camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    ray = new(camera.Origin, d);
                    hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                }
                Vector3 p = hit.IsHit ? ray.At(hit.T) : default;
                depth[x, y, 0] =
                    !hit.IsHit ? float.PositiveInfinity
                    : camera is RayGrid grid ? grid.DepthOf(p)
                    : hit.T;
                (position[x, y, 0], position[x, y, 1], position[x, y, 2]) = (p.X, p.Y, p.Z);
            }
        });
        return (depth, position);
    }

    /// <summary>
    /// Where a step across a cone of the given width goes on a surface: one axis level across the ray, one along the tilt.
    /// </summary>
    public static (Vector3 U, Vector3 V) Footprint(Vector3 direction, Vector3 normal, float width)
    {
        Vector3 side = Vector3.Cross(normal, direction);
        float length = side.Length();
        side =
            length > 1e-5f
                ? side / length
                : Vector3.Normalize(Vector3.Cross(MathF.Abs(normal.X) < 0.9f ? Vector3.UnitX : Vector3.UnitY, normal));
        Vector3 tilt = Vector3.Cross(side, normal);
        return (side * width, tilt * (width / MathF.Max(0.03f, -Vector3.Dot(normal, direction))));
    }

    /// <summary>Premultiplied colour and coverage of a spot from all sources.</summary>
    public static Vector4 Mix(
        IReadOnlyList<Projector> projectors,
        Vector3 point,
        Vector3 normal,
        int piece,
        Vector3 axisU,
        Vector3 axisV,
        SourceMix mix
    ) => Mix(projectors, point, normal, piece, axisU, axisV, mix, out _, out _);

    /// <summary>The same with its shares.</summary>
    /// <param name="lookedAt">
    /// Share of the coverage that <see cref="Projector.IsLookedAt"/> has: its colour is not in the sum, it is the pixel's own.
    /// </param>
    /// <param name="quiet">Share of it that has no grain.</param>
    /// <param name="by">By projection that is seen there and does not show the pixel's own: what multiplies its colour; null: nothing does.</param>
    public static Vector4 Mix(
        IReadOnlyList<Projector> projectors,
        Vector3 point,
        Vector3 normal,
        int piece,
        Vector3 axisU,
        Vector3 axisV,
        SourceMix mix,
        out float lookedAt,
        out float quiet,
        Func<int, Vector3>? by = null
    )
    {
        (lookedAt, quiet) = (0, 0);
        Vector3 rgb = default;
        float open = 1,
            weights = 0;
        for (int k = 0; k < projectors.Count; k++)
        {
            Projector projector = projectors[k];
            Sighting s = projector.See(point, normal, piece, axisU, axisV);
            if (s.Reach <= 0)
            {
                continue;
            }
            if (by is not null && !projector.IsLookedAt)
            {
                s = s with { Rgb = s.Rgb * by(k) };
            }
            if (mix != SourceMix.Quality)
            {
                float share = s.Reach * open;
                rgb += projector.IsLookedAt ? default : s.Rgb * share;
                lookedAt += projector.IsLookedAt ? share : 0;
                quiet += projector.HasGrain ? 0 : share;
                open *= 1 - s.Reach;
                if (open <= 0)
                {
                    break;
                }
                continue;
            }
            float q = s.Quality * s.Quality,
                w = q * q * q + 1e-20f;
            rgb += projector.IsLookedAt ? default : w * s.Rgb;
            weights += w;
            lookedAt += projector.IsLookedAt ? w : 0;
            quiet += projector.HasGrain ? 0 : w;
            open *= 1 - s.Reach;
        }
        float covered = 1 - open,
            all = mix == SourceMix.Quality ? weights : covered;
        (lookedAt, quiet) = all > 0 ? (lookedAt / all, quiet / all) : (0, 0);
        if (mix != SourceMix.Quality)
        {
            return new(rgb, covered);
        }
        return weights > 0 ? new Vector4(rgb / weights * covered, covered) : default;
    }
}
