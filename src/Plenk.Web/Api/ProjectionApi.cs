using System.Text.Json.Serialization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <param name="Shot">A number, or its digits, as a choice of the sheet has it.</param>
public sealed record OtherCameraRequest(
    int BaseRevision,
    [property: JsonNumberHandling(JsonNumberHandling.AllowReadingFromString)] long Shot
);

public sealed record MatchRequest(ShotDocument Document, int Frame);

public sealed record FillRequest(int Frame, string Matte, FillHow How, string? Camera = null, bool MeetsRim = false);

public sealed record CleanRequest(int First, int Last);

public sealed record BakeRequest(int Frame, string[]? Pieces = null, double? TexelMillimetres = null, bool Keep = false);

public sealed record ElsewhereRequest(int First, int Last, OtherView View);

/// <param name="Code">Of the shot that comes of it.</param>
public sealed record ReshootRequest(int First, int Last, OtherView View, string? Code);

public sealed record DepthRequest(int First, int Last, int Every = 1);

/// <summary>Footage on the set: other cameras, pictures that are filled or painted, textures, views from elsewhere, depth.</summary>
public static class ProjectionApi
{
    private const int SmallFill = 200 * 200; // pixels

    public static void MapProjection(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Footage");

        // Another shot's camera and plate, in the world that both are oriented to.
        api.MapPost("/other-cameras", (long id, OtherCameraRequest request, ShotStore shots, HttpContext http) =>
                ShotApi.Borrowed(
                    shots,
                    id,
                    request.Shot,
                    request.BaseRevision,
                    http,
                    "That is this shot itself. Choose another one of the same place.",
                    (document, other) =>
                        other.Plate is not { } plate || ShotCamera.Of(other) is null
                            ? throw new ShotFault(
                                $"{other.Code} has no {(other.Plate is null ? "plate" : "camera")} yet. Bring one in there first."
                            )
                            : (
                                document with
                                {
                                    OtherCameras = [.. document.OtherCameras, FilmedWork.Lent(document, other, plate)],
                                },
                                $"Camera of {other.Code} beside ours"
                            )
                )
            )
            .WithSummary("Brings another shot’s camera and plate beside this one’s, in the world that both are oriented to");

        // Another shot's plate behind all: its frames are counted as this shot's, first on first.
        api.MapPost("/background/plate", (long id, OtherCameraRequest request, ShotStore shots, HttpContext http) =>
                ShotApi.Borrowed(
                    shots,
                    id,
                    request.Shot,
                    request.BaseRevision,
                    http,
                    "That is this shot itself: its plate is behind all when nothing else is. Choose another one.",
                    (document, other) =>
                    {
                        PlateSource plate = other.Plate ?? throw new ShotFault($"{other.Code} has no plate yet. Bring one in there first.");
                        return (
                            document with
                            {
                                Background = BackgroundKind.Frames,
                                BackgroundFrames = new()
                                {
                                    Frames = plate.Frames,
                                    Rate = plate.Rate,
                                    Mapping = new(plate.Mapping.ToSource(other.Range.First, plate.Rate, other.Rate), document.Range.First),
                                    Encoding = plate.Encoding,
                                    Primaries = plate.Primaries,
                                },
                            },
                            $"The plate of {other.Code} behind all"
                        );
                    }
                )
            )
            .WithSummary("Puts another shot’s plate behind all that is seen");

        api.MapPost("/background", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                Dictionary<string, byte[]> files = ContactApi.Files(form);
                var (document, revision) = await ShotApi.Need(shots, id);
                var (source, notes, _) = ContactApi.Sequence(files, document, media, needsAlpha: false, exr: true);
                ShotDocument changed = document with { Background = BackgroundKind.Frames, BackgroundFrames = source };
                await ShotApi.Keep(shots, id, http, changed, "Pictures behind all", form["baseRevision"], revision.Number);
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary("Brings pictures in that stand behind all that is seen")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        api.MapGet("/meetings", async (long id, int? frame, int? revision, ShotStore shots, ShotEngine engine) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                return await Task.Run(() => engine.Projection.Meetings(document, frame ?? document.Range.First));
            })
            .WithSummary("How much of the set pairs of cameras share, and how they differ there");

        api.MapPost("/match-cameras", async (long id, MatchRequest request, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(request.Document);
                return await Task.Run(() => engine.Projection.Matched(request.Document, request.Frame));
            })
            .WithSummary("The other cameras with their exposure and white brought to the shot’s; nothing is saved");

        // What a source lays on the set, as it is seen through the display.
        api.MapGet(
                "/projections/{source}/picture",
                async (long id, string source, int? frame, int? revision, string? seen, ShotStore shots, ShotEngine engine) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id, revision);
                    ProjectionSource p = Source(document, source);
                    var (picture, kept) = await Task.Run(() =>
                        engine.Projection.SourcePicture(document, p, p.Kind == SourceKind.Running ? frame ?? document.Range.First : p.Frame)
                    );
                    CodeImage codes = CodeImage
                        .FromLinear(picture, document.Plate?.Space ?? ColorSpace.Srgb, 16)
                        .Through(
                            engine.Plates.View(
                                document,
                                Enum.TryParse(seen, ignoreCase: true, out SeenThrough through) ? through : SeenThrough.Display
                            )
                        );
                    var shown = new ushort[4 * codes.Width * codes.Height];
                    for (int i = 0; i < codes.Width * codes.Height; i++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            shown[4 * i + c] = (ushort)(codes.Codes[3 * i + c] >> 8);
                        }
                        shown[4 * i + 3] = (ushort)(255 * (kept?[i] ?? 1));
                    }
                    return Results.Bytes(RasterFile.ToPng(new CodeImage(codes.Width, codes.Height, 4, 8, shown)), "image/png");
                }
            )
            .WithSummary("What a source lays on the set, as it is seen through the display");

        api.MapPost("/fill", async (long id, FillRequest request, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (document.Mattes.All(m => m.Id != request.Matte))
                {
                    throw new ShotFault("Choose the matte around what goes; draw one first if there is none.");
                }
                // A small hole is filled while one waits.
                bool small = FillWork.Pixels(document, request.Matte, request.Frame) <= SmallFill;
                return await jobs.Ask(
                    id,
                    document,
                    "fill",
                    $"Filling {request.Frame}",
                    100,
                    ShotApi.Who(http),
                    new FillParameters(
                        revision.Number,
                        ShotApi.Who(http),
                        request.Frame,
                        request.Camera,
                        request.Matte,
                        request.How,
                        request.MeetsRim
                    ),
                    [request],
                    small ? Lane.Hands : Lane.Long
                );
            })
            .WithSummary("Fills a matte in a frame, in the tray; the picture is laid on before the others");

        api.MapPost(
                "/clean-plate",
                async (long id, CleanRequest request, ShotStore shots, ShotEngine engine, JobStore jobs, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    Within(document, request.First, request.Last);
                    if (document.CleanPlate.Mattes.All(m => document.Mattes.All(o => o.Id != m)))
                    {
                        throw new ShotFault("Tick the mattes around what goes; draw one first if there is none.");
                    }
                    engine.Camera(document, request.First);
                    return await jobs.Ask(
                        id,
                        document,
                        "clean-plate",
                        request.First == request.Last ? $"Clean plate, {request.First}" : $"Clean plate, {request.First}–{request.Last}",
                        100,
                        ShotApi.Who(http),
                        new CleanParameters(revision.Number, ShotApi.Who(http), request.First, request.Last),
                        [request]
                    );
                }
            )
            .WithSummary("Makes the plate without what lies in the ticked mattes, in the tray");

        api.MapPost("/bake", async (long id, BakeRequest request, ShotStore shots, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                if (request.TexelMillimetres is not (null or (> 0.01 and < 10_000)))
                {
                    throw new ShotFault("A texel is between 0.01 mm and 10 m.");
                }
                return await jobs.Ask(
                    id,
                    document,
                    "bake",
                    "Baking the footage",
                    100,
                    ShotApi.Who(http),
                    new BakeParameters(
                        revision.Number,
                        ShotApi.Who(http),
                        request.Pieces ?? [],
                        request.Frame,
                        request.TexelMillimetres,
                        request.Keep
                    ),
                    [request]
                );
            })
            .WithSummary("Writes what the projections show into textures of the pieces, in the tray");

        api.MapPost(
                "/elsewhere",
                async (long id, ElsewhereRequest request, ShotStore shots, ShotEngine engine, JobStore jobs, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    Within(document, request.First, request.Last);
                    if (ElsewhereWork.Fault(request.View) is { } fault)
                    {
                        throw new ShotFault(fault);
                    }
                    if (document.Projections.All(p => p.Off))
                    {
                        throw new ShotFault("Nothing is projected yet. Lay a frame on the set first.");
                    }
                    if (request.View.Spot is null)
                    {
                        engine.Camera(document, request.First);
                        engine.Camera(document, request.Last);
                    }
                    await InTheOpen(engine, document, request.View, request.First, request.Last);
                    return await jobs.Ask(
                        id,
                        document,
                        "elsewhere",
                        $"From elsewhere, {request.First}–{request.Last}",
                        request.Last - request.First + 1,
                        ShotApi.Who(http),
                        new ElsewhereParameters(revision.Number, ShotApi.Who(http), request.First, request.Last, request.View),
                        [request]
                    );
                }
            )
            .WithSummary("Renders the set from elsewhere as EXR, in the tray");

        api.MapPost(
                "/reshoot",
                async (long id, ReshootRequest request, ShotStore shots, ShotEngine engine, JobStore jobs, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    Within(document, request.First, request.Last);
                    if (
                        (
                            request.View.Spot is not null ? "A sphere is no shot: choose the camera."
                            : request.View.FisheyeDegrees is not null
                                ? "A fisheye is no camera that a shot can have: choose the shot’s camera, changed."
                            : ElsewhereWork.Fault(request.View)
                        ) is
                        { } fault
                    )
                    {
                        throw new ShotFault(fault);
                    }
                    if (document.Projections.All(p => p.Off))
                    {
                        throw new ShotFault("Nothing is projected yet. Lay a frame on the set first.");
                    }
                    string code = ShotApi.Code(request.Code);
                    if ((await shots.List()).Any(s => s.Production == document.Production && s.Code == code))
                    {
                        throw new ShotFault($"There is a shot {code} in {document.Production} already. Choose another code.");
                    }
                    engine.Camera(document, request.First);
                    engine.Camera(document, request.Last);
                    await InTheOpen(engine, document, request.View, request.First, request.Last);
                    return await jobs.Ask(
                        id,
                        document,
                        "reshoot",
                        $"{code}, {request.First}–{request.Last}",
                        request.Last - request.First + 1,
                        ShotApi.Who(http),
                        new ReshootParameters(revision.Number, ShotApi.Who(http), request.First, request.Last, request.View, code),
                        [request]
                    );
                }
            )
            .WithSummary("Makes a shot of its own of the set from elsewhere, with its set, lights and elements; in the tray");

        // One frame of it, small, to look at.
        api.MapPost(
                "/frames/{frame:int}/elsewhere",
                async (long id, int frame, OtherView view, int? width, ShotStore shots, ShotEngine engine, HttpContext http) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    if (ElsewhereWork.Fault(view) is { } fault)
                    {
                        throw new ShotFault(fault);
                    }
                    await InTheOpen(engine, document, view, frame, frame);
                    byte[] bytes = await Task.Run(() =>
                        ElsewherePicture.Of(engine, document, view, frame, Math.Clamp(width ?? 640, 64, 1600), http.RequestAborted)
                    );
                    return Results.Bytes(bytes, "image/jpeg");
                }
            )
            .WithSummary("One frame of the set from elsewhere, small, as PNG");

        api.MapPost("/depth", async (long id, DepthRequest request, ShotStore shots, ShotEngine engine, JobStore jobs, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                Within(document, request.First, request.Last);
                if (request.Every is < 1 or > 1000)
                {
                    throw new ShotFault("Every 1st to 1,000th frame.");
                }
                engine.Camera(document, request.First);
                return await jobs.Ask(
                    id,
                    document,
                    "depth",
                    request.First == request.Last ? $"Depth of {request.First}" : $"Depth, {request.First}–{request.Last}",
                    100,
                    ShotApi.Who(http),
                    new DepthParameters(revision.Number, ShotApi.Who(http), request.First, request.Last, request.Every),
                    [request]
                );
            })
            .WithSummary("Finds depth from neighbouring frames, in the tray");

        api.MapPost(
                "/frames/{frame:int}/depth",
                async (long id, int frame, HttpContext http, ShotStore shots, ShotEngine engine, MediaStore media) =>
                {
                    IFormCollection form = await http.Request.FormIn();
                    var (document, revision) = await ShotApi.Need(shots, id);
                    if (form.Files.Count != 1)
                    {
                        throw new ShotFault("Choose the depth picture, an EXR.");
                    }
                    using var bytes = new MemoryStream();
                    await form.Files[0].CopyToAsync(bytes);
                    double Number(string key, double otherwise) =>
                        form[key].ToString() is { Length: > 0 } text
                            ? double.TryParse(
                                text,
                                System.Globalization.NumberStyles.Float,
                                System.Globalization.CultureInfo.InvariantCulture,
                                out double v
                            )
                                ? v
                                : throw new ShotFault($"“{text}” is not a number.")
                            : otherwise;
                    var convention = new DepthConvention(
                        Enum.TryParse(form["kind"], out DepthKind kind) ? kind : DepthKind.Axis,
                        Number("near", 0.1),
                        Number("far", 1000),
                        Number("unit", 1)
                    );
                    string name = Path.GetFileName(form.Files[0].FileName);
                    Core.Sets.DepthMap map = await Task.Run(() =>
                        DepthFile.Import(bytes.ToArray(), name, convention, engine.Camera(document, frame).Pinhole)
                    );
                    var made = new DepthFrame(frame, media.Write(DepthFile.Write(map)));
                    ShotDocument changed = document with
                    {
                        Depth = (document.Depth ?? new()) with
                        {
                            Frames = [.. (document.Depth?.Frames ?? []).Where(f => f.Frame != frame).Append(made).OrderBy(f => f.Frame)],
                        },
                    };
                    await ShotApi.Keep(shots, id, http, changed, $"Depth of {frame} in: {name}", form["baseRevision"], revision.Number);
                    return new
                    {
                        state = await ShotApi.State(shots, id),
                        notes = (string[])
                            [
                                $"{100.0 * map.Depth.Count(float.IsFinite) / map.Depth.Length:0} % of the frame has a depth, "
                                    + $"{map.Depth.Where(float.IsFinite).Min():0.##} to {map.Depth.Where(float.IsFinite).Max():0.##} m.",
                            ],
                    };
                }
            )
            .WithSummary("Brings a depth picture in for a frame, by the convention that it was rendered with")
            .WithDescription("Fields beside the files: kind, near and far (metres).")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        // A filled or painted frame to hand on, with the plate's grain where it was changed.
        api.MapGet("/projections/{source}/frame", async (long id, string source, ShotStore shots, FillWork fill) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                ProjectionSource p = Source(document, source);
                if (p.Kind != SourceKind.Picture)
                {
                    throw new ShotFault($"{p.Name} is a frame of the plate as it is.");
                }
                return Results.File(
                    await Task.Run(() => RasterFile.ToPng(fill.WithGrain(document, p))),
                    "image/png",
                    $"{document.Code}.clean.{p.Frame}.png"
                );
            })
            .WithSummary("A filled or painted frame to hand on, with the plate’s grain where it was changed");
    }

    private static ProjectionSource Source(ShotDocument document, string source) =>
        document.Projections.FirstOrDefault(p => p.Id == source) ?? throw new NotThereException("There is no such projection.");

    /// <summary>At its ends and in its middle a view stands inside no wall.</summary>
    private static async Task InTheOpen(ShotEngine engine, ShotDocument document, OtherView view, int first, int last)
    {
        foreach (int frame in (int[])[first, (first + last) / 2, last])
        {
            if (await Task.Run(() => ElsewhereWork.Inside(engine, document, view, frame)) is { } inside)
            {
                throw new ShotFault(inside);
            }
        }
    }

    private static void Within(ShotDocument d, int first, int last)
    {
        if (first > last)
        {
            throw new ShotFault($"The first frame, {first}, comes after the last, {last}. Change one of them.");
        }
        if (first < d.Range.First || last > d.Range.Last)
        {
            throw new ShotFault($"The frames must lie within the shot's range, {d.Range.First} to {d.Range.Last}.");
        }
    }
}
