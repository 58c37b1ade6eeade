using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What a hand does to tracks: <c>place</c>, <c>move</c>, <c>cut</c>, <c>join</c>, <c>delete</c>.</summary>
/// <param name="Track">The track it is done to; none when one is placed.</param>
/// <param name="Other">The track that is joined to it.</param>
public sealed record TrackEdit(string Do, int? Track, int? Other, int Frame, double X, double Y);

/// <summary>Tracks and solves of a shot, from its document and media.</summary>
public sealed class TrackWork(ShotEngine engine, IMedia media)
{
    private readonly Cache<IReadOnlyList<Track>> _tracks = new(t => t.Sum(x => 100 + 40L * x.Points.Count));
    private readonly Cache<TrackFile.StoredSolve> _solves = new(s => 64 * Sizes.Small + 400L * s.Points.Length);

    public IReadOnlyList<Track> Tracks(ShotDocument shot) =>
        shot.Tracks is { } t ? _tracks.Get(t.Media, () => TrackFile.Read(media.Read(t.Media))) : [];

    /// <summary>What became of a track: used, cleaned, held out, left out; or nothing is solved yet.</summary>
    public string Fate(ShotDocument shot, int track) =>
        Solve(shot) is not { } solved ? "unsolved"
        : solved.Points.Any(p => p.Track == track) ? "used"
        : shot.Solving.LeftOut.Contains(track) ? "cleaned"
        : Settings(shot with { Solving = shot.Solving with { HoldFocal = false } }).IsHeldOut(track) ? "held out"
        : "left out";

    /// <summary>The solve in the space of the shot's camera.</summary>
    public TrackFile.StoredSolve? Solve(ShotDocument shot) =>
        shot.Solve is not { } s ? null
        : s.Gauge is null ? Own(s)
        : _solves.Get(ResultKey.Of("solve", 1, s.Media, s.Gauge, s.GaugeScale), () => Own(s).Moved(s.ToCamera));

    private TrackFile.StoredSolve Own(SolveSource s) => _solves.Get(s.Media, () => TrackFile.ReadSolve(media.Read(s.Media)));

    /// <summary>How sure the solve is, in its own space, and what takes the shot's camera space there; null where it cannot be told.</summary>
    public (BundleCovariance Sure, Similarity ToOwn)? Doubts(ShotDocument shot) =>
        shot.Solve is { } s && Own(s).Doubts() is { } sure ? (sure, s.ToCamera.Inverse()) : null;

    public GrayPyramid Picture(ShotDocument shot, int frame)
    {
        CodeImage p = shot.Look.TrackGrainFree ? engine.Plates.GrainFreeCodes(shot, frame) : engine.Plates.PlateCodes(shot, frame);
        if (shot.Look is { TrackThroughCurve: true, Curve: { } curve })
        {
            p = p.Through(new(SeenThrough.Curve, shot.Plate!.Encoding, null, null, curve));
        }
        return GrayPyramid.Of(p.Width, p.Height, p.Channels, p.Bits, p.Codes);
    }

    /// <summary>
    /// Follows features through the shot's range, off its mattes; stopped, it gives what it has. Tracks placed by hand stay.
    /// </summary>
    public (IReadOnlyList<Track> Tracks, bool Whole) Follow(
        ShotDocument shot,
        TrackerSettings settings,
        CancellationToken stop,
        Action<string, double> progress
    )
    {
        var (found, whole) = SolveWork.Follow(
            shot.Range.First,
            shot.Range.Last,
            f => Picture(shot, f),
            f => MatteShape.Allowed(shot.Mattes, f),
            settings,
            stop,
            progress,
            keepWhenStopped: true
        );
        Track[] byHand = [.. Tracks(shot).Where(t => t.ByHand)];
        return ([.. byHand, .. found.Select(t => Renumbered(t, byHand.Select(h => h.Id).DefaultIfEmpty(0).Max()))], whole);
    }

    private static Track Renumbered(Track t, int after)
    {
        if (after == 0)
        {
            return t;
        }
        var copy = new Track(t.Id + after)
        {
            Ended = t.Ended,
            Began = t.Began,
            ByHand = t.ByHand,
        };
        copy.Points.AddRange(t.Points);
        return copy;
    }

    /// <summary>The tracks after a hand's change. Tracks are not changed in place.</summary>
    public IReadOnlyList<Track> Edit(ShotDocument shot, TrackEdit edit)
    {
        List<Track> tracks = [.. Tracks(shot)];
        int At(int? id) => tracks.FindIndex(t => t.Id == id) is var i and >= 0 ? i : throw new ShotFault($"There is no track {id}.");
        switch (edit.Do)
        {
            case "place":
                if (!shot.Range.Contains(edit.Frame))
                {
                    throw new ShotFault($"Frame {edit.Frame} is outside the shot's range.");
                }
                tracks.Add(FollowByHand(shot, tracks.Select(t => t.Id).DefaultIfEmpty(0).Max() + 1, edit.Frame, edit.X, edit.Y));
                break;
            case "move":
                int moved = At(edit.Track);
                if (!tracks[moved].TryAt(edit.Frame, out _))
                {
                    throw new ShotFault($"Track {edit.Track} does not live at {edit.Frame}.");
                }
                tracks[moved] = Copy(
                    tracks[moved],
                    tracks[moved].Points.Select(p => p.Frame == edit.Frame ? new TrackPoint(p.Frame, edit.X, edit.Y) : p),
                    byHand: true
                );
                break;
            case "cut":
                int cut = At(edit.Track);
                TrackPoint[] kept = [.. tracks[cut].Points.Where(p => p.Frame <= edit.Frame)];
                if (kept.Length < 2)
                {
                    throw new ShotFault($"Track {edit.Track} would be left with one frame. Delete it instead, or cut later.");
                }
                tracks[cut] = Copy(tracks[cut], kept, tracks[cut].ByHand, "cut by hand");
                break;
            case "join":
                int one = At(edit.Track),
                    two = At(edit.Other);
                Track first = tracks[one].Points[0].Frame <= tracks[two].Points[0].Frame ? tracks[one] : tracks[two],
                    second = first == tracks[one] ? tracks[two] : tracks[one];
                int gap = second.Points[0].Frame - first.Points[^1].Frame;
                if (one == two || gap < 1)
                {
                    throw new ShotFault("Two tracks are joined where one ends before the other begins; these live at the same time.");
                }
                if (gap > 12)
                {
                    throw new ShotFault($"There are {gap - 1} frames between the two; across more than 11 nothing says that they are one.");
                }
                // Straight across the frames between, where it was hidden.
                IEnumerable<TrackPoint> bridge = Enumerable
                    .Range(1, gap - 1)
                    .Select(k => new TrackPoint(
                        first.Points[^1].Frame + k,
                        first.Points[^1].X + (second.Points[0].X - first.Points[^1].X) * k / gap,
                        first.Points[^1].Y + (second.Points[0].Y - first.Points[^1].Y) * k / gap
                    ));
                tracks[one] = new Track(edit.Track!.Value)
                {
                    ByHand = true,
                    Ended = second.Ended,
                    Began = first.Began,
                };
                tracks[one].Points.AddRange([.. first.Points, .. bridge, .. second.Points]);
                tracks.RemoveAt(two);
                break;
            case "delete":
                tracks.RemoveAt(At(edit.Track));
                break;
            default:
                throw new ShotFault($"“{edit.Do}” is nothing that is done to a track.");
        }
        return tracks;
    }

    private static Track Copy(Track t, IEnumerable<TrackPoint> points, bool byHand, string? ended = null)
    {
        var copy = new Track(t.Id)
        {
            Ended = ended ?? t.Ended,
            Began = t.Began,
            ByHand = byHand,
        };
        copy.Points.AddRange(points);
        return copy;
    }

    /// <summary>From a spot on one frame forwards, then backwards, as far as it looks like itself.</summary>
    private Track FollowByHand(ShotDocument shot, int id, int frame, double x, double y)
    {
        var settings = new TrackerSettings { Count = 0 };
        var track = new Track(id) { ByHand = true };
        foreach (int direction in (int[])[1, -1])
        {
            var tracker = new PointTracker(settings);
            tracker.Next(frame, Picture(shot, frame));
            if (!tracker.Seed(track, x, y))
            {
                throw new ShotFault("There is nothing to follow at that spot: it looks the same all around. Click on a corner or a speck.");
            }
            for (int f = frame + direction; shot.Range.Contains(f) && tracker.LiveCount > 0; f += direction)
            {
                tracker.Next(f, Picture(shot, f), MatteShape.Allowed(shot.Mattes, f));
            }
        }
        if (track.Points.Count < 2)
        {
            throw new ShotFault($"The spot is lost in the next frame already ({track.Ended}). Click where it is sharper.");
        }
        return track;
    }

    public SolveSettings Settings(ShotDocument shot)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        SolveChoice choice = shot.Solving;
        if (choice.HoldFocal && plate.FocalMm is null)
        {
            throw new ShotFault("The focal length is to be held, but the plate has none. Type it at step 1, or let it be found.");
        }
        return new()
        {
            Width = plate.Width,
            Height = plate.Height,
            FocalPx = choice.HoldFocal ? plate.FocalMm * plate.Width / plate.SensorWidthMm : null,
            RefineLens =
                (
                    choice.RefineLens switch
                    {
                        "k1" => Intrinsics.K1,
                        "k1k2" => Intrinsics.K1 | Intrinsics.K2,
                        _ => Intrinsics.None,
                    }
                ) | (choice.RefinePrincipalPoint ? Intrinsics.PrincipalPoint : Intrinsics.None),
            Zooms = choice.Zooms,
            Seed = shot.Seed,
        };
    }

    public SolveResult Solve(ShotDocument shot, CancellationToken stop, Action<string, double>? progress)
    {
        if (shot.Tracks is null)
        {
            throw new ShotFault("There are no tracks yet. Track the plate first.");
        }
        var leftOut = shot.Solving.LeftOut.ToHashSet();
        Track[] tracks = [.. Tracks(shot).Where(t => !leftOut.Contains(t.Id)).Select(t => Within(t, shot.Range)).OfType<Track>()];
        return SolveWork.Camera(
            shot.Solving.Turns ? CameraMoves.Turns : CameraMoves.Travels,
            tracks,
            shot.Range.First,
            shot.Range.Last,
            Settings(shot),
            stop,
            progress
        );
    }

    private static Track? Within(Track t, FrameRange range)
    {
        if (range.Contains(t.Points[0].Frame) && range.Contains(t.Points[^1].Frame))
        {
            return t;
        }
        TrackPoint[] points = [.. t.Points.Where(p => range.Contains(p.Frame))];
        return points.Length < 2 ? null : Copy(t, points, t.ByHand);
    }

    /// <summary>
    /// The shot with a solve for its camera. Survey points are taken into the solve's own space: measured ones all together, by those of
    /// them that are clicked, so that they keep their distances; others by their clicks; one that has neither has no place any more.
    /// </summary>
    /// <param name="gauge">From the solve's space to the camera's; null: they are one.</param>
    public static ShotDocument With(ShotDocument shot, SolveResult r, string solveMedia, Similarity? gauge = null)
    {
        Pose Laid(Pose pose) => gauge is { } g ? pose.Moved(g) : pose;
        Pinhole p = r.Pinhole!;
        var camera = new CameraSource
        {
            Name = r.Turning ? "solved from the plate, turning" : "solved from the plate",
            Rate = shot.Rate,
            Mapping = new(shot.Range.First, shot.Range.First),
            Lens = new(p.Lens.K1, p.Lens.K2),
            Width = p.Width,
            Height = p.Height,
            Samples =
            [
                .. r.Frames.Select(f => new CameraSample(f.Frame, Laid(f.CameraToWorld).ToRowMajor16(), r.PinholeAt(f).Fx, p.Cx, p.Cy)),
            ],
        };
        var poses = r.Frames.ToDictionary(f => f.Frame);
        (Vec3 Old, Vec3 New)[] known =
        [
            .. shot
                .SurveyPoints.Where(s => s is { FromClicks: false, Position: not null, Clicks.Count: > 1 })
                .Select(s => (s.Position!.Value, Clicked(s)))
                .Where(k => k.Item2 is not null)
                .Select(k => (k.Item1, k.Item2!.Value)),
        ];
        Similarity? measured =
            known.Length >= 3 && Alignment.Similarity([.. known.Select(k => k.Old)], [.. known.Select(k => k.New)], out _) is { } aligned
                ? aligned.Map
                : null;
        SurveyPoint Placed(SurveyPoint s)
        {
            if (measured is { } map && s is { FromClicks: false, Position: { } at })
            {
                return s with { Position = map.Apply(at) };
            }
            return s.Clicks.Count == 0 ? s with { Position = null } : s with { FromClicks = true, Position = Clicked(s) };
        }
        Vec3? Clicked(SurveyPoint s)
        {
            Sight[] sights =
            [
                .. s
                    .Clicks.Where(c => poses.ContainsKey(c.Frame))
                    .Select(c => new Sight(Laid(poses[c.Frame].CameraToWorld), r.PinholeAt(poses[c.Frame]), c.X, c.Y)),
            ];
            return Triangulation.Locate(sights, out _)?.Point;
        }
        return shot with
        {
            Camera = camera,
            Solve = new()
            {
                Media = solveMedia,
                Turns = r.Turning,
                RmsPx = r.RmsPx,
                TracksUsed = r.TracksUsed,
                GaugeScale = gauge?.Scale ?? 1,
                Gauge = gauge is { } own ? new Pose(own.Rotation, own.Translation).ToRowMajor16() : null,
            },
            SurveyPoints = [.. shot.SurveyPoints.Select(Placed)],
        };
    }
}
