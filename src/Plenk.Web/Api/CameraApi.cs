using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

public sealed record TrackRequest(int Count = 500, double Distance = 12);

public sealed record StillRequest(int BaseRevision, string What, StillLines Still);

public sealed record ConventionRequest(int BaseRevision, string Media, string Name, int Index);

public sealed record TrackEditRequest(int BaseRevision, TrackEdit Edit);

public sealed record SurveyTrackRequest(int BaseRevision, int Track);

public sealed record TypedCameraRequest(
    Vec3 Place,
    Vec3 Aim,
    double FocalMm,
    double Metres = 1,
    double RollDegrees = 0,
    string? Axes = null,
    int? Frame = null,
    int? BaseRevision = null
);

public sealed record FloorRequest(int BaseRevision, IReadOnlyList<int> Tracks);

/// <summary>
/// Tracks and solves: made in the tray, changed by hand, looked at frame by frame; cameras, lens maps and survey points in.
/// </summary>
public static class CameraApi
{
    private const int Tail = 12; // frames

    public static void MapCamera(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Camera");

        api.MapPost("/track", async (long id, TrackRequest request, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Plate is null)
                {
                    throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
                }
                if (request.Count is < 20 or > 5000 || !(request.Distance is >= 3 and <= 200))
                {
                    throw new ShotFault("Between 20 and 5,000 tracks are kept alive, 3 to 200 px apart.");
                }
                int missing = Enumerable
                    .Range(document.Range.First, document.Range.Count)
                    .FirstOrDefault(f => document.Plate.MediaAt(document.Plate.FrameAt(f, document.Rate)) is null, -1);
                if (missing >= 0)
                {
                    throw new ShotFault(
                        $"The plate has no frame {missing}: tracks are followed from frame to frame without gaps. Bring it again, or shorten the range."
                    );
                }
                var parameters = new TrackParameters(revision.Number, ShotApi.Who(http), request.Count, request.Distance);
                return await jobs.Ask(
                    id,
                    document,
                    "track",
                    "Tracking",
                    2 * document.Range.Count,
                    ShotApi.Who(http),
                    parameters,
                    [request]
                );
            })
            .WithSummary("Tracks the plate, in the tray");

        api.MapPost("/solve", async (long id, ShotStore shots, JobStore jobs, TrackWork work, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Tracks is null)
                {
                    throw new ShotFault("There are no tracks yet. Track the plate first.");
                }
                work.Settings(document);
                var parameters = new SolveParameters(revision.Number, ShotApi.Who(http));
                return await jobs.Ask(id, document, "solve", "Solving", 100, ShotApi.Who(http), parameters, []);
            })
            .WithSummary("Solves the camera from the tracks, in the tray");

        api.MapPost("/grain-free", async (long id, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Plate is null)
                {
                    throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
                }
                return await jobs.Ask(
                    id,
                    document,
                    "grain",
                    "Taking the grain out",
                    document.Range.Count,
                    ShotApi.Who(http),
                    new SolveParameters(revision.Number, ShotApi.Who(http)),
                    []
                );
            })
            .WithSummary("Makes a grain-free copy of the plate, in the tray");

        api.MapPost(
                "/tracks/edit",
                async (long id, TrackEditRequest request, ShotStore shots, TrackWork work, MediaStore media, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    IReadOnlyList<Track> tracks = work.Edit(document, request.Edit);
                    string hash = media.Write(TrackFile.Write(tracks));
                    string what = request.Edit.Do switch
                    {
                        "place" => $"Placed track {tracks[^1].Id}",
                        "move" => $"Track {request.Edit.Track} corrected at {request.Edit.Frame}",
                        "cut" => $"Track {request.Edit.Track} cut after {request.Edit.Frame}",
                        "join" => $"Tracks {request.Edit.Track} and {request.Edit.Other} joined",
                        _ => $"Deleted track {request.Edit.Track}",
                    };
                    await shots.Save(
                        id,
                        request.BaseRevision,
                        document with
                        {
                            Tracks = new() { Media = hash, Count = tracks.Count },
                        },
                        ShotApi.Who(http),
                        what
                    );
                    return new
                    {
                        state = await ShotApi.State(shots, id),
                        track = request.Edit.Do == "place" ? tracks[^1].Id : request.Edit.Track,
                    };
                }
            )
            .WithSummary("Places, moves, cuts, joins or deletes a track by hand");

        api.MapPost("/tracks/survey", async (long id, SurveyTrackRequest request, ShotStore shots, TrackWork work, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                ShotDocument with = SurveyWork.WithTrack(document, work, request.Track);
                ShotApi.Check(with);
                await shots.Save(id, request.BaseRevision, with, ShotApi.Who(http), $"Track {request.Track} made a survey point");
                return new { state = await ShotApi.State(shots, id), point = with.SurveyPoints[^1].Name };
            })
            .WithSummary("Makes a track a survey point");

        api.MapPost("/tracks/floor", async (long id, FloorRequest request, ShotStore shots, TrackWork work, HttpContext http) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                SurveyWork.NamedFloor floor = SurveyWork.Floor(document, work, request.Tracks);
                ShotApi.Check(floor.Shot);
                await shots.Save(id, request.BaseRevision, floor.Shot, ShotApi.Who(http), $"Floor through {floor.Names.Count} tracks");
                return new
                {
                    state = await ShotApi.State(shots, id),
                    floor.On,
                    floor.Of,
                    floor.Names,
                    floor.OffShare,
                };
            })
            .WithSummary("Names the floor through tracks; those that lie off the plane most agree on are left out");

        // Tracks that live at a frame with their tails, and what the solve makes of each.
        api.MapGet("/frames/{frame:int}/tracks", async (long id, int frame, int? revision, ShotStore shots, TrackWork work) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                var solved = work.Solve(document)?.Points.ToDictionary(p => p.Track, p => p.RmsPx);
                HashSet<int> cleaned = [.. document.Solving.LeftOut];
                SolveSettings? settings = document.Plate is null
                    ? null
                    : work.Settings(document with { Solving = document.Solving with { HoldFocal = false } });
                var live = new List<object>();
                foreach (Track t in work.Tracks(document))
                {
                    if (!t.TryAt(frame, out TrackPoint at))
                    {
                        continue;
                    }
                    int index = frame - t.Points[0].Frame,
                        from = Math.Max(0, index - Tail);
                    live.Add(
                        new
                        {
                            id = t.Id,
                            x = Math.Round(at.X, 2),
                            y = Math.Round(at.Y, 2),
                            tail = t
                                .Points.Skip(from)
                                .Take(index - from + 1)
                                .SelectMany(p => new[] { Math.Round(p.X, 1), Math.Round(p.Y, 1) }),
                            rms = solved is not null && solved.TryGetValue(t.Id, out double rms) ? Math.Round(rms, 3) : (double?)null,
                            fate = solved is null ? "unsolved"
                            : solved.ContainsKey(t.Id) ? "used"
                            : cleaned.Contains(t.Id) ? "cleaned"
                            : settings!.IsHeldOut(t.Id) ? "held out"
                            : "left out",
                            first = t.Points[0].Frame,
                            last = t.Points[^1].Frame,
                            ended = t.Ended,
                            hand = t.ByHand,
                        }
                    );
                }
                return live;
            })
            .WithSummary("Tracks that live at a frame with their tails, and what the solve makes of each");

        // How a camera file is meant: its readings ranked by the shot's own tracks; and one of them taken.
        api.MapPost("/camera/readings", async (long id, HttpContext http, ShotStore shots, MediaStore media, TrackWork work) =>
            {
                IFormCollection form = await http.Request.FormIn();
                if (form.Files.Count != 1)
                {
                    throw new ShotFault("Choose one camera file.");
                }
                IFormFile file = form.Files[0];
                if (file.Length > 200_000_000)
                {
                    throw new ShotFault($"{Path.GetFileName(file.FileName)} is larger than 200 MB; a camera is not.");
                }
                byte[] bytes = new byte[file.Length];
                await using (Stream stream = file.OpenReadStream())
                {
                    await stream.ReadExactlyAsync(bytes);
                }
                string name = Path.GetFileName(file.FileName);
                var (_, ranking) = ConventionWork.Rank((await ShotApi.Need(shots, id)).Document, work, bytes, name);
                return new
                {
                    media = media.Write(bytes),
                    name,
                    verdict = ranking.Verdict,
                    trusted = ranking.Trusted,
                    ranking = ranking.Ranking.Select(
                        (r, i) =>
                            new
                            {
                                index = i,
                                name = r.Convention.Name,
                                errorPx = r.ErrorPx,
                                same = r.SameToTracks.Count,
                            }
                    ),
                };
            })
            .WithSummary("How a camera file is meant: its readings ranked by the shot’s own tracks")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        api.MapPost(
                "/camera/reading",
                async (
                    long id,
                    ConventionRequest request,
                    ShotStore shots,
                    MediaStore media,
                    ShotEngine engine,
                    TrackWork work,
                    HttpContext http
                ) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    var (camera, ranking) = ConventionWork.Rank(document, work, media.Read(request.Media), request.Name);
                    if (request.Index < 0 || request.Index >= ranking.Ranking.Count)
                    {
                        throw new ShotFault("There is no such reading.");
                    }
                    ShotDocument changed = ConventionWork.With(document, camera, ranking.Ranking[request.Index].Convention, request.Name);
                    var notes = new List<string>();
                    // What is built already keeps its place on what was filmed.
                    if (await Task.Run(() => KeptPlace.Fit(engine, document, changed.Camera!)) is { } fit)
                    {
                        var (laid, told) = KeptPlace.Judge(document, fit);
                        notes.Add(told);
                        changed = laid ? changed with { Camera = KeptPlace.Moved(changed.Camera!, fit.NewToOld) } : changed;
                    }
                    await shots.Save(
                        id,
                        request.BaseRevision,
                        changed,
                        ShotApi.Who(http),
                        $"Camera in: {request.Name}, {ranking.Ranking[request.Index].Convention.Name}"[
                            ..Math.Min(120, $"Camera in: {request.Name}, {ranking.Ranking[request.Index].Convention.Name}".Length)
                        ]
                    );
                    return new { state = await ShotApi.State(shots, id), notes };
                }
            )
            .WithSummary("Takes a camera file in by one of its readings");

        api.MapGet("/tracks/{track:int}", async (long id, int track, int? revision, ShotStore shots, TrackWork work) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                Track t = work.Tracks(document).FirstOrDefault(t => t.Id == track)
                    ?? throw new NotThereException($"There is no track {track}.");
                return new
                {
                    id = t.Id,
                    t.Ended,
                    t.Began,
                    hand = t.ByHand,
                    points = t.Points.Select(p => new
                    {
                        p.Frame,
                        p.X,
                        p.Y,
                    }),
                };
            })
            .WithSummary("A track, frame by frame");

        // How much wider than the plate a picture rendered without the lens must be, over the range.
        api.MapGet("/camera/overscan", async (long id, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                return new
                {
                    needed = Enumerable
                        .Range(document.Range.First, document.Range.Count)
                        .Max(f => RenderedFit.NeededOverscan(engine.Camera(document, f).Pinhole)),
                };
            })
            .WithSummary("How much wider than the plate a picture rendered without the lens must be, over the range");

        // The camera for other programs, as one zip.
        api.MapGet("/camera/handover.zip", async (long id, ShotStore shots, ShotEngine engine) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                string folder = Path.Combine(Path.GetTempPath(), $"plenk-camera-{Guid.NewGuid():N}");
                try
                {
                    HandOver.Camera(engine, document, folder);
                    var zip = new MemoryStream();
                    System.IO.Compression.ZipFile.CreateFromDirectory(folder, zip);
                    return Results.File(zip.ToArray(), "application/zip", $"{document.Code}_camera_r{revision.Number}.zip");
                }
                finally
                {
                    if (Directory.Exists(folder))
                    {
                        Directory.Delete(folder, recursive: true);
                    }
                }
            })
            .WithSummary("The camera for other programs, as one zip");

        // Lines on a still: what camera they give, while they are drawn; and the same kept, with the camera on the shot.
        api.MapPost("/still/look", async (long id, StillRequest request, ShotStore shots) =>
            {
                ShotDocument draft = (await ShotApi.Need(shots, id, request.BaseRevision)).Document with { Still = request.Still };
                ShotApi.Check(draft);
                return Look(draft, StillWork.Solve(draft));
            })
            .WithSummary("What camera lines on a still give; nothing is saved");

        api.MapPost("/still", async (long id, StillRequest request, ShotStore shots, HttpContext http) =>
            {
                ShotDocument draft = (await ShotApi.Need(shots, id)).Document with { Still = request.Still };
                ShotApi.Check(draft);
                LineCameraResult r = StillWork.Solve(draft);
                await shots.Save(id, request.BaseRevision, StillWork.With(draft, r), ShotApi.Who(http), request.What);
                return new { state = await ShotApi.State(shots, id), look = Look(draft, r) };
            })
            .WithSummary("Keeps lines on a still, and the camera that they give");

        api.MapPost("/camera/typed", async (long id, TypedCameraRequest r, ShotStore shots, MediaStore media, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                var (changed, notes) = await Task.Run(() =>
                    TypedCameraWork.With(
                        document,
                        new(r.Place, r.Aim, r.FocalMm, r.Metres, r.RollDegrees),
                        string.IsNullOrEmpty(r.Axes) ? null : r.Axes,
                        r.Frame ?? document.Range.First,
                        media.Read
                    )
                );
                await ShotApi.Keep(
                    shots,
                    id,
                    http,
                    changed,
                    "Camera typed",
                    r.BaseRevision?.ToString(CultureInfo.InvariantCulture),
                    revision.Number
                );
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary("Takes a camera as another program has it: place, aim, focal length, its axes found by rendered frames or said");

        // The solve in numbers: every frame, every track, what was left out and why, the camera's path as curves.
        api.MapGet("/solve", async (long id, int? revision, ShotStore shots, TrackWork work) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                if (work.Solve(document) is not { } s)
                {
                    return Results.Ok(new { solved = false });
                }
                double mm = document.Plate is { } plate ? plate.SensorWidthMm / s.Width : 0;
                Pose first = Pose.FromRowMajor16(s.Frames[0].CameraToWorld, out _)!.Value;
                return Results.Ok(
                    new
                    {
                        solved = true,
                        turning = s.Turning,
                        zooms = s.Zooms,
                        rmsPx = s.RmsPx,
                        focalMm = s.FocalPx * mm,
                        focalDoubtMm = s.FocalDoubtPx * mm,
                        s.K1,
                        s.K2,
                        report = s.Report is { } r
                            ? new
                            {
                                r.StartCost,
                                r.EndCost,
                                startRms = double.IsFinite(r.StartRms) ? r.StartRms : (double?)null,
                                r.EndRms,
                                r.Iterations,
                                r.Stopped,
                            }
                            : null,
                        heldOut = s.HeldOut,
                        leftOut = s
                            .LeftOut.GroupBy(l => l.Why)
                            .Select(g => new { why = g.Key, tracks = g.Count() })
                            .OrderByDescending(g => g.tracks),
                        tracks = s.Points.Select(p => new
                        {
                            id = p.Track,
                            rms = p.RmsPx,
                            seen = p.Seen,
                        }),
                        frames = s.Frames.Select(f =>
                        {
                            Pose pose = Pose.FromRowMajor16(f.CameraToWorld, out _)!.Value;
                            Vec3 turned = Rotations.ToEulerYxzDegrees(first.Rotation.Transpose() * pose.Rotation),
                                moved = pose.Position - first.Position;
                            return new
                            {
                                f.Frame,
                                rms = f.RmsPx,
                                f.Tracks,
                                focalMm = s.FocalPx * f.Zoom * mm,
                                turnDoubt = f.TurnDoubtDegrees,
                                shiftDoubt = f.ShiftDoubt,
                                place = new[] { moved.X, moved.Y, moved.Z },
                                turn = new[] { turned.X, turned.Y, turned.Z },
                            };
                        }),
                    }
                );
            })
            .WithSummary("The solve in numbers: every frame, every track, what was left out and why");

        // What the artist's naming comes to: problems of the floor, origin, axis and scale, and the similarity itself.
        api.MapGet("/orientation", async (long id, ShotStore shots) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                OrientingResult result = Orienting.Of(document);
                return new
                {
                    problems = result.Problems,
                    scale = result.SourceToWorld.Scale,
                    levelDegrees = result.Level?.RmsDegrees,
                    floorRmsMillimetres = result.Floor is { } f ? f.Rms * result.SourceToWorld.Scale * 1000 : (double?)null,
                    points = document
                        .SurveyPoints.Where(p => p.Position is not null)
                        .Select(p =>
                        {
                            Vec3 w = result.SourceToWorld.Apply(p.Position!.Value);
                            return new { p.Name, world = new[] { w.X, w.Y, w.Z } };
                        }),
                };
            })
            .WithSummary("What the naming of floor, origin, axis and scale comes to, and its problems");

        // What was built in the world as it lay before goes along with it.
        api.MapPost("/keep-place", async (long id, StepRequest request, ShotStore shots, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (await WorldMoved.Since(shots, id, document, revision.Number) is not var (_, _, map))
                {
                    throw new ShotFault("The world lies as it did when what is built was last changed: nothing is to be moved.");
                }
                ShotDocument moved = MovedWorld.Of(document, map);
                ShotApi.Check(moved);
                await shots.Save(id, request.BaseRevision, moved, ShotApi.Who(http), "What is built keeps its place in the picture");
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Moves what is built along with a world that was laid anew, so that it is seen where it was");

        // A point that is known by its clicks alone; and a piece laid through points.
        api.MapPost("/survey/{name}/locate", async (long id, string name, DraftRequest request, ShotStore shots) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(request.Document);
                return SurveyWork.Locate(request.Document, name);
            })
            .WithSummary("The place of a point that is known by its clicks alone; nothing is saved");

        api.MapPost("/camera", async (long id, HttpContext http, ShotStore shots, ShotEngine engine) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, _) = await ShotApi.Need(shots, id);
                PlateSource plate = document.Plate ?? throw new ShotFault("Bring the plate in first: the camera is read against its size.");
                IFormFile file = Incoming.One(form);
                var rate = Incoming.Rate(form, "rate", document.Rate);
                int first = Incoming.Whole(form, "first", document.Range.First);
                LensValues? lens =
                    form["k1"].ToString().Length > 0 || form["k2"].ToString().Length > 0
                        ? new(Incoming.Number(form, "k1", 0), Incoming.Number(form, "k2", 0))
                        : null;
                CameraSource camera = CameraFiles.Read(
                    Incoming.Bytes(file),
                    Path.GetFileName(file.FileName),
                    new(plate.Width, plate.Height, plate.SensorWidthMm, first, rate, lens)
                );
                camera = camera with { Mapping = new(first, document.Range.First), Rate = rate };
                List<string> notes = [.. CameraNotes(document, camera)];
                // Taken over the place as it stands, or in its file's own space.
                if (form["place"] == "kept" && await Task.Run(() => KeptPlace.Fit(engine, document, camera)) is { } fit)
                {
                    var (laid, told) = KeptPlace.Judge(document, fit);
                    notes.Add(told);
                    camera = laid ? KeptPlace.Moved(camera, fit.NewToOld) : camera;
                }
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"Camera in: {camera.Name}",
                    form,
                    d => d with { Camera = camera, Solve = null },
                    notes
                );
            })
            .WithSummary("Brings a camera file in: glTF, USD, CSV or JSON")
            .WithDescription(
                "Fields beside the files: first (frame), rate, k1, k2, place (kept: laid over the place as the old camera saw it)."
            )
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/lens-map", async (long id, HttpContext http, ShotStore shots) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, _) = await ShotApi.Need(shots, id);
                ShotCamera camera = ShotCamera.Of(document)
                    ?? throw new ShotFault("Bring the camera in first: a lens map is read against its focal length.");
                if (!camera.TryAt(document.Range.First, out _, out Pinhole pinhole))
                {
                    throw new ShotFault(
                        $"The camera has no sample for frame {document.Range.First}, whose focal length the map is read against."
                    );
                }
                IFormFile file = Incoming.One(form);
                string name = Path.GetFileName(file.FileName),
                    path = Path.Combine(Path.GetTempPath(), $"plenk-map-{Guid.NewGuid():N}.exr");
                try
                {
                    await File.WriteAllBytesAsync(path, Incoming.Bytes(file));
                    LensMapFile.Reading map = LensMapFile.Read(path, name, pinhole);
                    Lens l = map.Lens;
                    return await Incoming.Save(
                        shots,
                        id,
                        http,
                        $"Lens map in: {name}",
                        form,
                        d => d with { Camera = d.Camera! with { Lens = new(l.K1, l.K2, l.P1, l.P2, l.K3) } },
                        [$"{name} {map.How}; a lens with k1 {l.K1:0.0000} and k2 {l.K2:0.0000} leaves {map.RmsPx:0.000} px of it."]
                    );
                }
                finally
                {
                    File.Delete(path);
                }
            })
            .WithSummary("Brings a lens map in (EXR): undistorted places by distorted ones")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/survey", async (long id, HttpContext http, ShotStore shots) =>
            {
                IFormCollection form = await http.Request.FormIn();
                IFormFile file = Incoming.One(form);
                IReadOnlyList<SurveyPoint> points = SurveyFile.Read(Incoming.Bytes(file), Path.GetFileName(file.FileName));
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"{points.Count} survey points in",
                    form,
                    d => d with { SurveyPoints = [.. d.SurveyPoints.Where(p => points.All(q => q.Name != p.Name)), .. points] },
                    []
                );
            })
            .WithSummary("Brings survey points in (CSV: name, x, y, z, metres)")
            .Accepts<IFormFileCollection>("multipart/form-data");
    }

    /// <summary>What an artist should know of a camera that came in well-formed: frames it lacks, a size that differs.</summary>
    private static IReadOnlyList<string> CameraNotes(ShotDocument shot, CameraSource camera)
    {
        var notes = new List<string>();
        double from = camera.Mapping.ToSource(shot.Range.First, camera.Rate, shot.Rate),
            to = camera.Mapping.ToSource(shot.Range.Last, camera.Rate, shot.Rate);
        double first = camera.Samples[0].Frame,
            last = camera.Samples[^1].Frame;
        if (first > from + 1e-6 || last < to - 1e-6)
        {
            notes.Add(
                $"The camera has frames {first:0.##} to {last:0.##}; the shot needs {from:0.##} to {to:0.##}. Frames outside have no "
                    + "camera: check its first frame and rate."
            );
        }
        if (Math.Abs((double)camera.Width / camera.Height - (double)shot.Plate!.Width / shot.Plate.Height) > 0.01)
        {
            notes.Add(
                $"The camera was made for {camera.Width} × {camera.Height}; the plate is {shot.Plate.Width} × {shot.Plate.Height}, "
                    + "another shape. The match may be off."
            );
        }
        return notes;
    }

    private static object Look(ShotDocument shot, LineCameraResult r)
    {
        if (!r.Solved)
        {
            return new { solved = false, reason = r.Reason };
        }
        double mm = shot.Plate!.SensorWidthMm / shot.Plate.Width,
            far = r.CameraToWorld.Position.Length;
        bool metres = shot.Still!.Length is not null;
        return new
        {
            solved = true,
            focalMm = r.Pinhole!.Fx * mm,
            focalDoubtMm = r.FocalDoubtPx * mm,
            turnDoubt = r.TurnDoubtDegrees,
            rmsPx = r.RmsPx,
            principal = r.PrincipalPoint is { } c
                ? new
                {
                    x = c.X,
                    y = c.Y,
                    doubt = c.DoubtPx,
                    used = r.PrincipalPointMoved,
                }
                : null,
            along = r.MeasuredAlong is { } a
                ? a == 'f'
                    ? "on the floor"
                    : $"along {a}"
                : null,
            height = metres ? r.CameraToWorld.Position.Y : (double?)null,
            families = r.FamilyRmsPx.Select(f => new { axis = f.Key.ToString(), rms = f.Value }),
            grid = shot.Still.Origin is null
                ? []
                : StillGrid
                    .Lines(r.Pinhole, r.CameraToWorld, metres ? Math.Max(0.5, Math.Round(far / 8 * 2) / 2) : far / 8)
                    .Select(l => l.Select(v => Math.Round(v, 1))),
        };
    }
}
