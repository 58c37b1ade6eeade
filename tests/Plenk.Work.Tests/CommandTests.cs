using System.Diagnostics;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>The commands as a shell runs them, on a database and data folder of their own.</summary>
public sealed class CommandTests(DemoShot demo) : CommandSite, IClassFixture<DemoShot>
{
    [Fact]
    public void Check_plate_prints_what_the_readme_says_and_its_exit_code_tells()
    {
        string plate = Path.Combine(Folder, "plate");
        Directory.CreateDirectory(plate);
        foreach (int frame in (int[])[1001, 1002, 1004])
        {
            File.Copy(Directory.GetFiles(Path.Combine(DemoShot.Folder, "plate"), $"*{frame}*")[0], Path.Combine(plate, $"p.{frame}.jpg"));
        }
        var (exit, output, _) = Run($"check-plate {plate}");
        JsonElement result = JsonDocument.Parse(output).RootElement;
        Assert.Equal(3, exit);
        Assert.Equal((1001, 1004), (result.GetProperty("first").GetInt32(), result.GetProperty("last").GetInt32()));
        JsonElement f = result.GetProperty("frames")[0],
            fault = Assert.Single(result.GetProperty("faults").EnumerateArray());
        Assert.Equal(
            (1001, "p.1001.jpg", 1280, 720, 8, 3),
            (
                f.GetProperty("frame").GetInt32(),
                f.GetProperty("file").GetString(),
                f.GetProperty("width").GetInt32(),
                f.GetProperty("height").GetInt32(),
                f.GetProperty("bits").GetInt32(),
                f.GetProperty("channels").GetInt32()
            )
        );
        Assert.Equal(
            (1003, "missing", JsonValueKind.Null),
            (fault.GetProperty("frame").GetInt32(), fault.GetProperty("kind").GetString(), fault.GetProperty("file").ValueKind)
        );
        Assert.NotEqual("", fault.GetProperty("mend").GetString());
        File.Delete(Path.Combine(plate, "p.1004.jpg"));
        Assert.Equal(0, Run($"check-plate {plate}").Exit);
        Assert.Equal(2, Run("check-plate").Exit);
        Assert.Equal(2, Run($"check-plate {Folder}/nowhere").Exit);
        Assert.Equal(2, Run("unheard-of").Exit);
    }

    [Fact]
    public void A_shot_goes_out_and_comes_in_and_renders_the_same_pixels_as_the_page()
    {
        string folder = Path.Combine(Folder, "shot"),
            again = Path.Combine(Folder, "again"),
            frames = Path.Combine(Folder, "frames");
        ShotFolder.Write(folder, demo.Document, demo.Media);
        Assert.Equal(0, Run($"import-shot {folder}").Exit);
        Assert.Equal(0, Run($"export-shot BTH_0040 --out {again}").Exit);
        Assert.Equal(File.ReadAllText(Path.Combine(folder, "shot.json")), File.ReadAllText(Path.Combine(again, "shot.json")));
        Assert.Equal(
            Directory.GetFiles(Path.Combine(folder, "media")).Select(Path.GetFileName).Order(),
            Directory.GetFiles(Path.Combine(again, "media")).Select(Path.GetFileName).Order()
        );

        // From the folder and from the database, at a reduced width; and as the page makes it.
        Assert.Equal(0, Run($"render {again} --frames 1036 --width 320 --out {frames}/a").Exit);
        Assert.Equal(0, Run($"render BTH_0040 --frames 1036 --width 320 --out {frames}/b").Exit);
        CodeImage a = Read($"{frames}/a"),
            b = Read($"{frames}/b");
        FrameLayers page = demo.Engine.Finish.Frame(demo.Document, 1036, 320, RenderQuality.Full, dataPasses: false);
        Assert.Equal(a.Codes, b.Codes);
        Assert.Equal(demo.Engine.Renderer.Comp(demo.Document, 1036, page).Codes, a.Codes);
        CodeImage Read(string at) => RasterFile.Read(File.ReadAllBytes(Path.Combine(at, "BTH_0040.comp.1036.png")), "comp");

        // Debian's image tool reads the layers.
        using Process tool = Process.Start(
            new ProcessStartInfo("oiiotool", ["--info", "-v", Path.Combine(frames, "a", "BTH_0040.layers.1036.exr")])
            {
                RedirectStandardOutput = true,
            }
        )!;
        string info = tool.StandardOutput.ReadToEnd();
        tool.WaitForExit();
        Assert.Contains("320 x  180", info);
        foreach (string channel in (string[])["element.A", "holdout.A", "shadow.R", "depth.Z", "P.X", "N.Z", "visibility.Y", "ao.Y"])
        {
            Assert.Contains(channel, info);
        }

        // What is damaged or missing is told, and nothing is taken.
        string medium = Directory.GetFiles(Path.Combine(again, "media"))[0];
        File.WriteAllBytes(medium, [1, 2, 3]);
        var (exit, _, error) = Run($"import-shot {again}");
        Assert.Equal(3, exit);
        Assert.Contains("damaged", error);
        File.Delete(medium);
        Assert.Equal(3, Run($"import-shot {again}").Exit);
        Assert.Equal(2, Run($"import-shot {frames}").Exit);
        Assert.Equal(3, Run($"export-shot NOWHERE --out {again}").Exit);

        // Named changes, all or none.
        string edits = Path.Combine(Folder, "edits.json");
        File.WriteAllText(edits, """{"edits":[{"edit":"set","at":"title","to":"By command"},{"at":"seed","edit":"set","to":9}]}""");
        var (made, said, _) = Run($"edit BTH_0040 {edits}");
        Assert.Equal(0, made);
        Assert.Contains("By command", said, StringComparison.Ordinal);
        File.WriteAllText(edits, """[{"edit":"set","at":"elements/nobody/scale","to":2}]""");
        var (refused, _, why) = Run($"edit BTH_0040 {edits}");
        Assert.Equal(3, refused);
        Assert.Contains("elements/nobody/scale: There is no “nobody”", why, StringComparison.Ordinal);
        File.WriteAllText(edits, "{}");
        Assert.Equal(3, Run($"edit BTH_0040 {edits}").Exit);
        Assert.Equal(3, Run($"edit NOBODY {edits}").Exit);
        Assert.Equal(2, Run($"edit BTH_0040 {edits}.none").Exit);
        Assert.Equal(2, Run($"render {folder} --frames x --out {frames}").Exit);
        (exit, _, error) = Run($"render {folder} --frames 2000 --out {frames}");
        Assert.Equal(3, exit);
        Assert.Contains("2000", error);
        Assert.DoesNotContain("   at ", error);
    }

    // A limit on file sizes stands for a disk that is full: told in words, and no half-written frame lies there.
    [Fact]
    public void A_full_disk_is_told_and_nothing_is_half_written()
    {
        string folder = Path.Combine(Folder, "shot"),
            frames = Path.Combine(Folder, "frames");
        ShotFolder.Write(folder, demo.Document, demo.Media);
        var (exit, _, error) = Run(
            $"render {folder} --frames 1036 --width 320 --out {frames}",
            "trap '' XFSZ; export DOTNET_EnableWriteXorExecute=0; ulimit -f 40;"
        );
        Assert.Equal(3, exit);
        Assert.Contains("disk is full", error);
        Assert.Empty(Directory.GetFiles(frames));
    }

    [Fact]
    public void Without_its_database_it_says_so()
    {
        var (exit, _, error) = Run(
            "export-shot BTH_0040 --out /tmp/x",
            "export PLENK_DATABASE='Host=127.0.0.1;Port=1;Username=plenk;Database=none;Timeout=2';"
        );
        Assert.Equal(1, exit);
        Assert.Contains("database does not answer", error);
    }

    [Fact]
    public void The_guide_says_of_every_reading_what_the_reading_says_of_itself() =>
        Assert.Equal(ReadingGuide.Write(), File.ReadAllText(Path.Combine(DemoShot.Repository, "docs", "guide", "readings.md")));

    [Fact]
    public void The_schema_under_docs_is_current_and_the_demo_obeys_it()
    {
        string schema = Path.Combine(DemoShot.Repository, "docs", "shot-document.schema.json");
        Assert.Equal(ShotSchema.Write(), File.ReadAllText(schema));
        string document = Path.Combine(Folder, "shot.json"),
            wrong = Path.Combine(Folder, "wrong.json");
        File.WriteAllText(document, ShotJson.Write(demo.Document));
        File.WriteAllText(wrong, ShotJson.Write(demo.Document).Replace("\"seed\":40", "\"seed\":\"forty\""));
        // The npm validator ajv is the judge.
        int Judge(string file)
        {
            using Process node = Process.Start(
                new ProcessStartInfo(
                    "node",
                    [
                        "-e",
                        "const { readFileSync: r } = require('fs'); const Ajv = require('ajv/dist/2020'); const v = new Ajv({ strict: false }).compile(JSON.parse(r(process.argv[1]))); if (!v(JSON.parse(r(process.argv[2])))) { console.error(v.errors); process.exit(1); }",
                        schema,
                        file,
                    ]
                )
                {
                    WorkingDirectory = DemoShot.Repository,
                    RedirectStandardError = true,
                }
            )!;
            node.WaitForExit();
            return node.ExitCode;
        }
        Assert.Equal(0, Judge(document));
        Assert.Equal(1, Judge(wrong));
    }

    // Twenty-four frames of the demo's plate, JPEG and all, sensor known and focal length not, against the truth of its generator:
    // a check of the chain from files to files. The camera comes in again as it went out.
    [Fact]
    public void A_camera_is_solved_from_frames_and_comes_in_again()
    {
        string plate = Path.Combine(Folder, "plate"),
            solved = Path.Combine(Folder, "solved");
        Directory.CreateDirectory(plate);
        for (int f = 1001; f <= 1024; f++)
        {
            File.Copy(Directory.GetFiles(Path.Combine(DemoShot.Folder, "plate"), $"*{f}*")[0], Path.Combine(plate, $"p.{f}.jpg"));
        }
        var (exit, output, error) = Run($"solve --plate {plate} --sensor 36x20.25 --out {solved}");
        Assert.True(exit == 0, error);
        Assert.Equal("solved", JsonDocument.Parse(output).RootElement.GetProperty("status").GetString());
        CameraSource camera = Formats.Cameras.CameraFiles.Read(
            File.ReadAllBytes(Path.Combine(solved, "solve.json")),
            "solve.json",
            new(1280, 720, 36, 1001, new(24, 1))
        );
        Assert.Equal(24, camera.Samples.Count);
        Assert.Equal(28.0 / 36 * 1280, camera.Samples[0].FocalPx, 25.0); // a short, shaky piece says less of the focal length
        JsonElement root = JsonDocument.Parse(File.ReadAllText(Path.Combine(solved, "solve.json"))).RootElement;
        Assert.InRange(root.GetProperty("rms_px").GetDouble(), 0.02, 0.4);
        Assert.True(root.GetProperty("tracks").GetProperty("used").GetInt32() > 60);
        Assert.StartsWith("#usda 1.0", File.ReadAllText(Path.Combine(solved, "camera.usda")));
        Assert.Equal(
            root.GetProperty("tracks").GetProperty("used").GetInt32(),
            File.ReadAllLines(Path.Combine(solved, "points.ply")).SkipWhile(l => l != "end_header").Count() - 1
        );
        Assert.Contains("track,frame,px,py,used", File.ReadLines(Path.Combine(solved, "tracks.csv")).First());

        // With its focal length given it is held; a gap, a wrong sensor and mattes that lack frames are told.
        File.Delete(Path.Combine(plate, "p.1010.jpg"));
        (exit, _, error) = Run($"solve --plate {plate} --sensor 36x20.25 --out {solved}2");
        Assert.Equal(3, exit);
        Assert.Contains("1010", error);
        Assert.Equal(2, Run($"solve --plate {plate} --sensor wide --out {solved}2").Exit);
        Assert.Equal(2, Run($"solve --plate {plate} --sensor 36x20.25 --focal -3 --out {solved}2").Exit);
        Assert.Equal(2, Run($"solve --plate {Folder}/nowhere --sensor 36x20.25 --out {solved}2").Exit);
        Directory.CreateDirectory($"{Folder}/mattes");
        foreach (string later in Directory.GetFiles(plate).Where(f => string.CompareOrdinal(Path.GetFileName(f), "p.1010") > 0))
        {
            File.Delete(later);
        }
        (exit, _, error) = Run($"solve --plate {plate} --mask {Folder}/mattes --sensor 36x20.25 --out {solved}2");
        Assert.Equal(3, exit);
        Assert.Contains("no picture for frame 1001", error);
        Assert.False(Directory.Exists($"{solved}2"));
    }

    [Fact]
    public void A_plate_without_texture_fails_with_a_reason_that_helps()
    {
        string plate = Path.Combine(Folder, "blank"),
            solved = Path.Combine(Folder, "solved");
        Directory.CreateDirectory(plate);
        for (int f = 1001; f <= 1008; f++)
        {
            File.WriteAllBytes(
                Path.Combine(plate, $"p.{f}.png"),
                RasterFile.ToPng(new CodeImage(160, 90, 3, 8, [.. Enumerable.Repeat((ushort)90, 160 * 90 * 3)]))
            );
        }
        var (exit, _, error) = Run($"solve --plate {plate} --sensor 36x20.25 --out {solved}");
        Assert.Equal(3, exit);
        Assert.Contains("too little texture", error);
        JsonElement told = JsonDocument.Parse(File.ReadAllText(Path.Combine(solved, "solve.json"))).RootElement;
        Assert.Equal("failed", told.GetProperty("status").GetString());
        Assert.Contains("too little texture", told.GetProperty("reason").GetString());
    }

    private string Solve => $"--plate {DemoShot.Folder}/plate --camera {DemoShot.Folder}/solve.json";

    [Fact]
    public void The_set_is_looked_at_wearing_its_footage_from_the_shot_camera_and_from_a_spot()
    {
        // A floor only, so that the command's own work is what takes time: the tiled basin and its walls.
        string set = Path.Combine(Folder, "floor.obj");
        File.WriteAllText(set, "o floor\nv -8 -1.2 -14\nv 8 -1.2 -14\nv 8 -1.2 0\nv -8 -1.2 0\nf 4 3 2 1\n");
        var (exit, _, error) = Run($"view-set {Solve} --set {set} --sources 1030,1044 --at 1036 --out {Folder}/view");
        Assert.True(exit == 0, error);
        ExrPicture view = ExrFile.Read(Path.Combine(Folder, "view", "view.1036.exr"));
        Assert.Equal((1280, 720), (view.Width, view.Height));
        float[] alpha = view.Find("", "A")!.Values,
            red = view.Find("", "R")!.Values;
        Assert.InRange(alpha.Count(a => a > 0.99f), 20_000, 600_000);
        Assert.All(Enumerable.Range(0, 2000).Select(i => i * 400), i =>
            Assert.True(alpha[i] >= 0 && alpha[i] <= 1.0001f && (alpha[i] > 0 || red[i] == 0))
        );
        // With depth: where the floor is (y = −1.2 of the file), and none where nothing is.
        (exit, _, error) = Run($"view-set {Solve} --set {set} --sources 1036 --at 1036 --depth --out {Folder}/deep");
        Assert.True(exit == 0, error);
        ExrPicture deep = ExrFile.Read(Path.Combine(Folder, "deep", "view.1036.exr"));
        float[] z = deep.Find("depth", "Z")!.Values,
            up = deep.Find("P", "Y")!.Values;
        int floor = 0;
        for (int i = 0; i < z.Length; i += 101)
        {
            if (float.IsFinite(z[i]))
            {
                floor++;
                Assert.True(z[i] > 0);
                Assert.Equal(-1.2f, up[i], 1e-3f);
            }
        }
        Assert.True(floor > 500);
        (exit, _, error) = Run(
            $"view-set {Solve} --set {set} --sources 1036 --at 1036 --from latlong:0,1,-6 --size 256x128 --out {Folder}/sphere"
        );
        Assert.True(exit == 0, error);
        ExrPicture sphere = ExrFile.Read(Path.Combine(Folder, "sphere", "view.1036.exr"));
        float[] covered = sphere.Find("", "A")!.Values;
        // A floor is under the spot: nothing above the horizon, something below it.
        Assert.All(covered.Take(256 * 60), a => Assert.Equal(0, a));
        Assert.True(covered.Skip(256 * 70).Count(a => a > 0.5f) > 200);
    }

    [Fact]
    public void Footage_is_written_into_the_set_and_its_coverage_told()
    {
        string set = Path.Combine(Folder, "two.obj");
        File.WriteAllText(
            set,
            "o floor\nv -8 -1.2 -14\nv 8 -1.2 -14\nv 8 -1.2 0\nv -8 -1.2 0\nf 4 3 2 1\no behind\nv -1 0 40\nv 1 0 40\nv 1 1 40\nf 5 6 7\n"
        );
        var (exit, _, error) = Run($"project-footage {Solve} --set {set} --sources 1030,1044 --texel-mm 40 --out {Folder}/baked");
        Assert.True(exit == 0, error);
        Assert.Contains("behind: no source sees it", error);
        JsonElement coverage = JsonDocument.Parse(File.ReadAllText(Path.Combine(Folder, "baked", "coverage.json"))).RootElement;
        JsonElement floor = coverage.GetProperty("pieces")[0],
            behind = coverage.GetProperty("pieces")[1];
        Assert.Equal(("floor", 224.0), (floor.GetProperty("name").GetString(), floor.GetProperty("area_m2").GetDouble()));
        Assert.InRange(floor.GetProperty("covered").GetDouble(), 0.05, 0.9);
        Assert.InRange(floor.GetProperty("texels_per_pixel").GetProperty("median").GetDouble(), 0.5, 1.01);
        Assert.Equal(0, behind.GetProperty("covered").GetDouble());
        Assert.Equal(JsonValueKind.Null, behind.GetProperty("texels_per_pixel").ValueKind);
        double last = 0;
        foreach (JsonElement s in coverage.GetProperty("best_sources").EnumerateArray())
        {
            Assert.InRange(s.GetProperty("frame").GetInt32(), 1001, 1072);
            Assert.True(s.GetProperty("covered").GetDouble() > last);
            last = s.GetProperty("covered").GetDouble();
        }
        Assert.True(last > 0);
        // The GLB is read again as the same surface, and its texture stands beside it.
        ImportedMesh baked = ImportedMesh.Read(File.ReadAllBytes(Path.Combine(Folder, "baked", "set.glb")), "set.glb");
        Assert.Equal(3, baked.Objects.Sum(o => o.Mesh.TriangleCount));
        Assert.True(File.Exists(Path.Combine(Folder, "baked", "textures", "floor.1001.exr")));
        // A texture larger than memory is refused before, with a size that fits; a set in millimetres is known as one.
        (exit, _, error) = Run($"project-footage {Solve} --set {set} --sources 1030 --texel-mm 0.1 --out {Folder}/none");
        Assert.Equal(3, exit);
        Assert.Matches(@"more than memory holds\. Take --texel-mm [\d.]+ or more", error);
        string small = Path.Combine(Folder, "small.obj");
        File.WriteAllText(small, "o floor\nv -0.008 -0.0012 -0.014\nv 0.008 -0.0012 -0.014\nv 0.008 -0.0012 0\nf 1 2 3\n");
        (exit, _, error) = Run($"project-footage {Solve} --set {small} --sources 1036 --out {Folder}/none");
        Assert.Equal(3, exit);
        Assert.Contains("thousandth of its scale", error);
        Assert.False(Directory.Exists(Path.Combine(Folder, "none")));
        Assert.Equal(2, Run($"project-footage {Solve} --set {set} --sources none --out {Folder}/none").Exit);
        Assert.Equal(2, Run($"view-set {Solve} --set {set} --sources 1036 --at 1036 --lens 1 --out {Folder}/none").Exit);
    }

    [Fact]
    public void A_frame_s_depth_is_found_or_it_is_said_why_not()
    {
        // Nine frames around it are enough, and a third of the size.
        string plate = Path.Combine(Folder, "short");
        Directory.CreateDirectory(plate);
        for (int f = 1026; f <= 1046; f += 1)
        {
            CodeImage p = RasterFile.Read(
                File.ReadAllBytes(Directory.GetFiles(Path.Combine(DemoShot.Folder, "plate"), $"*{f}*")[0]),
                "plate"
            );
            File.WriteAllBytes(
                Path.Combine(plate, $"p.{f}.png"),
                RasterFile.ToPng(CodeImage.FromLinear(p.ToLinear(ColorEncoding.Srgb).ReducedTo(480, 270), ColorEncoding.Srgb, 8))
            );
        }
        string solve = Path.Combine(DemoShot.Folder, "solve.json");
        var (exit, _, error) = Run($"depth-map --plate {plate} --camera {solve} --at 1036 --out {Folder}/d.exr");
        Assert.True(exit == 0, error);
        ExrPicture found = ExrFile.Read(Path.Combine(Folder, "d.exr"));
        float[] depth = found.Find("depth", "Z")!.Values,
            confidence = found.Find("confidence", "Y")!.Values;
        Assert.Equal((480, 270), (found.Width, found.Height));
        Assert.InRange(depth.Count(float.IsFinite) / (480.0 * 270), 0.25, 1);
        Assert.All(depth.Zip(confidence), d =>
            Assert.True(float.IsFinite(d.First) ? d.First > 0.5f && d.Second is >= 0 and <= 1 : d.Second == 0)
        );
        (exit, _, error) = Run($"depth-map --plate {plate} --camera {solve} --at 1001 --out {Folder}/d.exr");
        Assert.Equal(3, exit);
        Assert.Contains("no frame 1001", error);
        // A camera that stands still tells no depth.
        JsonNode still = JsonNode.Parse(File.ReadAllText(solve))!;
        foreach (JsonNode? f in still["frames"]!.AsArray())
        {
            f!["camera_to_world"] = still["frames"]![35]!["camera_to_world"]!.DeepClone();
        }
        File.WriteAllText(Path.Combine(Folder, "still.json"), still.ToJsonString());
        (exit, _, error) = Run($"depth-map --plate {plate} --camera {Folder}/still.json --at 1036 --out {Folder}/d2.exr");
        Assert.Equal(3, exit);
        Assert.Contains("parallax", error);
    }
}
