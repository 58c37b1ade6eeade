using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats.Cameras;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>How a cloud lies in the world: from its targets; the RMS they leave in metres; or why it lies as it came.</summary>
public sealed record CloudPlace(Similarity ToWorld, double? RmsMetres, int Targets, string? Reason);

/// <summary>Point clouds of a scanner or elsewhere: aligned by survey points, seen in frames like tracked points.</summary>
public sealed class CloudWork(IMedia media)
{
    private const int Cell = 7; // pixels: of the points in one, the nearest is shown
    private readonly Cache<IReadOnlyList<Vec3>> _clouds = new(c => 24L * c.Count);

    public IReadOnlyList<Vec3> Points(PointCloud cloud) =>
        _clouds.Get(cloud.Media, () => PointFiles.ReadPly(media.Read(cloud.Media), cloud.Name));

    public static CloudPlace Place(ShotDocument shot, PointCloud cloud)
    {
        Similarity toWorld = Orienting.Of(shot).SourceToWorld;
        var from = new List<Vec3>();
        var to = new List<Vec3>();
        foreach (CloudTarget t in cloud.Targets)
        {
            if (shot.SurveyPoints.FirstOrDefault(p => p.Name == t.Point)?.Position is not { } at)
            {
                continue;
            }
            from.Add(t.Place);
            to.Add(toWorld.Apply(at));
        }
        if (from.Count < 3)
        {
            return new(
                Similarity.Identity,
                null,
                from.Count,
                $"{from.Count} of its targets are survey points that have a place; three say how it lies. Until then it lies as it came"
            );
        }
        return Alignment.Similarity(from, to, out string? reason, holdScale: cloud.HoldScale) is { } found
            ? new(found.Map, found.Rms, from.Count, null)
            : new(Similarity.Identity, null, from.Count, reason);
    }

    /// <summary>As many points of all clouds, evenly through them, in the world.</summary>
    public IReadOnlyList<Vec3> Spread(ShotDocument shot, int most)
    {
        PointCloud[] clouds = [.. shot.Clouds.Where(c => !c.Off)];
        long all = clouds.Sum(c => (long)Points(c).Count);
        var result = new List<Vec3>();
        foreach (PointCloud cloud in clouds)
        {
            IReadOnlyList<Vec3> points = Points(cloud);
            Similarity toWorld = Place(shot, cloud).ToWorld;
            int count = (int)Math.Min(points.Count, Math.Max(1, most * (long)points.Count / Math.Max(1, all)));
            for (int k = 0; k < count; k++)
            {
                result.Add(toWorld.Apply(points[(int)((k + 0.5) * points.Count / count)]));
            }
        }
        return result;
    }

    /// <summary>Points of all clouds that are seen in a frame, thinned to one in some pixels, the nearest.</summary>
    public IReadOnlyList<(string Name, Vec3 Place, double X, double Y)> Seen(ShotDocument shot, int frame)
    {
        if (
            shot.Clouds.All(c => c.Off)
            || ShotCamera.Of(shot) is not { } camera
            || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
        )
        {
            return [];
        }
        int across = pinhole.Width / Cell + 1,
            down = pinhole.Height / Cell + 1;
        var nearest = new (double Depth, string Cloud, int Index, Vec3 Place, double X, double Y)[across * down];
        Array.Fill(nearest, (double.PositiveInfinity, "", -1, default, 0, 0));
        foreach (PointCloud cloud in shot.Clouds.Where(c => !c.Off))
        {
            Similarity toWorld = Place(shot, cloud).ToWorld;
            IReadOnlyList<Vec3> points = Points(cloud);
            for (int i = 0; i < points.Count; i++)
            {
                Vec3 world = toWorld.Apply(points[i]),
                    own = pose.ToLocal(world);
                if (!(own.Z < 0) || !pinhole.TryProject(own, out double x, out double y) || !pinhole.Contains(x, y))
                {
                    continue;
                }
                ref var cell = ref nearest[(int)(y / Cell) * across + (int)(x / Cell)];
                if (-own.Z < cell.Depth)
                {
                    cell = (-own.Z, cloud.Id, i, world, x, y);
                }
            }
        }
        return [.. nearest.Where(c => c.Index >= 0).Select(c => ($"~{c.Cloud}:{c.Index}", c.Place, c.X, c.Y))];
    }

    /// <summary>The place of a point by the name that <see cref="Seen"/> gave it.</summary>
    public Vec3? Find(ShotDocument shot, string name)
    {
        int colon = name.LastIndexOf(':');
        if (
            !name.StartsWith('~')
            || colon < 1
            || shot.Clouds.FirstOrDefault(c => c.Id == name[1..colon]) is not { } cloud
            || !int.TryParse(name[(colon + 1)..], out int index)
        )
        {
            return null;
        }
        IReadOnlyList<Vec3> points = Points(cloud);
        return index >= 0 && index < points.Count ? Place(shot, cloud).ToWorld.Apply(points[index]) : null;
    }
}
