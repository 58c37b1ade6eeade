using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

public sealed record SolveSettings
{
    public required int Width { get; init; }
    public required int Height { get; init; }

    /// <summary>Pixels; null: unknown, found and refined.</summary>
    public double? FocalPx { get; init; }

    /// <summary>Every frame has a focal length of its own; <see cref="FocalPx"/>, where known, is that of the first frame.</summary>
    public bool Zooms { get; init; }

    /// <summary>Pixel width ÷ height; 2 for a squeezed anamorphic plate. fy = fx × this.</summary>
    public double PixelAspect { get; init; } = 1;

    /// <summary>Lens terms to refine besides the focal length: K1, K2, the principal point; only what is asked for.</summary>
    public Intrinsics RefineLens { get; init; } = Intrinsics.K1 | Intrinsics.K2;

    /// <summary>What is known of the lens beforehand; terms that are not refined stay so.</summary>
    public Lens Lens { get; init; } = Lens.None;

    /// <summary>A known principal point, pixels; null: the picture's centre.</summary>
    public double? Cx { get; init; }
    public double? Cy { get; init; }

    /// <summary>Every n-th track is kept out of the solve and measured afterwards; 0: none.</summary>
    public int HoldOutEvery { get; init; } = 10;
    public uint Seed { get; init; } = 1;

    public double CentreX => Cx ?? Width / 2.0;
    public double CentreY => Cy ?? Height / 2.0;

    /// <summary>A spot of the picture at unit focal length, y down, the known lens taken off.</summary>
    public (double X, double Y) Normal(double px, double py, double focal)
    {
        double x = (px - CentreX) / focal,
            y = (py - CentreY) / (focal * PixelAspect);
        return Lens.TryUndistort(x, y, out double u, out double v) ? (u, v) : (x, y);
    }

    public bool IsHeldOut(int track) => HoldOutEvery > 0 && track % HoldOutEvery == HoldOutEvery / 2;
}

/// <summary>A frame's camera, how well its tracks agree with it, and its standard deviations (degrees; the solve's unit).</summary>
public sealed record SolvedFrame(
    int Frame,
    Pose CameraToWorld,
    double RmsPx,
    int Tracks,
    double TurnDoubtDegrees = 0,
    double ShiftDoubt = 0
)
{
    /// <summary>Its focal length ÷ that of the first frame; 1 where the lens does not zoom.</summary>
    public double Zoom { get; init; } = 1;
}

/// <summary>A track's place in the solve's own space, with the upper half of its covariance (xx, xy, xz, yy, yz, zz) where known.</summary>
public sealed record SolvedPoint(int Track, Vec3 Position, double RmsPx, int Seen, double[]? Covariance = null);

/// <summary>A track that the solve did without.</summary>
public sealed record LeftOutTrack(int Track, string Why);

/// <summary>Tracks kept out of the solve: each placed from every other of its sights, measured at the sights between.</summary>
public sealed record HeldOutReport(int Tracks, double MedianPx, double WithinOnePx);

/// <summary>What a solve found, or why it found nothing.</summary>
public sealed record SolveResult
{
    public required bool Solved { get; init; }
    public string Reason { get; init; } = "";

    /// <summary>The camera turned about one place: points are directions at distance 1.</summary>
    public bool Turning { get; init; }
    public double RmsPx { get; init; }

    /// <summary>Of the first frame; see <see cref="PinholeAt"/>.</summary>
    public Pinhole? Pinhole { get; init; }

    /// <summary>Standard deviation of the focal length in pixels; 0 where it was held.</summary>
    public double FocalDoubtPx { get; init; }
    public IReadOnlyList<SolvedFrame> Frames { get; init; } = [];
    public IReadOnlyList<SolvedPoint> Points { get; init; } = [];
    public IReadOnlyList<LeftOutTrack> LeftOut { get; init; } = [];
    public HeldOutReport? HeldOut { get; init; }
    public int TracksUsed => Points.Count;
    public BundleReport? Report { get; init; }
    public BundleCovariance? Covariance { get; init; }

    /// <summary>A frame's own inner geometry: the first frame's at its zoom.</summary>
    public Pinhole PinholeAt(SolvedFrame frame) => Pinhole!.Zoomed(frame.Zoom);

    public static SolveResult Failed(string reason) => new() { Solved = false, Reason = reason };

    /// <summary>
    /// From an adjusted problem whose views are the frames in <paramref name="frames"/> and whose points are the tracks in
    /// <paramref name="ids"/>; fails where a frame is held by fewer than <paramref name="leastTracks"/>.
    /// </summary>
    public static SolveResult From(
        BundleProblem problem,
        IReadOnlyList<int> frames,
        IReadOnlyList<int> ids,
        IReadOnlyList<Track> tracks,
        SolveSettings settings,
        int leastTracks,
        BundleReport report,
        BundleCovariance? covariance
    )
    {
        var perView = new (double Sum, int Count)[problem.Views.Count];
        var perPoint = new (double Sum, int Count)[problem.Points.Length];
        double sum = 0;
        foreach (BundleObservation o in problem.Observations)
        {
            if (!problem.TryResidual(o, out double dx, out double dy))
            {
                continue;
            }
            double s = dx * dx + dy * dy;
            perView[o.View] = (perView[o.View].Sum + s, perView[o.View].Count + 1);
            perPoint[o.Point] = (perPoint[o.Point].Sum + s, perPoint[o.Point].Count + 1);
            sum += s;
        }
        int thin = Array.FindIndex(perView, v => v.Count < leastTracks);
        if (thin >= 0)
        {
            return Failed(
                $"Frame {frames[thin]} is held by only {perView[thin].Count} tracks after cleaning; {leastTracks} are needed. Add "
                    + "tracks there, or keep them off what moves."
            );
        }
        IntrinsicsGroup lens = problem.Groups[0];
        double focal = lens.Focal * problem.Views[0].Zoom;
        return new()
        {
            Solved = true,
            Turning = problem.PointsAreDirections,
            RmsPx = Math.Sqrt(sum / problem.Observations.Length),
            Pinhole = new(settings.Width, settings.Height, focal, focal * lens.Aspect, lens.Cx, lens.Cy, new Lens(lens.K1, lens.K2)),
            FocalDoubtPx = covariance?.OfIntrinsic(0, Intrinsics.Focal) ?? 0,
            Frames =
            [
                .. frames.Select(
                    (f, i) =>
                    {
                        var (turn, shift) = covariance?.OfView(i) ?? (0, 0);
                        return new SolvedFrame(
                            f,
                            problem.Views[i].CameraToWorld,
                            Math.Sqrt(perView[i].Sum / perView[i].Count),
                            perView[i].Count,
                            Rotations.Degrees(turn),
                            shift
                        )
                        {
                            Zoom = problem.Views[i].Zoom / problem.Views[0].Zoom,
                        };
                    }
                ),
            ],
            Points =
            [
                .. Enumerable
                    .Range(0, ids.Count)
                    .Where(p => perPoint[p].Count > 0)
                    .Select(p => new SolvedPoint(
                        ids[p],
                        problem.Points[p],
                        Math.Sqrt(perPoint[p].Sum / perPoint[p].Count),
                        perPoint[p].Count,
                        covariance?.Points[p]
                    )),
            ],
            HeldOut = Measure(problem, frames, [.. tracks.Where(t => settings.IsHeldOut(t.Id))]),
            Report = report,
            Covariance = covariance,
        };
    }

    private static HeldOutReport? Measure(BundleProblem solved, IReadOnlyList<int> frames, IReadOnlyList<Track> held)
    {
        var viewOf = frames.Select((f, i) => (f, i)).ToDictionary(p => p.f, p => p.i);
        IntrinsicsGroup lens = solved.Groups[0];
        var camera = new Pinhole(1, 1, lens.Focal, lens.Focal * lens.Aspect, lens.Cx, lens.Cy, new Lens(lens.K1, lens.K2));
        var errors = new List<double>();
        int measured = 0;
        foreach (Track t in held)
        {
            TrackPoint[] sights = [.. t.Points.Where(p => viewOf.ContainsKey(p.Frame))];
            if (sights.Length < 6)
            {
                continue;
            }
            Vec3? place = null;
            TrackPoint[] placing = [.. sights.Where((_, i) => i % 2 == 0)],
                judging = [.. sights.Where((_, i) => i % 2 == 1)];
            if (solved.PointsAreDirections)
            {
                Vec3 sum = default;
                foreach (TrackPoint p in placing)
                {
                    if (camera.Zoomed(solved.Views[viewOf[p.Frame]].Zoom).TryDirection(p.X, p.Y, out Vec3 d))
                    {
                        sum += solved.Views[viewOf[p.Frame]].CameraToWorld.Rotation * d.Normalized();
                    }
                }
                if (sum.Length > 0)
                {
                    place = sum.Normalized();
                }
            }
            else if (
                Triangulation.Locate(
                    [
                        .. placing.Select(p => new Sight(
                            solved.Views[viewOf[p.Frame]].CameraToWorld,
                            camera.Zoomed(solved.Views[viewOf[p.Frame]].Zoom),
                            p.X,
                            p.Y
                        )),
                    ],
                    out _
                ) is
                { ParallaxDegrees: > 0.5 } found
            )
            {
                place = found.Point;
            }
            if (place is not { } at)
            {
                continue;
            }
            measured++;
            foreach (TrackPoint p in judging)
            {
                errors.Add(
                    camera
                        .Zoomed(solved.Views[viewOf[p.Frame]].Zoom)
                        .TryProject(solved.Views[viewOf[p.Frame]].CameraToWorld, at, out double x, out double y)
                        ? Math.Sqrt((x - p.X) * (x - p.X) + (y - p.Y) * (y - p.Y))
                        : double.PositiveInfinity
                );
            }
        }
        if (errors.Count == 0)
        {
            return null;
        }
        errors.Sort();
        return new(measured, errors[errors.Count / 2], (double)errors.Count(e => e <= 1) / errors.Count);
    }
}
