using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Plenk.Core.Cameras;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What is handed over, and how it is named.</summary>
/// <param name="Formats">exr, png16, dpx; for review: mp4, stills (8-bit PNG), contact (frames of the range on one sheet).</param>
/// <param name="Layers">Of the EXR; null: all there are.</param>
/// <param name="Overscan">
/// The EXR's layers go on beyond the plate by this share of its width on every side, 0 to 0.5; its comp does not.
/// </param>
/// <param name="BurnIn">Shot, version and frame stand in what is for review.</param>
/// <param name="ThroughLook">What is for review is seen through the shot's LUT, where it has one.</param>
/// <param name="Primaries">Of the EXR's colours, as commands name them: bt709, bt2020, acescg, aces2065-1.</param>
/// <param name="Names">{production}, {sequence}, {shot}, {layer}, {version}, {frame}.</param>
public sealed record HandOverChoice(
    IReadOnlyList<string> Formats,
    IReadOnlyList<string>? Layers = null,
    string Names = HandOverChoice.UsualNames,
    ExrCompression Compression = ExrCompression.Zip,
    bool PartPerLayer = false,
    int? Width = null,
    bool Scene = true,
    bool Readings = true,
    bool BurnIn = false,
    bool ThroughLook = true,
    double Overscan = 0,
    string Primaries = "bt709"
)
{
    public const string UsualNames = "{shot}_{layer}_v{version}.{frame}";
    public static readonly string[] Known = ["exr", "png16", "dpx", "mp4", "stills", "contact"];

    /// <summary>Some of it is looked at, not worked with.</summary>
    public bool ForReview => Formats.Any(f => f is "mp4" or "stills" or "contact");

    /// <summary>Null: it can be done; else what is wrong, in the artist's terms.</summary>
    public string? Fault()
    {
        if (Formats.Count == 0)
        {
            return "No format is chosen: exr, png16, dpx, mp4, stills or contact.";
        }
        if (Formats.FirstOrDefault(f => !Known.Contains(f)) is { } strange)
        {
            return $"“{strange}” is not handed over; exr, png16, dpx, mp4, stills and contact are.";
        }
        if (Core.Images.Primaries.Named(Primaries) is null)
        {
            return Core.Images.Primaries.Unknown(Primaries);
        }
        if (!(Overscan is >= 0 and <= 0.5))
        {
            return "Overscan lies between 0 and 50 % of the plate's width on every side.";
        }
        foreach (string need in (ReadOnlySpan<string>)["{layer}", "{version}", "{frame}"])
        {
            if (!Names.Contains(need, StringComparison.Ordinal))
            {
                return $"The names need {need}: without it files would overwrite one another.";
            }
        }
        if (Regex.Match(Names, @"\{(?!production\}|sequence\}|shot\}|layer\}|version\}|frame\})[^}]*\}") is { Success: true } m)
        {
            return $"{m.Value} is no part of a name; {{production}}, {{sequence}}, {{shot}}, {{layer}}, {{version}} and {{frame}} are.";
        }
        return Names.Any(c => c is '/' or '\\' || c < ' ') ? "Names of files hold no slash." : null;
    }
}

/// <summary>A file as it was written and read back; SHA-256 in lower-case hex.</summary>
public sealed record HandedFile(string Name, string Kind, int? Frame, long Bytes, string Sha256, string What);

/// <summary>What leaves a shot: frames, scene and sheet under counted versions, each file read back before it counts.</summary>
public sealed partial class HandOverWork(ShotEngine engine)
{
    private const string Begun = ".begun.json";
    private const int MostOnSheet = 30;
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    /// <summary>What is on its way in a folder: its version, and the key of what it is made of.</summary>
    public sealed record Start(int Version, string Key, bool TakenUp, IReadOnlyList<string> Notes);

    private static string Stem(ShotDocument shot, int version) =>
        string.Create(CultureInfo.InvariantCulture, $"{Plain(shot.Code)}_v{version:000}");

    private static string Plain(string name) =>
        name.Length == 0 ? "shot" : string.Concat(name.Select(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_' ? c : '_'));

    public static string NameOf(ShotDocument shot, HandOverChoice choice, int version, string layer, int frame, string extension) =>
        choice
            .Names.Replace("{production}", Plain(shot.Production), StringComparison.Ordinal)
            .Replace("{sequence}", Plain(shot.Sequence), StringComparison.Ordinal)
            .Replace("{shot}", Plain(shot.Code), StringComparison.Ordinal)
            .Replace("{layer}", layer, StringComparison.Ordinal)
            .Replace("{version}", version.ToString("000", CultureInfo.InvariantCulture), StringComparison.Ordinal)
            .Replace("{frame}", frame.ToString("0000", CultureInfo.InvariantCulture), StringComparison.Ordinal)
        + "."
        + extension;

    /// <summary>
    /// The version that a folder's next hand-over has: that of one that was interrupted, where it was of the same document and choice; else
    /// the next free one. Nothing that is there is overwritten.
    /// </summary>
    public static Start Begin(ShotDocument shot, HandOverChoice choice, string folder)
    {
        Directory.CreateDirectory(folder);
        string key = ResultKey.Of("hand over", 2, shot with { Tolerances = new Dictionary<string, double>(), Notes = [] }, choice);
        int last = 0;
        var notes = new List<string>();
        foreach (string path in Directory.GetFiles(folder))
        {
            Match m = SheetName().Match(Path.GetFileName(path));
            if (!m.Success)
            {
                continue;
            }
            if (m.Groups[1].Value != Plain(shot.Code))
            {
                notes.Add(
                    $"The folder also holds {m.Groups[1].Value}, version {int.Parse(m.Groups[2].Value, CultureInfo.InvariantCulture)}; it is left as it is."
                );
                continue;
            }
            int version = int.Parse(m.Groups[2].Value, CultureInfo.InvariantCulture);
            if (m.Groups[3].Value == Begun)
            {
                string own = JsonDocument.Parse(File.ReadAllText(path)).RootElement.GetProperty("key").GetString()!;
                if (own == key && !File.Exists(Path.Combine(folder, Stem(shot, version) + ".sheet.json")))
                {
                    return new(version, key, true, [$"Version {version} was interrupted; its finished frames stand."]);
                }
            }
            last = Math.Max(last, version);
        }
        if (last > 0)
        {
            notes.Add($"The folder holds version {last} already; this is version {last + 1}.");
        }
        MediaStore.WriteWhole(
            Path.Combine(folder, Stem(shot, last + 1) + Begun),
            JsonSerializer.SerializeToUtf8Bytes(
                new
                {
                    key,
                    shot = shot.Code,
                    version = last + 1,
                },
                Json
            )
        );
        return new(last + 1, key, false, notes);
    }

    [GeneratedRegex(@"^(.+)_v(\d{3,})(\.begun\.json|\.sheet\.json)$")]
    private static partial Regex SheetName();

    private static string Record(string folder, ShotDocument shot, int version, int frame) =>
        Path.Combine(folder, ".frames", string.Create(CultureInfo.InvariantCulture, $"{Stem(shot, version)}.{frame:0000}.json"));

    /// <summary>A frame's files: rendered, closed, written, read back. Those of an earlier try stand where they are whole.</summary>
    public IReadOnlyList<HandedFile> Frame(
        ShotDocument shot,
        HandOverChoice choice,
        int version,
        int frame,
        string folder,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        Directory.CreateDirectory(folder);
        string record = Record(folder, shot, version, frame);
        if (
            File.Exists(record)
            && JsonSerializer.Deserialize<List<HandedFile>>(File.ReadAllBytes(record), Json) is { } had
            && had.All(f => Faults(folder, f) is null)
        )
        {
            return had;
        }
        int full = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            width = Math.Min(choice.Width ?? full, full);
        bool layers = choice.Formats.Contains("exr");
        string begun = Path.Combine(folder, Stem(shot, version) + Begun);
        int overscan = layers ? (int)Math.Ceiling(choice.Overscan * width) : 0;
        FrameLayers bare = engine.Finish.Bare(
            shot,
            frame,
            width,
            RenderQuality.Full,
            dataPasses: layers,
            parts: layers,
            stop: stop,
            progress: progress,
            overscan: overscan
        );
        // The comp is the plate's own size: what acts on the whole picture must not see beyond it.
        FrameLayers made = engine.Finish.Laid(shot, frame, bare.Within(overscan));
        var files = new List<HandedFile>();
        CodeImage Comp(int bits) => engine.Renderer.Comp(shot, frame, made, bits);
        if (layers)
        {
            string name = NameOf(shot, choice, version, "layers", frame, "exr");
            files.Add(
                Exr(
                    shot,
                    choice,
                    frame,
                    overscan == 0 ? made : engine.Finish.Laid(shot, frame, bare, overscan) with { Comp = made.Comp.Padded(overscan) },
                    overscan,
                    folder,
                    begun,
                    name
                )
            );
        }
        if (choice.Formats.Contains("png16"))
        {
            CodeImage comp = Comp(16);
            string name = NameOf(shot, choice, version, "comp", frame, "png");
            files.Add(Codes(folder, begun, name, "png", frame, RasterFile.ToPng(comp), comp, $"comp, 16 bit, {shot.Plate.Space.Name}"));
        }
        if (choice.Formats.Contains("dpx"))
        {
            int bits = shot.Plate.Bits > 10 || shot.Plate.Encoding == ColorEncoding.Linear ? 16 : 10;
            CodeImage comp = Comp(bits);
            byte transfer = shot.Plate.Encoding switch
            {
                ColorEncoding.Linear => 2,
                ColorEncoding.PrintingDensity => 1,
                ColorEncoding.AcesCct => 3,
                ColorEncoding.Bt1886 or ColorEncoding.Bt709 => 6,
                _ => 0,
            };
            string name = NameOf(shot, choice, version, "comp", frame, "dpx");
            files.Add(
                Codes(
                    folder,
                    begun,
                    name,
                    "dpx",
                    frame,
                    DpxFile.Write(comp, bits, transfer, frame, shot.Rate),
                    comp,
                    $"comp, {bits} bit, {shot.Plate.Space.Name}"
                )
            );
        }
        if (choice.ForReview)
        {
            FrameLayers seen = shot.Finish.InOrder().Any(s => StepKinds.Of(s).OfWhole)
                ? engine.Finish.Laid(shot, frame, bare.Within(overscan), whole: true)
                : made;
            CodeImage shown = engine.Renderer.Comp(shot, frame, seen, 8).Through(engine.Plates.View(shot, SeenBy(shot, choice)));
            shown = new(shown.Width, shown.Height, 3, 8, Array.ConvertAll(shown.Codes, c => (ushort)((c + 128) / 257)));
            // Movie and contact sheet are made of these when all frames are there.
            CodeImage burned = choice.BurnIn
                ? ReviewPicture.BurnedIn(shown, $"{shot.Code}  v{version:000}", frame.ToString("0000", CultureInfo.InvariantCulture))
                : shown;
            byte[] png = RasterFile.ToPng(burned);
            if (choice.Formats.Contains("mp4"))
            {
                MediaStore.WriteWhole(MovieFrame(folder, shot, version, frame), png);
            }
            if (choice.Formats.Contains("contact"))
            {
                MediaStore.WriteWhole(SheetFrame(folder, shot, version, frame), choice.BurnIn ? RasterFile.ToPng(shown) : png);
            }
            if (choice.Formats.Contains("stills"))
            {
                files.Add(
                    Codes(
                        folder,
                        begun,
                        NameOf(shot, choice, version, "review", frame, "png"),
                        "png",
                        frame,
                        png,
                        burned,
                        $"for review, 8 bit, {SeenWords(shot, choice)}"
                    )
                );
            }
        }
        MediaStore.WriteWhole(record, JsonSerializer.SerializeToUtf8Bytes(files, Json));
        return files;
    }

    private static SeenThrough SeenBy(ShotDocument shot, HandOverChoice choice) =>
        shot.Look.LutMedia is null || !choice.ThroughLook ? SeenThrough.Display : SeenThrough.Look;

    private static string SeenWords(ShotDocument shot, HandOverChoice choice) =>
        "as seen through "
        + $"{(SeenBy(shot, choice) == SeenThrough.Display ? "the display's encoding" : shot.Look.LutName)}{(choice.BurnIn ? ", shot, version and frame burned in" : "")}";

    private static string SheetFrame(string folder, ShotDocument shot, int version, int frame) =>
        Path.ChangeExtension(MovieFrame(folder, shot, version, frame), ".sheet.png");

    private static string MovieFrame(string folder, ShotDocument shot, int version, int frame) =>
        Path.Combine(folder, ".frames", string.Create(CultureInfo.InvariantCulture, $"{Stem(shot, version)}.{frame:0000}.png"));

    private static HandedFile Codes(
        string folder,
        string begun,
        string name,
        string kind,
        int frame,
        byte[] bytes,
        CodeImage meant,
        string what
    )
    {
        string path = Path.Combine(folder, name);
        Clear(path, begun);
        MediaStore.WriteWhole(path, bytes);
        byte[] back = File.ReadAllBytes(path);
        CodeImage read = kind == "dpx" ? DpxFile.Read(back, name).Image : RasterFile.Read(back, name);
        if (read.Width != meant.Width || read.Height != meant.Height || !read.Codes.AsSpan().SequenceEqual(meant.Codes))
        {
            throw new ShotFault($"{name} does not read back as it was written. Check the disk, and try again.");
        }
        return Handed(name, kind, frame, back, what);
    }

    /// <summary>
    /// What a frame that was cut off had written is written again; a file that was there before this version was begun is somebody else's.
    /// </summary>
    private static void Clear(string path, string begun)
    {
        if (!File.Exists(path))
        {
            return;
        }
        if (File.Exists(begun) && File.GetLastWriteTimeUtc(path) < File.GetLastWriteTimeUtc(begun))
        {
            throw new ShotFault(
                $"{Path.GetFileName(path)} is in the folder already, and no sheet knows it. Nothing is overwritten: choose another folder."
            );
        }
        File.Delete(path);
    }

    private static HandedFile Handed(string name, string kind, int? frame, byte[] bytes, string what) =>
        new(name, kind, frame, bytes.LongLength, Convert.ToHexStringLower(SHA256.HashData(bytes)), what);

    private HandedFile Exr(
        ShotDocument shot,
        HandOverChoice choice,
        int frame,
        FrameLayers made,
        int overscan,
        string folder,
        string begun,
        string name
    )
    {
        Primaries primaries = Primaries.Named(choice.Primaries)!;
        var (across, down) = (made.Comp.Width - 2 * overscan, made.Comp.Height - 2 * overscan);
        var (channels, attributes) = FrameFiles.Channels(
            shot,
            frame,
            made,
            engine.Plates.Plate(shot, frame, made.Comp.Width - 2 * overscan).Around(overscan),
            overscan,
            primaries == Primaries.Bt709 ? null : primaries,
            engine.Mattes.Named(shot, frame, across, down)
        );
        channels = FrameFiles.Only(channels, choice.Layers);
        var (pose, pinhole) = engine.Camera(shot, frame);
        pinhole = pinhole.Resized(across, down);
        float[] toCamera = RowVectors(pose);
        string path = Path.Combine(folder, name);
        Clear(path, begun);
        try
        {
            ExrFile.Write(
                path,
                made.Comp.Width,
                made.Comp.Height,
                channels,
                new ExrHead
                {
                    Compression = choice.Compression,
                    DataCorner = (-overscan, -overscan),
                    Display = (across, down),
                    Rate = (shot.Rate.Num, shot.Rate.Den),
                    Attributes = new Dictionary<string, string>(attributes)
                    {
                        ["plenk/lens"] = FormattableString.Invariant(
                            $"Brown–Conrady k1 {shot.Camera!.Lens.K1:R} k2 {shot.Camera.Lens.K2:R} p1 {shot.Camera.Lens.P1:R} p2 {shot.Camera.Lens.P2:R} k3 {shot.Camera.Lens.K3:R}"
                        ),
                        ["plenk/focal"] = FormattableString.Invariant(
                            $"fx {pinhole.Fx:R} fy {pinhole.Fy:R} cx {pinhole.Cx:R} cy {pinhole.Cy:R} pixels; {pinhole.Fx * shot.Plate!.SensorWidthMm / pinhole.Width:0.####} mm on {shot.Plate.SensorWidthMm:0.###} × {shot.Plate.SensorHeightMm:0.###} mm"
                        ),
                        ["plenk/cameraToWorld"] = string.Join(
                            ' ',
                            pose.ToRowMajor16().Select(v => v.ToString("R", CultureInfo.InvariantCulture))
                        ),
                    },
                    Primaries = primaries,
                    WorldToCamera = toCamera,
                    WorldToNdc = Multiply(toCamera, Projection(pinhole)),
                    PartPerLayer = choice.PartPerLayer,
                }
            );
        }
        catch (IOException e)
            when (e.Message.Contains("space", StringComparison.OrdinalIgnoreCase)
                || e.Message.Contains("quota", StringComparison.OrdinalIgnoreCase)
            )
        {
            throw new DiskFullException(name);
        }
        ExrPicture back = ExrFile.Read(path);
        foreach (ExrChannel c in channels)
        {
            float[] read = back.Channels.FirstOrDefault(b => b.Name == c.Name)?.Values
                ?? throw new ShotFault($"{name} does not read back as it was written: {c.Name} is missing. Check the disk, and try again.");
            for (int i = 0; i < read.Length; i++)
            {
                float meant = c.Half ? (float)(Half)Math.Clamp(c.Values[i], -65504f, 65504f) : c.Values[i];
                if (
                    BitConverter.SingleToUInt32Bits(read[i]) != BitConverter.SingleToUInt32Bits(meant)
                    && !(float.IsNaN(read[i]) && float.IsNaN(meant))
                    && read[i] != meant
                )
                {
                    throw new ShotFault(
                        $"{name} does not read back as it was written: {c.Name} at pixel {i % made.Comp.Width}, {i / made.Comp.Width}. Check "
                            + "the disk, and try again."
                    );
                }
            }
        }
        return Handed(
            name,
            "exr",
            frame,
            File.ReadAllBytes(path),
            string.Join(' ', channels.Select(c => c.Name[..c.Name.LastIndexOf('.')]).Distinct())
        );
    }

    /// <summary>World to camera for row vectors; the camera looks along −Z.</summary>
    private static float[] RowVectors(Pose pose)
    {
        Matrix3 r = pose.Rotation;
        Vec3 t = pose.ToLocal(Vec3.Zero);
        return
        [
            (float)r.M11,
            (float)r.M12,
            (float)r.M13,
            0,
            (float)r.M21,
            (float)r.M22,
            (float)r.M23,
            0,
            (float)r.M31,
            (float)r.M32,
            (float)r.M33,
            0,
            (float)t.X,
            (float)t.Y,
            (float)t.Z,
            1,
        ];
    }

    /// <summary>Camera to −1..1 across and up, without the lens; row vectors.</summary>
    private static float[] Projection(Pinhole p) =>
        [
            (float)(2 * p.Fx / p.Width),
            0,
            0,
            0,
            0,
            (float)(2 * p.Fy / p.Height),
            0,
            0,
            (float)(1 - 2 * p.Cx / p.Width),
            (float)(2 * p.Cy / p.Height - 1),
            -1,
            -1,
            0,
            0,
            -0.02f,
            0,
        ];

    private static float[] Multiply(float[] a, float[] b)
    {
        var c = new float[16];
        for (int i = 0; i < 4; i++)
        {
            for (int j = 0; j < 4; j++)
            {
                for (int k = 0; k < 4; k++)
                {
                    c[4 * i + j] += a[4 * i + k] * b[4 * k + j];
                }
            }
        }
        return c;
    }

    /// <summary>The rest, when all frames are there: scene, movie, sheet; gives the sheet's name.</summary>
    public string Close(
        ShotDocument shot,
        int? revision,
        HandOverChoice choice,
        int version,
        IReadOnlyList<int> frames,
        string folder,
        CancellationToken stop = default,
        Action<string>? told = null,
        IReadOnlyList<Core.Readings.Reading>? readings = null
    )
    {
        var files = new List<HandedFile>();
        foreach (int f in frames)
        {
            string record = Record(folder, shot, version, f);
            if (!File.Exists(record))
            {
                throw new ShotFault($"Frame {f} is not there yet.");
            }
            files.AddRange(JsonSerializer.Deserialize<List<HandedFile>>(File.ReadAllBytes(record), Json)!);
        }
        if (choice.Formats.Contains("mp4"))
        {
            told?.Invoke("movie");
            string name = Stem(shot, version) + ".mp4",
                path = Path.Combine(folder, name);
            VideoFile.Encode(path, [.. frames.Select(f => MovieFrame(folder, shot, version, f))], shot.Rate, stop);
            files.Add(
                Handed(name, "movie", null, File.ReadAllBytes(path), $"comp, {frames.Count} frames, H.264, {SeenWords(shot, choice)}")
            );
        }
        if (choice.Formats.Contains("contact"))
        {
            told?.Invoke("contact sheet");
            string name = Stem(shot, version) + ".contact.png",
                path = Path.Combine(folder, name);
            // So many that each can be judged, the first and the last among them.
            int[] shown =
            [
                .. Enumerable
                    .Range(0, Math.Min(frames.Count, MostOnSheet))
                    .Select(i =>
                        frames[frames.Count <= MostOnSheet ? i : (int)Math.Round((double)i * (frames.Count - 1) / (MostOnSheet - 1))]
                    ),
            ];
            CodeImage sheetOf = ReviewPicture.ContactSheet(
                $"{shot.Production}   {shot.Sequence}   {shot.Code}   version {version}",
                [
                    .. shown.Select(f =>
                        (
                            f.ToString(CultureInfo.InvariantCulture),
                            RasterFile.Read(File.ReadAllBytes(SheetFrame(folder, shot, version, f)), name)
                        )
                    ),
                ]
            );
            MediaStore.WriteWhole(path, RasterFile.ToPng(sheetOf));
            files.Add(
                Handed(
                    name,
                    "png",
                    null,
                    File.ReadAllBytes(path),
                    $"{shown.Length} frames on one sheet, {SeenWords(shot, choice with { BurnIn = false })}"
                )
            );
        }
        if (choice.Scene && shot.Camera is not null)
        {
            told?.Invoke("camera, set, elements and lights");
            foreach (var (name, what) in Scene(shot, folder, Stem(shot, version)))
            {
                files.Add(Handed(name, "scene", null, File.ReadAllBytes(Path.Combine(folder, name)), what));
            }
        }
        foreach (var (name, bytes, what) in WholeGrade.Files(shot, Stem(shot, version)))
        {
            MediaStore.WriteWhole(Path.Combine(folder, name), bytes);
            files.Add(Handed(name, "grade", null, bytes, what));
        }
        if (choice.Readings && readings is null)
        {
            told?.Invoke("readings");
            readings = [.. ReadingKind.All.Select(k => ReadingKind.Under(shot, k.Take(engine, shot, stop)))];
        }
        string sheet = Stem(shot, version) + ".sheet";
        HandOverSheet made = HandOverSheet.Of(shot, revision, choice, version, frames, files, readings ?? []);
        MediaStore.WriteWhole(Path.Combine(folder, sheet + ".html"), Encoding.UTF8.GetBytes(made.Html()));
        // Last: a folder with a sheet is whole.
        MediaStore.WriteWhole(Path.Combine(folder, sheet + ".json"), JsonSerializer.SerializeToUtf8Bytes(made, Json));
        File.Delete(Path.Combine(folder, Stem(shot, version) + Begun));
        foreach (int f in frames)
        {
            File.Delete(Record(folder, shot, version, f));
            File.Delete(MovieFrame(folder, shot, version, f));
            File.Delete(SheetFrame(folder, shot, version, f));
        }
        if (
            Directory.Exists(Path.Combine(folder, ".frames"))
            && !Directory.EnumerateFileSystemEntries(Path.Combine(folder, ".frames")).Any()
        )
        {
            Directory.Delete(Path.Combine(folder, ".frames"));
        }
        return sheet + ".json";
    }

    private IEnumerable<(string Name, string What)> Scene(ShotDocument shot, string folder, string stem)
    {
        string inner = Path.Combine(folder, stem + "_scene");
        foreach (string name in HandOver.Camera(engine, shot, inner))
        {
            yield return (
                $"{stem}_scene/{name}",
                name.EndsWith("distort.exr", StringComparison.Ordinal) ? "lens map" : "camera and points"
            );
        }
        ShotCamera camera = ShotCamera.Of(shot)!;
        var path = new List<(int, Pose, double)>();
        for (int f = shot.Range.First; f <= shot.Range.Last; f++)
        {
            if (camera.TryAt(f, out Pose pose, out Pinhole p))
            {
                path.Add((f, pose, p.Fx * shot.Plate!.SensorWidthMm / p.Width));
            }
        }
        int first = path[0].Item1;
        ShotDocument At(int f) => Hanging.At(shot, f);
        var set = engine.Place.Set(At(first));
        // Meshes of pieces are in the world; one that hangs on a moving thing is taken along from where it stands first.
        SceneThing[] pieces =
        [
            .. set.Pieces.Select(
                (p, i) =>
                    new SceneThing(
                        p.Name.Length > 0 ? p.Name : p.Id,
                        set.Meshes[i],
                        [],
                        !Hanging.Moves(shot, p) && p.GoneFrom is null
                            ? [(first, Similarity.Identity)]
                            :
                            [
                                .. path.Select(c =>
                                    (
                                        c.Item1,
                                        Core
                                            .Sets.PieceMeshes.PlaceOf(At(c.Item1).Pieces.First(q => q.Id == p.Id))
                                            .After(Core.Sets.PieceMeshes.PlaceOf(p).Inverse())
                                            is var there
                                        && p.GoneFrom is { } gone
                                        && c.Item1 >= gone
                                            // What has broken is not there: it has no size.
                                            ? there with
                                            {
                                                Scale = 1e-6,
                                            }
                                            : there
                                    )
                                ),
                            ]
                    )
            ),
        ];
        int[] frames = [.. path.Select(c => c.Item1)];
        SceneThing[] elements = [.. SceneElements.All(engine, shot, frames)];
        var scene = new SceneToHandOver(
            path,
            shot.Plate!.SensorWidthMm,
            shot.Plate.SensorHeightMm,
            shot.Rate,
            pieces,
            elements,
            [.. Hanging.At(shot, first).Lights.Where(l => !l.Off)]
        );
        IReadOnlyList<string> frozen = SceneElements.Frozen(engine, shot);
        string still = frozen.Count == 0 ? "" : $"; as in their first frame, which no node can bend: {string.Join(", ", frozen)}";
        MediaStore.WriteWhole(Path.Combine(inner, "scene.glb"), SceneFile.Glb(scene));
        yield return ($"{stem}_scene/scene.glb", $"camera, set, elements, lights{still}");
        MediaStore.WriteWhole(Path.Combine(inner, "scene.usda"), Encoding.UTF8.GetBytes(SceneFile.Usd(scene)));
        yield return ($"{stem}_scene/scene.usda", $"camera with its zoom, set, elements, lights{still}");
        if (pieces.Length > 0)
        {
            MediaStore.WriteWhole(
                Path.Combine(inner, "set.obj"),
                Encoding.UTF8.GetBytes(ObjFile.Write([.. pieces.Select(p => new ImportedObject(p.Name, p.Mesh))]))
            );
            yield return ($"{stem}_scene/set.obj", $"set, as at {first}");
        }
    }

    private static string? Faults(string folder, HandedFile f)
    {
        string path = Path.Combine(folder, f.Name);
        if (!File.Exists(path))
        {
            return "is missing";
        }
        long bytes = new FileInfo(path).Length;
        if (bytes != f.Bytes)
        {
            return $"has {bytes:N0} bytes instead of {f.Bytes:N0}: it is cut off or another file";
        }
        using FileStream s = File.OpenRead(path);
        return Convert.ToHexStringLower(SHA256.HashData(s)) == f.Sha256 ? null : "has other contents than when it was handed over";
    }

    /// <summary>What a sheet says of a folder's files, and what is wrong with them.</summary>
    public sealed record Verified(string Sheet, string Shot, int Version, int Files, IReadOnlyList<string> Faults);

    /// <summary>Every sheet of a folder against the files that it names.</summary>
    public static IReadOnlyList<Verified> Verify(string folder)
    {
        var result = new List<Verified>();
        foreach (string path in Directory.GetFiles(folder, "*.sheet.json").Order(StringComparer.Ordinal))
        {
            HandOverSheet sheet;
            try
            {
                sheet = JsonSerializer.Deserialize<HandOverSheet>(File.ReadAllBytes(path), Json) ?? throw new JsonException("it is empty");
            }
            catch (JsonException e)
            {
                result.Add(new(Path.GetFileName(path), "", 0, 0, [$"the sheet itself cannot be read: {e.Message}"]));
                continue;
            }
            result.Add(
                new(
                    Path.GetFileName(path),
                    sheet.Shot,
                    sheet.Version,
                    sheet.Files.Count,
                    [
                        .. sheet
                            .Files.Select(f =>
                                (
                                    f,
                                    Fault: f.Name.Contains("..", StringComparison.Ordinal) || Path.IsPathRooted(f.Name)
                                        ? "lies outside the folder"
                                        : Faults(folder, f)
                                )
                            )
                            .Where(f => f.Fault is not null)
                            .Select(f => $"{f.f.Name} {f.Fault}"),
                    ]
                )
            );
        }
        foreach (string begun in Directory.GetFiles(folder, "*" + Begun))
        {
            result.Add(
                new(
                    Path.GetFileName(begun),
                    "",
                    0,
                    0,
                    ["this version was begun and not finished: hand it over again, its finished frames stand"]
                )
            );
        }
        return result;
    }
}
