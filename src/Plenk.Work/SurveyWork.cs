using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;

namespace Plenk.Work;

/// <summary>Where a survey point was found to be, in the camera's own space; null and why, while its clicks do not say.</summary>
public sealed record LocatedPoint(Vec3? Position, double? RmsPixels, double? ParallaxDegrees, string? Reason);

/// <summary>What is made from survey points of a shot: places from clicks, pieces through places.</summary>
public static class SurveyWork
{
    public static LocatedPoint Locate(ShotDocument shot, string name)
    {
        SurveyPoint point = shot.SurveyPoints.FirstOrDefault(p => p.Name == name)
            ?? throw new ShotFault($"There is no survey point called {name}.");
        ShotCamera camera = ShotCamera.Of(shot)
            ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2; then clicks can say where a point is.");
        var sights = new List<Sight>();
        foreach (PointClick click in point.Clicks)
        {
            if (camera.TryAt(click.Frame, out Pose pose, out Pinhole pinhole))
            {
                sights.Add(new(pose, pinhole, click.X, click.Y));
            }
        }
        return Triangulation.Locate(sights, out string? reason) is { } found
            ? new(camera.SourceToWorld.Inverse().Apply(found.Point), found.RmsPixels, found.ParallaxDegrees, null)
            : new(null, null, null, $"{name} has no place yet: {reason}.");
    }

    private const int MostClicks = 8;
    private const int MostOnFloor = 12;

    /// <summary>A track as a survey point, “T12”: up to eight of its places are the point's clicks, and they say where it is.</summary>
    public static ShotDocument WithTrack(ShotDocument shot, TrackWork tracks, int track)
    {
        Track own = tracks.Tracks(shot).FirstOrDefault(t => t.Id == track) ?? throw new ShotFault($"There is no track {track}.");
        TrackPoint[] seen = [.. own.Points.Where(p => p.Frame >= shot.Range.First && p.Frame <= shot.Range.Last)];
        if (seen.Length == 0)
        {
            throw new ShotFault($"Track {track} lies outside the shot's frames.");
        }
        int n = Math.Min(MostClicks, seen.Length);
        var point = new SurveyPoint
        {
            Name = $"T{track}",
            FromClicks = true,
            Clicks =
            [
                .. Enumerable
                    .Range(0, n)
                    .Select(i => seen[(int)Math.Round(i * (seen.Length - 1.0) / Math.Max(1, n - 1))])
                    .DistinctBy(p => p.Frame)
                    .Select(p => new PointClick(p.Frame, p.X, p.Y)),
            ],
        };
        ShotDocument with = shot with { SurveyPoints = [.. shot.SurveyPoints.Where(p => p.Name != point.Name), point] };
        return shot.Camera is null
            ? with
            : with with
            {
                SurveyPoints = [.. with.SurveyPoints.SkipLast(1), point with { Position = Locate(with, point.Name).Position }],
            };
    }

    /// <summary>
    /// What was named the floor: how many of the tracks lie on one plane, how many of them stand for it, and how far these lie off it, as a
    /// share of how far they are spread.
    /// </summary>
    public sealed record NamedFloor(ShotDocument Shot, int On, int Of, IReadOnlyList<string> Names, double OffShare);

    /// <summary>
    /// The floor through tracks of the solve: those that do not lie on the plane that most agree on are left out, and a dozen of the rest,
    /// spread over it, become survey points and the floor.
    /// </summary>
    public static NamedFloor Floor(ShotDocument shot, TrackWork tracks, IReadOnlyList<int> named)
    {
        if (tracks.Solve(shot) is not { Turning: false } solve)
        {
            throw new ShotFault(
                "Tracks have no places yet: solve a camera that travels first. One that only turns has no floor of its own; draw uprights."
            );
        }
        HashSet<int> wanted = [.. named];
        var own = solve
            .Points.Where(p => wanted.Contains(p.Track))
            .Select(p => (p.Track, Place: new Vec3(p.Position[0], p.Position[1], p.Position[2])))
            .ToArray();
        RobustPlaneResult plane = RobustPlane.Fit([.. own.Select(p => p.Place)], shot.Seed, out string? reason)
            ?? throw new ShotFault($"No floor: {reason}. Circle more tracks that lie on it, some of them aside.");
        Vec3[] on = [.. plane.On.Select(i => own[i].Place)];
        double spread = Math.Sqrt(on.Average(p => (p - plane.Plane.Centroid).LengthSquared));
        ShotDocument with = shot;
        var names = new List<string>();
        foreach (int i in Spread.Of(on, MostOnFloor))
        {
            int track = own[plane.On[i]].Track;
            ShotDocument next = WithTrack(with, tracks, track);
            // One that is seen for too short a way has no place by its clicks alone.
            if (next.SurveyPoints[^1].Position is not null)
            {
                names.Add($"T{track}");
                with = next;
            }
        }
        if (names.Count < 3)
        {
            throw new ShotFault(
                "The circled tracks are seen from too nearly one place to say where they are. Circle tracks that live longer."
            );
        }
        return new(
            with with
            {
                Orientation = with.Orientation with { Floor = names },
            },
            on.Length,
            own.Length,
            names,
            plane.Plane.Rms / spread
        );
    }

    /// <summary>The solve's points in the world, by track; what of them is seen in a frame, and where.</summary>
    public static IReadOnlyList<(int Track, Vec3 Place, double X, double Y)> Seen(ShotDocument shot, TrackWork tracks, int frame)
    {
        if (
            tracks.Solve(shot) is not { Turning: false } solve
            || ShotCamera.Of(shot) is not { } camera
            || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
        )
        {
            return [];
        }
        var live = tracks.Tracks(shot).Where(t => t.TryAt(frame, out _)).ToDictionary(t => t.Id);
        var seen = new List<(int, Vec3, double, double)>();
        foreach (var p in solve.Points)
        {
            Vec3 world = camera.SourceToWorld.Apply(new(p.Position[0], p.Position[1], p.Position[2]));
            if (live.ContainsKey(p.Track) && pinhole.TryProject(pose, world, out double x, out double y) && pinhole.Contains(x, y))
            {
                seen.Add((p.Track, world, x, y));
            }
        }
        return seen;
    }

    /// <summary>All points that can be chosen in a frame besides survey points: the solve's, and those of clouds.</summary>
    public static IReadOnlyList<(string Name, Vec3 Place, double X, double Y)> Choosable(
        ShotDocument shot,
        TrackWork tracks,
        CloudWork clouds,
        int frame
    ) => [.. Seen(shot, tracks, frame).Select(p => ($"#{p.Track}", p.Place, p.X, p.Y)), .. clouds.Seen(shot, frame)];

    /// <summary>
    /// Names, as <see cref="Fit"/> takes them, of the tracked points that lie on the surface under a spot of the picture.
    /// </summary>
    public static IReadOnlyList<string> Surface(ShotDocument shot, TrackWork tracks, CloudWork clouds, int frame, double x, double y)
    {
        IReadOnlyList<(string Name, Vec3 Place, double X, double Y)> seen = Choosable(shot, tracks, clouds, frame);
        if (seen.Count < 8)
        {
            throw new ShotFault(
                "There are hardly any points in this frame. Track and solve the camera at step 2, bring a point cloud in, or go to a "
                    + "frame that sees more of them."
            );
        }
        int seed = Enumerable.Range(0, seen.Count).MinBy(i => (seen[i].X - x) * (seen[i].X - x) + (seen[i].Y - y) * (seen[i].Y - y));
        Vec3[] all = [.. seen.Select(s => s.Place)];
        // A hundredth of the distance is what points of a solve are good for.
        double far = ShotCamera.Of(shot)!.TryAt(frame, out Pose pose, out _) ? (all[seed] - pose.Position).Length : 1;
        IReadOnlyList<int> on = SurfaceGrow.Plane(all, seed, 0.006 * far, shot.Seed);
        return on.Count < 8
            ? throw new ShotFault("No eight points lie in a plane there. Click in the middle of a flat surface, or circle its points.")
            : [.. on.Select(i => seen[i].Name)];
    }

    /// <summary>What a fit leaves, as it is seen in a frame: its RMS at the piece's own distance, pixels; null behind the camera.</summary>
    public static double? InPixels(ShotDocument shot, FittedPiece fitted, int frame)
    {
        if (ShotCamera.Of(shot) is not { } camera || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole))
        {
            return null;
        }
        double depth = -pose.ToLocal(fitted.Piece.Position).Z;
        return depth > 0 ? fitted.RmsMetres * pinhole.Fx / depth : null;
    }

    public static FittedPiece Fit(
        ShotDocument shot,
        TrackWork tracks,
        CloudWork clouds,
        PieceKind kind,
        IReadOnlyList<string> names,
        int frame
    )
    {
        Similarity toWorld = Orienting.Of(shot).SourceToWorld;
        var places = new List<Vec3>();
        Dictionary<int, double[]>? solved = names.Any(n => n.StartsWith('#'))
            ? tracks.Solve(shot)?.Points.ToDictionary(p => p.Track, p => p.Position)
            : null;
        foreach (string name in names)
        {
            if (name.StartsWith('#'))
            {
                if (int.TryParse(name[1..], out int track) && solved?.GetValueOrDefault(track) is { } p)
                {
                    places.Add(toWorld.Apply(new(p[0], p[1], p[2])));
                }
                continue;
            }
            if (name.StartsWith('~'))
            {
                places.Add(
                    clouds.Find(shot, name)
                        ?? throw new ShotFault("A point of a cloud that is no longer in the shot is among those chosen. Choose them anew.")
                );
                continue;
            }
            SurveyPoint point = shot.SurveyPoints.FirstOrDefault(p => p.Name == name)
                ?? throw new ShotFault($"There is no survey point called {name}.");
            places.Add(toWorld.Apply(point.Position ?? throw new ShotFault($"{name} has no place yet: click it in a second frame.")));
        }
        Vec3? eye = ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out Pose pose, out _) ? pose.Position : null;
        string? reason;
        FittedPiece? fitted = kind switch
        {
            PieceKind.Plane => PieceFit.Plane(places, eye, out reason),
            PieceKind.Box => PieceFit.Box(places, out reason, eye),
            PieceKind.Cylinder => PieceFit.Cylinder(places, out reason),
            _ => throw new ShotFault("Only planes, boxes and cylinders are laid through points."),
        };
        if (fitted is null)
        {
            throw new ShotFault($"No {kind.ToString().ToLowerInvariant()} goes through these points: {reason}.");
        }
        return fitted with { Piece = PieceFit.Square(fitted.Piece, shot.Pieces) };
    }
}
