using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// One reading: the document reduced to what it reads (its result is kept under the hash of that, so a change elsewhere does not
/// measure it again, and it is measured on nothing else) and how it is measured. Tolerances are no part of what is measured.
/// </summary>
public sealed record ReadingKind(
    int Version,
    Reading Blank,
    Func<ShotDocument, ShotDocument> Reads,
    Func<ShotEngine, ShotDocument, CancellationToken, Reading> Measure
)
{
    /// <summary>Pictures that readings are taken from have this width, or the plate's if that is less.</summary>
    private const int Width = 480;

    /// <summary>Those of the finished frame: all of one measuring.</summary>
    private static (Reading Blank, Func<FinishReadings.Measured, Reading> Of)[] FinishKinds =>
        [
            (FinishReadings.BlackBlank, FinishReadings.Black),
            (FinishReadings.WhiteBlank, FinishReadings.White),
            (FinishReadings.TintBlank, FinishReadings.Tint),
            (FinishReadings.EdgeBlank, FinishReadings.Edge),
            (FinishReadings.HoldoutBlank, FinishReadings.Holdout),
            (FinishReadings.GrainBlank, FinishReadings.Grain),
        ];

    /// <summary>In the order of the steps.</summary>
    public static IReadOnlyList<ReadingKind> All { get; } =
    [
        new(2, PlateReadings.Blank, Reduced.Plate, (_, s, _) => PlateReadings.SequenceComplete(s)),
        new(2, CameraReadings.ReprojectionBlank, Clicked, (_, s, _) => CameraReadings.Reprojection(s)),
        new(2, CameraReadings.FloorBlank, Clicked, (_, s, _) => CameraReadings.FloorFlatness(s)),
        new(2, CameraReadings.LengthsBlank, s => Clicked(s) with { KnownLengths = s.KnownLengths }, (_, s, _) => CameraReadings.Lengths(s)),
        new(1, HorizonReadings.Blank, Reduced.Camera, (_, s, _) => HorizonReadings.Of(s)),
        new(
            2,
            SolveReadings.LiveBlank,
            s => Reduced.None(s) with { Tracks = s.Tracks, Range = s.Range },
            (engine, s, _) => SolveReadings.Live(engine.TrackWork.Tracks(s), s.Range.First, s.Range.Last)
        ),
        new(2, SolveReadings.RmsBlank, Solved, SolveRms),
        new(2, SolveReadings.HeldOutBlank, Solved, (engine, s, _) =>
            engine.TrackWork.Solve(s) is { } solve
                ? SolveReadings.HeldOut(solve.HeldOut)
                : SolveReadings.HeldOutBlank with
                {
                    Note = NotSolved,
                }
        ),
        new(2, SolveReadings.SlideBlank, s => Reduced.Camera(s) with { Solve = s.Solve, Elements = s.Elements }, Slide),
        new(
            2,
            SetReadings.EdgesBlank,
            s => Reduced.Filmed(Reduced.Set(s)) with { Look = new() { TrackGrainFree = s.Look.TrackGrainFree } },
            Edges
        ),
        new(2, SetReadings.SharedBlank, Reduced.Set, (engine, s, _) =>
            SetReadings.Shared(engine.Place.Set(Hanging.At(s, s.Range.First)), s.Range.First)
        ),
        new(2, SetReadings.CloudBlank, s => s.Clouds.All(c => c.Off) ? Reduced.None(s) : Reduced.Set(s) with { Clouds = s.Clouds }, Cloud),
        new(3, ProjectionReadings.Blank, s => Reduced.Filmed(Reduced.Footage(s)), Projection),
        new(2, ProjectionReadings.StitchBlank, Reduced.Footage, Stitch),
        new(
            1,
            ProjectionReadings.ParallaxBlank,
            s => s.Tracks is null || !Painted(s).Any() ? Reduced.None(s) : Reduced.Set(s) with { Tracks = s.Tracks },
            Parallax
        ),
        new(
            2,
            ProjectionReadings.ColourBlank,
            s => s.Projections.Any(p => p is { Off: false, OwnColour: true }) ? Reduced.Footage(s) : Reduced.None(s),
            (engine, s, stop) =>
                ProjectionReadings.Colour([
                    .. s
                        .Projections.Where(p => p is { Off: false, OwnColour: true })
                        .Select(p =>
                            (p.Frame, engine.Renderer.OwnColourOf(ProjectionWork.Through(s, p.Camera), p.Frame, Width, stop).Doubt)
                        ),
                ])
        ),
        new(2, LightReadings.SunBlank, s => Reduced.None(s) with { Lights = s.Lights, Sun = s.Sun }, (_, s, _) => LightReadings.Sun(s)),
        new(2, LightReadings.ShadowsBlank, s => Reduced.Filmed(Reduced.Light(s)), Shadows),
        new(5, ContactReadings.GapBlank, Reduced.Contact, Gap),
        new(3, ContactReadings.ShadowBlank, Reduced.Shadow, (engine, s, _) =>
            Hanging.At(s, s.Range.First) is var at ? ContactReadings.Shadow(at, engine.Place.Set(at), engine.Elements(at)) : null!
        ),
        new(
            2,
            ContactReadings.LevelBlank,
            s => s.RealShadow is null ? Reduced.None(s) : Reduced.Filmed(Reduced.Light(s)) with { RealShadow = s.RealShadow },
            (engine, s, _) =>
                s.RealShadow is null ? ContactReadings.LevelBlank with { Note = "no real shadow is named" }
                : LightWork.Level(engine, s) is var l ? ContactReadings.Level(l.Real, l.Ours, s.RealShadow)
                : null!
        ),
        new(
            1,
            SoftnessReadings.Blank,
            s => s.RealShadow is null ? Reduced.None(s) : Reduced.Filmed(Reduced.Light(s)) with { RealShadow = s.RealShadow },
            (engine, s, _) =>
                s.RealShadow is null ? SoftnessReadings.Blank with { Note = "no real shadow is named" }
                : LightWork.Softness(engine, s) is var w ? SoftnessReadings.Of(w.Real, w.Ours, w.Lens, s.RealShadow)
                : null!
        ),
        .. FinishKinds.Select(k => new ReadingKind(5, k.Blank, Shown, (engine, shot, stop) =>
            Finished(engine, shot, k.Blank, () => k.Of(engine.Finish.Measured(shot, stop)))
        )),
        new(1, HandOverReadings.CreditsBlank, s => HandOverReadings.Borrowed(Reduced.None(s), s), (_, s, _) => HandOverReadings.Credits(s)),
    ];

    public string Key(ShotDocument shot) => ResultKey.Of(Blank.Id, Version, Reads(shot));

    /// <summary>Measured, or blank with the reason why it cannot be.</summary>
    public Reading Take(ShotEngine engine, ShotDocument shot, CancellationToken stop = default)
    {
        try
        {
            return Measure(engine, Reads(shot), stop);
        }
        catch (Exception e) when (e is ShotFault or MissingMediaException or Formats.FormatFault)
        {
            return Blank with { Note = e.Message };
        }
    }

    /// <summary>A kept reading under the tolerance that the document has now.</summary>
    public static Reading Under(ShotDocument shot, Reading kept) =>
        (kept with { Tolerance = shot.Tolerances.GetValueOrDefault(kept.Id, kept.Tolerance) }).Judged();

    private static ShotDocument Clicked(ShotDocument s) => Reduced.Camera(s) with { SurveyPoints = s.SurveyPoints };

    private static ShotDocument Solved(ShotDocument s) => Reduced.None(s) with { Solve = s.Solve };

    private const string NotSolved = "the camera was not solved here";

    private static Reading SolveRms(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (engine.TrackWork.Solve(shot) is not { } s)
        {
            return SolveReadings.RmsBlank with { Note = NotSolved };
        }
        var worst = s.Points.MaxBy(p => p.RmsPx)!;
        return SolveReadings.Rms(
            s.RmsPx,
            [.. s.Frames.Select(f => (f.Frame, f.RmsPx))],
            s.Points.Length,
            $"worst track {worst.Track}, {worst.RmsPx:0.00} px"
        );
    }

    private static Reading Slide(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (engine.TrackWork.Solve(shot) is not { } s || ShotCamera.Of(shot) is not { } camera)
        {
            return SolveReadings.SlideBlank with { Note = NotSolved };
        }
        if (engine.TrackWork.Doubts(shot) is not var (sure, toOwn))
        {
            return SolveReadings.SlideBlank with { Note = "the solve leaves more open than can be told" };
        }
        Similarity toSource = toOwn.After(camera.SourceToWorld.Inverse());
        return SolveReadings.Slide(
            sure,
            s.Frames[0].Frame,
            [.. shot.Elements.Where(e => !e.Off).Select(e => (e.Name, toSource.Apply(e.Position)))]
        );
    }

    private static Reading Edges(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (shot.Pieces.All(p => p.Off))
        {
            return SetReadings.EdgesBlank with { Note = "nothing is built yet" };
        }
        if (shot.Camera is null || shot.Plate is null)
        {
            return SetReadings.EdgesBlank with { Note = "no camera yet" };
        }
        var frames = new List<(int, IReadOnlyList<PieceSlip>)>();
        SetScene? set = null;
        foreach (
            int frame in Enumerable.Range(0, 9).Select(i => shot.Range.First + (shot.Range.Last - shot.Range.First) * i / 8).Distinct()
        )
        {
            stop.ThrowIfCancellationRequested();
            var (pose, pinhole) = engine.Camera(shot, frame);
            set = engine.Place.Set(Hanging.At(shot, frame));
            frames.Add(
                (
                    frame,
                    EdgeSlip.Of(
                        set,
                        pinhole,
                        pose,
                        engine.TrackWork.Picture(shot with { Look = shot.Look with { TrackThroughCurve = false } }, frame).Levels[0]
                    )
                )
            );
        }
        return SetReadings.Edges(frames, i => set!.Pieces[i].Name);
    }

    private static Reading Projection(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (shot.Projections.All(p => p.Off))
        {
            return ProjectionReadings.Blank with { Note = "nothing is projected yet" };
        }
        int width = Math.Min(Width, shot.Plate?.Width ?? Width);
        var frames = new List<(int, Reading)>();
        foreach (
            int frame in Enumerable.Range(0, 7).Select(i => shot.Range.First + (shot.Range.Last - shot.Range.First) * i / 6).Distinct()
        )
        {
            stop.ThrowIfCancellationRequested();
            frames.Add(
                (
                    frame,
                    ProjectionReadings.Match(
                        shot,
                        engine.Projection.Projected(shot, frame, width, 2, stop),
                        engine.Plates.QuietPlate(shot, frame, width),
                        frame,
                        shot.Plate!.Width
                    )
                )
            );
        }
        return OverFrames.Worst(frames);
    }

    private static Reading Cloud(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (shot.Clouds.All(c => c.Off))
        {
            return SetReadings.CloudBlank with { Note = "no point cloud is here" };
        }
        SetScene set = engine.Place.Set(Hanging.At(shot, shot.Range.First));
        // So many as a large set can be asked about in a few seconds.
        int most = (int)Math.Clamp(60_000_000L / Math.Max(1, set.Meshes.Sum(m => (long)m.TriangleCount)), 60, 1500);
        return SetReadings.Cloud(set, engine.Clouds.Spread(shot, most));
    }

    private static Reading Stitch(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        if (shot.Projections.Where(p => !p.Off).Select(p => p.Camera).Distinct().Count() < 2)
        {
            return ProjectionReadings.StitchBlank with { Note = "all projections are of one camera" };
        }
        IReadOnlyList<CameraMeeting> meetings = engine.Projection.Meetings(shot, shot.Range.First, stop);
        if (!meetings.Any(m => m.Spots > 0))
        {
            return ProjectionReadings.StitchBlank with { Note = "the cameras share no spot that both show well" };
        }
        CameraMeeting worst = meetings.Where(m => m.Spots > 0).MaxBy(m => m.StopsNow)!;
        return (
            ProjectionReadings.StitchBlank with
            {
                Value = worst.StopsNow,
                Note =
                    $"{worst.First} and {worst.Second}: {worst.StopsBefore:0.00} stops as filmed, {worst.Spots} spots, "
                    + $"{100 * worst.Overlap:0} % shared{(worst.ParallaxDegrees is { } d ? $", parallax {d:0.0}° along the border" : "")}",
                Worst = new(
                    worst.Frame,
                    worst.WorstX,
                    worst.WorstY,
                    Words: worst.WorstParallaxDegrees is { } w ? $"parallax {w:0.0}°" : null
                ),
            }
        ).Judged();
    }

    private static IEnumerable<Piece> Painted(ShotDocument shot) =>
        shot.Pieces.Where(p => p is { IsSeen: true, Off: false, Kind: not PieceKind.Figure, Duties.New: true } && !Hanging.Moves(shot, p));

    private static Reading Parallax(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        Piece[] painted = [.. Painted(shot)];
        if (painted.Length > 0 && shot.Tracks is null)
        {
            return ProjectionReadings.ParallaxBlank with { Note = "nothing was followed in the plate" };
        }
        ShotCamera? camera = ShotCamera.Of(shot);
        (Pose, Pinhole)? At(int frame) => camera?.TryAt(frame, out Pose pose, out Pinhole pinhole) == true ? (pose, pinhole) : null;
        SetScene set = engine.Place.Set(Hanging.At(shot, shot.Range.First));
        return ProjectionReadings.Parallax([
            .. painted.Select(p =>
            {
                stop.ThrowIfCancellationRequested();
                return (p.Id, p.Name, PaintedParallax.Of(engine.TrackWork.Tracks(shot), At, engine.Place.Only(set, [p.Id])));
            }),
        ]);
    }

    private static Reading Shadows(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        int frame = shot.Range.First + shot.Range.Count / 2;
        if (ShotCurves.At(shot, frame).Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false }) is not { } sun)
        {
            return LightReadings.ShadowsBlank with { Note = "no sun is set" };
        }
        return LightReadings.Shadows(LightWork.Fit(engine, shot, frame), sun.Direction, frame, shot.Plate!.Width, shot.Plate.Height);
    }

    private static Reading Gap(ShotEngine engine, ShotDocument shot, CancellationToken stop)
    {
        bool moves = shot.Elements.Any(e => !e.Off && Hanging.Moves(shot, e)) || shot.Pieces.Any(p => !p.Off && Hanging.Moves(shot, p));
        int every = Math.Max(1, shot.Range.Count / 48);
        var frames = new List<(int, Reading)>();
        foreach (
            int frame in moves
                ? Enumerable
                    .Range(shot.Range.First, shot.Range.Count)
                    .Where(f => (f - shot.Range.First) % every == 0 || f == shot.Range.Last)
                : [shot.Range.First]
        )
        {
            stop.ThrowIfCancellationRequested();
            ShotDocument at = Hanging.At(shot, frame);
            frames.Add(
                (
                    frame,
                    ContactReadings.Gap(
                        at,
                        engine.Place.Set(at),
                        [.. engine.Elements(at, frame).Where(p => !InAir(shot, at, at.Elements.First(e => e.Id == p.Id), frame))]
                    )
                )
            );
        }
        Reading gap = ContactReadings.Gap(frames);
        return
            gap.Value is null && shot.Elements.Any(e => !e.Off) && shot.Elements.All(e => e.Off || InAir(shot, shot, e, shot.Range.First))
            ? gap with
            {
                Note = "what is here is in the air, or never lies still",
            }
            : gap;
    }

    /// <summary>Further than this from a frame to the next what falls is not at rest, metres.</summary>
    private const double Rests = 0.001;

    /// <summary>It is meant to touch nothing: parts, dust, and what falls until it lies still.</summary>
    private static bool InAir(ShotDocument shot, ShotDocument at, Element e, int frame)
    {
        if (e.Broke is not null || e.DustOf is not null)
        {
            return true;
        }
        int? from = e.LetGo is { FellFrom: not null } go
            ? go.AtFrame
            : shot.Elements.FirstOrDefault(b => b.Broke?.Falling == e.Id)?.Broke!.AtFrame;
        if (from is null)
        {
            return false;
        }
        int beside = frame < shot.Range.Last ? frame + 1 : frame - 1;
        Vec3 other = Hanging.At(shot, beside).Elements.First(x => x.Id == e.Id).Position;
        return frame <= from || (other - at.Elements.First(x => x.Id == e.Id).Position).Length > Rests;
    }

    /// <summary>All that a finished frame hangs on; with nothing in it there is nothing to measure.</summary>
    private static ShotDocument Shown(ShotDocument s) =>
        s.Elements.All(e => e.Off) ? Reduced.None(s) : Reduced.Seen(s) with { Look = new(), Tracks = null, Solve = null };

    private static Reading Finished(ShotEngine engine, ShotDocument shot, Reading blank, Func<Reading> of) =>
        shot.Elements.All(e => e.Off) ? blank with { Note = "nothing stands here yet" } : of();

    /// <summary>So many frames tell a range, its ends among them.</summary>
    public const int FramesOfRange = 9;

    /// <summary>
    /// The readings of the finished frame taken over the range, each with its key: they stand in the place of those of one frame.
    /// </summary>
    public static IReadOnlyList<(string Key, Reading Reading)> FinishOverRange(
        ShotEngine engine,
        ShotDocument shot,
        CancellationToken stop,
        Action<string, double> progress
    )
    {
        if (shot.Elements.All(e => e.Off))
        {
            throw new ShotFault("No element stands in the shot yet: place one at step 6.");
        }
        FrameRange range = shot.Cut ?? shot.Range;
        int[] frames =
        [
            .. Enumerable
                .Range(0, FramesOfRange)
                .Select(i => range.First + (range.Last - range.First) * i / (FramesOfRange - 1))
                .Distinct(),
        ];
        var measured = new List<FinishReadings.Measured>();
        foreach (int frame in frames)
        {
            stop.ThrowIfCancellationRequested();
            progress($"frame {frame}", (double)measured.Count / frames.Length);
            measured.Add(engine.Finish.Measured(shot, stop, frame));
        }
        return
        [
            .. FinishKinds.Select(k =>
                (All.First(r => r.Blank.Id == k.Blank.Id).Key(shot), OverFrames.Worst([.. measured.Select(m => (m.Frame, k.Of(m)))]))
            ),
        ];
    }
}
