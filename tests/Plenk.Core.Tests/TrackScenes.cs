using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Tests;

/// <summary>Tracks of known places through known cameras, with Gaussian noise: what solvers are asked to undo.</summary>
internal static class TrackScenes
{
    public static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());

    public static List<Track> Follow(
        IReadOnlyList<Vec3> points,
        Func<int, Pose> camera,
        Pinhole pinhole,
        int frames,
        double sigma,
        int seed
    ) => Follow(points, camera, _ => pinhole, frames, sigma, seed);

    public static List<Track> Follow(
        IReadOnlyList<Vec3> points,
        Func<int, Pose> camera,
        Func<int, Pinhole> pinhole,
        int frames,
        double sigma,
        int seed
    )
    {
        var random = new Random(seed);
        var tracks = new List<Track>();
        foreach (Vec3 p in points)
        {
            var track = new Track(tracks.Count + 1);
            for (int f = 0; f < frames; f++)
            {
                if (!pinhole(f).TryProject(camera(f), p, out double x, out double y) || !pinhole(f).Contains(x, y))
                {
                    if (track.Points.Count > 0)
                    {
                        break;
                    }
                    continue;
                }
                track.Points.Add(new(1001 + f, x + sigma * Normal(random), y + sigma * Normal(random)));
            }
            if (track.Points.Count > 0)
            {
                tracks.Add(track);
            }
        }
        return tracks;
    }

    public static Vec3[] Cloud(int count)
    {
        var random = new Random(8);
        return
        [
            .. Enumerable
                .Range(0, count)
                .Select(_ => new Vec3(random.NextDouble() * 12 - 6, random.NextDouble() * 5 - 2, -4 - 8 * random.NextDouble())),
        ];
    }
}
