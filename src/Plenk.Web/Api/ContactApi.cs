using System.Globalization;
using System.Text.Json.Serialization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Store;
using Plenk.Web.Sheets;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

public sealed record MatteRequest(int Frame);

public sealed record PassesRequest(int Frame, int? BaseRevision = null);

public sealed record ScreenRequest(double X, double Y, int Frame);

/// <param name="Matte">Id in that shot; null: its first key of a screen, else its first that hides, else its first.</param>
public sealed record FilmedRequest(
    int BaseRevision,
    [property: JsonNumberHandling(JsonNumberHandling.AllowReadingFromString)] long Shot,
    string? Matte = null
);

public sealed record StandRequest(int BaseRevision, int Frame);

/// <summary>Elements of every kind and mattes: what comes in, and what is asked of them.</summary>
public static class ContactApi
{
    public static void MapContact(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Elements and mattes").DisableAntiforgery();

        // A mesh with what its file names beside it; a card; frames rendered elsewhere.
        api.MapPost("/element", async (long id, HttpContext http, ShotStore shots, MediaStore media, ShotEngine engine) =>
            {
                IFormCollection form = await http.Request.FormIn();
                Dictionary<string, byte[]> files = Files(form);
                string[] meshes =
                [
                    .. files.Keys.Where(n => Path.GetExtension(n).ToLowerInvariant() is ".obj" or ".ply" or ".glb" or ".gltf" or ".usda"),
                ];
                if (meshes.Length == 0)
                {
                    throw new ShotFault("Choose a mesh: a GLB, a USD text (.usda), a PLY, or an OBJ with its material file and pictures.");
                }
                if (meshes.Length > 1)
                {
                    return await MeshesIn(id, http, shots, media, engine, form, files, meshes);
                }
                var used = new Dictionary<string, string>();
                ImportedMesh mesh = ImportedMesh.Read(files[meshes[0]], meshes[0], Named(files, media, used));
                string hash = media.Write(files[meshes[0]]);
                bool moves = ImportedMesh.Moving(files[meshes[0]], meshes[0]) is { Moves: true };
                int first = (await ShotApi.Need(shots, id)).Document.Range.First;
                return await Add(
                    id,
                    http,
                    shots,
                    engine,
                    form,
                    Path.GetFileNameWithoutExtension(meshes[0]),
                    "Element in",
                    own => new Element
                    {
                        Id = own,
                        Media = hash,
                        Beside = used,
                        Motion = moves ? new FileMotion { StartFrame = first } : null,
                    },
                    mesh.Warnings
                );
            })
            .WithSummary(
                "Brings a mesh in as an element, or a numbered sequence of meshes with one set of faces, with the files that it names"
            )
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost(
                "/elements/{element}/stand",
                async (long id, string element, string how, int? frame, DraftRequest request, ShotStore shots, ShotEngine engine) =>
                {
                    await ShotApi.Need(shots, id);
                    ShotApi.Check(request.Document);
                    StandHow by = Enum.TryParse(how, true, out StandHow one)
                        ? one
                        : throw new ShotFault("An element is stood by “lower”, “lay” or “flat”.");
                    return ElementStand.Stand(engine, request.Document, element, by, frame ?? request.Document.Range.First);
                }
            )
            .WithSummary("Where an element stands lowered until it touches, or laid on the surface, or flat on its back; nothing is saved");

        api.MapPost("/card", (long id, HttpContext http, ShotStore shots, MediaStore media, ShotEngine engine) =>
                FramesIn(id, http, shots, media, engine, ElementKind.Card, "Card in")
            )
            .WithSummary("Brings a picture or a numbered sequence in as a card")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/rendered-element", (long id, HttpContext http, ShotStore shots, MediaStore media, ShotEngine engine) =>
                FramesIn(id, http, shots, media, engine, ElementKind.Rendered, "Rendered element in")
            )
            .WithSummary("Brings frames in that were rendered through the shot’s camera")
            .Accepts<IFormFileCollection>("multipart/form-data");

        api.MapPost("/elements/{element}/font", async (long id, string element, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (name, bytes) = Files(form).First();
                OpenTypeFont font = OpenTypeFont.Read(bytes, name);
                var (document, revision) = await ShotApi.Need(shots, id);
                Element own = document.Elements.FirstOrDefault(e => e.Id == element && e.Text is not null)
                    ?? throw new NotThereException("There is no such lettering.");
                if (font.Lacks(own.Text!.Text) is { Count: > 0 } lacks)
                {
                    throw new ShotFault(
                        $"{font.Name} has no letter for {string.Join(" ", lacks.Take(8))}. Type letters that it has first, or bring another font in."
                    );
                }
                // One whose letters cannot be drawn is refused before it is kept.
                LetteringMesh.Of(own.Text with { FontName = font.Name }, bytes);
                string hash = media.Write(bytes);
                ShotDocument changed = document with
                {
                    Elements =
                    [
                        .. document.Elements.Select(e =>
                            e.Id == element ? e with { Text = own.Text with { FontMedia = hash, FontName = font.Name } } : e
                        ),
                    ],
                };
                await ShotApi.Keep(shots, id, http, changed, $"{own.Name} in {font.Name}", form["baseRevision"], revision.Number);
                return new { state = await ShotApi.State(shots, id) };
            })
            .WithSummary("Brings a font in for lettering: .ttf, .otf or .woff")
            .Accepts<IFormFileCollection>("multipart/form-data")
            .DisableAntiforgery();

        // What an element's file says of its materials, with what was chosen.
        api.MapGet("/elements/{element}/materials", async (long id, string element, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                Element own = document.Elements.FirstOrDefault(e => e.Id == element)
                    ?? throw new NotThereException("There is no such element.");
                return (
                    await Task.Run(() => own.Kind is ElementKind.Mesh or ElementKind.Lettering ? engine.Model(document, own).Materials : [])
                ).Select(m => new
                {
                    m.Name,
                    baseColor = Vec3.From(m.BaseColor),
                    m.Metallic,
                    m.Roughness,
                    emission = Vec3.From(m.Emission),
                    picture = m.Picture is not null,
                    lambert = !m.Mirrors,
                });
            })
            .WithSummary("What an element’s file says of its materials, with what was chosen");

        // Where a keyed element is, frame by frame; and its keys, lowered until it touches at each.
        api.MapGet("/elements/{element}/path", async (long id, string element, int? revision, ShotStore shots) =>
            {
                var (document, _) = await ShotApi.Need(shots, id, revision);
                if (document.Elements.All(e => e.Id != element))
                {
                    throw new NotThereException("There is no such element.");
                }
                return Enumerable
                    .Range(document.Range.First, document.Range.Count)
                    .Select(f => (Frame: f, At: ShotCurves.At(document, f).Elements.First(e => e.Id == element)))
                    .Select(f => new
                    {
                        f.Frame,
                        f.At.Position,
                        f.At.RotationYxzDegrees,
                        f.At.Scale,
                    });
            })
            .WithSummary("Where a keyed element is, frame by frame");

        api.MapPost(
                "/elements/{element}/passes",
                async (long id, string element, PassesRequest r, HttpContext http, ShotStore shots, MediaStore media, ShotEngine engine) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    Element own = document.Elements.FirstOrDefault(e => e.Id == element && e.Kind == ElementKind.Rendered)
                        ?? throw new ShotFault("Those rendered frames are no longer in the shot.");
                    PassReport report = await Task.Run(() => engine.Relit.Read(document, own, r.Frame, media.Read));
                    PassMeaning meaning = PassReader.Meaning(report)
                        ?? throw new ShotFault(
                            report.Told.Count > 0
                                ? string.Join(" ", report.Told)
                                : "Too few places of the position pass are smooth enough to tell how it is meant."
                        );
                    ShotDocument changed = document with
                    {
                        Elements = [.. document.Elements.Select(e => e.Id == element ? e with { Passes = meaning } : e)],
                    };
                    await ShotApi.Keep(
                        shots,
                        id,
                        http,
                        changed,
                        $"Passes of {own.Name} found",
                        r.BaseRevision?.ToString(CultureInfo.InvariantCulture),
                        revision.Number
                    );
                    return new { state = await ShotApi.State(shots, id), notes = (string[])[.. report.Told, ContactSheet.Meant(meaning)] };
                }
            )
            .WithSummary("Finds how a rendered element’s positions and normals are meant, by the camera’s rays, and keeps it");

        // What a rendered element's own ID mattes name.
        api.MapGet("/elements/{element}/ids", async (long id, string element, int frame, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                Element own = document.Elements.FirstOrDefault(e => e.Id == element)
                    ?? throw new NotThereException("There is no such element.");
                var (names, notes) = await Task.Run(() => engine.IdNames(document, own, frame));
                return new
                {
                    names = names.Select(n => new
                    {
                        n.Layer,
                        n.Name,
                        n.Share,
                    }),
                    notes,
                };
            })
            .WithSummary("What a rendered element’s own ID mattes name in a frame");

        api.MapPost("/elements/{element}/stand-keys", async (long id, string element, DraftRequest r, ShotStore shots, ShotEngine engine) =>
            {
                await ShotApi.Need(shots, id);
                ShotApi.Check(r.Document);
                return await Task.Run(() => ElementStand.Keys(engine, r.Document, element));
            })
            .WithSummary("Keys of an element’s place, lowered until it touches at each; nothing is saved");

        api.MapPost(
                "/elements/{element}/pivot",
                async (long id, string element, int? frame, PivotRequest r, ShotStore shots, ShotEngine engine) =>
                {
                    await ShotApi.Need(shots, id);
                    ShotApi.Check(r.Document);
                    (double, double)? at = r is { X: { } x, Y: { } y } ? (x, y) : null;
                    return await Task.Run(() => ElementStand.Pivot(engine, r.Document, element, r.To, at, frame ?? r.Document.Range.First));
                }
            )
            .WithSummary("An element’s pivot put elsewhere on it, and its place with it; nothing is saved");

        api.MapPost("/mattes/frames", async (long id, HttpContext http, ShotStore shots, MediaStore media) =>
            {
                IFormCollection form = await http.Request.FormIn();
                var (document, revision) = await ShotApi.Need(shots, id);
                Dictionary<string, byte[]> files = Files(form);
                // An EXR brings ID mattes: the first name of its first layer is taken until another is chosen.
                bool ofIds = files.Count > 0 && files.Values.All(f => ExrFile.Is(f));
                IReadOnlyList<IdMatteFile.Layer> layers = ofIds
                    ? IdMatteFile.Read(ExrFile.Read(files.First().Value, files.First().Key))
                    : [];
                if (ofIds && layers.All(l => l.Coverage.Count == 0))
                {
                    throw new FormatFault(
                        "file",
                        $"{files.First().Key} is an EXR without ID mattes",
                        "Bring an EXR with them, or the matte as PNG, TIFF or JPEG."
                    );
                }
                IdMatteFile.Layer? first = layers.FirstOrDefault(l => l.Coverage.Count > 0);
                IdChoice? ids = first is null ? null : new(first.Name, [first.Coverage.MaxBy(c => c.Value.Sum()).Key]);
                var (source, notes, _) = Sequence(files, document, media, needsAlpha: false, exr: ofIds);
                if (first is not null)
                {
                    notes =
                    [
                        .. notes,
                        .. layers.SelectMany(l => l.Notes),
                        .. layers.Select(l => $"{l.Name}: {string.Join(", ", l.Coverage.Keys.Order(StringComparer.Ordinal).Take(40))}"),
                    ];
                }
                string own = NewMatte(document);
                ShotDocument changed = document with
                {
                    Mattes =
                    [
                        .. document.Mattes,
                        new Matte
                        {
                            Id = own,
                            Name = Stem(source),
                            Kind = MatteKind.Frames,
                            Frames = source,
                            Ids = ids,
                            KeepsTracksOff = false,
                        },
                    ],
                };
                await ShotApi.Keep(shots, id, http, changed, "Matte in", form["baseRevision"], revision.Number);
                return new
                {
                    state = await ShotApi.State(shots, id),
                    notes,
                    matte = own,
                };
            })
            .WithSummary("Brings pictures in as a matte")
            .Accepts<IFormFileCollection>("multipart/form-data");

        // What was filmed in another shot, keyed or drawn around there, as a layer of this one.
        api.MapPost("/mattes/filmed", (long id, FilmedRequest r, ShotStore shots, HttpContext http) =>
                ShotApi.Borrowed(
                    shots,
                    id,
                    r.Shot,
                    r.BaseRevision,
                    http,
                    "That is this shot itself. Choose another one.",
                    (document, other) =>
                        FilmedWork.Bring(document, other, r.Matte) is var changed
                            ? (changed, $"{changed.Mattes[^1].Name} over the plate")
                            : default
                )
            )
            .WithSummary("Lays what another shot’s matte cuts out of its plate over this one’s, as a layer with a distance");

        api.MapPost(
                "/mattes/{matte}/stand",
                async (long id, string matte, StandRequest r, ShotStore shots, ShotEngine engine, HttpContext http) =>
                {
                    var (document, _) = await ShotApi.Need(shots, id);
                    Matte own = MatteWork.Of(document, matte);
                    Vec3 at = await Task.Run(() => engine.Filmed.Foot(document, own, r.Frame));
                    ShotDocument changed = document with
                    {
                        Mattes = [.. document.Mattes.Select(m => m.Id == matte ? m with { Footage = m.Footage! with { At = at } } : m)],
                    };
                    ShotApi.Check(changed);
                    await shots.Save(id, r.BaseRevision, changed, ShotApi.Who(http), $"{own.Name} stood on the set");
                    return await ShotApi.State(shots, id);
                }
            )
            .WithSummary("Stands something filmed elsewhere where its foot meets the set");

        // The screen's colour around a spot of the plate: the middle of what is there, linear.
        api.MapPost("/mattes/screen", async (long id, ScreenRequest r, ShotStore shots, ShotEngine engine) =>
            {
                ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                FloatImage plate = engine.Plates.QuietPlate(
                    document,
                    r.Frame,
                    document.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.")
                );
                if (!(r.X >= 0 && r.Y >= 0 && r.X < plate.Width && r.Y < plate.Height))
                {
                    throw new ShotFault("Click inside the picture.");
                }
                var around = Enumerable
                    .Range(-6, 13)
                    .SelectMany(dy => Enumerable.Range(-6, 13).Select(dx => ((int)r.X + dx, (int)r.Y + dy)))
                    .Where(p => p.Item1 >= 0 && p.Item2 >= 0 && p.Item1 < plate.Width && p.Item2 < plate.Height)
                    .ToArray();
                double Middle(int c)
                {
                    float[] v = [.. around.Select(p => plate[p.Item1, p.Item2, c]).Order()];
                    return v[v.Length / 2];
                }
                var color = new Vec3(Middle(0), Middle(1), Middle(2));
                double most = Math.Max(color.X, Math.Max(color.Y, color.Z)),
                    next = color.X + color.Y + color.Z - most - Math.Min(color.X, Math.Min(color.Y, color.Z));
                if (most < 1.25 * next)
                {
                    throw new ShotFault(
                        $"What is there is hardly coloured (R {color.X:0.000} G {color.Y:0.000} B {color.Z:0.000}). Click on the screen where it is plain."
                    );
                }
                return new { color };
            })
            .WithSummary("A screen’s colour around a spot of the plate: the middle of what is there, linear");

        // A drawn matte goes with a track: moved as it moves.
        api.MapPost(
                "/mattes/{matte}/with-track/{track:int}",
                async (long id, string matte, int track, ShotStore shots, ShotEngine engine) =>
                {
                    ShotDocument document = (await ShotApi.Need(shots, id)).Document;
                    MatteWork.Of(document, matte);
                    return MatteWork.WithTrack(engine, document, track);
                }
            )
            .WithSummary("The motion of a drawn matte that goes with a track; nothing is saved");
    }

    internal static Dictionary<string, byte[]> Files(IFormCollection form)
    {
        var files = new Dictionary<string, byte[]>(StringComparer.Ordinal);
        foreach (IFormFile f in form.Files)
        {
            files[Path.GetFileName(f.FileName)] = Incoming.Bytes(f);
        }
        return files.Count > 0 ? files : throw new ShotFault("Choose one file or more.");
    }

    private static string Stem(FrameSource source) =>
        FrameNumber.Without(source.Frames[0].File) is var bare
        && Path.GetFileNameWithoutExtension(bare).Trim('.', '_', '-', ' ') is { Length: > 0 } stem
            ? stem
            : "frames";

    private static string NewMatte(ShotDocument d)
    {
        int k = 1;
        while (d.Mattes.Any(m => m.Id == $"matte_{k}"))
        {
            k++;
        }
        return $"matte_{k}";
    }

    /// <summary>Gives a mesh the files that it names, of those that came with it, and keeps and notes them.</summary>
    private static Func<string, byte[]?> Named(Dictionary<string, byte[]> files, MediaStore media, Dictionary<string, string> used) =>
        name =>
        {
            if (!files.TryGetValue(Path.GetFileName(name), out byte[]? bytes))
            {
                return null;
            }
            used[name] = media.Write(bytes);
            return bytes;
        };

    /// <summary>A mesh for each frame: all of one name but for their numbers, and with one set of faces.</summary>
    private static async Task<object> MeshesIn(
        long id,
        HttpContext http,
        ShotStore shots,
        MediaStore media,
        ShotEngine engine,
        IFormCollection form,
        Dictionary<string, byte[]> files,
        string[] meshes
    )
    {
        string[] stems = [.. meshes.Select(FrameNumber.Without).Distinct()];
        if (stems.Length > 1 || meshes.Any(n => FrameNumber.Of(n) is null))
        {
            throw new ShotFault(
                "Choose one mesh at a time, or a numbered sequence of one thing: files of one name but for their frame numbers, like cloth.0001.obj."
            );
        }
        string[] ordered = [.. meshes.OrderBy(n => FrameNumber.Of(n))];
        var used = new Dictionary<string, string>();
        ImportedMesh? first = null;
        TriangleMesh? faces = null;
        var frames = new List<PlateFrame>();
        foreach (string name in ordered)
        {
            ImportedMesh mesh = ImportedMesh.Read(files[name], name, Named(files, media, used));
            TriangleMesh merged = mesh.Merged();
            if (faces is null)
            {
                (first, faces) = (mesh, merged);
            }
            else
            {
                MeshSequence.Check(ordered[0], faces, name, merged);
            }
            frames.Add(new(FrameNumber.Of(name)!.Value, name, ""));
        }
        // Nothing is kept before all of them are known to fit.
        frames = [.. frames.Select(f => f with { Media = media.Write(files[f.File]) })];
        ShotDocument document = (await ShotApi.Need(shots, id)).Document;
        int[] holes = [.. Enumerable.Range(frames[0].Frame, frames[^1].Frame - frames[0].Frame + 1).Except(frames.Select(f => f.Frame))];
        return await Add(
            id,
            http,
            shots,
            engine,
            form,
            Path.GetFileNameWithoutExtension(stems[0]).TrimEnd('.', '_', '-', ' '),
            "Element in",
            own => new Element
            {
                Id = own,
                Media = frames[0].Media,
                Beside = used,
                Frames = new()
                {
                    Frames = frames,
                    Rate = document.Rate,
                    Mapping = new(frames[0].Frame, document.Range.First),
                    Before = FrameOutside.Held,
                },
            },
            [
                .. first!.Warnings,
                .. holes.Length > 0
                    ? [$"Of its frames {holes.Length} are missing, the first of them {holes[0]}: it is not there then."]
                    : Array.Empty<string>(),
            ]
        );
    }

    private static async Task<object> FramesIn(
        long id,
        HttpContext http,
        ShotStore shots,
        MediaStore media,
        ShotEngine engine,
        ElementKind kind,
        string what
    )
    {
        bool rendered = kind == ElementKind.Rendered;
        IFormCollection form = await http.Request.FormIn();
        ShotDocument document = (await ShotApi.Need(shots, id)).Document;
        Dictionary<string, byte[]> files = Files(form);
        // Passes in files of their own are told by their names, where there is a picture beside them.
        var passes = files
            .Where(f => rendered && ExrFile.Is(f.Value) && RenderedPasses.PassOf(f.Key) is not null)
            .GroupBy(f => FrameNumber.Without(f.Key))
            .ToArray();
        bool apart = passes.Sum(p => p.Count()) < files.Count;
        foreach (string name in apart ? passes.SelectMany(p => p.Select(f => f.Key)).ToArray() : [])
        {
            files.Remove(name);
        }
        bool covered = apart && passes.Any(p => RenderedPasses.PassOf(p.First().Key) is "position" or "depth");
        var (source, notes, width) = Sequence(files, document, media, needsAlpha: rendered, exr: true, covered: covered);
        PassFrames[] beside = apart ? [.. passes.Select(p => Pass(p.ToDictionary(f => f.Key, f => f.Value), source, media))] : [];
        bool exr = form.Files.All(f => f.FileName.EndsWith(".exr", StringComparison.OrdinalIgnoreCase));
        PassMeaning? meaning = null;
        if (rendered && FirstWithCamera(document, source) is { } frame)
        {
            var tried = new Element
            {
                Id = "",
                Name = Stem(source),
                Kind = kind,
                Frames = source,
                PassFrames = beside,
            };
            (meaning, IReadOnlyList<string> found) = await Task.Run(() => Meant(document, tried, frame, media, engine));
            notes = [.. notes, .. found];
        }
        return await Add(
            id,
            http,
            shots,
            engine,
            form,
            Stem(source),
            what,
            own => new Element
            {
                Id = own,
                Kind = kind,
                // Colours in an EXR are premultiplied by its alpha (OpenEXR, "Technical Introduction").
                Frames = rendered || exr ? source with { Premultiplied = true } : source,
                PassFrames = beside,
                Passes = meaning,
            },
            notes,
            width
        );
    }

    /// <summary>A pass in files of its own, for each of the picture's frames.</summary>
    private static PassFrames Pass(Dictionary<string, byte[]> files, FrameSource picture, MediaStore media)
    {
        string name = RenderedPasses.PassOf(files.First().Key)!;
        bool one = picture.Frames.Count == 1 && files.Count == 1;
        Dictionary<int, string> byFrame = [];
        foreach (string file in files.Keys)
        {
            int frame = one ? picture.Frames[0].Frame : FrameNumber.Of(file) ?? -1;
            if (!byFrame.TryAdd(frame, file))
            {
                throw new ShotFault($"{file} and {byFrame[frame]} are both {name} of one frame. Choose one sequence of each pass.");
            }
        }
        if (picture.Frames.FirstOrDefault(f => !byFrame.ContainsKey(f.Frame)) is { } lacks)
        {
            throw new ShotFault($"{lacks.File} has no {name} beside it: there is none of its frame {lacks.Frame}. Bring all of them in.");
        }
        foreach (var (file, bytes) in files)
        {
            ExrFile.Read(bytes, file);
        }
        return new(name, [.. picture.Frames.Select(f => new PlateFrame(f.Frame, byFrame[f.Frame], media.Write(files[byFrame[f.Frame]])))]);
    }

    /// <summary>The first frame of the shot that has both a picture of a source and a camera; null: none has.</summary>
    private static int? FirstWithCamera(ShotDocument shot, FrameSource source) =>
        ShotCamera.Of(shot) is not { } camera
            ? null
            : Enumerable
                .Range(shot.Range.First, shot.Range.Count)
                .Cast<int?>()
                .FirstOrDefault(f => source.At(f!.Value, shot.Rate) is not null && camera.TryAt(f.Value, out Pose _, out Pinhole _));

    /// <summary>How a rendered element's passes are meant, and what is told of it. Without positions there is nothing to tell.</summary>
    private static (PassMeaning?, IReadOnlyList<string>) Meant(
        ShotDocument shot,
        Element element,
        int frame,
        MediaStore media,
        ShotEngine engine
    )
    {
        try
        {
            PassReport report = engine.Relit.Read(shot, element, frame, media.Read);
            PassMeaning? meaning = PassReader.Meaning(report);
            return (meaning, [.. report.Told, .. meaning is null ? Array.Empty<string>() : [ContactSheet.Meant(meaning)]]);
        }
        catch (ShotFault)
        {
            return (null, []);
        }
    }

    /// <param name="width">Of a card's picture, px: it is as wide as that many pixels of the plate are where it stands.</param>
    private static async Task<object> Add(
        long id,
        HttpContext http,
        ShotStore shots,
        ShotEngine engine,
        IFormCollection form,
        string stem,
        string what,
        Func<string, Element> make,
        IReadOnlyList<string> notes,
        int width = 0
    )
    {
        var (document, revision) = await ShotApi.Need(shots, id);
        string own = stem;
        for (int k = 2; document.Elements.Any(e => e.Id == own); k++)
        {
            own = $"{stem}_{k}";
        }
        Element made = make(own) with { Name = own.Replace('_', ' ') };
        if (
            made.Kind is not ElementKind.Rendered
            && int.TryParse(form["frame"], CultureInfo.InvariantCulture, out int frame)
            && await Task.Run(() => SetWork.Looked(engine, document, frame, toStandOn: true)) is { } looked
        )
        {
            made = made with { Position = looked.Place };
            if (made.Kind is ElementKind.Card)
            {
                made = made with { WidthMetres = width * looked.PixelMetres };
            }
        }
        ShotDocument changed = document with { Elements = [.. document.Elements, made] };
        await ShotApi.Keep(shots, id, http, changed, $"{what}: {own}", form["baseRevision"], revision.Number);
        return new
        {
            state = await ShotApi.State(shots, id),
            notes,
            element = own,
        };
    }

    /// <summary>Numbered pictures as a source, kept; and what was found on their arrival.</summary>
    /// <param name="covered">Files beside them say where those without alpha show something.</param>
    internal static (FrameSource Source, IReadOnlyList<string> Notes, int Width) Sequence(
        Dictionary<string, byte[]> files,
        ShotDocument shot,
        MediaStore media,
        bool needsAlpha,
        bool exr,
        bool covered = false
    )
    {
        var notes = new List<string>();
        (int Frame, string Name, byte[] Bytes)[] own =
        [
            .. files
                .Select(f => (FrameNumber.Of(f.Key) ?? -1, f.Key, f.Value))
                .OrderBy(f => f.Item1)
                .ThenBy(f => f.Key, StringComparer.Ordinal),
        ];
        if (own.Length > 1 && own.Any(f => f.Frame < 0))
        {
            throw new ShotFault($"{own.First(f => f.Frame < 0).Name} has no frame number in its name, like name.1001.png.");
        }
        if (own.Select(f => f.Frame).Distinct().Count() != own.Length)
        {
            throw new ShotFault("Two files have one frame number. Choose one sequence.");
        }
        (int Width, int Height)? size = null;
        bool alpha = true;
        string? primaries = null;
        foreach (var (_, name, bytes) in own)
        {
            (int w, int h) now;
            if (ExrFile.Is(bytes))
            {
                if (!exr)
                {
                    throw new FormatFault("file", $"{name} is an EXR", "Bring PNG, TIFF or JPEG here.");
                }
                ExrPicture p = ExrFile.Read(bytes, name);
                now = (p.Width, p.Height);
                if (p.Primaries != Core.Images.Primaries.Bt709 && primaries is null)
                {
                    notes.Add($"Its colours are {primaries = p.Primaries.Name}; they are worked on as BT.709.");
                }
                float[][]? planes = p.Picture(alpha: true, "element", "beauty", "rgba", "combined");
                // A render without alpha covers what its own positions or depth say.
                alpha &= planes is not null || covered || p.Channels.Any(c => RenderedPasses.CoversBy(c.Name));
                int bad = (planes ?? []).Sum(c => c.Count(v => !float.IsFinite(v)));
                if (bad > 0)
                {
                    notes.Add($"{name}: {bad:N0} values are no number; they show nothing. Render that frame again.");
                }
            }
            else
            {
                CodeImage p = RasterFile.Read(bytes, name);
                now = (p.Width, p.Height);
                alpha &= p.Channels is 2 or 4;
            }
            if (size is { } first && first != now)
            {
                throw new ShotFault($"{name} is {now.w} × {now.h}, the frames before it {first.Width} × {first.Height}.");
            }
            size = now;
        }
        if (needsAlpha && !alpha)
        {
            throw new ShotFault(
                "A frame has no alpha, and neither positions nor depth that say where it shows something. Render the element with its coverage as alpha."
            );
        }
        int[] missing = [.. Enumerable.Range(own[0].Frame, own[^1].Frame - own[0].Frame + 1).Except(own.Select(f => f.Frame)).Take(12)];
        if (own.Length > 1 && missing.Length > 0)
        {
            notes.Add($"Frames are missing: {string.Join(", ", missing)}{(missing.Length == 12 ? " and more" : "")}. Nothing shows there.");
        }
        if (own.Length > 1 && own[^1].Frame - own[0].Frame + 1 < shot.Range.Count)
        {
            notes.Add(
                $"It has {own[^1].Frame - own[0].Frame + 1} frames, the shot {shot.Range.Count}: its last one stands after its end, unless it repeats."
            );
        }
        bool sameNumbers = own[0].Frame >= 0 && own[0].Frame <= shot.Range.Last && own[^1].Frame >= shot.Range.First;
        // A frame that was rendered with a camera is right where that camera stood; any other picture alone is a still.
        bool atItsFrame = own.Length == 1 && needsAlpha && sameNumbers && shot.Range.Count > 1;
        if (atItsFrame)
        {
            notes.Add($"It is frame {own[0].Frame}, and is seen there alone. Bring the others in to see it move.");
        }
        if (own.Length > 1 && !sameNumbers)
        {
            notes.Add($"Its frame {own[0].Frame} is laid on the shot's first, {shot.Range.First}.");
        }
        return (
            new FrameSource
            {
                Frames = [.. own.Select(f => new PlateFrame(Math.Max(0, f.Frame), f.Name, media.Write(f.Bytes)))],
                Rate = shot.Rate,
                Mapping = sameNumbers ? new(shot.Range.First, shot.Range.First) : new(Math.Max(0, own[0].Frame), shot.Range.First),
                AtItsFrame = atItsFrame,
            },
            notes,
            size?.Width ?? 0
        );
    }
}
