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

namespace Plenk.Web.Api;

/// <summary>What comes in: plates, cameras, survey points, meshes, elements. Files first, then one revision that uses them.</summary>
public static class MediaInApi
{
    private const long LargestFile = 1L << 30;

    /// <summary>Folders on the server that plates may be brought from: PLENK_PLATES, parted by ':'; the demo's own by default.</summary>
    public static IReadOnlyList<string> PermittedFolders =>
        [.. (Environment.GetEnvironmentVariable("PLENK_PLATES") ?? Environment.GetEnvironmentVariable("PLENK_DEMO") ?? "")
            .Split(':', StringSplitOptions.RemoveEmptyEntries).Select(Path.GetFullPath).Where(Directory.Exists)];

    public static void MapMediaIn(this WebApplication app)
    {
        app.MapGet("/media/{hash}", (string hash, MediaStore media, HttpContext http) =>
        {
            if (!media.Has(hash)) { return Results.NotFound(); }
            http.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
            string path = media.PathOf(hash);
            Span<byte> head = stackalloc byte[2];
            using (FileStream file = File.OpenRead(path)) { file.ReadExactly(head); }
            return Results.File(path, head[0] == 0xFF && head[1] == 0xD8 ? "image/jpeg" : head[0] == 0x89 ? "image/png" : "application/octet-stream");
        }).ExcludeFromDescription();

        var api = app.MapGroup("/api/shots/{id:long}").WithTags("What comes in").DisableAntiforgery();

        // Folders that hold mostly frames; one that has a few pictures among other things is no plate.
        app.MapGet("/api/folders", () => PermittedFolders
            .SelectMany(root => Directory.GetDirectories(root, "*", SearchOption.AllDirectories).Prepend(root).Select(d => (Path: d, Name: Path.GetRelativePath(Path.GetDirectoryName(root)!, d))))
            .Select(d => (d.Path, d.Name, Files: Directory.GetFiles(d.Path)))
            .Select(d => (d.Path, d.Name, All: d.Files.Length, Frames: d.Files.Count(f => FrameIntake.Extensions.Contains(Path.GetExtension(f).ToLowerInvariant()))))
            .Where(d => d.Frames > 0 && 2 * d.Frames >= d.All)
            .OrderBy(d => d.Name, StringComparer.Ordinal)
            .Select(d => new { path = d.Path, name = d.Name, files = d.Frames })).WithTags("What comes in");

        api.MapPost("/plate", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
        {
            IFormCollection form = await http.Request.FormIn();
            return form.Files.Count == 1 && VideoFile.Extensions.Contains(Path.GetExtension(form.Files[0].FileName).ToLowerInvariant())
                ? await TakeVideo(id, http, shots, media, form, form.Files[0])
                : await TakePlate(id, http, shots, media, form, [.. form.Files.Select(f => new DeliveredFile(Path.GetFileName(f.FileName), () => Bytes(f)))], Path.GetFileName(form.Files.FirstOrDefault()?.FileName ?? ""));
        });

        api.MapPost("/plate-from-folder", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
        {
            IFormCollection form = await http.Request.FormIn();
            string folder = Path.GetFullPath(form["folder"].ToString().Length > 0 ? form["folder"].ToString() : "/");
            if (!PermittedFolders.Any(p => folder == p || folder.StartsWith(p + Path.DirectorySeparatorChar, StringComparison.Ordinal)) || !Directory.Exists(folder))
            {
                throw new ShotFault("That folder is not one that plates may be brought from.");
            }
            return await TakePlate(id, http, shots, media, form,
                [.. Directory.GetFiles(folder).Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f)))], Path.GetFileName(folder));
        });

        api.MapPost("/camera", async (long id, HttpContext http, ShotStore shots) =>
        {
            IFormCollection form = await http.Request.FormIn();
            var (document, _) = await ShotApi.Need(shots, id);
            PlateSource plate = document.Plate ?? throw new ShotFault("Bring the plate in first: the camera is read against its size.");
            IFormFile file = One(form);
            var rate = Rate(form, "rate", document.Rate);
            int first = Whole(form, "first", document.Range.First);
            LensValues? lens = form["k1"].ToString().Length > 0 || form["k2"].ToString().Length > 0 ? new(Number(form, "k1", 0), Number(form, "k2", 0)) : null;
            CameraSource camera = CameraFiles.Read(Bytes(file), Path.GetFileName(file.FileName), new(plate.Width, plate.Height, plate.SensorWidthMm, first, rate, lens));
            camera = camera with { Mapping = new(first, document.Range.First), Rate = rate };
            return await Save(shots, id, http, $"Camera in: {camera.Name}", form, d => d with { Camera = camera, Solve = null }, CameraNotes(document, camera));
        });

        api.MapPost("/lens-map", async (long id, HttpContext http, ShotStore shots) =>
        {
            IFormCollection form = await http.Request.FormIn();
            var (document, _) = await ShotApi.Need(shots, id);
            ShotCamera camera = ShotCamera.Of(document) ?? throw new ShotFault("Bring the camera in first: a lens map is read against its focal length.");
            if (!camera.TryAt(document.Range.First, out _, out Pinhole pinhole)) { throw new ShotFault($"The camera has no sample for frame {document.Range.First}, whose focal length the map is read against."); }
            IFormFile file = One(form);
            string name = Path.GetFileName(file.FileName), path = Path.Combine(Path.GetTempPath(), $"plenk-map-{Guid.NewGuid():N}.exr");
            try
            {
                await File.WriteAllBytesAsync(path, Bytes(file));
                LensMapFile.Reading map = LensMapFile.Read(path, name, pinhole);
                Lens l = map.Lens;
                return await Save(shots, id, http, $"Lens map in: {name}", form, d => d with { Camera = d.Camera! with { Lens = new(l.K1, l.K2, l.P1, l.P2, l.K3) } }, [$"{name} {map.How}; a lens with k1 {l.K1:0.0000} and k2 {l.K2:0.0000} leaves {map.RmsPx:0.000} px of it."]);
            }
            finally
            {
                File.Delete(path);
            }
        });

        api.MapPost("/survey", async (long id, HttpContext http, ShotStore shots) =>
        {
            IFormCollection form = await http.Request.FormIn();
            IFormFile file = One(form);
            IReadOnlyList<SurveyPoint> points = SurveyFile.Read(Bytes(file), Path.GetFileName(file.FileName));
            return await Save(shots, id, http, $"{points.Count} survey points in", form,
                d => d with { SurveyPoints = [.. d.SurveyPoints.Where(p => points.All(q => q.Name != p.Name)), .. points] }, []);
        });

        api.MapPost("/mesh", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
        {
            var (form, name, mesh, hash) = await TakeMesh(http, media);
            return await Save(shots, id, http, $"Mesh in: {name}", form, d =>
            {
                var pieces = new List<Piece>(d.Pieces);
                foreach (ImportedObject o in mesh.Objects)
                {
                    string pieceId = o.Name;
                    for (int k = 2; pieces.Any(p => p.Id == pieceId); k++) { pieceId = $"{o.Name}_{k}"; }
                    pieces.Add(new Piece { Id = pieceId, Name = o.Name, Kind = PieceKind.Mesh, Media = hash, Object = o.Name });
                }
                return d with { Pieces = pieces };
            }, mesh.Warnings);
        });

        api.MapPost("/cloud", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
        {
            IFormCollection form = await http.Request.FormIn();
            IFormFile file = One(form);
            byte[] bytes = Bytes(file);
            string name = Path.GetFileName(file.FileName);
            int count = PointFiles.ReadPly(bytes, name).Count;
            if (count == 0) { throw new ShotFault($"{name} holds no point."); }
            return await Save(shots, id, http, $"Point cloud in: {name}", form, d =>
            {
                int k = 1;
                while (d.Clouds.Any(c => c.Id == $"cloud_{k}")) { k++; }
                return d with { Clouds = [.. d.Clouds, new PointCloud { Id = $"cloud_{k}", Name = name, Media = media.Write(bytes), Count = count }] };
            }, [$"{name} has {count:N0} points. It lies as it came until three of its targets are named."]);
        });

        // A scanner's target list: names of survey points and their places in the cloud.
        api.MapPost("/clouds/{cloud}/targets", async (long id, string cloud, HttpContext http, ShotStore shots) =>
        {
            IFormCollection form = await http.Request.FormIn();
            IFormFile file = One(form);
            IReadOnlyList<SurveyPoint> listed = SurveyFile.Read(Bytes(file), Path.GetFileName(file.FileName));
            var (document, _) = await ShotApi.Need(shots, id);
            CloudTarget[] targets = [.. listed.Where(p => p.Position is not null && document.SurveyPoints.Any(s => s.Name == p.Name)).Select(p => new CloudTarget(p.Name, p.Position!.Value))];
            if (targets.Length == 0) { throw new ShotFault($"None of the {listed.Count} names in {Path.GetFileName(file.FileName)} is a survey point of the shot ({string.Join(", ", document.SurveyPoints.Take(6).Select(s => s.Name))}). Name them alike."); }
            return await Save(shots, id, http, $"{targets.Length} targets of the cloud", form, d => d with { Clouds = [.. d.Clouds.Select(c => c.Id == cloud ? c with { Targets = targets } : c)] }, []);
        });

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
                    return await Save(shots, id, http, $"LUT in: {name}", form, d => d with { Look = d.Look with { LutMedia = media.Write(bytes), LutName = name } }, []);
                case ".cc" or ".ccc" or ".cdl":
                    Cdl c = CdlFile.Read(bytes, name);
                    return await Save(shots, id, http, $"CDL in: {name}", form, d => d with { Look = d.Look with { Cdl = new(name, Vec3.From(c.Slope), Vec3.From(c.Offset), Vec3.From(c.Power), c.Saturation) } }, []);
                default:
                    throw new ShotFault($"{name} is neither a LUT (.cube) nor a CDL (.cc, .ccc, .cdl).");
            }
        });

        api.MapPost("/thing", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
        {
            var (form, name, mesh, hash) = await TakeMesh(http, media);
            return await Save(shots, id, http, $"Moving thing in: {name}", form, d =>
            {
                string stem = Path.GetFileNameWithoutExtension(name), thing = stem;
                for (int k = 2; d.MovingObjects.Any(o => o.Id == thing); k++) { thing = $"{stem}_{k}"; }
                return d with { MovingObjects = [.. d.MovingObjects, new MovingObject { Id = thing, Name = thing.Replace('_', ' '), Media = hash }] };
            }, mesh.Warnings);
        });
    }

    /// <summary>The one mesh of an upload, read and kept.</summary>
    private static async Task<(IFormCollection Form, string Name, ImportedMesh Mesh, string Hash)> TakeMesh(HttpContext http, MediaStore media)
    {
        IFormCollection form = await http.Request.FormIn();
        IFormFile file = One(form);
        byte[] bytes = Bytes(file);
        string name = Path.GetFileName(file.FileName);
        ImportedMesh mesh = ImportedMesh.Read(bytes, name);
        return (form, name, mesh, media.Write(bytes));
    }

    /// <summary>A video is decoded beside the media first; its own rate is the plate's unless another is typed.</summary>
    private static async Task<object> TakeVideo(long id, HttpContext http, ShotStore shots, MediaStore media, IFormCollection form, IFormFile file)
    {
        string folder = Path.Combine(Path.GetTempPath(), $"plenk-video-{Guid.NewGuid():N}"), name = Path.GetFileName(file.FileName);
        Directory.CreateDirectory(folder);
        try
        {
            string path = Path.Combine(folder, $"video{Path.GetExtension(name).ToLowerInvariant()}");
            await using (FileStream to = File.Create(path)) { await file.CopyToAsync(to, http.RequestAborted); }
            VideoFrames frames = VideoFile.Decode(path, name, Path.Combine(folder, "frames"), Whole(form, "first", 1001), http.RequestAborted);
            return await TakePlate(id, http, shots, media, form, [.. frames.Files.Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f)))], name, frames.Rate, frames.Notes);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    private static async Task<object> TakePlate(long id, HttpContext http, ShotStore shots, MediaStore media, IFormCollection form, IReadOnlyList<DeliveredFile> files, string name, FrameRate? ownRate = null, IReadOnlyList<string>? found = null)
    {
        await ShotApi.Need(shots, id);
        int? expected = form["first"].ToString().Length > 0 ? Whole(form, "first", 1001) : null;
        FrameRate rate = ownRate ?? Rate(form, "rate", new(24, 1));
        ColorEncoding? encoding = form["encoding"].ToString() is { Length: > 0 } e ? ColorEncodings.Of(e) ?? throw new ShotFault($"“{e}” is not an encoding that is known; {string.Join(", ", ColorEncodings.Named.Select(n => n.Key))} are.") : null;
        Primaries? primaries = form["primaries"].ToString() is { Length: > 0 } p ? Primaries.Named(p) ?? throw new ShotFault(Primaries.Unknown(p)) : null;
        double sensorWidth = Number(form, "sensorWidth", 36), sensorHeight = Number(form, "sensorHeight", 20.25);
        double? focal = form["focal"].ToString().Length > 0 ? Number(form, "focal", 0) : null;
        if (sensorWidth <= 0 || sensorHeight <= 0) { throw new ShotFault("The sensor's width and height must be positive, in millimetres."); }
        if (focal is <= 0) { throw new ShotFault("The focal length must be positive, in millimetres."); }
        var frames = new List<PlateFrame>();
        PlateCheckResult check = PlateCheck.Check(files, expected, (f, bytes) => frames.Add(new(f.Frame, f.File, media.Write(bytes))), stop: http.RequestAborted);
        if (frames.Count == 0)
        {
            throw new ShotFault("No frame could be taken. " + string.Join(" ", check.Faults.Take(4).Select(f => $"{f.Message}. {f.Mend}")));
        }
        // What the file itself tells came into the working primaries; else the artist says, else a header.
        ColorEncoding taken = check.Encoding ?? encoding ?? check.Says ?? ColorEncoding.Srgb;
        ColorSpace space = check.Encoding is not null ? taken : primaries is null ? ColorSpace.Usual(taken) : new(taken, primaries);
        bool isLog = taken is ColorEncoding.PrintingDensity or ColorEncoding.AcesCct;
        if (check.Encoding is null && check.Says is { } says && says != taken && !(says == ColorEncoding.PrintingDensity && isLog))
        {
            found = [.. found ?? [], $"Their headers say {ColorEncodings.NameOf(says)}, and they are taken as {space.Name}. If the headers are right, bring them in with “Codes stand for” set to {ColorEncodings.NameOf(says)}."];
        }
        CheckedFrame one = check.Frames[0];
        int first = check.First!.Value, last = check.Last!.Value, shotFirst = expected ?? first;
        return await Save(shots, id, http, $"Plate in: {frames.Count} frames", form, d => d with
        {
            Plate = new PlateSource
            {
                Name = name,
                Rate = rate,
                Mapping = new(first, shotFirst),
                Width = one.Width,
                Height = one.Height,
                Bits = one.Bits,
                Encoding = taken,
                Primaries = space.PrimariesKey,
                Timecode = check.Timecode,
                Clip = check.Clip,
                SensorWidthMm = sensorWidth,
                SensorHeightMm = sensorHeight,
                FocalMm = focal,
                Frames = frames,
                Faults = check.Faults,
            },
            Rate = rate,
            Range = new(shotFirst, shotFirst + (last - first)),
            Cut = null,
        }, [.. found ?? [], .. check.Note is { } note ? [$"The frames: {note}."] : Array.Empty<string>(), .. check.Faults.Select(f => $"{f.Message}. {f.Mend}")]);
    }

    /// <summary>What an artist should know of a camera that came in well-formed: frames it lacks, a size that differs.</summary>
    private static IReadOnlyList<string> CameraNotes(ShotDocument shot, CameraSource camera)
    {
        var notes = new List<string>();
        double from = camera.Mapping.ToSource(shot.Range.First, camera.Rate, shot.Rate), to = camera.Mapping.ToSource(shot.Range.Last, camera.Rate, shot.Rate);
        double first = camera.Samples[0].Frame, last = camera.Samples[^1].Frame;
        if (first > from + 1e-6 || last < to - 1e-6)
        {
            notes.Add($"The camera has frames {first:0.##} to {last:0.##}; the shot needs {from:0.##} to {to:0.##}. Frames outside have no camera: check its first frame and rate.");
        }
        if (Math.Abs((double)camera.Width / camera.Height - (double)shot.Plate!.Width / shot.Plate.Height) > 0.01)
        {
            notes.Add($"The camera was made for {camera.Width} × {camera.Height}; the plate is {shot.Plate.Width} × {shot.Plate.Height}, another shape. The match may be off.");
        }
        return notes;
    }

    private static async Task<object> Save(ShotStore shots, long id, HttpContext http, string what, IFormCollection form, Func<ShotDocument, ShotDocument> change, IReadOnlyList<string> notes)
    {
        var (document, revision) = await ShotApi.Need(shots, id);
        ShotDocument changed = change(document);
        ShotApi.Check(changed);
        await shots.Save(id, Whole(form, "baseRevision", revision.Number), changed, ShotApi.Who(http), what);
        return new { state = await ShotApi.State(shots, id), notes };
    }

    private static IFormFile One(IFormCollection form) =>
        form.Files.Count == 1 ? form.Files[0] : throw new ShotFault("Choose one file.");

    internal static byte[] Bytes(IFormFile file)
    {
        if (file.Length > LargestFile) { throw new FormatFault("too_large", $"{Path.GetFileName(file.FileName)} is larger than 1 GB", "Reduce it."); }
        using Stream stream = file.OpenReadStream();
        byte[] bytes = new byte[file.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }

    private static double Number(IFormCollection form, string key, double fallback)
    {
        string text = form[key].ToString().Trim();
        if (text.Length == 0) { return fallback; }
        return double.TryParse(text, System.Globalization.NumberStyles.Float, System.Globalization.CultureInfo.InvariantCulture, out double v) && double.IsFinite(v) ? v
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
        if (text.Length == 0) { return fallback; }
        return GltfFile.TryRate(text, out FrameRate rate) ? rate : throw new ShotFault($"“{text}” is not a frame rate. Write it as a ratio, like 24 or 24000/1001.");
    }
}
