using System.Text.Encodings.Web;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Sequences;

namespace Plenk.Work;

/// <summary>A camera file read against a plate: the ranking of its readings, and what decides up, unit and heading.</summary>
public static class ConventionWork
{
    public static readonly JsonSerializerOptions Json = new()
    {
        WriteIndented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    public static JsonElement Find(
        string plate,
        string? masks,
        string cameraFile,
        string? pointFile,
        (double Width, double Height)? sensor,
        FrameRate rate,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        PlateCheckResult check = SolveWork.Frames(plate, stop);
        var (width, height, first, last) = (check.Frames[0].Width, check.Frames[0].Height, check.Frames[0].Frame, check.Frames[^1].Frame);
        // Files are read first: a bad one is told before the long part.
        RawCamera camera = CameraFiles.ReadRaw(
            File.ReadAllBytes(cameraFile),
            Path.GetFileName(cameraFile),
            new(width, height, 36, first, rate)
        );
        if (sensor is { } s)
        {
            camera = camera with { SensorWidthMm = s.Width, SensorHeightMm = s.Height };
        }
        IReadOnlyList<SurveyPoint> points = pointFile is null
            ? []
            : PointFiles.Read(File.ReadAllBytes(pointFile), Path.GetFileName(pointFile));
        camera = Numbered(camera, first);
        IReadOnlyList<Track> tracks = SolveWork.Follow(
            plate,
            masks,
            check,
            new TrackerSettings { Count = 300 },
            stop: stop,
            progress: progress is null ? null : (what, part) => progress(what, 0.9 * part)
        );
        progress?.Invoke("Trying readings", 0.92);
        ConventionRanking ranking = ConventionFinder.Rank(camera, tracks, width, height, out string? reason, stop)
            ?? throw new ShotFault(reason!);
        Convention best = ranking.Ranking[0].Convention;
        WorldDecision world = WorldDecision.Find(
            ConventionFinder.Path(camera, best, first, last, width, height),
            first,
            width,
            height,
            camera.Lens ?? new Lens(best.K1),
            points,
            best
        );
        progress?.Invoke("Done", 1);
        return JsonSerializer.SerializeToElement(
            new
            {
                ranking = ranking.Ranking.Select(r => new
                {
                    name = r.Convention.Name,
                    parameters = Parameters(camera, r.Convention),
                    error_px = Math.Round(r.ErrorPx, 6),
                    same_to_tracks = r.SameToTracks.Select(c => c.Name),
                }),
                margin = double.IsFinite(ranking.Margin) ? Math.Round(ranking.Margin, 4) : 1e6,
                better_on = Math.Round(ranking.BetterOn, 4),
                trusted = ranking.Trusted,
                verdict = ranking.Verdict,
                tracks = ranking.Tracks,
                up = world.Up,
                metres_per_unit = world.MetresPerUnit,
                unit = world.Unit,
                decided_by = new
                {
                    up = world.UpBy,
                    unit = world.UnitBy,
                    heading = world.HeadingBy,
                },
            },
            Json
        );
    }

    /// <summary>A file that counts its own frames begins where the plate does.</summary>
    private static RawCamera Numbered(RawCamera camera, int first) =>
        Math.Abs(camera.Samples[0].Frame - first) <= 40
            ? camera
            : camera with
            {
                Samples = [.. camera.Samples.Select(s => s with { Frame = s.Frame - camera.Samples[0].Frame + first })],
            };

    /// <summary>A camera file ranked against the tracks that a shot has.</summary>
    public static (RawCamera Camera, ConventionRanking Ranking) Rank(ShotDocument shot, TrackWork work, byte[] bytes, string name)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("Bring the plate in first: the camera is read against its tracks.");
        if (shot.Tracks is null)
        {
            throw new ShotFault("Track the plate first: its tracks tell how a camera is meant.");
        }
        RawCamera camera = CameraFiles.ReadRaw(
            bytes,
            name,
            new(plate.Width, plate.Height, plate.SensorWidthMm, shot.Range.First, shot.Rate)
        );
        if (camera.FocalUnit == FocalUnit.Millimetres && camera is { SensorWidthMm: 36, SensorHeightMm: 24 })
        {
            camera = camera with { SensorWidthMm = plate.SensorWidthMm, SensorHeightMm = plate.SensorHeightMm };
        }
        camera = Numbered(camera, shot.Range.First);
        return (
            camera,
            ConventionFinder.Rank(camera, work.Tracks(shot), plate.Width, plate.Height, out string? reason) ?? throw new ShotFault(reason!)
        );
    }

    /// <summary>The shot with that camera under a reading, one sample a frame of the range.</summary>
    public static ShotDocument With(ShotDocument shot, RawCamera camera, Convention c, string name)
    {
        PlateSource plate = shot.Plate!;
        var path = ConventionFinder.Path(camera, c, shot.Range.First, shot.Range.Last, plate.Width, plate.Height);
        CameraSample[] samples =
        [
            .. path.Select(
                    (p, i) =>
                        p is { } at
                            ? new CameraSample(
                                shot.Range.First + i,
                                at.Pose.ToRowMajor16(),
                                at.Focal,
                                plate.Width / 2.0,
                                plate.Height / 2.0
                            )
                            : null
                )
                .OfType<CameraSample>(),
        ];
        if (samples.Length == 0)
        {
            throw new ShotFault("Under this reading the camera has no sample in the shot's range.");
        }
        Lens lens = camera.Lens ?? new Lens(c.K1);
        return shot with
        {
            Solve = null,
            Camera = new()
            {
                Name = name,
                Rate = shot.Rate,
                Mapping = new(shot.Range.First, shot.Range.First),
                Width = plate.Width,
                Height = plate.Height,
                Lens = new(lens.K1, lens.K2, lens.P1, lens.P2, lens.K3),
                Samples = samples,
            },
        };
    }

    private static object Parameters(RawCamera camera, Convention c) =>
        new
        {
            handedness = c.Mirrored ? "left" : "right",
            viewing = c.Viewing.Replace('−', '-'),
            camera_up = c.Up.Replace('−', '-'),
            matrix = camera.HasAngles
                ? null
                : c.Matrix switch
                {
                    MatrixSense.CameraToWorld => "camera_to_world",
                    MatrixSense.WorldToCamera => "world_to_camera",
                    _ => "rotation_transposed",
                },
            angle_order = camera.HasAngles ? c.Order : null,
            angle_unit = camera.HasAngles
                ? c.Radians
                    ? "radians"
                    : "degrees"
                : null,
            sensor_fit = c.FitHeight ? "height" : "width",
            frame_offset = c.FrameOffset,
            rate_ratio = c.RateRatio,
            k1 = c.K1,
        };
}
