using System.CommandLine;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Cli;

internal static class RelightCommand
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web) { WriteIndented = true };

    /// <summary>A run of # as a frame's number with as many digits.</summary>
    private static string? Numbered(string? path, int frame) =>
        path is null ? null : Regex.Replace(path, "#+", m => frame.ToString($"D{m.Length}", CultureInfo.InvariantCulture));

    public static Command Make()
    {
        var color = new Option<string>("--color")
        {
            Description = "the rendered picture, EXR, linear; of a sequence its number as #: C.####.exr",
            Required = true,
        };
        var position = new Option<string>("--position")
        {
            Description = "its positions, EXR; metres, or with --camera any unit and axes",
            Required = true,
        };
        var normal = new Option<string>("--normal") { Description = "its normals, EXR", Required = true };
        var albedo = new Option<string?>("--albedo")
        {
            Description = "its surfaces' colour, EXR (default: 0.5 grey, which the report says)",
        };
        var set = new Option<string?>("--set") { Description = "what casts shadows, OBJ or GLB, metres" };
        var camera = new Option<string?>("--camera")
        {
            Description = "the camera that it was rendered with; tells how passes are meant, and is needed for a highlight",
        };
        var at = new Option<int?>("--at") { Description = "the camera's frame" };
        var lights = new Option<string>("--lights") { Description = "the lights to add, JSON (docs/lights.schema.json)", Required = true };
        var output = new Option<string>("--out") { Description = "EXR file to write", Required = true };
        var specular = new Option<string?>("--specular") { Description = "a highlight: strength,width (the exponent), like 0.3,40" };
        var report = new Option<string?>("--report") { Description = "JSON file that says what was done" };
        var rate = new Option<string>("--rate") { Description = "the camera's frames a second", DefaultValueFactory = _ => "24" };
        var frames = new Option<string?>("--frames")
        {
            Description = "of a sequence: like 1001-1012,1020; the camera's frames of the same number",
        };
        var command = new Command("relight", "Adds lights to a rendered picture by its positions and normals.")
        {
            color,
            position,
            normal,
            albedo,
            set,
            camera,
            at,
            lights,
            output,
            specular,
            report,
            rate,
            frames,
        };
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (!CameraOptions.Files(parsed.GetValue(set), parsed.GetValue(camera), parsed.GetValue(lights)))
                {
                    return Task.FromResult(2);
                }
                if (!CameraOptions.Rate(parsed.GetValue(rate)!, out FrameRate fps))
                {
                    return Task.FromResult(2);
                }
                bool sequence = parsed.GetValue(color)!.Contains('#');
                IReadOnlyList<int> list = [0];
                if (sequence && !FilmedSetArguments.Frames(parsed.GetValue(frames) ?? "", out list))
                {
                    return Task.FromResult(2);
                }
                if (sequence && !parsed.GetValue(output)!.Contains('#'))
                {
                    Console.Error.WriteLine("A sequence goes into numbered files: write --out with its number as #, like lit.####.exr.");
                    return Task.FromResult(2);
                }
                if (
                    list.Any(f =>
                        !CameraOptions.Files(
                            Numbered(parsed.GetValue(color), f),
                            Numbered(parsed.GetValue(position), f),
                            Numbered(parsed.GetValue(normal), f),
                            Numbered(parsed.GetValue(albedo), f)
                        )
                    )
                )
                {
                    return Task.FromResult(2);
                }
                var look = new RelightLook();
                if (parsed.GetValue(specular) is { } text)
                {
                    float[] v =
                    [
                        .. text.Split(',')
                            .Select(t => float.TryParse(t, NumberStyles.Float, CultureInfo.InvariantCulture, out float f) ? f : float.NaN),
                    ];
                    if (v.Length != 2 || !(v[0] >= 0 && v[1] >= 1))
                    {
                        Console.Error.WriteLine($"“{text}” is not a highlight like 0.3,40: its strength, and its exponent from 1 up.");
                        return Task.FromResult(2);
                    }
                    if (parsed.GetValue(camera) is null)
                    {
                        Console.Error.WriteLine("A highlight needs the camera: give --camera.");
                        return Task.FromResult(2);
                    }
                    look = look with { Specular = v[0], Width = v[1] };
                }
                if (!sequence && parsed.GetValue(camera) is not null && parsed.GetValue(at) is null)
                {
                    Console.Error.WriteLine("Say which frame of the camera it is: give --at.");
                    return Task.FromResult(2);
                }
                LightsFile lamps = LightsFile.Read(parsed.GetValue(lights)!);
                PassMeaning? meaning = null;
                var reports = new List<RelightReport>();
                var said = new HashSet<string>();
                foreach (int frame in list)
                {
                    stop.ThrowIfCancellationRequested();
                    Func<int, int, (Pose, Pinhole)>? seen = parsed.GetValue(camera) is { } file
                        ? (width, height) => FilmedSet.CameraOf(file, sequence ? frame : parsed.GetValue(at)!.Value, width, height, fps)
                        : null;
                    var (picture, alpha, primaries, done) = RelightFiles.Run(
                        Numbered(parsed.GetValue(color), frame)!,
                        Numbered(parsed.GetValue(position), frame)!,
                        Numbered(parsed.GetValue(normal), frame)!,
                        Numbered(parsed.GetValue(albedo), frame),
                        parsed.GetValue(set),
                        seen,
                        lamps,
                        look,
                        ref meaning,
                        stop
                    );
                    reports.Add(done with { Frame = sequence ? frame : null });
                    string to = Numbered(parsed.GetValue(output), frame)!;
                    Directory.CreateDirectory(Path.GetDirectoryName(Path.GetFullPath(to))!);
                    List<ExrChannel> channels = [.. ExrChannel.Of(picture, "RGB")];
                    if (alpha is not null)
                    {
                        channels.Add(new("A", alpha));
                    }
                    ExrFile.Write(to, picture.Width, picture.Height, channels, new ExrHead { Primaries = primaries });
                    foreach (
                        string t in done.Told.Concat(
                            done.AssumedAlbedo is { } grey ? [$"It brings no surface colour: {grey:0.##} grey stands for it."] : []
                        )
                    )
                    {
                        if (said.Add(t))
                        {
                            Console.Error.WriteLine(sequence ? $"{frame}: {t}" : t);
                        }
                    }
                }
                if (parsed.GetValue(report) is { } path)
                {
                    object all = sequence
                        ? new
                        {
                            positions = reports[^1].Positions,
                            normals = reports[^1].Normals,
                            frames = reports,
                        }
                        : reports[0];
                    File.WriteAllText(path, JsonSerializer.Serialize(all, Json));
                }
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class PlaceElementCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        var element = new Option<string>("--element")
        {
            Description = "the element where it stands, OBJ (with its MTL) or GLB, metres",
            Required = true,
        };
        var lights = new Option<string>("--lights") { Description = "the lights, JSON (docs/lights.schema.json)", Required = true };
        var frames = new Option<string>("--frames") { Description = "like 1001-1012,1020", Required = true };
        var start = new Option<double?>("--element-start")
        {
            Description = "the plate's frame at which the element's animation begins (default: its first)",
        };
        var elementRate = new Option<string?>("--element-rate")
        {
            Description = "frames of the plate to a second of the element's animation, like 24 or 24000/1001 (default: --rate)",
        };
        var smooth = new Option<string>("--smooth")
        {
            Description = "on: light is smoothed after it was sampled, never texture; off: as it was sampled",
            DefaultValueFactory = _ => "off",
        };
        smooth.AcceptOnlyFromAmong("on", "off");
        var command = new Command(
            "place-element",
            "Puts an element into filmed frames, lit, shadowed and held out by the set: comp.FRAME.exr with comp, shadow, holdout, element and depth; report.json."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, filmed.Set, element, start, elementRate, lights, frames, smooth, filmed.Out);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (
                    filmed.Read(parsed) is not { } options
                    || !CameraOptions.Files(parsed.GetValue(filmed.Set), parsed.GetValue(element), parsed.GetValue(lights))
                    || !FilmedSetArguments.Frames(parsed.GetValue(frames)!, out var list)
                )
                {
                    return Task.FromResult(2);
                }
                FilmedSet set = FilmedSet.Open(
                    parsed.GetValue(filmed.Plate)!,
                    parsed.GetValue(filmed.Camera)!,
                    parsed.GetValue(filmed.Set),
                    options,
                    stop
                );
                foreach (int f in list.Where(f => f < set.First || f > set.Last))
                {
                    throw new ShotFault($"The plate has no frame {f}; it has {set.First} to {set.Last}.");
                }
                var told = new List<string>(set.Warnings);
                FrameRate animated = options.Rate;
                if (parsed.GetValue(elementRate) is { } typed && !CameraOptions.Rate(typed, out animated))
                {
                    return Task.FromResult(2);
                }
                Func<int, PlacedElement> at = PlaceElement.Read(
                    parsed.GetValue(element)!,
                    parsed.GetValue(start) ?? set.First,
                    animated.PerSecond,
                    told
                );
                PlacedElement placed = at(list[0]);
                LightsFile lit = LightsFile.Read(parsed.GetValue(lights)!);
                told.AddRange(lit.Told);
                if (PlaceElement.Oversize(placed, set.Set) is { } large)
                {
                    told.Add(large);
                }
                SkyOpenings? openings = lit.Lights.Any(l => l.Kind is LightKind.Sky or LightKind.Panorama)
                    ? SkyOpenings.Find(set.Set, 1)
                    : null;
                Directory.CreateDirectory(parsed.GetValue(filmed.Out)!);
                bool smooths = parsed.GetValue(smooth) == "on";
                var reports = new List<object>();
                foreach (int frame in list)
                {
                    FrameLayers layers = PlaceElement.Frame(
                        set,
                        at(frame),
                        lit,
                        openings,
                        frame,
                        told,
                        stop,
                        part => CameraOptions.Progress($"frame {frame}", part),
                        smooths
                    );
                    reports.Add(
                        new
                        {
                            frame,
                            seconds = Math.Round(layers.Counts.Seconds, 2),
                            rays = layers.Counts.Rays,
                            // Root mean square, estimated from both halves of the samples.
                            error = new
                            {
                                shadow = Math.Round(layers.Counts.ShadowError, 5),
                                element = Math.Round(layers.Counts.ElementError, 5),
                            },
                        }
                    );
                    PlaceElement.Write(Path.Combine(parsed.GetValue(filmed.Out)!, $"comp.{frame:0000}.exr"), layers, options.Rate, frame);
                    Console.Error.WriteLine(
                        $"{frame}: {layers.Counts.Seconds:0.0} s, {layers.Counts.Rays / layers.Counts.Seconds / 1e6:0.0} million rays a second, "
                            + $"noise left: shadow {layers.Counts.ShadowError:0.0000}, element {layers.Counts.ElementError:0.0000}"
                    );
                }
                MediaStore.WriteWhole(
                    Path.Combine(parsed.GetValue(filmed.Out)!, "report.json"),
                    JsonSerializer.SerializeToUtf8Bytes(new { smooth = smooths, frames = reports })
                );
                foreach (string t in told.Distinct())
                {
                    Console.Error.WriteLine(t);
                }
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class FindSunCommand
{
    public static Command Make()
    {
        var date = new Option<string?>("--date") { Description = "date and time with its offset, like 2003-10-17T12:30:30-07:00" };
        var latitude = new Option<double?>("--lat") { Description = "latitude, degrees, north positive" };
        var longitude = new Option<double?>("--lon") { Description = "longitude, degrees, east positive" };
        var north = new Option<double>("--north")
        {
            Description = "heading of north in the world, degrees clockwise from -Z",
            DefaultValueFactory = _ => 0,
        };
        var shot = new Option<string?>("--shot") { Description = "a shot's folder, or its code in the database" };
        var shadow = new Option<string?>("--from-shadow")
        {
            Description = "frame,footX,footY,topX,topY,tipX,tipY in pixels of the plate: what casts it, and the tip of its shadow",
        };
        var command = new Command("find-sun", "Finds the sun by date and place, or from a shadow of a shot, and prints it as JSON.")
        {
            date,
            latitude,
            longitude,
            north,
            shot,
            shadow,
        };
        command.SetGuarded(
            async (parsed, _) =>
            {
                Vec3 direction;
                if (parsed.GetValue(shadow) is { } text)
                {
                    double[] v =
                    [
                        .. text.Split(',')
                            .Select(t =>
                                double.TryParse(t, NumberStyles.Float, CultureInfo.InvariantCulture, out double d) && double.IsFinite(d)
                                    ? d
                                    : double.NaN
                            ),
                    ];
                    if (v.Length != 7 || v.Any(double.IsNaN) || parsed.GetValue(shot) is null)
                    {
                        Console.Error.WriteLine("A shadow needs --shot and seven numbers: frame,footX,footY,topX,topY,tipX,tipY.");
                        return 2;
                    }
                    var (document, media) = await Running.Shot(parsed.GetValue(shot)!);
                    direction = LightWork.FromShadow(new ShotEngine(media), document, (int)v[0], (v[1], v[2]), (v[3], v[4]), (v[5], v[6]));
                }
                else
                {
                    if (
                        parsed.GetValue(date) is not { } moment
                        || parsed.GetValue(latitude) is not { } lat
                        || parsed.GetValue(longitude) is not { } lon
                    )
                    {
                        Console.Error.WriteLine("Give --date, --lat and --lon, or --shot and --from-shadow.");
                        return 2;
                    }
                    direction = LightWork
                        .FromDate(
                            new SunFinds
                            {
                                Moment = moment,
                                LatitudeDegrees = lat,
                                LongitudeDegrees = lon,
                                NorthDegrees = parsed.GetValue(north),
                            }
                        )
                        .Direction;
                }
                double elevation = Rotations.Degrees(Math.Asin(direction.Y)),
                    heading = (Rotations.Degrees(Math.Atan2(direction.X, -direction.Z)) + 360) % 360;
                Console.WriteLine(
                    JsonSerializer.Serialize(
                        new
                        {
                            azimuthDegrees = (heading - parsed.GetValue(north) + 720) % 360,
                            elevationDegrees = elevation,
                            headingDegrees = heading,
                            direction = new[] { direction.X, direction.Y, direction.Z },
                        }
                    )
                );
                return 0;
            }
        );
        return command;
    }
}
