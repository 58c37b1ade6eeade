using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Sets;

/// <summary>What a camera sees of the floor, y = 0, metres: where one looks, and the least and greatest x and z that are seen.</summary>
/// <param name="Middle">
/// Under the frame's middle, or where that sees too far or the sky, under the highest spot below it that does not.
/// </param>
public sealed record FloorView(Vec3 Middle, Vec3 Least, Vec3 Most)
{
    /// <summary>What is seen flatter than this counts as too far: the floor of a frame with a horizon has no end.</summary>
    private const double LeastSlope = 0.0524; // of 3°
    private const int Across = 32;

    /// <summary>Null where no floor is seen.</summary>
    public static FloorView? Of(Pose cameraToWorld, Pinhole pinhole)
    {
        double far = Math.Abs(cameraToWorld.Position.Y) / LeastSlope;
        Vec3? At(double x, double y) =>
            pinhole.TryFloor(cameraToWorld, x * pinhole.Width, y * pinhole.Height, out Vec3 p, out _)
            && Level(p - cameraToWorld.Position) <= far
                ? p
                : null;
        Vec3[] seen =
        [
            .. Enumerable
                .Range(0, (Across + 1) * (Across + 1))
                .Select(i => At((double)(i % (Across + 1)) / Across, (double)(i / (Across + 1)) / Across))
                .OfType<Vec3>(),
        ];
        if (seen.Length == 0)
        {
            return null;
        }
        Vec3 middle = Enumerable
            .Range(Across / 2, Across / 2 + 1)
            .Select(i => At(0.5, (double)i / Across))
            .FirstOrDefault(p => p is not null)
            ?? seen.MinBy(p => Level(p - cameraToWorld.Position));
        return new(middle, new(seen.Min(p => p.X), 0, seen.Min(p => p.Z)), new(seen.Max(p => p.X), 0, seen.Max(p => p.Z)));
    }

    private static double Level(Vec3 v) => Math.Sqrt(v.X * v.X + v.Z * v.Z);
}
