using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// A picture laid on the set through the camera that saw it. Asked per point, so it is perspective-correct on any mesh; it
/// reaches only what that camera saw, and fades between two angles of incidence.
/// </summary>
/// <param name="set">As it stood in the picture's own frame.</param>
/// <param name="moved">By piece: what takes it from where it is looked at to where it stood in the picture; null: it did not move.</param>
public sealed class Projector(FloatImage picture, Pinhole pinhole, Pose cameraToWorld, SetScene set, double fadeFromDegrees, double fadeToDegrees, IReadOnlySet<int>? pieces, IReadOnlyList<Similarity?>? moved = null)
{
    private readonly float _cosFrom = (float)Math.Cos(Rotations.Radians(fadeFromDegrees));
    private readonly float _cosTo = (float)Math.Cos(Rotations.Radians(fadeToDegrees));
    private readonly Vector3 _eye = cameraToWorld.Position.ToSingle();

    /// <summary>
    /// Linear RGB and weight 0..1 at a point of a piece; <paramref name="normal"/> is the face's, on the side that is looked at.
    /// Weight 0: not seen by the projecting camera, turned away, or not a piece that receives it.
    /// </summary>
    public Vector4 At(Vector3 point, Vector3 normal, int piece)
    {
        if (pieces is not null && !pieces.Contains(piece)) { return default; }
        if (moved?[piece] is { } back)
        {
            point = back.Apply(Vec3.From(point)).ToSingle();
            normal = (back.Rotation * Vec3.From(normal)).ToSingle();
        }
        Vector3 to = _eye - point;
        float distance = to.Length();
        Vector3 d = to / distance;
        float cos = Vector3.Dot(normal, d);
        if (cos <= _cosTo) { return default; }
        float weight = _cosFrom > _cosTo ? Math.Clamp((cos - _cosTo) / (_cosFrom - _cosTo), 0, 1) : 1;
        if (!pinhole.TryProject(cameraToWorld, Vec3.From(point), out double px, out double py) || !pinhole.Contains(px, py)) { return default; }
        // The start is lifted along the normal by the rounding of the point, and a little more where the ray grazes.
        float lift = 1e-5f * (2 + distance + point.Length()) + 2e-4f * distance * (1 - cos);
        if (set.Scene.Occluded(new Ray(point + normal * lift, d, 0, distance), RayKinds.CameraSet)) { return default; }
        Span<float> rgb = stackalloc float[3];
        picture.SampleBilinear(px * picture.Width / pinhole.Width, py * picture.Height / pinhole.Height, rgb);
        return new Vector4(rgb[0], rgb[1], rgb[2], weight);
    }
}

/// <summary>The set wearing its projections, through any camera.</summary>
public static class ProjectedView
{
    /// <summary>
    /// RGBA premultiplied: alpha is the part of a pixel that is covered. Projections are taken in order; a later one fills
    /// what earlier ones leave. Four samples a pixel by default.
    /// </summary>
    public static FloatImage Render(RayGrid camera, SetScene set, IReadOnlyList<Projector> projectors, int samples = 4, uint seed = 1, CancellationToken stop = default)
    {
        int width = camera.Pinhole.Width, height = camera.Pinhole.Height;
        var image = new FloatImage(width, height, 4);
        Parallel.For(0, height, new ParallelOptions { CancellationToken = stop }, y =>
        {
            for (int x = 0; x < width; x++)
            {
                uint pixelSeed = Sampling.PixelSeed(x, y, seed);
                Vector4 sum = default;
                for (uint i = 0; i < samples; i++)
                {
                    Vector2 spot = samples == 1 ? new(0.5f, 0.5f) : Sampling.Point(i, pixelSeed, 0);
                    if (!camera.TryDirection(x, y, spot, out Vector3 d)) { continue; }
                    var ray = new Ray(camera.Origin, d);
                    Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                    if (!hit.IsHit) { continue; }
                    int piece = set.PieceOf(hit);
                    if (!set.Pieces[piece].Duties.WearsFootage) { continue; }
                    Vector3 n = set.Instances[hit.Instance].FaceNormal(hit);
                    if (Vector3.Dot(n, d) > 0) { n = -n; }
                    Vector3 p = ray.At(hit.T);
                    float open = 1;
                    foreach (Projector projector in projectors)
                    {
                        Vector4 c = projector.At(p, n, piece);
                        sum += new Vector4(c.X, c.Y, c.Z, 1) * (c.W * open);
                        open *= 1 - c.W;
                        if (open <= 0) { break; }
                    }
                }
                Vector4 mean = sum / samples;
                Span<float> pixel = image.Pixel(x, y);
                (pixel[0], pixel[1], pixel[2], pixel[3]) = (mean.X, mean.Y, mean.Z, mean.W);
            }
        });
        return image;
    }
}
