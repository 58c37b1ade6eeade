using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats;
using Plenk.Formats.Looks;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <summary>The plate and the look it is seen through: files first, then one revision that uses them; media and thumbnails.</summary>
public static class PlateApi
{
    public static void MapPlate(this WebApplication app)
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

        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Plate").DisableAntiforgery();

        app.MapGet("/api/folders", () => PlateFolders
                    .Offered()
                    .Select(d => new
                    {
                        path = d.Path,
                        name = d.Name,
                        files = d.Frames,
                    }))
            .WithSummary("Folders of the server that plates may be brought from")
            .WithTags("Plate");

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
                        if (form.Files[i].Length > Incoming.LargestFile && form.Files.Count > 1)
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
                "Fields beside the files: first (frame, 1001), rate (24 or 24000/1001), sensorWidth and sensorHeight (mm), "
                    + "focal (mm), encoding, primaries, keeps (true: it stands for the plate that is there, and all keeps its place)."
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

        // What the plate is seen through: a LUT or a CDL, told by the file's ending.
        api.MapPost("/look", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                IFormFile file = Incoming.One(form);
                byte[] bytes = Incoming.Bytes(file);
                string name = Path.GetFileName(file.FileName);
                switch (Path.GetExtension(name).ToLowerInvariant())
                {
                    case ".cube":
                        CubeFile.Read(bytes, name);
                        return await Incoming.Save(
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
                        return await Incoming.Save(
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
        double sensorWidth = Incoming.Number(form, "sensorWidth", 36),
            sensorHeight = Incoming.Number(form, "sensorHeight", 20.25);
        double? focal = form["focal"].ToString().Length > 0 ? Incoming.Number(form, "focal", 0) : null;
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
            form["first"].ToString().Length > 0 ? Incoming.Whole(form, "first", 1001) : null,
            Incoming.Rate(form, "rate", new(24, 1)),
            encoding,
            primaries,
            sensorWidth,
            sensorHeight,
            focal
        )
        {
            Keeps = form["keeps"].ToString() is "on" or "true",
        };
    }
}
