using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Projection;

/// <summary>
/// What another camera filmed, as an upright picture in the world that is turned to it: seen from elsewhere through the plane that it
/// stands in (the homography of a plane between two views, Hartley and Zisserman 2003, section 13.1).
/// </summary>
public static class UprightLayer
{
    /// <summary>So many samples each way of a pixel that shows much of the picture.</summary>
    private const int MostSamples = 4;

    /// <summary>
    /// The plane through a foot's place that stands upright and is turned to a camera: its unit normal. Seen from straight above it lies.
    /// </summary>
    public static Vec3 Facing(Vec3 foot, Vec3 camera)
    {
        Vec3 to = camera - foot,
            level = new(to.X, 0, to.Z);
        return (level.Length > 1e-6 * Math.Max(1, to.Length) ? level : to).Normalized();
    }

    /// <summary>
    /// A picture (H × W × C, premultiplied where it has alpha) of another camera as a grid of rays sees it; nothing where it does not reach.
    /// </summary>
    /// <param name="by">The other camera, of the picture's size.</param>
    /// <param name="foot">A place of the plane, metres.</param>
    public static FloatImage Seen(FloatImage picture, Pinhole by, Pose pose, Vec3 foot, RayGrid from)
    {
        Vec3 normal = Facing(foot, pose.Position);
        var result = new FloatImage(from.Width, from.Height, picture.Channels);
        bool Place(double px, double py, out double u, out double v)
        {
            (u, v) = (0, 0);
            if (!from.TryExactDirection(px, py, out Vector3 d))
            {
                return false;
            }
            Vec3 origin = Vec3.From(from.Origin),
                direction = Vec3.From(d);
            double t = Vec3.Dot(foot - origin, normal) / Vec3.Dot(direction, normal);
            return t > 0 && double.IsFinite(t) && by.TryProject(pose, origin + t * direction, out u, out v);
        }
        Parallel.For(0, from.Height, Cores.All, y =>
        {
            Span<float> one = stackalloc float[picture.Channels],
                sum = stackalloc float[picture.Channels];
            for (int x = 0; x < from.Width; x++)
            {
                if (!Place(x + 0.5, y + 0.5, out double u, out double v))
                {
                    continue;
                }
                double wide =
                    Place(x + 1.5, y + 0.5, out double u1, out double v1) && Place(x + 0.5, y + 1.5, out double u2, out double v2)
                        ? Math.Max(
                            Math.Sqrt((u1 - u) * (u1 - u) + (v1 - v) * (v1 - v)),
                            Math.Sqrt((u2 - u) * (u2 - u) + (v2 - v) * (v2 - v))
                        )
                        : 1;
                int n = Math.Clamp((int)Math.Ceiling(wide - 0.01), 1, MostSamples);
                sum.Clear();
                for (int k = 0; k < n * n; k++)
                {
                    if (
                        (n == 1 || Place(x + (k % n + 0.5) / n, y + (k / n + 0.5) / n, out u, out v))
                        && u >= 0
                        && v >= 0
                        && u <= picture.Width
                        && v <= picture.Height
                    )
                    {
                        picture.SampleBilinear(u, v, one);
                        for (int c = 0; c < sum.Length; c++)
                        {
                            sum[c] += one[c] / (n * n);
                        }
                    }
                }
                sum.CopyTo(result.Pixel(x, y));
            }
        });
        return result;
    }
}
