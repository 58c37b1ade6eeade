using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Solving;

/// <summary>How another camera of the same footage is laid over the place as the old one saw it.</summary>
/// <param name="NewToOld">From the new camera's space to the old one's.</param>
/// <param name="MiddlePixels">By how much places of the set move in the picture: the median, and the most.</param>
/// <param name="Points">Places that it was laid by; 0: by the cameras' own directions and path.</param>
public sealed record PlaceFit(Similarity NewToOld, double MiddlePixels, double MostPixels, int Points);

/// <summary>
/// The gauge of a new solve is free: its place, turn and scale are chosen so that what the old camera saw of the place is seen in the same
/// pixels. Places are located anew from where the old camera saw them, and laid on themselves (Umeyama 1991), near ones more exactly; heavy
/// tails by Cauchy weights.
/// </summary>
public static class PlaceKept
{
    private const int MostFrames = 12,
        LeastPoints = 8,
        Rounds = 8;

    /// <summary>Within so much all agree, pixels.</summary>
    private const double Width = 0.5;

    /// <param name="old">The old camera in its own space, by shot frame; null: it has none there.</param>
    /// <param name="newer">The new one in its own, for pictures of the same size.</param>
    /// <param name="points">Places that are seen, in the old camera's space.</param>
    /// <returns>Null: the cameras share no two frames.</returns>
    public static PlaceFit? Fit(
        Func<int, (Pose Pose, Pinhole Pinhole)?> old,
        Func<int, (Pose Pose, Pinhole Pinhole)?> newer,
        IReadOnlyList<int> frames,
        IReadOnlyList<Vec3> points
    )
    {
        int[] shared = [.. frames.Where(f => old(f) is not null && newer(f) is not null)];
        if (shared.Length < 2)
        {
            return null;
        }
        int count = Math.Min(MostFrames, shared.Length);
        var cameras = Enumerable
            .Range(0, count)
            .Select(k => shared[k * (shared.Length - 1) / (count - 1)])
            .Select(f => (Old: old(f)!.Value, New: newer(f)!.Value))
            .ToArray();
        var pairs = new List<(Vec3 New, Vec3 Old, double PixelsAUnit)>();
        foreach (Vec3 p in points)
        {
            var sights = new List<Sight>();
            double near = double.PositiveInfinity;
            foreach (var (was, now) in cameras)
            {
                if (Seen(was, p, out double x, out double y))
                {
                    sights.Add(new(now.Pose, now.Pinhole, x, y));
                    near = Math.Min(near, (p - was.Pose.Position).Length);
                }
            }
            if (sights.Count > 1 && Triangulation.Locate(sights, out _) is { ParallaxDegrees: > 0.5 } found && near > 0)
            {
                pairs.Add((found.Point, p, cameras[0].Old.Pinhole.Fx / near));
            }
        }
        Similarity? byPlaces = pairs.Count >= LeastPoints ? ByPlaces(pairs) : null;
        Similarity map = byPlaces ?? ByCameras(cameras);
        double[] off =
        [
            .. cameras
                .SelectMany(c =>
                    points.Select(p =>
                        Seen(c.Old, p, out double x, out double y)
                            ? c.New.Pinhole.TryProject(c.New.Pose.Moved(map), p, out double u, out double v)
                                ? Math.Sqrt((u - x) * (u - x) + (v - y) * (v - y))
                                : double.PositiveInfinity
                            : double.NaN
                    )
                )
                .Where(d => !double.IsNaN(d))
                .Order(),
        ];
        return new(
            map,
            off.Length == 0 ? double.NaN : off[off.Length / 2],
            off.Length == 0 ? double.NaN : off[^1],
            byPlaces is null ? 0 : pairs.Count
        );
    }

    private static bool Seen((Pose Pose, Pinhole Pinhole) camera, Vec3 p, out double x, out double y) =>
        camera.Pinhole.TryProject(camera.Pose, p, out x, out y)
        && x >= 0
        && y >= 0
        && x < camera.Pinhole.Width
        && y < camera.Pinhole.Height;

    private static Similarity? ByPlaces(List<(Vec3 New, Vec3 Old, double PixelsAUnit)> pairs)
    {
        Vec3[] from = [.. pairs.Select(p => p.New)],
            to = [.. pairs.Select(p => p.Old)];
        Similarity? map = null;
        for (int round = 0; round < Rounds; round++)
        {
            double[] weights =
            [
                .. pairs.Select(p =>
                {
                    double e = map is { } m ? (m.Apply(p.New) - p.Old).Length * p.PixelsAUnit / Width : 0;
                    return p.PixelsAUnit * p.PixelsAUnit / (1 + e * e);
                }),
            ];
            if (Alignment.Similarity(from, to, out _, weights) is not { } fit)
            {
                return map;
            }
            map = fit.Map;
        }
        return map;
    }

    /// <summary>By directions and path alone: for a camera that turns about one place, or where nothing is built.</summary>
    private static Similarity ByCameras(((Pose Pose, Pinhole Pinhole) Old, (Pose Pose, Pinhole Pinhole) New)[] cameras)
    {
        Matrix3 turn = Alignment.Rotation(
            [
                .. cameras.SelectMany(c =>
                    Enumerable.Range(0, 3).Select(k => (From: c.New.Pose.Rotation.Column(k), To: c.Old.Pose.Rotation.Column(k)))
                ),
            ],
            0.01
        );
        static double Long(IEnumerable<Vec3> path)
        {
            Vec3[] all = [.. path];
            return all.Zip(all.Skip(1)).Sum(s => (s.Second - s.First).Length);
        }
        double was = Long(cameras.Select(c => c.Old.Pose.Position)),
            now = Long(cameras.Select(c => c.New.Pose.Position)),
            scale = was > 1e-9 && now > 1e-9 ? was / now : 1;
        Vec3 shift = Vec3.Zero;
        foreach (var (old, newer) in cameras)
        {
            shift += (1.0 / cameras.Length) * (old.Pose.Position - scale * (turn * newer.Pose.Position));
        }
        return new(scale, turn, shift);
    }
}
