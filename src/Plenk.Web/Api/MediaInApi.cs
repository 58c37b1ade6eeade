using Microsoft.AspNetCore.Mvc;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats;
using Plenk.Formats.Cameras;
using Plenk.Formats.Looks;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <summary>What comes in: plates, cameras, survey points, meshes, elements. Files first, then one revision that uses them.</summary>
public static class MediaInApi
{
    private const long LargestFile = 1L << 30;

    public static void MapMediaIn(this WebApplication app)
    {
        app.MapGet("/media/{hash}", (string hash, MediaStore media, HttpContext http) =>
            {
                if (!media.Has(hash))
                {
                    return Results.NotFound();
                }
                http.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
                string path = media.PathOf(hash);
                Span<byte> head = stackalloc byte[2];
                using (FileStream file = File.OpenRead(path))
                {
                    file.ReadExactly(head);
                }
                return Results.File(
                    path,
                    head[0] == 0xFF && head[1] == 0xD8 ? "image/jpeg"
                        : head[0] == 0x89 ? "image/png"
                        : "application/octet-stream"
                );
            })
            .ExcludeFromDescription();

        // Small enough for a page of many shots.
        app.MapGet("/thumbnails/{hash}", (string hash, MediaStore media, PictureService pictures, HttpContext http) =>
            {
                if (!media.Has(hash))
                {
                    return Results.NotFound();
                }
                byte[] small = pictures.Thumbnail(hash, () => media.Read(hash));
                http.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
                return Results.Bytes(small, "image/jpeg");
            })
            .ExcludeFromDescription();

        var api = app.MapGroup("/api/shots/{id:long}").WithTags("What comes in").DisableAntiforgery();

        app.MapGet("/api/folders", () => PlateFolders
                    .Offered()
                    .Select(d => new
                    {
                        path = d.Path,
                        name = d.Name,
                        files = d.Frames,
                    }))
            .WithSummary("Folders of the server that plates may be brought from")
            .WithTags("What comes in");

        // What is sent lies in a folder until it is brought in, which goes on in the tray when the page is left.
        api.MapPost("/plate", async (long id, HttpContext http, ShotStore shots, JobStore jobs) =>
            {
                IFormCollection form = await http.Request.FormIn();
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                if (form.Files.Count == 0)
                {
                    throw new ShotFault("Choose the plate's frames, or a video.");
                }
                string folder = Path.Combine(PlateJobs.Incoming, Guid.NewGuid().ToString("N"));
                PlateParameters asked = Asked(
                    form,
                    http,
                    folder,
                    [.. form.Files.Select(f => Path.GetFileName(f.FileName))],
                    Path.GetFileName(form.Files[0].FileName)
                ) with
                {
                    Sent = true,
                };
                try
                {
                    Directory.CreateDirectory(folder);
                    for (int i = 0; i < form.Files.Count; i++)
                    {
                        if (form.Files[i].Length > LargestFile && form.Files.Count > 1)
                        {
                            throw new FormatFault("too_large", $"{asked.Files[i]} is larger than 1 GB", "Reduce it.");
                        }
                        await using FileStream to = File.Create(PlateJobs.PathOf(asked, i));
                        await form.Files[i].CopyToAsync(to, http.RequestAborted);
                        to.Flush(flushToDisk: true);
                    }
                    return await Bring(jobs, id, document, asked);
                }
                catch (Exception e)
                {
                    Directory.Delete(folder, recursive: true);
                    if (e is IOException io && MediaStore.IsFull(io))
                    {
                        throw new DiskFullException(asked.Name);
                    }
                    throw;
                }
            })
            .WithSummary("Brings frames or a video in as the plate, in the tray")
            .WithDescription(
                "Fields beside the files: first (frame, 1001), rate (24 or 24000/1001), sensorWidth and sensorHeight (mm), focal (mm), encoding, primaries."
            )
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/plate-from-folder", async (long id, HttpContext http, ShotStore shots, JobStore jobs) =>
            {
                IFormCollection form = await http.Request.FormIn();
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                string folder = PlateFolders.Permitted(form["folder"].ToString())
                    ?? throw new ShotFault("That folder is not one that plates may be brought from.");
                return await Bring(jobs, id, document, Asked(form, http, folder, PlateFolders.Files(folder), Path.GetFileName(folder)));
            })
            .WithSummary("Brings a folder of the server in as the plate, in the tray")
            .WithDescription("Fields beside the files: folder, and the fields of /plate.")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/camera", async (long id, HttpContext http, ShotStore shots) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, _) = await ShotApi.Need(shots, id);
                PlateSource plate = document.Plate ?? throw new ShotFault("Bring the plate in first: the camera is read against its size.");
                IFormFile file = One(form);
                var rate = Rate(form, "rate", document.Rate);
                int first = Whole(form, "first", document.Range.First);
                LensValues? lens =
                    form["k1"].ToString().Length > 0 || form["k2"].ToString().Length > 0
                        ? new(Number(form, "k1", 0), Number(form, "k2", 0))
                        : null;
                CameraSource camera = CameraFiles.Read(
                    Bytes(file),
                    Path.GetFileName(file.FileName),
                    new(plate.Width, plate.Height, plate.SensorWidthMm, first, rate, lens)
                );
                camera = camera with { Mapping = new(first, document.Range.First), Rate = rate };
                return await Save(
                    shots,
                    id,
                    http,
                    $"Camera in: {camera.Name}",
                    form,
                    d => d with { Camera = camera, Solve = null },
                    CameraNotes(document, camera)
                );
            })
            .WithSummary("Brings a camera file in: glTF, USD, CSV or JSON")
            .WithDescription("Fields beside the files: first (frame), rate, k1, k2.")
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
                IFormFile file = One(form);
                string name = Path.GetFileName(file.FileName),
                    path = Path.Combine(Path.GetTempPath(), $"plenk-map-{Guid.NewGuid():N}.exr");
                try
                {
                    await File.WriteAllBytesAsync(path, Bytes(file));
                    LensMapFile.Reading map = LensMapFile.Read(path, name, pinhole);
                    Lens l = map.Lens;
                    return await Save(
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
                IFormFile file = One(form);
                IReadOnlyList<SurveyPoint> points = SurveyFile.Read(Bytes(file), Path.GetFileName(file.FileName));
                return await Save(
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

        api.MapPost("/mesh", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                var (form, name, mesh, hash) = await TakeMesh(http, media);
                return await Save(
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
                IFormFile file = One(form);
                byte[] bytes = Bytes(file);
                string name = Path.GetFileName(file.FileName);
                int count = PointFiles.ReadPly(bytes, name).Count;
                if (count == 0)
                {
                    throw new ShotFault($"{name} holds no point.");
                }
                return await Save(
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
                IFormFile file = One(form);
                IReadOnlyList<SurveyPoint> listed = SurveyFile.Read(Bytes(file), Path.GetFileName(file.FileName));
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
                        $"None of the {listed.Count} names in {Path.GetFileName(file.FileName)} is a survey point of the shot ({string.Join(", ", document.SurveyPoints.Take(6).Select(s => s.Name))}). Name them alike."
                    );
                }
                return await Save(
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

        // What the plate is seen through: a LUT or a CDL, told by the file's ending.
        api.MapPost("/look", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                IFormFile file = One(form);
                byte[] bytes = Bytes(file);
                string name = Path.GetFileName(file.FileName);
                switch (Path.GetExtension(name).ToLowerInvariant())
                {
                    case ".cube":
                        CubeFile.Read(bytes, name);
                        return await Save(
                            shots,
                            id,
                            http,
                            $"LUT in: {name}",
                            form,
                            d => d with { Look = d.Look with { LutMedia = media.Write(bytes), LutName = name } },
                            []
                        );
                    case ".cc" or ".ccc" or ".cdl":
                        Cdl c = CdlFile.Read(bytes, name);
                        return await Save(
                            shots,
                            id,
                            http,
                            $"CDL in: {name}",
                            form,
                            d =>
                                d with
                                {
                                    Look = d.Look with
                                    {
                                        Cdl = new(name, Vec3.From(c.Slope), Vec3.From(c.Offset), Vec3.From(c.Power), c.Saturation),
                                    },
                                },
                            []
                        );
                    default:
                        throw new ShotFault($"{name} is neither a LUT (.cube) nor a CDL (.cc, .ccc, .cdl).");
                }
            })
            .WithSummary("Brings a LUT or a CDL in that the plate is seen through")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/thing", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                var (form, name, mesh, hash) = await TakeMesh(http, media);
                return await Save(
                    shots,
                    id,
                    http,
                    $"Moving thing in: {name}",
                    form,
                    d =>
                    {
                        string stem = Path.GetFileNameWithoutExtension(name),
                            thing = stem;
                        for (int k = 2; d.MovingObjects.Any(o => o.Id == thing); k++)
                        {
                            thing = $"{stem}_{k}";
                        }
                        return d with
                        {
                            MovingObjects =
                            [
                                .. d.MovingObjects,
                                new MovingObject
                                {
                                    Id = thing,
                                    Name = thing.Replace('_', ' '),
                                    Media = hash,
                                },
                            ],
                        };
                    },
                    mesh.Warnings
                );
            })
            .WithSummary("Brings the mesh of a thing in that moves by itself")
            .Accepts<IFormFileCollection>("multipart/form-data");
    }

    /// <summary>The one mesh of an upload, read and kept.</summary>
    private static async Task<(IFormCollection Form, string Name, ImportedMesh Mesh, string Hash)> TakeMesh(
        HttpContext http,
        MediaStore media
    )
    {
        IFormCollection form = await http.Request.FormIn();
        IFormFile file = One(form);
        byte[] bytes = Bytes(file);
        string name = Path.GetFileName(file.FileName);
        ImportedMesh mesh = ImportedMesh.Read(bytes, name);
        return (form, name, mesh, media.Write(bytes));
    }

    private static Task<JobRow> Bring(JobStore jobs, long id, ShotDocument document, PlateParameters asked) =>
        jobs.Ask(id, document, "plate", $"Bringing {asked.Name} in", 100, asked.Who, asked, [asked]);

    /// <summary>What the artist says of a delivery; refused at once where it cannot be meant.</summary>
    private static PlateParameters Asked(IFormCollection form, HttpContext http, string folder, IReadOnlyList<string> files, string name)
    {
        ColorEncoding? encoding = form["encoding"].ToString() is { Length: > 0 } e
            ? ColorEncodings.Of(e)
                ?? throw new ShotFault(
                    $"“{e}” is not an encoding that is known; {string.Join(", ", ColorEncodings.Named.Select(n => n.Key))} are."
                )
            : null;
        string? primaries = form["primaries"].ToString() is { Length: > 0 } p
            ? Primaries.Named(p) is null
                ? throw new ShotFault(Primaries.Unknown(p))
                : p
            : null;
        double sensorWidth = Number(form, "sensorWidth", 36),
            sensorHeight = Number(form, "sensorHeight", 20.25);
        double? focal = form["focal"].ToString().Length > 0 ? Number(form, "focal", 0) : null;
        if (sensorWidth <= 0 || sensorHeight <= 0)
        {
            throw new ShotFault("The sensor's width and height must be positive, in millimetres.");
        }
        if (focal is <= 0)
        {
            throw new ShotFault("The focal length must be positive, in millimetres.");
        }
        return new(
            ShotApi.Who(http),
            folder,
            files,
            name,
            form["first"].ToString().Length > 0 ? Whole(form, "first", 1001) : null,
            Rate(form, "rate", new(24, 1)),
            encoding,
            primaries,
            sensorWidth,
            sensorHeight,
            focal
        );
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
                $"The camera has frames {first:0.##} to {last:0.##}; the shot needs {from:0.##} to {to:0.##}. Frames outside have no camera: check its first frame and rate."
            );
        }
        if (Math.Abs((double)camera.Width / camera.Height - (double)shot.Plate!.Width / shot.Plate.Height) > 0.01)
        {
            notes.Add(
                $"The camera was made for {camera.Width} × {camera.Height}; the plate is {shot.Plate.Width} × {shot.Plate.Height}, another shape. The match may be off."
            );
        }
        return notes;
    }

    private static async Task<object> Save(
        ShotStore shots,
        long id,
        HttpContext http,
        string what,
        IFormCollection form,
        Func<ShotDocument, ShotDocument> change,
        IReadOnlyList<string> notes
    )
    {
        var (document, revision) = await ShotApi.Need(shots, id);
        ShotDocument changed = change(document);
        await ShotApi.Keep(shots, id, http, changed, what, form["baseRevision"], revision.Number);
        return new { state = await ShotApi.State(shots, id), notes };
    }

    private static IFormFile One(IFormCollection form) => form.Files.Count == 1 ? form.Files[0] : throw new ShotFault("Choose one file.");

    internal static byte[] Bytes(IFormFile file)
    {
        if (file.Length > LargestFile)
        {
            throw new FormatFault("too_large", $"{Path.GetFileName(file.FileName)} is larger than 1 GB", "Reduce it.");
        }
        using Stream stream = file.OpenReadStream();
        byte[] bytes = new byte[file.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }

    private static double Number(IFormCollection form, string key, double fallback)
    {
        string text = form[key].ToString().Trim();
        if (text.Length == 0)
        {
            return fallback;
        }
        return
            double.TryParse(text, System.Globalization.NumberStyles.Float, System.Globalization.CultureInfo.InvariantCulture, out double v)
            && double.IsFinite(v)
            ? v
            : throw new ShotFault($"“{text}” is not a number.");
    }

    private static int Whole(IFormCollection form, string key, int fallback)
    {
        double v = Number(form, key, fallback);
        return v == Math.Floor(v) && Math.Abs(v) < 1e8 ? (int)v : throw new ShotFault($"{v} is not a whole frame number.");
    }

    private static FrameRate Rate(IFormCollection form, string key, FrameRate fallback)
    {
        string text = form[key].ToString().Trim();
        if (text.Length == 0)
        {
            return fallback;
        }
        return GltfFile.TryRate(text, out FrameRate rate)
            ? rate
            : throw new ShotFault($"“{text}” is not a frame rate. Write it as a ratio, like 24 or 24000/1001.");
    }
}
