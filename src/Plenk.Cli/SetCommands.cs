using System.CommandLine;
using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Work;

namespace Plenk.Cli;

/// <summary>Options of the commands that work on a plate, its camera and a set.</summary>
internal sealed class FilmedSetArguments
{
    public readonly Option<string> Plate = new("--plate") { Description = "folder of numbered frames", Required = true };
    public readonly Option<string> Camera = new("--camera") { Description = "solve.json, or a glTF, USD or CSV camera", Required = true };
    public readonly Option<string> Set = new("--set") { Description = "the rebuilt place, OBJ or GLB, metres", Required = true };
    public readonly Option<string> Out = new("--out") { Description = "folder to write", Required = true };
    public readonly Option<string> Rate = new("--rate")
    {
        Description = "frames a second, like 24 or 24000/1001",
        DefaultValueFactory = _ => "24",
    };
    public readonly Option<int?> CameraFirst = new("--camera-first")
    {
        Description = "the camera's frame that belongs to the first of the plate (default: the plate's own number)",
    };
    public readonly Option<string?> Lens = new("--lens") { Description = "k1,k2[,p1,p2[,k3]], over what the camera file says" };
    private readonly SpaceOptions _space = new();

    public void AddTo(Command command, params Option[] these)
    {
        foreach (Option o in these)
        {
            command.Options.Add(o);
        }
        foreach (Option o in (Option[])[Rate, CameraFirst, Lens, .. _space.All])
        {
            command.Options.Add(o);
        }
    }

    /// <summary>What the codes of integer files stand for; null where nothing is said.</summary>
    public ColorSpace? Space(ParseResult parsed) => _space.Read(parsed);

    /// <summary>Null where an option makes no sense, which is said.</summary>
    public FilmedSetOptions? Read(ParseResult parsed)
    {
        if (!CameraOptions.Rate(parsed.GetValue(Rate)!, out FrameRate rate))
        {
            return null;
        }
        LensValues? lens = null;
        if (parsed.GetValue(Lens) is { } text)
        {
            double[] k =
            [
                .. text.Split(',')
                    .Select(p =>
                        double.TryParse(p, NumberStyles.Float, CultureInfo.InvariantCulture, out double v) && double.IsFinite(v)
                            ? v
                            : double.NaN
                    ),
            ];
            if (k.Length is not (2 or 4 or 5) || k.Any(double.IsNaN))
            {
                Console.Error.WriteLine($"“{text}” is not a lens like -0.08,0.02 or -0.08,0.02,0,0,0.");
                return null;
            }
            lens = new(k[0], k[1], k.ElementAtOrDefault(2), k.ElementAtOrDefault(3), k.ElementAtOrDefault(4));
        }
        return CameraOptions.Folders(parsed.GetValue(Plate)) && CameraOptions.Files(parsed.GetValue(Camera))
            ? new(rate, lens, parsed.GetValue(CameraFirst), _space.Read(parsed))
            : null;
    }

    public static bool Frames(string text, out IReadOnlyList<int> frames)
    {
        if (FrameList.TryParse(text, out frames))
        {
            return true;
        }
        Console.Error.WriteLine($"“{text}” is not a list of frames like 1001-1012,1020.");
        return false;
    }
}

/// <summary>What the codes of integer files stand for.</summary>
internal sealed class SpaceOptions
{
    private readonly Option<string?> _encoding = new("--encoding")
    {
        Description = $"{string.Join(", ", ColorEncodings.Named.Select(n => n.Key))} (default: sRGB for integer files, linear for float)",
    };
    private readonly Option<string?> _primaries = new("--primaries")
    {
        Description =
            $"of their light: {string.Join(", ", Primaries.Known.Select(p => p.Key))} (default: those that the encoding's standard goes with)",
    };

    public SpaceOptions()
    {
        _encoding.AcceptOnlyFromAmong([.. ColorEncodings.Named.Select(n => n.Key)]);
        _primaries.AcceptOnlyFromAmong([.. Primaries.Known.Select(p => p.Key)]);
    }

    public Option[] All => [_encoding, _primaries];

    public void AddTo(Command command)
    {
        command.Options.Add(_encoding);
        command.Options.Add(_primaries);
    }

    /// <summary>Null where neither is given.</summary>
    public ColorSpace? Read(ParseResult parsed)
    {
        ColorEncoding? encoding = ColorEncodings.Of(parsed.GetValue(_encoding));
        Primaries? primaries = parsed.GetValue(_primaries) is { } key ? Primaries.Named(key) : null;
        if (encoding is null && primaries is null)
        {
            return null;
        }
        return primaries is null ? ColorSpace.Usual(encoding!.Value) : new(encoding ?? ColorEncoding.Srgb, primaries);
    }
}

internal static class ProjectFootageCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        var sources = new Option<string>("--sources")
        {
            Description = "frames whose footage is laid on the set, like 1001,1036,1072",
            Required = true,
        };
        var texel = new Option<double?>("--texel-mm") { Description = "side of a texel, millimetres (default: what the sources show)" };
        var command = new Command(
            "project-footage",
            "Writes the footage into the set: set.glb with textures, textures/ as EXR, coverage.json."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, filmed.Set, sources, filmed.Out, texel);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (
                    filmed.Read(parsed) is not { } options
                    || !CameraOptions.Files(parsed.GetValue(filmed.Set))
                    || !FilmedSetArguments.Frames(parsed.GetValue(sources)!, out var held)
                )
                {
                    return Task.FromResult(2);
                }
                if (parsed.GetValue(texel) is <= 0 or double.NaN)
                {
                    Console.Error.WriteLine("The side of a texel must be positive, in millimetres.");
                    return Task.FromResult(2);
                }
                FilmedSet set = FilmedSet.Open(
                    parsed.GetValue(filmed.Plate)!,
                    parsed.GetValue(filmed.Camera)!,
                    parsed.GetValue(filmed.Set),
                    options,
                    stop
                );
                var told = new List<string>(set.Warnings);
                Coverage coverage = FootageWork.Project(
                    set,
                    held,
                    parsed.GetValue(texel),
                    parsed.GetValue(filmed.Out)!,
                    told,
                    stop,
                    CameraOptions.Progress
                );
                foreach (string t in told)
                {
                    Console.Error.WriteLine(t);
                }
                Console.Error.WriteLine($"{100 * coverage.Covered:0.#} % of the set is covered.");
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class DepthMapCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        var at = new Option<int>("--at") { Description = "the frame", Required = true };
        var output = new Option<string>("--out") { Description = "EXR file to write", Required = true };
        var command = new Command(
            "depth-map",
            "Finds the depth of every pixel of a frame from its neighbours: depth.Z (+inf where none is given) and confidence.Y."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, at, output);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (filmed.Read(parsed) is not { } options)
                {
                    return Task.FromResult(2);
                }
                FilmedSet set = FilmedSet.Open(parsed.GetValue(filmed.Plate)!, parsed.GetValue(filmed.Camera)!, null, options, stop);
                int frame = parsed.GetValue(at);
                if (frame < set.First || frame > set.Last)
                {
                    throw new ShotFault($"The plate has no frame {frame}; it has {set.First} to {set.Last}.");
                }
                var map = DepthWork.Map(frame, set.First, set.Last, set.Codes, set.TryCamera, stop, CameraOptions.Progress);
                string path = parsed.GetValue(output)!;
                Directory.CreateDirectory(Path.GetDirectoryName(Path.GetFullPath(path))!);
                ExrFile.Write(path, map.Width, map.Height, [new("depth.Z", map.Depth), new("confidence.Y", map.Confidence)]);
                Console.Error.WriteLine($"{100.0 * map.Depth.Count(float.IsFinite) / map.Depth.Length:0} % of the frame has a depth.");
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class ViewSetCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        var sources = new Option<string>("--sources")
        {
            Description = "frames whose footage the set wears, like 1001,1036,1072",
            Required = true,
        };
        var at = new Option<string>("--at") { Description = "frames to look at, like 1018 or 1001-1012", Required = true };
        var from = new Option<string?>("--from")
        {
            Description = "another camera's file, or latlong:x,y,z for a sphere around a spot (default: the shot camera)",
        };
        var overscan = new Option<double>("--overscan")
        {
            Description = "how much wider and higher than the plate, with --from FILE",
            DefaultValueFactory = _ => 1,
        };
        var size = new Option<string>("--size") { Description = "of a sphere, pixels", DefaultValueFactory = _ => "2048x1024" };
        var fisheye = new Option<double?>("--fisheye")
        {
            Description = "through an angle-true fisheye of so many degrees from rim to rim, as wide as --size says first",
        };
        var depth = new Option<bool>("--depth") { Description = "also depth.Z (along the camera's axis) and P.XYZ, metres" };
        var command = new Command(
            "view-set",
            "Looks at the set wearing the footage of the sources: view.FRAME.exr, linear RGB, alpha = covered."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, filmed.Set, sources, at, filmed.Out, from, overscan, size, fisheye, depth);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (
                    filmed.Read(parsed) is not { } options
                    || !CameraOptions.Files(parsed.GetValue(filmed.Set))
                    || !FilmedSetArguments.Frames(parsed.GetValue(sources)!, out var held)
                    || !FilmedSetArguments.Frames(parsed.GetValue(at)!, out var frames)
                )
                {
                    return Task.FromResult(2);
                }
                string? other = parsed.GetValue(from);
                Vec3 spot = default;
                int sphereWidth = 0,
                    sphereHeight = 0;
                bool sphere = other?.StartsWith("latlong:", StringComparison.Ordinal) == true;
                if (sphere && !(TryThree(other![8..], out spot) && TrySize(parsed.GetValue(size)!, out sphereWidth, out sphereHeight)))
                {
                    Console.Error.WriteLine(
                        $"“{other}” with “{parsed.GetValue(size)}” is not a spot like latlong:0,1.6,-3 with a size like 2048x1024 (up to 16384x8192)."
                    );
                    return Task.FromResult(2);
                }
                if (!sphere && other is not null && !CameraOptions.Files(other))
                {
                    return Task.FromResult(2);
                }
                if (parsed.GetValue(overscan) is not (>= 1 and <= 4))
                {
                    Console.Error.WriteLine("The overscan is between 1 and 4.");
                    return Task.FromResult(2);
                }
                double? degrees = parsed.GetValue(fisheye);
                if (degrees is not null && (sphere || degrees is not (>= 10 and <= 360)))
                {
                    Console.Error.WriteLine(
                        sphere ? "A sphere is no fisheye. Leave one of them out." : "A fisheye sees 10 to 360 degrees from rim to rim."
                    );
                    return Task.FromResult(2);
                }
                if (degrees is not null && !TrySize(parsed.GetValue(size)!, out sphereWidth, out _))
                {
                    Console.Error.WriteLine($"“{parsed.GetValue(size)}” is no size like 2048x1024.");
                    return Task.FromResult(2);
                }
                FilmedSet set = FilmedSet.Open(
                    parsed.GetValue(filmed.Plate)!,
                    parsed.GetValue(filmed.Camera)!,
                    parsed.GetValue(filmed.Set),
                    options,
                    stop
                );
                var told = new List<string>(set.Warnings);
                IReadOnlyList<Projector> projectors = set.Sources(held, told);
                foreach (string t in told)
                {
                    Console.Error.WriteLine(t);
                }
                foreach (int frame in frames)
                {
                    IViewRays view =
                        sphere ? new LatLongRays(sphereWidth, sphereHeight, spot)
                        : other is not null ? set.From(other, frame, parsed.GetValue(overscan), options.Rate)
                        : set.Rays(frame);
                    if (degrees is { } angle && view is RayGrid seenFrom)
                    {
                        view = new FisheyeRays(sphereWidth, angle, seenFrom.Pose);
                    }
                    FloatImage picture = ProjectedView.Render(view, set.Set, projectors, 16, 1, SourceMix.Quality, stop, part =>
                        CameraOptions.Progress($"frame {frame}", part)
                    );
                    List<ExrChannel> channels = [.. ExrChannel.Of(picture, "RGBA")];
                    if (parsed.GetValue(depth))
                    {
                        var (away, places) = ProjectedView.Places(view, set.Set, stop);
                        channels.AddRange([.. ExrChannel.Of(away, "Z", "depth"), .. ExrChannel.Of(places, "XYZ", "P")]);
                    }
                    Directory.CreateDirectory(parsed.GetValue(filmed.Out)!);
                    ExrFile.Write(
                        Path.Combine(parsed.GetValue(filmed.Out)!, $"view.{frame:0000}.exr"),
                        picture.Width,
                        picture.Height,
                        channels
                    );
                }
                return Task.FromResult(0);
            }
        );
        return command;
    }

    private static bool TryThree(string text, out Vec3 v)
    {
        double[] p =
        [
            .. text.Split(',')
                .Select(t =>
                    double.TryParse(t, NumberStyles.Float, CultureInfo.InvariantCulture, out double d) && double.IsFinite(d)
                        ? d
                        : double.NaN
                ),
        ];
        v = p.Length == 3 ? new(p[0], p[1], p[2]) : default;
        return p.Length == 3 && v.IsFinite;
    }

    private static bool TrySize(string text, out int width, out int height)
    {
        string[] p = text.Split('x');
        (width, height) = (0, 0);
        return p.Length == 2
            && int.TryParse(p[0], out width)
            && int.TryParse(p[1], out height)
            && width is >= 2 and <= 16384
            && height is >= 1 and <= 8192;
    }
}

internal static class CleanPlateCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        var set = new Option<string?>("--set") { Description = "the rebuilt place, OBJ or GLB, metres" };
        var mask = new Option<string>("--mask") { Description = "folder of numbered pictures, above 0 what is taken out", Required = true };
        var frames = new Option<string>("--frames") { Description = "like 1001-1024", Required = true };
        var grain = new Option<string>("--grain")
        {
            Description = "on or off: the plate's grain is put back",
            DefaultValueFactory = _ => "on",
        };
        var command = new Command(
            "clean-plate",
            "Takes what lies in a mask out of a range of frames: clean.FRAME.exr, linear, A = 1 where another frame was taken, 0.5 where filled; report.json."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, set, mask, frames, filmed.Out, grain);
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (
                    filmed.Read(parsed) is not { } options
                    || !CameraOptions.Files(parsed.GetValue(set))
                    || !CameraOptions.Folders(parsed.GetValue(mask))
                    || !FilmedSetArguments.Frames(parsed.GetValue(frames)!, out var list)
                )
                {
                    return Task.FromResult(2);
                }
                if (parsed.GetValue(grain) is not ("on" or "off"))
                {
                    Console.Error.WriteLine($"“{parsed.GetValue(grain)}” is neither on nor off.");
                    return Task.FromResult(2);
                }
                FilmedSet place = FilmedSet.Open(
                    parsed.GetValue(filmed.Plate)!,
                    parsed.GetValue(filmed.Camera)!,
                    parsed.GetValue(set),
                    options,
                    stop
                );
                var told = new List<string>(place.Warnings);
                CleanPlateFiles.Run(
                    place,
                    parsed.GetValue(mask)!,
                    list,
                    parsed.GetValue(filmed.Out)!,
                    parsed.GetValue(grain) == "on",
                    told,
                    stop,
                    CameraOptions.Progress
                );
                foreach (string t in told)
                {
                    Console.Error.WriteLine(t);
                }
                return Task.FromResult(0);
            }
        );
        return command;
    }
}
