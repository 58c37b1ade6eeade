using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

/// <summary>Pictures of a frame, what lies on it, and the shot from above.</summary>
public static class PictureApi
{
    public static void MapPictures(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Pictures");

        api.MapGet(
                "/frames/{frame:int}/picture",
                async (
                    long id,
                    int frame,
                    string? kind,
                    int? width,
                    string? quality,
                    int? revision,
                    double? gain,
                    string? seen,
                    bool? ahead,
                    ShotStore shots,
                    PictureService pictures,
                    HttpContext http
                ) =>
                {
                    var (document, r) = await ShotApi.Need(shots, id, revision);
                    return await Answer(
                        id,
                        document,
                        frame,
                        kind,
                        width,
                        quality,
                        gain,
                        seen,
                        pictures,
                        http,
                        saved: true,
                        keep: revision == r.Number,
                        ahead: ahead == true
                    );
                }
            )
            .WithSummary(
                "A picture of a frame as PNG: plate, comp, projection, matte and others, coarse or finished; "
                    + "ahead: a draft that gives way to all that somebody waits for"
            );

        // The same for what is not saved yet: what follows a drag.
        api.MapPost(
                "/frames/{frame:int}/preview",
                async (
                    long id,
                    int frame,
                    string? kind,
                    int? width,
                    string? quality,
                    string? seen,
                    PreviewRequest request,
                    ShotStore shots,
                    PictureService pictures,
                    HttpContext http
                ) =>
                {
                    ShotDocument draft = request.On((await ShotApi.Need(shots, id, request.Revision)).Document);
                    ShotApi.Check(draft);
                    return await Answer(
                        id,
                        draft,
                        frame,
                        kind,
                        width,
                        quality ?? "draft",
                        null,
                        seen,
                        pictures,
                        http,
                        saved: false,
                        keep: false
                    );
                }
            )
            .WithSummary("The same with lists of the document changed that are not saved");

        api.MapGet(
                "/frames/{frame:int}/pixel",
                async (long id, int frame, double x, double y, int? revision, ShotStore shots, ShotEngine engine) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id, revision);
                    return engine.Pick(document, frame, x, y);
                }
            )
            .WithSummary("What lies at a pixel: plate and comp, linear; the place, normal, piece and distance of the set");

        api.MapGet("/frames/{frame:int}/layers", async (long id, int frame, int? revision, ShotStore shots, PictureService pictures) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                return await Task.Run(() => pictures.LayersOf(document, frame));
            })
            .WithSummary("The names of a frame’s layers, as they are handed over");

        api.MapGet(
                "/frames/{frame:int}/layers/{layer}/pixel",
                async (long id, int frame, string layer, double x, double y, int? revision, ShotStore shots, PictureService pictures) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id, revision);
                    return new { value = pictures.LayerAt(document, frame, layer, x, y) };
                }
            )
            .WithSummary("What a layer that is looked at holds at a pixel, by channel; null while it is not drawn");

        api.MapGet("/frames/{frame:int}/curve", async (long id, int frame, ShotStore shots, ShotEngine engine) =>
                engine.Plates.CurveFor((await ShotApi.Need(shots, id)).Document, frame)
            )
            .WithSummary("A contrast curve that spreads what a frame holds");

        // The floor, y = 0, under a pixel: where a stand-in stands.
        api.MapGet("/frames/{frame:int}/floor", async (long id, int frame, double x, double y, ShotStore shots, ShotEngine engine) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                if (document.Orientation.Floor.Count == 0 && document.Still is null)
                {
                    throw new ShotFault("The floor is not named yet: name three survey points that lie on it.");
                }
                var (pose, pinhole) = engine.Camera(document, frame);
                return pinhole.TryFloor(pose, x, y, out Vec3 point, out _)
                    ? new { point }
                    : throw new ShotFault("The floor is not seen there: that spot lies above the horizon.");
            })
            .WithSummary("The floor, y = 0, under a pixel");

        api.MapGet(
                "/frames/{frame:int}/overlay",
                async (long id, int frame, int? revision, ShotStore shots, ShotEngine engine, MovingWork moving) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id, revision);
                    if (ShotCamera.Of(document) is not { } camera)
                    {
                        return Results.Ok(
                            new
                            {
                                camera = false,
                                points = document.SurveyPoints.SelectMany(p =>
                                    p.Clicks.Where(c => c.Frame == frame)
                                        .Select(c => new
                                        {
                                            p.Name,
                                            click = new[] { c.X, c.Y },
                                            seen = (double[]?)null,
                                        })
                                ),
                            }
                        );
                    }
                    if (!camera.TryAt(frame, out Pose pose, out Pinhole pinhole))
                    {
                        return Results.Ok(new { camera = false, note = $"The camera has no sample for frame {frame}." });
                    }
                    ShotDocument kept = document;
                    document = Hanging.At(document, frame);
                    SetScene set = engine.Place.Set(document);
                    // The camera's own doubt where it was solved: an ellipse of one standard deviation around each point.
                    var solve = engine.TrackWork.Solve(document);
                    var doubts = engine.TrackWork.Doubts(document);
                    int view = solve is null ? -1 : Array.FindIndex(solve.Frames, f => f.Frame == frame);
                    var points = document.SurveyPoints.Select(p =>
                    {
                        PointClick? click = p.Clicks.FirstOrDefault(c => c.Frame == frame);
                        double x = 0,
                            y = 0;
                        bool seen =
                            p.Position is { } at
                            && pinhole.TryProject(pose, camera.SourceToWorld.Apply(at), out x, out y)
                            && pinhole.Contains(x, y);
                        double[]? ellipse =
                            seen && view >= 0 && doubts?.Sure.OfSpot(doubts.Value.ToOwn.Apply(p.Position!.Value), view) is { } c
                                ? [c.XX, c.XY, c.YY]
                                : null;
                        return new
                        {
                            p.Name,
                            click = click is null ? null : new[] { click.X, click.Y },
                            seen = seen ? new[] { x, y } : null,
                            ellipse,
                        };
                    });
                    double[]? Seen(Vec3 place) => pinhole.TryProject(pose, place, out double lx, out double ly) ? [lx, ly] : null;
                    var elements = engine
                        .Elements(document, frame)
                        .Select(e => new
                        {
                            e.Id,
                            outline = Outline(e.Model.Tree.Mesh.Bounds(), e.ObjectToWorld, pose, pinhole),
                            foot = pinhole.TryProject(pose, e.ObjectToWorld.Translation, out double fx, out double fy)
                                ? new[] { fx, fy }
                                : null,
                            hiddenBy = HiddenBy(set, pose, e),
                        });
                    return Results.Ok(
                        new
                        {
                            camera = true,
                            wire = Overlays
                                .Wireframe(pinhole, pose, set)
                                .Select(l => new
                                {
                                    p = l.Points.Select(v => MathF.Round(v, 1)),
                                    h = l.Hidden,
                                    i = l.Piece,
                                }),
                            grid = document.Orientation.Floor.Count > 0
                                ? Overlays
                                    .FloorGrid(pinhole, pose, set)
                                    .Where(l => !l.Hidden)
                                    .Select(l => l.Points.Select(v => MathF.Round(v, 1)))
                                : [],
                            standIns = Overlays
                                .StandIns(pinhole, pose, set, document.StandIns)
                                .Select(l => new
                                {
                                    p = l.Points.Select(v => MathF.Round(v, 1)),
                                    h = l.Hidden,
                                    id = document.StandIns[l.Piece].Id,
                                }),
                            pieces = set.Pieces.Select(p => p.Id),
                            points,
                            elements,
                            hung = HangingOverlay.Hung(kept, frame),
                            aims = HangingOverlay.Aims(kept, document, frame, Seen),
                            // By their own numbers, where these are keyed.
                            lights = ShotCurves
                                .At(kept, frame)
                                .Lights.Where(l =>
                                    kept.Curves.Any(c =>
                                        c.Id.StartsWith($"{ShotCurves.PlaceOf("lights", l.Id)}/", StringComparison.Ordinal)
                                    )
                                )
                                .Select(l => new
                                {
                                    l.Id,
                                    l.Strength,
                                    l.Position,
                                    l.Direction,
                                }),
                            // Lamps that stand in the place, and a metre towards where they shine.
                            lamps = document
                                .Lights.Where(l => l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle)
                                .Select(l =>
                                    (
                                        Lamp: l,
                                        At: Seen(l.Position),
                                        Towards: l.Kind == LightKind.Point ? null : Seen(l.Position - l.Direction.Normalized())
                                    )
                                )
                                .Select(l => new
                                {
                                    l.Lamp.Id,
                                    l.Lamp.Position,
                                    l.Lamp.Direction,
                                    at = l.At,
                                    towards = l.Towards ?? Seen(l.Lamp.Position - l.Lamp.Direction.Normalized()),
                                }),
                            things = document
                                .MovingObjects.Select(o => (Thing: o, Place: MovingWork.PlaceOf(o, frame)))
                                .Where(o => o.Place is not null)
                                .Select(o => new
                                {
                                    o.Thing.Id,
                                    pose = o.Place!.Value.ToRowMajor16(),
                                    held = o.Thing.Holds.Any(h => h.Frame == frame),
                                    lines = moving
                                        .Lines(document, o.Thing, frame, o.Place.Value)
                                        .Where(l => !l.Hidden)
                                        .Select(l => l.Points.Select(v => MathF.Round(v, 1))),
                                }),
                        }
                    );
                }
            )
            .WithSummary("Lines to draw over a frame: pieces, points, elements, lamps, things");

        // Which frames see the set best, and what is covered now.
        api.MapGet("/sources", async (long id, int? revision, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id, revision)).Document;
                CoveragePlan plan = await Task.Run(() => engine.Projection.Plan(document));
                return new
                {
                    nothing = plan.Nothing,
                    plan = plan.Frames.Select(p => new { p.Frame, p.Covered }),
                    plan.Now,
                    pieces = plan.Pieces.Select(p => new { id = p.Piece, covered = p.Covered }),
                    neverSeen = plan.NeverSeen.Take(4000).Select(p => new[] { MathF.Round(p.X, 2), MathF.Round(p.Z, 2) }),
                };
            })
            .WithSummary("Which frames see the set best, and what is covered now");

        // The set in the world for the browser: triangles of each piece, and where each projection sees it from.
        api.MapGet("/around", async (long id, int? frame, int? revision, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id, revision)).Document;
                document = Hanging.At(document, frame ?? document.Range.First);
                SetScene set = engine.Place.Set(document);
                int triangles = set.Meshes.Sum(m => m.TriangleCount);
                if (triangles > 1_000_000)
                {
                    throw new ShotFault($"The set has {triangles:N0} triangles; up to a million are shown around. Switch pieces off.");
                }
                return new
                {
                    pieces = set.Pieces.Select(
                        (p, i) =>
                            new
                            {
                                p.Id,
                                p.Duties.WearsFootage,
                                p.Duties.OnlyBlocksLight,
                                positions = Convert.ToBase64String(
                                    System.Runtime.InteropServices.MemoryMarshal.AsBytes<Vector3>(set.Meshes[i].Positions)
                                ),
                                indices = Convert.ToBase64String(
                                    System.Runtime.InteropServices.MemoryMarshal.AsBytes<int>(set.Meshes[i].Indices)
                                ),
                            }
                    ),
                    cameras = document
                        .Projections.Where(p => !p.Off)
                        .Select(p =>
                        {
                            int at = p.Kind == SourceKind.Running ? frame ?? document.Range.First : p.Frame;
                            var (pose, pinhole) = engine.Camera(ProjectionWork.Through(document, p.Camera), at);
                            return new
                            {
                                p.Id,
                                Frame = at,
                                pose = pose.ToRowMajor16(),
                                fx = pinhole.Fx,
                                fy = pinhole.Fy,
                                cx = pinhole.Cx,
                                cy = pinhole.Cy,
                                k1 = pinhole.Lens.K1,
                                k2 = pinhole.Lens.K2,
                                width = pinhole.Width,
                                height = pinhole.Height,
                                fadeFrom = p.FadeFromDegrees,
                                fadeTo = p.FadeToDegrees,
                                pieces = p.Pieces,
                            };
                        }),
                    shot = ShotCamera.Of(document) is { } camera
                    && camera.TryAt(frame ?? document.Range.First, out Pose own, out Pinhole lens)
                        ? new { pose = own.ToRowMajor16(), fovDegrees = 2 * Math.Atan(lens.Height / (2 * lens.Fy)) * 180 / Math.PI }
                        : null,
                };
            })
            .WithSummary("The set’s triangles in the world, and where each projection sees it from");

        api.MapGet("/plan", async (long id, int? revision, int? frame, ShotStore shots, ShotEngine engine) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                document = Hanging.At(document, frame ?? document.Range.First);
                SetScene set = engine.Place.Set(document);
                ShotCamera? camera = ShotCamera.Of(document);
                var path = Enumerable
                    .Range(document.Range.First, document.Range.Count)
                    .Select(f =>
                        camera is not null && camera.TryAt(f, out Pose pose, out Pinhole pinhole)
                            ? new
                            {
                                frame = f,
                                x = pose.Position.X,
                                z = pose.Position.Z,
                                heading = Math.Atan2(-pose.Rotation.Column(2).X, pose.Rotation.Column(2).Z),
                                fov = pinhole.HorizontalFovRadians,
                            }
                            : null
                    )
                    .Where(p => p is not null);
                return new
                {
                    pieces = set.Pieces.Select(
                        (p, i) =>
                            new
                            {
                                p.Id,
                                lines = PlanLines(set.Meshes[i]),
                                p.Duties.Hides,
                                p.Duties.OnlyBlocksLight,
                            }
                    ),
                    camera = path,
                    elements = engine
                        .Elements(document, frame ?? document.Range.First)
                        .Select(e =>
                        {
                            var (min, max) = e.Model.Tree.Mesh.Bounds();
                            Vec3 c = e.ObjectToWorld.Translation;
                            // The foot's reach: what lies within a tenth of the height above it.
                            double reach = e
                                .Model.Tree.Mesh.Positions.Where(p => p.Y < min.Y + 0.1f * (max.Y - min.Y))
                                .Select(p => Math.Sqrt(p.X * p.X + p.Z * p.Z))
                                .DefaultIfEmpty(0.3)
                                .Max();
                            return new
                            {
                                e.Id,
                                x = c.X,
                                y = document.Elements.First(x => x.Id == e.Id).Position.Y,
                                z = c.Z,
                                radius = reach * e.ObjectToWorld.Scale,
                            };
                        }),
                    points = Orienting.Of(document) is var o
                        ? document
                            .SurveyPoints.Where(p => p.Position is not null)
                            .Select(p =>
                            {
                                Vec3 w = o.SourceToWorld.Apply(p.Position!.Value);
                                return new
                                {
                                    p.Name,
                                    x = w.X,
                                    z = w.Z,
                                };
                            })
                        : [],
                };
            })
            .WithSummary("The set from above: lines, cameras, elements, lights");

        api.MapGet("/residuals", async (long id, ShotStore shots) => CameraReadings
                    .Residuals((await ShotApi.Need(shots, id)).Document)
                    .Select(r => new
                    {
                        r.Point,
                        r.Frame,
                        r.X,
                        r.Y,
                        r.Dx,
                        r.Dy,
                        r.Length,
                    }))
            .WithSummary("How far survey points fall from their clicks, frame by frame");
    }

    private static async Task<IResult> Answer(
        long id,
        ShotDocument document,
        int frame,
        string? kind,
        int? width,
        string? quality,
        double? gain,
        string? seen,
        PictureService pictures,
        HttpContext http,
        bool saved,
        bool keep,
        bool ahead = false
    )
    {
        int full = document.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        byte[] bytes = await pictures.Picture(
            id,
            document,
            frame,
            kind ?? "comp",
            Math.Clamp(width ?? full, 16, full),
            quality ?? "full",
            Math.Clamp(gain ?? 4, 0.1, 100),
            Enum.TryParse(seen, ignoreCase: true, out SeenThrough through) ? through : SeenThrough.Display,
            drags: !saved && quality == "draft",
            http.RequestAborted,
            ahead
        );
        if (pictures.NoiseOf(bytes) is { } noise)
        {
            http.Response.Headers["X-Noise"] = FormattableString.Invariant($"{noise.Shadow:0.0000} {noise.Element:0.0000}");
        }
        if (keep)
        {
            http.Response.Headers.CacheControl = "private, max-age=86400";
        }
        return Results.Bytes(bytes, bytes[0] == 0xFF ? "image/jpeg" : "image/png");
    }

    /// <summary>
    /// The name of the piece that hides the middle of an element and its corners from the camera; null where some of it is seen.
    /// </summary>
    private static string? HiddenBy(SetScene set, Pose camera, Core.Contact.PlacedElement e)
    {
        var (min, max) = e.Model.Tree.Mesh.Bounds();
        string? by = null;
        for (int k = 0; k < 9; k++)
        {
            Vector3 own =
                k == 8 ? (min + max) / 2 : new((k & 1) == 0 ? min.X : max.X, (k & 2) == 0 ? min.Y : max.Y, (k & 4) == 0 ? min.Z : max.Z);
            Vec3 to = e.ObjectToWorld.Apply(Vec3.From(own)) - camera.Position;
            Core.Tracing.Hit hit = set.Scene.Intersect(
                new Core.Tracing.Ray(camera.Position.ToSingle(), to.Normalized().ToSingle(), 0, (float)to.Length * 0.999f),
                Core.Tracing.RayKinds.CameraSet
            );
            if (!hit.IsHit || !set.Pieces[set.PieceOf(hit)].Duties.Hides)
            {
                return null;
            }
            by = set.Pieces[set.PieceOf(hit)].Name;
        }
        return by;
    }

    /// <summary>Feature edges seen from above, x z x z; upright ones fall away; the longest 300.</summary>
    private static IEnumerable<float[]> PlanLines(Core.Tracing.TriangleMesh mesh) =>
        PieceMeshes
            .FeatureEdges(mesh)
            .Select(e => (E: e, L: MathF.Abs(e.A.X - e.B.X) + MathF.Abs(e.A.Z - e.B.Z)))
            .Where(e => e.L > 0.02f)
            .OrderByDescending(e => e.L)
            .Take(300)
            .Select(e => new[] { MathF.Round(e.E.A.X, 2), MathF.Round(e.E.A.Z, 2), MathF.Round(e.E.B.X, 2), MathF.Round(e.E.B.Z, 2) });

    /// <summary>The picture's box around an element: left, top, right, bottom; null when it is out of view.</summary>
    private static double[]? Outline((Vector3 Min, Vector3 Max) bounds, Similarity place, Pose pose, Pinhole pinhole)
    {
        double left = double.PositiveInfinity,
            top = left,
            right = double.NegativeInfinity,
            bottom = right;
        for (int corner = 0; corner < 8; corner++)
        {
            var p = new Vec3(
                (corner & 1) == 0 ? bounds.Min.X : bounds.Max.X,
                (corner & 2) == 0 ? bounds.Min.Y : bounds.Max.Y,
                (corner & 4) == 0 ? bounds.Min.Z : bounds.Max.Z
            );
            if (!pinhole.TryProject(pose, place.Apply(p), out double x, out double y))
            {
                continue;
            }
            (left, top, right, bottom) = (Math.Min(left, x), Math.Min(top, y), Math.Max(right, x), Math.Max(bottom, y));
        }
        return right > left && right > 0 && left < pinhole.Width && bottom > 0 && top < pinhole.Height ? [left, top, right, bottom] : null;
    }
}
