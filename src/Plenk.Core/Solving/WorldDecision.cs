using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Solving;

/// <summary>
/// What no track can tell about a camera from elsewhere: which of its axes is up, how long its unit is, where it heads; and what
/// decided it. Axes are the file's own.
/// </summary>
public sealed record WorldDecision(string? Up, string UpBy, double? MetresPerUnit, string? Unit, string UnitBy, string HeadingBy)
{
    private static readonly (string Name, double Metres)[] Units =
    [
        ("metre", 1),
        ("decimetre", 0.1),
        ("centimetre", 0.01),
        ("millimetre", 0.001),
        ("foot", 0.3048),
        ("inch", 0.0254),
    ];
    private static readonly (string Name, Vec3 Axis)[] Axes =
    [
        ("+Y", Vec3.UnitY),
        ("+Z", Vec3.UnitZ),
        ("+X", Vec3.UnitX),
        ("-Y", -Vec3.UnitY),
        ("-Z", -Vec3.UnitZ),
        ("-X", -Vec3.UnitX),
    ];

    /// <param name="path">The plate's frames from <paramref name="first"/>, under the reading that tracks chose.</param>
    /// <param name="points">Survey points in metres, +Y up, with clicks; or points of the file's own space without.</param>
    public static WorldDecision Find(
        IReadOnlyList<(Pose Pose, double Focal)?> path,
        int first,
        int width,
        int height,
        Lens lens,
        IReadOnlyList<SurveyPoint> points,
        Convention convention
    )
    {
        WorldDecision ours = InOurs(path, first, width, height, lens, points);
        if (!convention.Mirrored || ours.Up is null || ours.Up[1] != 'Z')
        {
            return ours;
        }
        return ours with { Up = ours.Up[0] == '+' ? "-Z" : "+Z" };
    }

    private static WorldDecision InOurs(
        IReadOnlyList<(Pose Pose, double Focal)?> path,
        int first,
        int width,
        int height,
        Lens lens,
        IReadOnlyList<SurveyPoint> points
    )
    {
        Pose[] poses = [.. path.Where(p => p is not null).Select(p => p!.Value.Pose)];
        var places = new List<(Vec3 File, Vec3 World)>();
        foreach (SurveyPoint p in points)
        {
            if (p.Position is not { } world)
            {
                continue;
            }
            List<Sight> sights = [];
            foreach (PointClick c in p.Clicks)
            {
                if (c.Frame - first is var i && i >= 0 && i < path.Count && path[i] is { } at)
                {
                    sights.Add(new(at.Pose, new(width, height, at.Focal, at.Focal, width / 2.0, height / 2.0, lens), c.X, c.Y));
                }
            }
            if (Triangulation.Locate(sights, out _) is { } found)
            {
                places.Add((found.Point, world));
            }
        }
        if (places.Count >= 3 && Alignment.Similarity([.. places.Select(p => p.File)], [.. places.Select(p => p.World)], out _) is { } laid)
        {
            var (name, _, off) = Nearest(laid.Map.Rotation.Transpose() * Vec3.UnitY);
            var unit = Units.MinBy(u => Math.Abs(Elementary.Log(laid.Map.Scale / u.Metres)));
            bool known = Math.Abs(Elementary.Log(laid.Map.Scale / unit.Metres)) < 0.03;
            return new(
                off < 3 ? name : null,
                off < 3 ? "survey points" : "survey points: tilted against every axis",
                laid.Map.Scale,
                known ? unit.Name : null,
                "survey points",
                "survey points"
            );
        }
        if (places.Count == 2)
        {
            double scale = (places[1].World - places[0].World).Length / (places[1].File - places[0].File).Length;
            var unit = Units.MinBy(u => Math.Abs(Elementary.Log(scale / u.Metres)));
            var level = Horizon(poses);
            return new(
                level.Up,
                level.By,
                scale,
                Math.Abs(Elementary.Log(scale / unit.Metres)) < 0.03 ? unit.Name : null,
                "survey points",
                "the artist"
            );
        }
        Vec3[] cloud = [.. points.Where(p => p.Clicks.Count == 0 && p.Position is not null).Select(p => p.Position!.Value)];
        if (cloud.Length >= 12 && Ground(cloud, poses) is { } ground)
        {
            return new(ground, "imported 3D points", null, null, "the artist", "the artist");
        }
        var (up, by) = Horizon(poses);
        return new(up, by, null, null, "the artist", "the artist");
    }

    private static (string Name, Vec3 Axis, double Degrees) Nearest(Vec3 up)
    {
        var (name, axis) = Axes.MaxBy(a => Vec3.Dot(a.Axis, up));
        return (name, axis, Rotations.Degrees(Elementary.Acos(Math.Clamp(Vec3.Dot(axis, up.Normalized()), -1, 1))));
    }

    /// <summary>A camera that is held level has its right-hand axis in the horizon, whatever it does else.</summary>
    private static (string? Up, string By) Horizon(Pose[] poses)
    {
        var level = Axes.Where(a =>
                poses.Average(p => Math.Abs(Vec3.Dot(p.Rotation.Column(0), a.Axis))) < 0.12
                && poses.Average(p => Vec3.Dot(p.Rotation.Column(1), a.Axis)) > 0.6
            )
            .ToList();
        return level.Count == 1 ? (level[0].Name, "a level horizon") : (null, "the artist");
    }

    /// <summary>The plane that most of a cloud lies in, where it is square to an axis and under the camera.</summary>
    private static string? Ground(Vec3[] cloud, Pose[] poses)
    {
        var random = new Random(1);
        Vec3 low = cloud[0],
            high = cloud[0],
            eye = default;
        foreach (Vec3 p in cloud)
        {
            (low, high) = (Vec3.Min(low, p), Vec3.Max(high, p));
        }
        foreach (Pose p in poses)
        {
            eye += p.Position / poses.Length;
        }
        double near = 0.005 * (high - low).Length;
        (int Count, Vec3 Normal, double Offset) best = (0, default, 0);
        for (int trial = 0; trial < 400; trial++)
        {
            Vec3 a = cloud[random.Next(cloud.Length)],
                b = cloud[random.Next(cloud.Length)],
                c = cloud[random.Next(cloud.Length)];
            Vec3 n = Vec3.Cross(b - a, c - a).Normalized();
            if (!n.IsFinite)
            {
                continue;
            }
            if (Vec3.Dot(n, eye - a) < 0)
            {
                n = -n;
            }
            int count = cloud.Count(p => Math.Abs(Vec3.Dot(n, p - a)) < near);
            // A wall is a plane as well: the ground's normal is the one the camera's own up leans to.
            if (poses.Average(p => Vec3.Dot(p.Rotation.Column(1), n)) > 0.6 && count > best.Count)
            {
                best = (count, n, Vec3.Dot(n, a));
            }
        }
        if (best.Count < 0.15 * cloud.Length)
        {
            return null;
        }
        var (name, _, off) = Nearest(best.Normal);
        return off < 5 ? name : null;
    }
}
