using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>What a camera that is set by hand is dragged against: a grid on a plane through the origin, and the horizon.</summary>
public static class HandGrids
{
    private const int Reach = 20;

    /// <summary>Lines of the grid as x, y, x, y … in pixels of the plate.</summary>
    /// <param name="step">Metres.</param>
    public static IReadOnlyList<double[]> Lines(Pinhole pinhole, Pose cameraToWorld, HandGrid grid, double step)
    {
        var lines = new List<double[]>();
        double far = Reach * step;
        for (int k = -Reach; k <= Reach; k++)
        {
            double s = k * step;
            switch (grid)
            {
                case HandGrid.Floor:
                    Add(new(s, 0, -far), new(s, 0, far));
                    Add(new(-far, 0, s), new(far, 0, s));
                    break;
                case HandGrid.WallX:
                    Add(new(s, 0, 0), new(s, far / 2, 0));
                    Upright(s, new(-far, s, 0), new(far, s, 0));
                    break;
                default:
                    Add(new(0, 0, s), new(0, far / 2, s));
                    Upright(s, new(0, s, -far), new(0, s, far));
                    break;
            }
        }
        return lines;

        void Upright(double height, Vec3 a, Vec3 b)
        {
            if (height >= 0 && height <= far / 2)
            {
                Add(a, b);
            }
        }
        void Add(Vec3 a, Vec3 b)
        {
            if (SeenLine.Of(pinhole, cameraToWorld, a, b) is { } line)
            {
                lines.Add(line);
            }
        }
    }

    /// <summary>Where level ways vanish, x, y, x, y …, from one side of the picture to the other; null: it is not in sight.</summary>
    public static double[]? Horizon(Pinhole pinhole, Pose cameraToWorld)
    {
        // Level ways about the one that is looked along.
        Vec3 ahead = -cameraToWorld.Rotation.Column(2),
            level = new Vec3(ahead.X, 0, ahead.Z).Normalized();
        if (!level.IsFinite)
        {
            return null;
        }
        var line = new List<double>();
        for (int k = -85; k <= 85; k += 5)
        {
            Vec3 way = cameraToWorld.Rotation.Transpose() * (Rotations.AboutY(Rotations.Radians(-k)) * level);
            if (way.Z < SeenLine.Near && pinhole.TryProject(way, out double x, out double y) && Math.Abs(x) < 1e5 && Math.Abs(y) < 1e5)
            {
                line.Add(x);
                line.Add(y);
            }
        }
        return line.Count >= 4 ? [.. line] : null;
    }
}
