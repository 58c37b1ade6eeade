using System.CommandLine;
using System.Globalization;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Work;

namespace Plenk.Cli;

internal static class BreakCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        filmed.Plate.Required = filmed.Camera.Required = false;
        var piece = new Option<string>("--piece") { Description = "what breaks, by its name in the set's file", Required = true };
        var thickness = new Option<double?>("--thickness") { Description = "of a piece that is open, metres, behind its front" };
        var at = new Option<int>("--at") { Description = "the frame of the blow", Required = true };
        var point = new Option<string>("--point") { Description = "where it is struck, metres: x,y,z", Required = true };
        var impulse = new Option<string>("--impulse") { Description = "of the blow, newton seconds: x,y,z", Required = true };
        var parts = new Option<int>("--parts") { Description = "so many", Required = true };
        var seed = new Option<int>("--seed") { Description = "other parts", DefaultValueFactory = _ => 1 };
        var density = new Option<double>("--density") { Description = "kg/m³", DefaultValueFactory = _ => 2400 };
        var frames = new Option<string>("--frames") { Description = "like 1001-1072", Required = true };
        var source = new Option<int?>("--source") { Description = "frame of the plate whose footage the parts wear" };
        var radius = new Option<double?>("--radius") { Description = "parts farther off from where it is struck stay fixed, metres" };
        var depth = new Option<double?>("--depth") { Description = "and those deeper in the direction of the blow, metres" };
        var blast = new Option<double>("--blast")
        {
            Description = "a sphere of pressure that grows from where it is struck, N s/m² at 1 m",
            DefaultValueFactory = _ => 0,
        };
        var blastSpeed = new Option<double>("--blast-speed") { Description = "how fast it grows, m/s", DefaultValueFactory = _ => 340 };
        var crack = new Option<string[]>("--crack")
        {
            Description = "a line on it that cracks follow, metres: x,y,z x,y,z …; may be given more than once",
        };
        var scraps = new Option<int>("--scraps")
        {
            Description = "small ones thrown off the cracks beside the parts: so many",
            DefaultValueFactory = _ => 0,
        };
        var sizes = new Option<string>("--scrap-sizes")
        {
            Description = "their smallest and largest, metres",
            DefaultValueFactory = _ => "0.004,0.03",
        };
        var speed = new Option<double>("--scrap-speed")
        {
            Description = "how fast they leave the cracks, m/s",
            DefaultValueFactory = _ => 1.5,
        };
        var command = new Command(
            "break",
            "Breaks a piece of a set: parts.glb (a node and a closed mesh a part, moving), motion.csv (each centre of mass in each frame) and report.json."
        );
        filmed.AddTo(
            command,
            filmed.Set,
            piece,
            thickness,
            at,
            point,
            impulse,
            parts,
            seed,
            density,
            frames,
            filmed.Out,
            filmed.Plate,
            filmed.Camera,
            source,
            radius,
            depth,
            blast,
            blastSpeed,
            crack,
            scraps,
            sizes,
            speed
        );
        command.SetGuarded(
            (parsed, stop) =>
            {
                if (
                    !CameraOptions.Rate(parsed.GetValue(filmed.Rate)!, out FrameRate rate)
                    || !CameraOptions.Files(parsed.GetValue(filmed.Set))
                    || !FilmedSetArguments.Frames(parsed.GetValue(frames)!, out IReadOnlyList<int> list)
                    || Three("--point", parsed.GetValue(point)!) is not { } struck
                    || Three("--impulse", parsed.GetValue(impulse)!) is not { } blow
                )
                {
                    return Task.FromResult(2);
                }
                double[] size =
                [
                    .. parsed
                        .GetValue(sizes)!
                        .Split(',')
                        .Select(t => double.TryParse(t, CultureInfo.InvariantCulture, out double v) ? v : double.NaN),
                ];
                if (size.Length != 2 || !size.All(double.IsFinite))
                {
                    Console.Error.WriteLine($"--scrap-sizes: “{parsed.GetValue(sizes)}” is not two numbers like 0.004,0.03.");
                    return Task.FromResult(2);
                }
                var cracks = new List<IReadOnlyList<Vec3>>();
                foreach (string line in parsed.GetValue(crack) ?? [])
                {
                    Vec3?[] places = [.. line.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(t => Three("--crack", t))];
                    if (places.Contains(null))
                    {
                        return Task.FromResult(2);
                    }
                    cracks.Add([.. places.OfType<Vec3>()]);
                }
                string name = parsed.GetValue(piece)!;
                int when = parsed.GetValue(at);
                if (when < list[0] || when > list[^1])
                {
                    throw new ShotFault($"The blow at {when} lies outside the frames {list[0]} to {list[^1]}.");
                }
                var told = new List<string>();
                IReadOnlyList<(string Name, TriangleMesh Mesh)> set = BreakWork.Named(parsed.GetValue(filmed.Set)!, told);
                if (set.All(s => s.Name != name))
                {
                    throw new ShotFault(
                        $"The set has no piece “{name}”; it has {string.Join(", ", set.Take(12).Select(s => $"“{s.Name}”"))}."
                    );
                }
                TriangleMesh mesh = set.First(s => s.Name == name).Mesh;
                IReadOnlyList<byte[]> tiles = [];
                if (parsed.GetValue(source) is { } from)
                {
                    if (parsed.GetValue(filmed.Plate) is null || parsed.GetValue(filmed.Camera) is null)
                    {
                        Console.Error.WriteLine("--source needs --plate and --camera.");
                        return Task.FromResult(2);
                    }
                    if (filmed.Read(parsed) is not { } options)
                    {
                        return Task.FromResult(2);
                    }
                    (mesh, tiles) = BreakWork.Footage(
                        FilmedSet.Open(
                            parsed.GetValue(filmed.Plate)!,
                            parsed.GetValue(filmed.Camera)!,
                            parsed.GetValue(filmed.Set),
                            options,
                            stop
                        ),
                        name,
                        from,
                        told
                    );
                }
                Broken broken = BreakWork.Run(
                    name,
                    mesh,
                    [.. set.Where(s => s.Name != name)],
                    new(parsed.GetValue(parts), parsed.GetValue(seed), parsed.GetValue(density))
                    {
                        Thickness = parsed.GetValue(thickness),
                        Point = struck,
                        Cracks = cracks,
                        Impulse = blow,
                        Radius = parsed.GetValue(radius),
                        Depth = parsed.GetValue(depth),
                        Blast = parsed.GetValue(blast),
                        BlastSpeed = parsed.GetValue(blastSpeed),
                    },
                    new(list[0], list[^1], when, rate.PerSecond) { Seed = (uint)parsed.GetValue(seed) },
                    tiles.Count,
                    told,
                    stop,
                    CameraOptions.Progress,
                    thrown: new()
                    {
                        Count = parsed.GetValue(scraps),
                        Seed = parsed.GetValue(seed),
                        SmallestMetres = size[0],
                        LargestMetres = size[1],
                        Speed = parsed.GetValue(speed),
                        Density = parsed.GetValue(density),
                    }
                );
                string folder = parsed.GetValue(filmed.Out)!;
                Directory.CreateDirectory(folder);
                File.WriteAllBytes(
                    Path.Combine(folder, "parts.glb"),
                    PartsFile.Glb(broken.Parts, tiles, BreakWork.Inside, broken.Fall.Frames, rate, scraps: broken.Scraps)
                );
                File.WriteAllText(Path.Combine(folder, "motion.csv"), PartsFile.Csv(broken.Parts, broken.Fall.Frames));
                File.WriteAllText(Path.Combine(folder, "report.json"), BreakWork.Report(broken) + "\n");
                FallFrame last = broken.Fall.Frames[^1];
                Console.WriteLine(
                    FormattableString.Invariant(
                        $"{broken.Parts.Count} parts of {broken.Volume:0.####} m³ and {broken.Mass:0.#} kg, {broken.Fall.Frames.Count} frames in {broken.Seconds:0.0} s; at {last.Frame} {last.Awake} still move."
                    )
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

    private static Vec3? Three(string option, string text)
    {
        double[] v =
        [
            .. text.Split(',')
                .Select(p => double.TryParse(p, NumberStyles.Float, CultureInfo.InvariantCulture, out double n) ? n : double.NaN),
        ];
        if (v.Length == 3 && v.All(double.IsFinite))
        {
            return new(v[0], v[1], v[2]);
        }
        Console.Error.WriteLine($"{option}: “{text}” is not three numbers like 0.5,0,-4.");
        return null;
    }
}
