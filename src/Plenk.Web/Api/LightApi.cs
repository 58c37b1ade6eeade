using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

public sealed record Spot(double X, double Y);

public sealed record ShadowRequest(Spot Foot, Spot Top, Spot Tip);

public sealed record PullShadowRequest(ShotDocument Document, Spot From, Spot To);

public sealed record FitLightsRequest(ShotDocument Document, string[] Lights, string[]? Pieces);

public sealed record ScaleRequest(ShotDocument Document, string Light, double X, double Y, double Albedo);

public sealed record EdgeRequest(ShotDocument Document, Spot From, Spot To);

public sealed record BallsRequest(int BaseRevision, Vec3 Spot, double RadiusMetres = 0.1);

public sealed record BallRequest(int BaseRevision, int Frame, Spot Middle, Spot Rim);

public sealed record SurroundRequest(int BaseRevision, int Frame, Vec3 Spot);

public sealed record LiftRequest(int BaseRevision, double U, double V);

/// <summary>The sun found, panoramas brought in and made, lamps lifted out of them.</summary>
public static class LightApi
{
    public static void MapLight(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Light");

        api.MapPost(
                "/frames/{frame:int}/sun-from-shadow",
                async (long id, int frame, ShadowRequest r, ShotStore shots, ShotEngine engine) =>
                    new
                    {
                        direction = LightWork.FromShadow(
                            engine,
                            (await ShotApi.Need(shots, id)).Document,
                            frame,
                            (r.Foot.X, r.Foot.Y),
                            (r.Top.X, r.Top.Y),
                            (r.Tip.X, r.Tip.Y)
                        ),
                    }
            )
            .WithSummary("The sun’s direction by a foot, the top above it and the tip of its shadow");

        api.MapPost("/sun-from-date", async (long id, SunFinds asked, ShotStore shots) =>
            {
                await ShotApi.Need(shots, id);
                var (direction, angles) = LightWork.FromDate(asked);
                return new
                {
                    direction,
                    angles.AzimuthDegrees,
                    angles.ElevationDegrees,
                };
            })
            .WithSummary("The sun’s direction by date, place and where north lies");

        api.MapPost("/frames/{frame:int}/sun-by-fit", async (long id, int frame, ShotStore shots, ShotEngine engine, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                return await Task.Run(() => LightWork.FindByFit(engine, document, frame, http.RequestAborted));
            })
            .WithSummary("The sun’s direction that explains most of the brightness on the pieces");

        api.MapPost(
                "/frames/{frame:int}/pull-shadow",
                async (long id, int frame, PullShadowRequest r, ShotStore shots, ShotEngine engine) =>
                {
                    await ShotApi.Need(shots, id);
                    ShotApi.Check(r.Document);
                    Light sun = r.Document.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false })
                        ?? throw new ShotFault("There is no sun to turn. Add one first.");
                    return new
                    {
                        light = sun.Id,
                        direction = LightWork.PullShadow(engine, r.Document, frame, sun.Direction, (r.From.X, r.From.Y), (r.To.X, r.To.Y)),
                    };
                }
            )
            .WithSummary("The sun’s direction that brings a shadow from one spot to another");

        // The width of a real shadow's edge, and the sun's size that makes it so.
        api.MapPost("/frames/{frame:int}/shadow-edge", async (long id, int frame, EdgeRequest r, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(r.Document);
                var (angular, width, distance) = await Task.Run(() =>
                    LightWork.ShadowEdge(engine, r.Document, frame, (r.From.X, r.From.Y), (r.To.X, r.To.Y))
                );
                return new
                {
                    angularDegrees = angular,
                    widthMetres = width,
                    distanceMetres = distance,
                };
            })
            .WithSummary("The width of a real shadow’s edge, and the sun’s size that makes it so");

        // A grey and a chrome ball beside each other on a spot of the set, to be compared with filmed ones.
        api.MapPost("/balls", async (long id, BallsRequest r, ShotStore shots, MediaStore media, HttpContext http) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                if (!r.Spot.IsFinite || r.RadiusMetres is not (> 0.005 and < 5))
                {
                    throw new ShotFault("A ball has a radius between 5 mm and 5 m and stands on a spot of the set.");
                }
                string mesh = media.Write(
                    System.Text.Encoding.UTF8.GetBytes(Plenk.Formats.Meshes.ObjFile.Write([new("ball", Core.Sets.PieceMeshes.Ball(64))]))
                );
                Element Ball(string name, double aside, MaterialChoice material)
                {
                    string own = name;
                    for (int k = 2; document.Elements.Any(e => e.Id == own); k++)
                    {
                        own = $"{name}_{k}";
                    }
                    return new()
                    {
                        Id = own,
                        Name = own.Replace('_', ' '),
                        Media = mesh,
                        Position = r.Spot + new Vec3(aside, r.RadiusMetres, 0),
                        Scale = r.RadiusMetres,
                        Materials = [material],
                    };
                }
                ShotDocument changed = document with
                {
                    Elements =
                    [
                        .. document.Elements,
                        Ball("grey_ball", -1.2 * r.RadiusMetres, new("grey", new(0.18, 0.18, 0.18))),
                        Ball("chrome_ball", 1.2 * r.RadiusMetres, new("grey", new(0.9, 0.9, 0.9), 1, 0.02)),
                    ],
                };
                ShotApi.Check(changed);
                await shots.Save(id, r.BaseRevision, changed, ShotApi.Who(http), "Balls beside the filmed ones");
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Stands a grey and a chrome ball on a spot of the set, to be compared with filmed ones");

        api.MapPost("/frames/{frame:int}/panorama-scale", async (long id, int frame, ScaleRequest r, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                Light light = r.Document.Lights.FirstOrDefault(l => l.Id == r.Light && l.Kind == LightKind.Panorama)
                    ?? throw new NotThereException("There is no such panorama.");
                return new { factor = await Task.Run(() => LightWork.ScaleFor(engine, r.Document, frame, light, r.X, r.Y, r.Albedo)) };
            })
            .WithSummary("By how much a panorama’s strength must grow for a surface to read as the plate");

        // Lights brought to a real shadow's level; strengths fitted to the plate; a receiver grown under a shadow. The page saves what comes back.
        api.MapPost("/to-real-shadow", async (long id, DraftRequest r, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(r.Document);
                ShotDocument lit = await Task.Run(() => LightWork.ToRealShadow(engine, r.Document));
                return new { lit.Lights, lit.Curves };
            })
            .WithSummary("Lights brought to a real shadow’s level; nothing is saved");

        api.MapPost(
                "/frames/{frame:int}/fit-lights",
                async (long id, int frame, FitLightsRequest r, ShotStore shots, ShotEngine engine, HttpContext http) =>
                {
                    await ShotApi.Need(shots, id);
                    ShotApi.Check(r.Document);
                    var (lit, fit) = await Task.Run(() =>
                        LightWork.FitStrengths(engine, r.Document, frame, r.Lights, r.Pieces ?? [], http.RequestAborted)
                    );
                    return new
                    {
                        lit.Lights,
                        lit.Curves,
                        fit.LeftOverStops,
                        fit.BeforeStops,
                        fit.Probes,
                    };
                }
            )
            .WithSummary("Lights with strengths and colours fitted to the plate; nothing is saved");

        api.MapPost(
                "/elements/{element}/extend-receiver",
                async (long id, string element, DraftRequest r, ShotStore shots, ShotEngine engine) =>
                {
                    await ShotApi.Need(shots, id);
                    ShotApi.Check(r.Document);
                    return LightWork.Extended(engine, r.Document, element);
                }
            )
            .WithSummary("The piece under an element, grown until its shadow has room; nothing is saved");

        // One lat-long picture, or several exposures of one with their times (or found from what they share).
        api.MapPost("/panorama", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                if (form.Files.Count == 0)
                {
                    throw new ShotFault("Choose a panorama, or several exposures of one.");
                }
                var pictures = new List<(string Name, byte[] Bytes)>();
                foreach (IFormFile f in form.Files)
                {
                    using var bytes = new MemoryStream();
                    await f.CopyToAsync(bytes);
                    pictures.Add((Path.GetFileName(f.FileName), bytes.ToArray()));
                }
                var notes = new List<string>();
                Panorama panorama;
                if (pictures.Count == 1)
                {
                    panorama = PanoramaFile.Read(pictures[0].Bytes, pictures[0].Name);
                }
                else
                {
                    FloatImage[] images =
                    [
                        .. pictures.OrderBy(p => p.Name, StringComparer.Ordinal).Select(p => PanoramaFile.Read(p.Bytes, p.Name).Image),
                    ];
                    if (images.Any(i => i.Width != images[0].Width))
                    {
                        throw new ShotFault("The exposures are of different sizes.");
                    }
                    double[] times = Times(form["seconds"].ToString(), images.Length)
                        ?? ExposureMerge.TimesOf(images)
                        ?? throw new ShotFault(
                            "Two neighbouring exposures share no pixel that both expose well, so their times cannot be found. Type them, like "
                                + "1/1000, 1/250, 1/60."
                        );
                    panorama = new(ExposureMerge.Of(images, [.. times.Select(t => t / times.Max())]));
                    notes.Add($"{images.Length} exposures merged, {Math.Log2(times.Max() / times.Min()):0.0} stops apart.");
                }
                notes.AddRange(PanoramaFile.Told(panorama, pictures[0].Name));
                return new
                {
                    state = await Keep(id, form["baseRevision"].ToString(), panorama, pictures[0].Name, shots, media, http),
                    notes,
                };
            })
            .WithSummary(
                "Brings a lat-long picture in as a light, or several exposures of one with their times (found from what they share where they are not given)"
            )
            .WithDescription("Fields beside the files: seconds (exposure times, with commas between).")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        // From a mirror ball in the frame: its middle and a spot of its rim.
        api.MapPost(
                "/mirror-ball",
                async (long id, BallRequest r, ShotStore shots, MediaStore media, ShotEngine engine, HttpContext http) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    double radius = Math.Sqrt(Math.Pow(r.Rim.X - r.Middle.X, 2) + Math.Pow(r.Rim.Y - r.Middle.Y, 2));
                    if (radius < 8)
                    {
                        throw new ShotFault($"A ball of {radius:0.0} px radius shows too little. Click its middle, then its rim.");
                    }
                    FloatImage plate = engine.Plates.QuietPlate(
                        document,
                        r.Frame,
                        (document.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.")).Width
                    );
                    Panorama panorama = await Task.Run(() =>
                        Panorama.FromMirrorBall(
                            plate,
                            r.Middle.X,
                            r.Middle.Y,
                            radius,
                            engine.Camera(document, r.Frame).Pose.Rotation,
                            Math.Clamp((int)radius * 2, 64, 512)
                        )
                    );
                    return await Keep(id, $"{r.BaseRevision}", panorama, $"ball at {r.Frame}", shots, media, http);
                }
            )
            .WithSummary("A panorama from a mirror ball in the frame: its middle and a spot of its rim");

        // From the projected set, where none was shot.
        api.MapPost(
                "/panorama-from-set",
                async (long id, SurroundRequest r, ShotStore shots, MediaStore media, ShotEngine engine, HttpContext http) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    if (!r.Spot.IsFinite)
                    {
                        throw new ShotFault("The spot is not a number.");
                    }
                    FloatImage seen = await Task.Run(() =>
                        ElsewhereWork.Filled(
                            engine.Projection.Projected(document, new LatLongRays(1024, 512, r.Spot), r.Frame, 4, http.RequestAborted),
                            around: true
                        )
                    );
                    var rgb = new FloatImage(1024, 512, 3);
                    for (int i = 0; i < 1024 * 512; i++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            rgb.Data[3 * i + c] = seen.Data[4 * i + c];
                        }
                    }
                    return await Keep(id, $"{r.BaseRevision}", new(rgb), "the projected set", shots, media, http);
                }
            )
            .WithSummary("A panorama from the projected set, where none was shot");

        // The lamp at a place of a panorama becomes a light of its own, and is painted out of it.
        api.MapPost(
                "/lights/{light}/lift",
                async (long id, string light, LiftRequest r, ShotStore shots, MediaStore media, ShotEngine engine, HttpContext http) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    Light own = document.Lights.FirstOrDefault(l => l.Id == light && l.Kind == LightKind.Panorama)
                        ?? throw new NotThereException("There is no such panorama.");
                    Panorama panorama = engine.Place.Around(own.Media!);
                    System.Numerics.Vector3 there = panorama.At(Panorama.DirectionAt(r.U, r.V));
                    float level = 0.3f * Luminance.Of(there);
                    Panorama.Lifted lamp = panorama.Lift(Panorama.DirectionAt(r.U, r.V), 8, Math.Max(level, 1e-6f))
                        ?? throw new ShotFault(
                            "What is there is no brighter than its surroundings. Click in the middle of a lamp or the sun."
                        );
                    // As the panorama is coloured and how strong it is.
                    System.Numerics.Vector3 shines = lamp.Irradiance * SampledLight.ColourOf(own);
                    float most = Math.Max(shines.X, Math.Max(shines.Y, shines.Z));
                    if (!(most > 0))
                    {
                        throw new ShotFault($"{own.Name} is at strength 0: nothing shines in it. Raise its strength first.");
                    }
                    int k = 1;
                    while (document.Lights.Any(l => l.Id == $"lamp_{k}"))
                    {
                        k++;
                    }
                    var lifted = new Light
                    {
                        Id = $"lamp_{k}",
                        Name = $"lamp {k} of {own.Name}",
                        Kind = LightKind.Sun,
                        Direction = Rotations.AboutY(-Rotations.Radians(own.HeadingDegrees)) * lamp.Direction,
                        Strength = most,
                        Color = Vec3.From(shines / most),
                        AngularDiameterDegrees = Math.Clamp(lamp.DiameterDegrees, 0.05, 90),
                        InPlate = own.InPlate,
                    };
                    string rest = Write(lamp.Rest, media);
                    await shots.Save(
                        id,
                        r.BaseRevision,
                        document with
                        {
                            Lights = [.. document.Lights.Select(l => l.Id == light ? l with { Media = rest } : l), lifted],
                        },
                        ShotApi.Who(http),
                        $"Lifted a lamp out of {own.Name}"
                    );
                    return await ShotApi.State(shots, id);
                }
            )
            .WithSummary("Makes the lamp at a place of a panorama a light of its own, painted out of it");

        // To be looked at: exposed so that its middle brightness is middle grey.
        api.MapGet("/lights/{light}/picture", async (long id, string light, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                Light own = document.Lights.FirstOrDefault(l => l.Id == light && l.Kind == LightKind.Panorama)
                    ?? throw new NotThereException("There is no such panorama.");
                FloatImage small =
                    engine.Place.Around(own.Media!).Image is var p && p.Width > 512
                        ? p.ReducedTo(512, 256)
                        : engine.Place.Around(own.Media!).Image;
                float[] levels = [.. Enumerable.Range(0, small.Width * small.Height).Select(i => small.Data[3 * i + 1]).Order()];
                float gain = 0.18f / Math.Max(1e-6f, levels[levels.Length / 2]);
                var shown = new FloatImage(small.Width, small.Height, 3, [.. small.Data.Select(v => v * gain)]);
                return Results.Bytes(RasterFile.ToJpeg(CodeImage.FromLinear(shown, ColorEncoding.Srgb, 8), 88), "image/jpeg");
            })
            .WithSummary("A panorama to be looked at: its middle brightness is middle grey");
    }

    private static double[]? Times(string text, int count)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return null;
        }
        double[] times =
        [
            .. text.Split([',', ';'], StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Select(t =>
                {
                    string[] parts = t.Split('/');
                    double Of(string s) =>
                        double.TryParse(
                            s,
                            System.Globalization.NumberStyles.Float,
                            System.Globalization.CultureInfo.InvariantCulture,
                            out double v
                        )
                        && v > 0
                            ? v
                            : throw new ShotFault($"“{t}” is not an exposure time, like 1/250 or 0.5.");
                    return parts.Length == 2 ? Of(parts[0]) / Of(parts[1]) : Of(parts[0]);
                }),
        ];
        return times.Length == count
            ? times
            : throw new ShotFault($"{count} pictures need {count} exposure times, in the order of their names; {times.Length} are typed.");
    }

    private static string Write(Panorama panorama, MediaStore media) =>
        media.Write(ExrFile.ToBytes(panorama.Width, panorama.Height, [.. ExrChannel.Of(panorama.Image, "RGB", half: true)]));

    private static async Task<ShotState> Keep(
        long id,
        string based,
        Panorama panorama,
        string name,
        ShotStore shots,
        MediaStore media,
        HttpContext http
    )
    {
        var (document, revision) = await ShotApi.Need(shots, id);
        var light = new Light
        {
            Id = FreeId.Of(document.Lights.Select(l => l.Id), "panorama"),
            Name = name,
            Kind = LightKind.Panorama,
            Media = Write(panorama, media),
            Strength = 1,
        };
        ShotDocument changed = document with { Lights = [.. document.Lights, light] };
        await ShotApi.Keep(shots, id, http, changed, $"Panorama in: {name}", based, revision.Number);
        return await ShotApi.State(shots, id);
    }
}
