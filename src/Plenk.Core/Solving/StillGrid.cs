using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>Lines of a grid on the floor and on two walls through the origin, for a look at a still's camera.</summary>
public static class StillGrid
{
    private const int Reach = 10;

    /// <summary>
    /// x0 y0 x1 y1 of every line that comes before the camera; <paramref name="step"/> in the world's unit. The camera has no lens.
    /// </summary>
    public static IReadOnlyList<double[]> Lines(Pinhole pinhole, Pose cameraToWorld, double step)
    {
        var lines = new List<double[]>();
        void Add(Vec3 a, Vec3 b)
        {
            if (SeenLine.Of(pinhole, cameraToWorld, a, b) is { } line)
            {
                lines.Add(line);
            }
        }
        for (int k = -Reach; k <= Reach; k++)
        {
            double s = k * step,
                far = Reach * step,
                high = 0.4 * far;
            Add(new(s, 0, -far), new(s, 0, far));
            Add(new(-far, 0, s), new(far, 0, s));
            // The walls stand on the axes through the origin.
            Add(new(s, 0, 0), new(s, high, 0));
            Add(new(0, 0, s), new(0, high, s));
            if (k < 0 || s > high)
            {
                continue;
            }
            Add(new(-far, s, 0), new(far, s, 0));
            Add(new(0, s, -far), new(0, s, far));
        }
        return lines;
    }
}
