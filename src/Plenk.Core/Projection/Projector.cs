using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// What a source shows of a spot: linear RGB; how far it reaches there, 0..1 (its angle fade); and how good it is among sources that
/// reach there too. Reach 0: it does not see the spot.
/// </summary>
public readonly record struct Sighting(Vector3 Rgb, float Reach, float Quality);

/// <summary>
/// A picture laid on the set through the camera that saw it. Asked per point, so it is perspective-correct on any mesh; it
/// reaches only what that camera saw, and fades between two angles of incidence.
/// </summary>
/// <param name="kept">How much of each pixel of the picture is laid on, 0..1; null: all of it.</param>
public sealed class Projector(FloatImage picture, SourceSight sight, float[]? kept = null)
{
    private readonly Pinhole _pinhole = sight.Pinhole;
    private readonly Vector3 _eye = sight.CameraToWorld.Position.ToSingle();
    private readonly Lazy<FootagePyramid> _footage = new(() =>
        new FootagePyramid(kept is null ? picture : PictureEdge.Extended(picture, kept))
    );
    private readonly FloatImage? _kept = kept is null ? null : new(picture.Width, picture.Height, 1, kept);
    private readonly Lazy<float[]> _margin = new(() => DepthMargin(sight));
    private readonly float _toPictureX = (float)picture.Width / sight.Pinhole.Width,
        _toPictureY = (float)picture.Height / sight.Pinhole.Height;

    public Projector(
        FloatImage picture,
        Pinhole pinhole,
        Pose cameraToWorld,
        SetScene set,
        double fadeFromDegrees,
        double fadeToDegrees,
        IReadOnlySet<int>? pieces,
        IReadOnlyList<Similarity?>? moved = null
    )
        : this(picture, new SourceSight(pinhole, cameraToWorld, set, fadeFromDegrees, fadeToDegrees, pieces, moved)) { }

    /// <summary>Its picture is that of the very frame looked at, through the same camera: what it shows in a pixel is that pixel.</summary>
    public bool IsLookedAt { get; init; }

    /// <summary>It shows the plate's grain already, or moves with it.</summary>
    public bool HasGrain { get; init; }

    public SourceSight Sight => sight;
    public FloatImage Picture => picture;
    public float[]? Kept => kept;

    private float KeptAt(double x, double y)
    {
        if (_kept is null)
        {
            return 1;
        }
        Span<float> value = stackalloc float[1];
        _kept.SampleBilinear(x, y, value);
        return value[0];
    }

    /// <summary>
    /// Linear RGB and weight 0..1 at a point of a piece; <paramref name="normal"/> is the face's, on the side that is looked at.
    /// Weight 0: not seen by the projecting camera, turned away, or not a piece that receives it.
    /// </summary>
    public Vector4 At(Vector3 point, Vector3 normal, int piece)
    {
        if (!sight.Sees(ref point, ref normal, piece, out float reach, out _, out double px, out double py))
        {
            return default;
        }
        reach *= KeptAt(px * _toPictureX, py * _toPictureY);
        Span<float> rgb = stackalloc float[3];
        picture.SampleBilinear(px * _toPictureX, py * _toPictureY, rgb);
        return new Vector4(rgb[0], rgb[1], rgb[2], reach);
    }

    /// <summary>
    /// The same averaged over a footprint on the surface (its two axes, in the world), with its quality: pixels a metre along the
    /// direction that is seen worst, less where the picture's or a nearer thing's edge is close.
    /// </summary>
    public Sighting See(Vector3 point, Vector3 normal, int piece, Vector3 axisU, Vector3 axisV)
    {
        if (!sight.Sees(ref point, ref normal, piece, out float reach, out float cos, out double px, out double py))
        {
            return default;
        }
        reach *= KeptAt(px * _toPictureX, py * _toPictureY);
        if (reach <= 0)
        {
            return default;
        }
        if (sight.Moved?[piece] is { } back)
        {
            axisU = (back.Rotation * Vec3.From(axisU)).ToSingle();
            axisV = (back.Rotation * Vec3.From(axisV)).ToSingle();
        }
        Vector3 inCamera = sight.CameraToWorld.ToLocal(Vec3.From(point)).ToSingle();
        Vector2 a = Step(inCamera, axisU),
            b = Step(inCamera, axisV);
        Vector3 rgb = _footage.Value.Sample(px * _toPictureX, py * _toPictureY, a, b);
        float density = (float)_pinhole.Fx * _toPictureX * cos / Vector3.Distance(_eye, point);
        float border = (float)Math.Min(Math.Min(px, _pinhole.Width - px), Math.Min(py, _pinhole.Height - py));
        float quality = density * Math.Clamp(border / 12, 0.02f, 1) * Margin(px, py) * reach;
        return new(rgb, reach, quality);
    }

    /// <summary>Where a step on the surface goes in the picture, pixels; the lens' bend within a pixel is left out.</summary>
    private Vector2 Step(Vector3 inCamera, Vector3 axis)
    {
        Matrix3 r = sight.CameraToWorld.Rotation;
        Vec3 a = r.Transpose() * Vec3.From(axis);
        float iz = 1 / -inCamera.Z;
        return new(
            (float)_pinhole.Fx * _toPictureX * iz * ((float)a.X + inCamera.X * iz * (float)a.Z),
            (float)_pinhole.Fy * _toPictureY * iz * (-(float)a.Y - inCamera.Y * iz * (float)a.Z)
        );
    }

    private float Margin(double px, double py)
    {
        float[] m = _margin.Value;
        int x = Math.Clamp((int)px, 0, _pinhole.Width - 1),
            y = Math.Clamp((int)py, 0, _pinhole.Height - 1);
        return m[y * _pinhole.Width + x];
    }

    /// <summary>
    /// 1 where the source's surroundings are one surface, 0.02 within a pixel of a step in depth, 0.4 within two: there a pixel mixes
    /// near and far. On any plane 1/depth is linear over the (straight) picture, so what bends it is a step or a crease; small bends are let be.
    /// </summary>
    private static float[] DepthMargin(SourceSight sight)
    {
        Pinhole pinhole = sight.Pinhole;
        int width = pinhole.Width,
            height = pinhole.Height;
        var inverse = new float[width * height];
        var grid = new RayGrid(pinhole, sight.CameraToWorld);
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                Hit hit = sight.Set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                inverse[y * width + x] = hit.IsHit ? 1 / grid.DepthOf(grid.Origin + hit.T * d) : 0;
            }
        });
        var step = new bool[width * height];
        Parallel.For(1, height - 1, Cores.All, y =>
        {
            for (int x = 1; x < width - 1; x++)
            {
                int i = y * width + x;
                float c = inverse[i],
                    most = MathF.Max(
                        MathF.Abs(inverse[i - 1] + inverse[i + 1] - 2 * c),
                        MathF.Abs(inverse[i - width] + inverse[i + width] - 2 * c)
                    );
                step[i] = most > 0.02f * MathF.Max(c, 1e-4f);
            }
        });
        var margin = new float[width * height];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                float m = 1;
                for (int v = Math.Max(0, y - 2); v <= Math.Min(height - 1, y + 2) && m > 0.02f; v++)
                {
                    for (int u = Math.Max(0, x - 2); u <= Math.Min(width - 1, x + 2); u++)
                    {
                        if (step[v * width + u])
                        {
                            m = MathF.Min(m, Math.Abs(u - x) <= 1 && Math.Abs(v - y) <= 1 ? 0.02f : 0.4f);
                        }
                    }
                }
                margin[y * width + x] = m;
            }
        });
        return margin;
    }
}
