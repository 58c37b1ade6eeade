using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats.Cameras;
using Plenk.Formats.Meshes;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <summary>
/// A foot in the world and a spot of the picture; where Along is given, the spot lies above the line from the foot along it.
/// </summary>
public sealed record AboveRequest(Vec3 Foot, double X, double Y, Vec3? Along);

public sealed record CutLooseRequest(
    int BaseRevision,
    int Frame,
    double[] Corners,
    double ThicknessMetres = 0.04,
    Vec3? Sides = null,
    string Hinge = "left",
    double RoomMetres = 0
) : CutRequest(Frame, Corners, ThicknessMetres, Sides, Hinge, RoomMetres);

/// <summary>How a piece breaks (<see cref="Breaking"/>); kg/m³, metres, newton seconds.</summary>
public sealed record BreakRequest(
    int Frame,
    int Parts = 60,
    int Seed = 1,
    double Density = 2400,
    double Thickness = 0,
    Vec3? Point = null,
    Vec3? Impulse = null,
    string? Falling = null,
    double FallingDensity = 7850,
    double Strength = 20,
    double Friction = 0.6,
    double Bounce = 0.1,
    Vec3? Inside = null,
    int Scraps = 0,
    double ScrapSmallestMm = 4,
    double ScrapLargestMm = 30,
    double ScrapSpeed = 1.5,
    int Dust = 0,
    double Radius = 0,
    double Depth = 0,
    double Blast = 0,
    double BlastSpeed = 340,
    IReadOnlyList<IReadOnlyList<Vec3>>? Cracks = null
);

public sealed record FitRequest(ShotDocument Document, PieceKind Kind, string[] Points, int Frame);

/// <summary>The set: meshes and clouds in, pieces laid, pulled and measured in the picture.</summary>
public static class SetApi
{
    public static void MapSet(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Set").DisableAntiforgery();

        api.MapPost("/pieces/fit", async (long id, FitRequest request, ShotStore shots, TrackWork tracks, CloudWork clouds) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(request.Document);
                var fitted = SurveyWork.Fit(request.Document, tracks, clouds, request.Kind, request.Points, request.Frame);
                return new
                {
                    fitted.Piece,
                    fitted.RmsMetres,
                    fitted.LargestMetres,
                    fitted.Assumed,
                    rmsPixels = SurveyWork.InPixels(request.Document, fitted, request.Frame),
                };
            })
            .WithSummary("A plane, box or cylinder through points; nothing is saved");

        // Tracked points that can be chosen in a frame; and those on the surface under a spot.
        api.MapGet("/frames/{frame:int}/places", async (long id, int frame, ShotStore shots, TrackWork tracks, CloudWork clouds) =>
                SurveyWork
                    .Choosable((await ShotApi.Need(shots, id)).Document, tracks, clouds, frame)
                    .Select(p => new
                    {
                        name = p.Name,
                        x = Math.Round(p.X, 1),
                        y = Math.Round(p.Y, 1),
                    })
            )
            .WithSummary("Tracked points that can be chosen in a frame");

        api.MapGet(
                "/frames/{frame:int}/surface",
                async (long id, int frame, double x, double y, ShotStore shots, TrackWork tracks, CloudWork clouds) =>
                    SurveyWork.Surface((await ShotApi.Need(shots, id)).Document, tracks, clouds, frame, x, y)
            )
            .WithSummary("Tracked points on the surface under a spot");

        // What of a piece can be taken hold of in a frame: corners and edges, where they are seen.
        api.MapGet("/frames/{frame:int}/handles", async (long id, int frame, string piece, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = Hanging.At((await ShotApi.Need(shots, id)).Document, frame);
                Piece own = document.Pieces.FirstOrDefault(p => p.Id == piece) ?? throw new NotThereException("There is no such piece.");
                var (pose, pinhole) = engine.Camera(document, frame);
                Similarity place = PieceMeshes.PlaceOf(own);
                double[]? At(Vec3 share) =>
                    pinhole.TryProject(pose, place.Apply(PiecePull.Local(own, share)), out double x, out double y)
                        ? [Math.Round(x, 2), Math.Round(y, 2)]
                        : null;
                return PiecePull
                    .Handles(own, engine.Place.Local(own))
                    .Select(h => new
                    {
                        from = h.From,
                        to = h.To,
                        a = At(h.From),
                        b = At(h.To),
                    })
                    .Where(h => h.a is not null && h.b is not null);
            })
            .WithSummary("Corners and edges of a piece that can be taken hold of, where they are seen");

        // A piece whose pins were changed, solved over all frames that have one.
        api.MapPost("/pieces/{piece}/pull", async (long id, string piece, DraftRequest request, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(request.Document);
                PulledPiece pulled = SetWork.Pull(
                    engine,
                    request.Document,
                    request.Document.Pieces.FirstOrDefault(p => p.Id == piece) ?? throw new NotThereException("There is no such piece.")
                );
                return new
                {
                    pulled.Piece,
                    pulled.RmsPx,
                    pulled.WorstPx,
                };
            })
            .WithSummary("A piece solved over all frames that pin it; nothing is saved");

        api.MapPost(
                "/pieces/{piece}/cut-loose",
                async (long id, string piece, CutLooseRequest r, ShotStore shots, CutLooseWork work, HttpContext http) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    string name = document.Pieces.FirstOrDefault(p => p.Id == piece)?.Name ?? "a piece";
                    var (cut, _) = await Task.Run(() => work.Cut(document, piece, r));
                    ShotApi.Check(cut);
                    await shots.Save(id, r.BaseRevision, cut, ShotApi.Who(http), $"A part cut loose from {name}");
                    return await ShotApi.State(shots, id);
                }
            )
            .WithSummary("Cuts a part loose from a flat face of a piece; it wears its footage, and the hole stays");

        api.MapPost(
                "/pieces/{piece}/break",
                async (long id, string piece, BreakRequest r, ShotStore shots, JobStore jobs, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    Piece own = document.Pieces.FirstOrDefault(p => p.Id == piece)
                        ?? throw new NotThereException("There is no such piece.");
                    Breaking with = new()
                    {
                        Piece = piece,
                        AtFrame = r.Frame,
                        Parts = r.Parts,
                        Seed = r.Seed,
                        DensityKgM3 = r.Density,
                        ThicknessMetres = r.Thickness > 0 ? r.Thickness : null,
                        Point = r.Point,
                        Cracks = r.Cracks ?? [],
                        ImpulseNs = r.Impulse ?? Vec3.Zero,
                        Falling = string.IsNullOrEmpty(r.Falling) ? null : r.Falling,
                        FallingDensityKgM3 = r.FallingDensity,
                        StrengthNs = r.Strength,
                        Friction = r.Friction,
                        Bounce = r.Bounce,
                        InsideColor = r.Inside ?? new Breaking().InsideColor,
                        Scraps = r.Scraps,
                        ScrapSmallestMetres = r.ScrapSmallestMm / 1000,
                        ScrapLargestMetres = r.ScrapLargestMm / 1000,
                        ScrapSpeed = r.ScrapSpeed,
                        Dust = r.Dust,
                        RadiusMetres = r.Radius > 0 ? r.Radius : null,
                        DepthMetres = r.Depth > 0 ? r.Depth : null,
                        BlastNsM2 = r.Blast,
                        BlastSpeed = r.BlastSpeed,
                    };
                    return await jobs.Ask(
                        id,
                        document,
                        "break",
                        $"Breaking {own.Name}",
                        100,
                        ShotApi.Who(http),
                        new BreakParameters(revision.Number, ShotApi.Who(http), with),
                        [with]
                    );
                }
            )
            .WithSummary("Breaks a piece into parts that fall; they become an element, and the piece is gone from then on");

        api.MapGet("/clouds", async (long id, int? revision, ShotStore shots) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id, revision)).Document;
                return document.Clouds.Select(c =>
                    CloudWork.Place(document, c) is var p
                        ? new
                        {
                            c.Id,
                            p.RmsMetres,
                            p.Targets,
                            p.Reason,
                            scale = p.ToWorld.Scale,
                        }
                        : null
                );
            })
            .WithSummary("How point clouds lie by their targets");

        api.MapGet("/frames/{frame:int}/card", async (long id, int frame, double? metres, ShotStore shots, ShotEngine engine) =>
                SetWork.Card(engine, (await ShotApi.Need(shots, id)).Document, frame, metres)
            )
            .WithSummary("A card that fills the frame at a distance, or where one looks; nothing is saved");

        // How high above a foot a spot of the picture lies, where it is straight above it; or straight above a line through the foot along a direction.
        api.MapPost("/frames/{frame:int}/above", async (long id, int frame, AboveRequest request, ShotStore shots, ShotEngine engine) =>
                SetWork.Above(engine, (await ShotApi.Need(shots, id)).Document, frame, request.Foot, request.Along, request.X, request.Y)
            )
            .WithSummary("How high above a foot a spot of the picture lies, straight above it or above a line through it");

        api.MapPost("/mesh", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                var (form, name, mesh, hash) = await Incoming.TakeMesh(http, media);
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"Mesh in: {name}",
                    form,
                    d =>
                    {
                        var pieces = new List<Piece>(d.Pieces);
                        foreach (ImportedObject o in mesh.Objects)
                        {
                            string pieceId = o.Name;
                            for (int k = 2; pieces.Any(p => p.Id == pieceId); k++)
                            {
                                pieceId = $"{o.Name}_{k}";
                            }
                            pieces.Add(
                                new Piece
                                {
                                    Id = pieceId,
                                    Name = o.Name,
                                    Kind = PieceKind.Mesh,
                                    Media = hash,
                                    Object = o.Name,
                                }
                            );
                        }
                        return d with { Pieces = pieces };
                    },
                    mesh.Warnings
                );
            })
            .WithSummary("Brings a mesh in as pieces of the set: OBJ or glTF")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/cloud", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                IFormFile file = Incoming.One(form);
                byte[] bytes = Incoming.Bytes(file);
                string name = Path.GetFileName(file.FileName);
                int count = PointFiles.ReadPly(bytes, name).Count;
                if (count == 0)
                {
                    throw new ShotFault($"{name} holds no point.");
                }
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"Point cloud in: {name}",
                    form,
                    d =>
                    {
                        int k = 1;
                        while (d.Clouds.Any(c => c.Id == $"cloud_{k}"))
                        {
                            k++;
                        }
                        return d with
                        {
                            Clouds =
                            [
                                .. d.Clouds,
                                new PointCloud
                                {
                                    Id = $"cloud_{k}",
                                    Name = name,
                                    Media = media.Write(bytes),
                                    Count = count,
                                },
                            ],
                        };
                    },
                    [$"{name} has {count:N0} points. It lies as it came until three of its targets are named."]
                );
            })
            .WithSummary("Brings a point cloud in (PLY)")
            .Accepts<IFormFileCollection>("multipart/form-data");

        // A scanner's target list: names of survey points and their places in the cloud.
        api.MapPost("/clouds/{cloud}/targets", async (long id, string cloud, HttpContext http, ShotStore shots) =>
            {
                IFormCollection form = await http.Request.FormIn();
                IFormFile file = Incoming.One(form);
                IReadOnlyList<SurveyPoint> listed = SurveyFile.Read(Incoming.Bytes(file), Path.GetFileName(file.FileName));
                var (document, _) = await ShotApi.Need(shots, id);
                CloudTarget[] targets =
                [
                    .. listed
                        .Where(p => p.Position is not null && document.SurveyPoints.Any(s => s.Name == p.Name))
                        .Select(p => new CloudTarget(p.Name, p.Position!.Value)),
                ];
                if (targets.Length == 0)
                {
                    throw new ShotFault(
                        $"None of the {listed.Count} names in {Path.GetFileName(file.FileName)} is a survey point of the shot "
                            + $"({string.Join(", ", document.SurveyPoints.Take(6).Select(s => s.Name))}). Name them alike."
                    );
                }
                return await Incoming.Save(
                    shots,
                    id,
                    http,
                    $"{targets.Length} targets of the cloud",
                    form,
                    d => d with { Clouds = [.. d.Clouds.Select(c => c.Id == cloud ? c with { Targets = targets } : c)] },
                    []
                );
            })
            .WithSummary("Brings a scanner’s target list in: names of survey points and their places in the cloud")
            .Accepts<IFormFileCollection>("multipart/form-data");
    }
}
