using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats.Cameras;
using Plenk.Formats.Sequences;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>"Low Water", BTH_0040: built from the files that ship under demo/, through the same readers an artist's files pass.</summary>
public static class DemoSeed
{
    public const string Production = "Low Water",
        Sequence = "BTH",
        Code = "BTH_0040",
        BrokenCode = "BTH_0100";

    private static readonly Dictionary<string, string> Titles = new()
    {
        [Code] = "The bell on the basin floor",
        ["BTH_0050"] = "Along the gallery",
        ["BTH_0060"] = "The entrance hall",
        ["BTH_0070"] = "A trolley rolls through",
        ["BTH_0080"] = "Two cameras along the basin",
        ["BTH_0090"] = "The attendant mops by",
        [BrokenCode] = "The platform breaks",
    };

    /// <param name="directory">demo/BTH_0040.</param>
    /// <param name="keep">Takes bytes into a media store and gives their hash.</param>
    public static ShotDocument Build(string directory, Func<byte[], string> keep)
    {
        var (plate, range) = Plate(directory, Code, 28, keep);
        CameraSource camera = CameraFiles.Read(
            File.ReadAllBytes(Path.Combine(directory, "solve.json")),
            "solve.json",
            new CameraImport(plate.Width, plate.Height, 36, 1001, new(24, 1))
        );
        string set = keep(File.ReadAllBytes(Path.Combine(directory, "set.obj"))),
            bell = keep(File.ReadAllBytes(Path.Combine(directory, "bell.glb")));
        var pieces = JsonSerializer.Deserialize<List<Piece>>(File.ReadAllText(Path.Combine(directory, "pieces.json")), ShotJson.Options)!;
        using JsonDocument truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(directory, "truth.json")));
        JsonElement lights = truth.RootElement.GetProperty("lights"),
            stand = truth.RootElement.GetProperty("bell");
        static Vec3 V(JsonElement e) => new(e[0].GetDouble(), e[1].GetDouble(), e[2].GetDouble());
        static (double Strength, Vec3 Color) Parted(Vec3 c)
        {
            double top = Math.Max(c.X, Math.Max(c.Y, c.Z));
            return (top, c / top);
        }
        var sun = Parted(V(lights.GetProperty("sun_irradiance")));
        var sky = Parted(V(lights.GetProperty("sky_radiance")));
        var fill = Parted(V(lights.GetProperty("fill_radiance")));
        return Filmed(Code, plate, range) with
        {
            Camera = camera,
            SurveyPoints = SurveyFile.Read(File.ReadAllBytes(Path.Combine(directory, "survey.csv")), "survey.csv"),
            Orientation = new()
            {
                Floor = ["O", "F2", "F3", "F4", "F5", "F6"],
                Origin = "O",
                Axis = new("O", "F3", "+X"),
                Scale = new("O", "F2", 2.7),
            },
            KnownLengths = [new("D1", "D2", 1.4)],
            StandIns = [new("figure_1", false, new(3.8, 0, -4.3), 1.75)],
            Pieces = [.. pieces.Select(p => p.Kind == PieceKind.Mesh ? p with { Media = set } : p)],
            Projections =
            [
                new()
                {
                    Id = "projection_1",
                    Name = "frame 1036",
                    Frame = 1036,
                },
            ],
            Lights =
            [
                new()
                {
                    Id = "sun",
                    Name = "Sun",
                    Kind = LightKind.Sun,
                    Direction = V(lights.GetProperty("towards_sun")),
                    Strength = sun.Strength,
                    Color = sun.Color,
                    AngularDiameterDegrees = lights.GetProperty("sun_angular_diameter_degrees").GetDouble(),
                },
                new()
                {
                    Id = "sky",
                    Name = "Sky in the windows",
                    Kind = LightKind.Sky,
                    Strength = sky.Strength,
                    Color = sky.Color,
                },
                new()
                {
                    Id = "fill",
                    Name = "Fill",
                    Kind = LightKind.Fill,
                    Strength = fill.Strength,
                    Color = fill.Color,
                },
                new()
                {
                    Id = "around",
                    Name = "Hall, shot where the bell stands",
                    Kind = LightKind.Panorama,
                    ShowsPlace = true,
                    Media = keep(File.ReadAllBytes(Path.Combine(directory, "around.exr"))),
                    Position = V(truth.RootElement.GetProperty("panorama").GetProperty("position")),
                    LightsSet = false,
                },
            ],
            // As the shooting notes have it; the grain is the plate's own.
            ShutterDegrees = 180,
            Finish = new() { Steps = [new() { Id = "grain_1", Kind = FinishKind.Grain }] },
            Elements =
            [
                new()
                {
                    Id = "bell",
                    Name = "Diving bell",
                    Media = bell,
                    Position = V(stand.GetProperty("position")),
                    RotationYxzDegrees = Rotations.ToEulerYxzDegrees(
                        Rotations.Between(Vec3.UnitY, V(stand.GetProperty("up")).Normalized())
                    ),
                },
            ],
            Seed = 40,
        };
    }

    private static (PlateSource Plate, FrameRange Range) Plate(string directory, string code, double? focalMm, Func<byte[], string> keep)
    {
        var frames = new List<PlateFrame>();
        DeliveredFile[] files =
        [
            .. System.IO.Directory.GetFiles(Path.Combine(directory, "plate")).Select(f => new DeliveredFile(f, () => File.ReadAllBytes(f))),
        ];
        PlateCheckResult check = PlateCheck.Check(files, 1001, (f, bytes) => frames.Add(new(f.Frame, f.File, keep(bytes))));
        return (
            new PlateSource
            {
                Name = $"{code}.####.jpg",
                Width = check.Frames[0].Width,
                Height = check.Frames[0].Height,
                Bits = check.Frames[0].Bits,
                SensorWidthMm = 36,
                SensorHeightMm = 20.25,
                FocalMm = focalMm,
                Frames = frames,
                Faults = check.Faults,
            },
            new(check.First!.Value, check.Last!.Value)
        );
    }

    private static ShotDocument Filmed(string code, PlateSource plate, FrameRange range) =>
        new()
        {
            Production = Production,
            Sequence = Sequence,
            Code = code,
            Title = Titles[code],
            Range = range,
            Plate = plate,
        };

    /// <summary>The shots whose footage is there, in their order.</summary>
    public static IReadOnlyList<string> Codes(string demo) =>
        [.. Titles.Keys.Where(c => System.IO.Directory.Exists(Path.Combine(demo, c)))];

    /// <summary>A shot of the production as it came in.</summary>
    /// <param name="demo">The folder demo/.</param>
    /// <param name="keep">Takes bytes into a media store and gives their hash.</param>
    public static ShotDocument Shot(string demo, string code, Func<byte[], string> keep)
    {
        string directory = Path.Combine(demo, code);
        if (code == Code)
        {
            return Build(directory, keep);
        }
        var (plate, range) = Plate(directory, code, null, keep);
        ShotDocument shot = Filmed(code, plate, range) with { Seed = 40 };
        return code switch
        {
            "BTH_0050" => shot with { Solving = new() { Turns = true } },
            "BTH_0080" => Beside(shot, demo, keep),
            "BTH_0090" => WithAttendant(shot, demo, keep),
            BrokenCode => AtThePlatform(shot, demo, keep),
            "BTH_0060" => WithLines(shot, Path.Combine(directory, "lines.json")),
            _ => shot with { Mattes = [Around(Path.Combine(directory, "matte"), range)] },
        };
    }

    private static ShotDocument WithLines(ShotDocument shot, string file)
    {
        LineScene scene = LineFiles.Read(File.ReadAllBytes(file), "lines.json");
        shot = shot with
        {
            Still = new()
            {
                Frame = shot.Range.First,
                Lines = [.. scene.Families.SelectMany(f => f.Lines.Select(l => new StillLine(f.Axis.ToString(), l.X1, l.Y1, l.X2, l.Y2)))],
                Origin = scene.Origin is { } o ? [o.X, o.Y] : null,
                Length = scene.Length is { } l ? new([l.FromX, l.FromY], [l.ToX, l.ToY], l.Metres) : null,
            },
        };
        return StillWork.With(shot, StillWork.Solve(shot));
    }

    /// <summary>The attendant's pictures as a matte, and he as a solid in the set of BTH_0040, with its light and its bell.</summary>
    private static ShotDocument WithAttendant(ShotDocument shot, string demo, Func<byte[], string> keep)
    {
        string directory = Path.Combine(demo, "BTH_0090");
        ShotDocument main = Build(Path.Combine(demo, Code), keep);
        var frames = System
            .IO.Directory.GetFiles(Path.Combine(directory, "matte"))
            .Order(StringComparer.Ordinal)
            .Select(f => new PlateFrame(
                int.Parse(Path.GetFileNameWithoutExtension(f).Split('.')[^1], System.Globalization.CultureInfo.InvariantCulture),
                Path.GetFileName(f),
                keep(File.ReadAllBytes(f))
            ));
        return shot with
        {
            Camera = CameraFiles.Read(
                File.ReadAllBytes(Path.Combine(directory, "solve.json")),
                "solve.json",
                new CameraImport(shot.Plate!.Width, shot.Plate.Height, 36, 1001, new(24, 1))
            ),
            Mattes =
            [
                new()
                {
                    Id = "matte_1",
                    Name = "attendant",
                    Kind = MatteKind.Frames,
                    KeepsTracksOff = false,
                    Frames = new()
                    {
                        Frames = [.. frames],
                        Rate = shot.Rate,
                        Mapping = new(shot.Range.First, shot.Range.First),
                    },
                },
            ],
            Pieces =
            [
                .. main.Pieces,
                new()
                {
                    Id = "figure_1",
                    Name = "attendant",
                    Kind = PieceKind.Figure,
                    Figure = new("matte_1"),
                    Duties = new() { WearsFootage = false },
                },
            ],
            Projections = [],
            Lights = main.Lights,
            Elements = main.Elements,
        };
    }

    /// <summary>
    /// The plunge platform as it was filmed, standing before the place without it; a counterweight hangs over it. <see cref="Broken"/> goes on.
    /// </summary>
    private static ShotDocument AtThePlatform(ShotDocument shot, string demo, Func<byte[], string> keep)
    {
        string directory = Path.Combine(demo, "BTH_0100");
        byte[] Read(string file) => File.ReadAllBytes(Path.Combine(directory, file));
        ShotDocument main = Build(Path.Combine(demo, Code), keep);
        var own = JsonSerializer.Deserialize<List<Piece>>(Read("pieces.json"), ShotJson.Options)!;
        using JsonDocument door = JsonDocument.Parse(Read("door.json"));
        const string cleared = "cleared.1001.jpg";
        return shot with
        {
            Camera = CameraFiles.Read(
                Read("solve.json"),
                "solve.json",
                new CameraImport(shot.Plate!.Width, shot.Plate.Height, 36, 1001, new(24, 1))
            ),
            Background = BackgroundKind.Frames,
            BackgroundFrames = new()
            {
                Frames = [new(shot.Range.First, cleared, keep(Read(cleared)))],
                Rate = shot.Rate,
                Mapping = new(shot.Range.First, shot.Range.First),
            },
            // The locker was there when the place was filmed without the platform; what stands before it there hides it here.
            Pieces =
            [
                .. main.Pieces,
                .. own.Select(p =>
                    p with
                    {
                        Duties = new() { Seen = true, New = p.Id != "locker" },
                    }
                ),
            ],
            Projections =
            [
                new()
                {
                    Id = "projection_1",
                    Name = "frame 1001",
                    Frame = 1001,
                    Pieces = [.. own.Select(p => p.Id)],
                },
            ],
            Lights = main.Lights,
            ShutterDegrees = 180,
            Elements =
            [
                new()
                {
                    Id = "weight",
                    Name = "counterweight",
                    Media = keep(Read("weight.glb")),
                    Position = door.RootElement.GetProperty("weight").Deserialize<Vec3>(ShotJson.Options),
                },
            ],
        };
    }

    /// <summary>BTH_0100 as an artist would go on with it: the locker's door cut loose and swung open, the slab broken by what falls on it.</summary>
    /// <param name="demo">The folder that holds a folder for each shot.</param>
    public static ShotDocument Broken(ShotDocument shot, string demo, ShotEngine engine, MediaStore media, CancellationToken stop = default)
    {
        using JsonDocument door = JsonDocument.Parse(File.ReadAllBytes(Path.Combine(demo, "BTH_0100", "door.json")));
        double[] corners = [.. door.RootElement.GetProperty("corners").EnumerateArray().Select(v => v.GetDouble())];
        var (cut, part) = new CutLooseWork(engine, media).Cut(
            shot,
            "locker",
            new(1001, corners, 0.016, new(0.16, 0.05, 0.045), "left", 0.42)
        );
        cut = cut with
        {
            Pieces = [.. cut.Pieces.Select(p => p.Id == part ? p with { Name = "locker door" } : p)],
            Curves =
            [
                .. cut.Curves,
                new()
                {
                    Id = $"pieces/{part}/hinge/degrees",
                    Keys = [new(1008, 0, Handle: KeyHandle.Flat), new(1036, DoorDegrees, Handle: KeyHandle.Flat)],
                },
            ],
        };
        return new BreakJobs(null!, media, engine)
            .Make(
                cut,
                new()
                {
                    Piece = "slab",
                    AtFrame = 1004,
                    Parts = 140,
                    Seed = 40,
                    Point = cut.Elements[0].Position with { Y = cut.Pieces.First(p => p.Id == "slab").Position.Y + 0.14 },
                    Falling = "weight",
                    StrengthNs = 60,
                    Scraps = 300,
                    Dust = 5,
                },
                stop,
                (_, _) => { }
            )
            .On(cut);
    }

    private const double DoorDegrees = 112;

    /// <summary>The right camera beside the left one, over the set of BTH_0040, a frame of each laid on it as they were filmed.</summary>
    private static ShotDocument Beside(ShotDocument shot, string demo, Func<byte[], string> keep)
    {
        CameraSource Camera(string folder) =>
            CameraFiles.Read(
                File.ReadAllBytes(Path.Combine(demo, folder, "solve.json")),
                "solve.json",
                new CameraImport(shot.Plate!.Width, shot.Plate.Height, 36, 1001, new(24, 1))
            );
        string set = keep(File.ReadAllBytes(Path.Combine(demo, Code, "set.obj"))),
            right = Path.Combine("BTH_0080", "right");
        var pieces = JsonSerializer.Deserialize<List<Piece>>(File.ReadAllText(Path.Combine(demo, Code, "pieces.json")), ShotJson.Options)!;
        return shot with
        {
            Camera = Camera("BTH_0080"),
            Pieces = [.. pieces.Select(p => p.Kind == PieceKind.Mesh ? p with { Media = set } : p)],
            OtherCameras =
            [
                new()
                {
                    Id = "right",
                    Name = "right camera",
                    Plate = Plate(Path.Combine(demo, right), "BTH_0080B", 32, keep).Plate,
                    Camera = Camera(right),
                },
            ],
            Projections =
            [
                new()
                {
                    Id = "projection_1",
                    Name = "left, frame 1001",
                    Frame = 1001,
                },
                new()
                {
                    Id = "projection_2",
                    Name = "right, frame 1001",
                    Frame = 1001,
                    Camera = "right",
                },
            ],
        };
    }

    /// <summary>A loose box around the filmed matte, keyed every tenth frame.</summary>
    private static Matte Around(string mattes, FrameRange range) =>
        new()
        {
            Id = "matte_1",
            Name = "trolley",
            Keys =
            [
                .. Enumerable
                    .Range(range.First, range.Count)
                    .Where(f => (f - range.First) % 10 == 0 || f == range.Last)
                    .Select(f =>
                    {
                        var (left, top, right, bottom) = SolveWork.MatteBox(mattes, f) ?? (0, 0, 8, 8);
                        return new MatteKey(f, [left - 6, top - 6, right + 6, top - 6, right + 6, bottom + 8, left - 6, bottom + 8]);
                    }),
            ],
        };
}
