using System.Text.Json;
using Plenk.Core.Sets;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// place-element, relight and find-sun on a small scene that is written here: exit codes, layers, and values of closed forms.
/// </summary>
public sealed class LightCommandTests : IDisposable
{
    private readonly string _folder = Path.Combine(Path.GetTempPath(), $"plenk-light-{Guid.NewGuid():N}");

    private string At(string name) => Path.Combine(_folder, name);

    public LightCommandTests()
    {
        Directory.CreateDirectory(At("plate"));
        // A grey floor seen from 3 m above, straight down; 96 × 54, 20 m wide at the floor.
        ExrFile.Write(
            At("plate/p.1001.exr"),
            96,
            54,
            [.. "RGB".Select(c => new ExrChannel($"{c}", [.. Enumerable.Repeat(0.4f, 96 * 54)]))]
        );
        File.WriteAllText(
            At("camera.json"),
            """{"status":"solved","width":96,"height":54,"k1":0,"k2":0,"frames":[{"frame":1001,"camera_to_world":[1,0,0,0, 0,0,1,3, 0,-1,0,0, 0,0,0,1],"focal_px":48,"cx":48,"cy":27}]}"""
        );
        File.WriteAllText(At("floor.obj"), "o floor\nv -50 0 -50\nv 50 0 -50\nv 50 0 50\nv -50 0 50\nf 1 4 3 2\n");
        File.WriteAllText(
            At("card.obj"),
            "mtllib card.mtl\no card\nusemtl red\nv -0.5 1 -0.5\nv 0.5 1 -0.5\nv 0.5 1 0.5\nv -0.5 1 0.5\nf 1 4 3 2\n"
        );
        File.WriteAllText(At("card.mtl"), "newmtl red\nKd 0.6 0.2 0.1\n");
        File.WriteAllText(
            At("sun.json"),
            """[{"kind":"sun","direction":[0.5,1,0],"irradiance":[2,2,2],"angularDiameterDegrees":0.01},{"kind":"ambient","radiance":[0.2,0.2,0.2]}]"""
        );
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private static (int Exit, string Out, string Error) Run(string command) => PlenkCommand.Run(command);

    // Closed forms: a card 1 m above the floor under a sun at (0.5, 1, 0) throws its shadow 0.5 m towards −x, of ratio
    // ambient ÷ (ambient + sun cos): π 0.2 ÷ (π 0.2 + 2 · 0.894427) = 0.259957; Lambert: albedo ÷ π · E on the card.
    [Fact]
    public void An_element_is_placed_by_command()
    {
        string place =
            $"place-element --plate {At("plate")} --camera {At("camera.json")} --set {At("floor.obj")} --element {At("card.obj")} --lights {At("sun.json")} --frames 1001 --out {At("out")}";
        var (exit, _, error) = Run(place);
        Assert.True(exit == 0, error);
        ExrPicture comp = ExrFile.Read(At("out/comp.1001.exr"));
        float Value(string layer, string channel, double x, double z) =>
            comp.Find(layer, channel)!.Values[(int)(27 + z * 48 / 3) * 96 + (int)(48 + x * 48 / 3)];
        // On the floor a metre is 16 px, on the card 24.
        double e = Math.PI * 0.2 + 2 / Math.Sqrt(1.25),
            ratio = Math.PI * 0.2 / e;
        Assert.Equal(ratio, Value("shadow", "R", -0.9, 0), 1e-3);
        Assert.Equal(0.4 * ratio, Value("comp", "G", -0.9, 0), 1e-3);
        Assert.Equal(1, Value("shadow", "R", 1.5, 0));
        Assert.Equal(0.4, Value("comp", "R", 1.5, 0), 1e-4); // a plate of floats is kept in 16-bit steps
        Assert.Equal(0.6 / Math.PI * e, Value("element", "R", 0, 0), 1e-3);
        Assert.Equal(0.1 / Math.PI * e, Value("comp", "B", 0, 0), 1e-3);
        Assert.Equal(2, Value("depth", "Z", 0, 0), 1e-4);
        Assert.Equal(3, Value("depth", "Z", 1.5, 0), 1e-4);
        Assert.Equal(0, comp.Find("holdout", "A")!.Values.Max());

        File.WriteAllText(At("behind.obj"), File.ReadAllText(At("card.obj")).Replace(" 1 -0.5", " 9 -0.5").Replace(" 1 0.5", " 9 0.5"));
        Assert.Contains("behind the camera", Run(place.Replace("card.obj", "behind.obj")).Error);
        File.WriteAllText(At("alone.obj"), File.ReadAllText(At("card.obj")).Replace("card.mtl", "lost.mtl"));
        Assert.Contains("lost.mtl is not there", Run(place.Replace("card.obj", "alone.obj")).Error);
        Assert.Equal(3, Run(place.Replace("--frames 1001", "--frames 1002")).Exit);
        Assert.Equal(2, Run(place.Replace("sun.json", "none.json")).Exit);
        File.WriteAllText(At("sun.json"), "[{\"kind\":\"sun\"}]");
        (exit, _, error) = Run(place);
        Assert.Equal(3, exit);
        Assert.Contains("needs “direction”", error);
    }

    // What came in ACEScg goes back in it: lamps are BT.709, and red of that is (0.6131, 0.0702, 0.0206) there (ACES S-2014-004).
    [Fact]
    public void A_picture_in_other_primaries_is_lit_in_them()
    {
        ExrFile.Write(
            At("c.exr"),
            1,
            1,
            [new("R", [0.2f]), new("G", [0.3f]), new("B", [0.4f])],
            new ExrHead { Primaries = Plenk.Core.Images.Primaries.AcesCg }
        );
        ExrFile.Write(At("p.exr"), 1, 1, [new("P.X", [0]), new("P.Y", [0]), new("P.Z", [0])]);
        ExrFile.Write(At("n.exr"), 1, 1, [new("N.X", [0]), new("N.Y", [1]), new("N.Z", [0])]);
        File.WriteAllText(At("lamp.json"), """[{"kind":"point","position":[0,3,0],"intensity":[800,0,0],"inPlate":false}]""");
        var (exit, _, error) = Run(
            $"relight --color {At("c.exr")} --position {At("p.exr")} --normal {At("n.exr")} --lights {At("lamp.json")} --out {At("lit.exr")}"
        );
        Assert.True(exit == 0, error);
        ExrPicture lit = ExrFile.Read(At("lit.exr"));
        Assert.Same(Plenk.Core.Images.Primaries.AcesCg, lit.Primaries);
        float One(string c) => lit.Channels.Single(k => k.Name == c).Values[0];
        Assert.Equal(0.2 + 0.6130974 * 14.1471061, One("R"), 1e-4);
        Assert.Equal(0.3 + 0.07019372 * 14.1471061, One("G"), 1e-4);
        Assert.Equal(0.4 + 0.02061559 * 14.1471061, One("B"), 1e-4);
    }

    // A floor and a wall seen by a camera that goes sideways, in inches (25.4 mm, 1959) with Z up: the unit and the axes are found and told, and every
    // frame is lit as by the closed form E = I cos θ ÷ d², L = ρ E ÷ π.
    [Fact]
    public void A_sequence_is_lit_again_and_its_unit_told()
    {
        const int w = 64,
            h = 36;
        const double focal = 60,
            eye = 1.5;
        var csv = new System.Text.StringBuilder("frame,tx,ty,tz,qx,qy,qz,qw,focal_px\n");
        var places = new Dictionary<int, (double X, double Y, double Z, bool Floor)[]>();
        foreach (int f in (int[])[1001, 1002])
        {
            double cx = 0.4 * (f - 1000);
            csv.Append(System.Globalization.CultureInfo.InvariantCulture, $"{f},{cx},{eye},2,0,0,0,1,{focal}\n");
            var own = new (double, double, double, bool)[w * h];
            float[][] p = [new float[w * h], new float[w * h], new float[w * h]],
                n = [new float[w * h], new float[w * h], new float[w * h]];
            for (int i = 0; i < w * h; i++)
            {
                double dx = (i % w + 0.5 - w / 2.0) / focal,
                    dy = -(i / w + 0.5 - h / 2.0) / focal,
                    t = 8; // to the wall at z = −6
                bool floor = dy < 0 && -eye / dy < t;
                t = floor ? -eye / dy : t;
                var (x, y, z) = (cx + t * dx, eye + t * dy, 2 - t);
                own[i] = (x, y, z, floor);
                const double inch = 0.0254;
                (p[0][i], p[1][i], p[2][i]) = ((float)(x / inch), (float)(-z / inch), (float)(y / inch));
                (n[0][i], n[1][i], n[2][i]) = (0, floor ? 0 : -1, floor ? 1 : 0);
            }
            places[f] = own;
            float[] dark = [.. Enumerable.Repeat(0.1f, w * h)];
            ExrFile.Write(At($"c.{f}.exr"), w, h, [new("R", dark), new("G", dark), new("B", dark)]);
            ExrFile.Write(At($"p.{f}.exr"), w, h, [new("P.X", p[0]), new("P.Y", p[1]), new("P.Z", p[2])]);
            ExrFile.Write(At($"n.{f}.exr"), w, h, [new("N.X", n[0]), new("N.Y", n[1]), new("N.Z", n[2])]);
        }
        File.WriteAllText(At("camera.csv"), csv.ToString());
        File.WriteAllText(At("lamp.json"), """[{"kind":"point","position":[0.5,2,-4],"intensity":[50,0,0],"inPlate":false}]""");
        string relight =
            $"relight --color {At("c.####.exr")} --position {At("p.####.exr")} --normal {At("n.####.exr")} --camera {At("camera.csv")} --frames 1001-1002 --lights {At("lamp.json")} --out {At("lit.####.exr")} --report {At("report.json")}";
        var (exit, _, error) = Run(relight);
        Assert.True(exit == 0, error);
        foreach (int f in (int[])[1001, 1002])
        {
            float[] red = ExrFile.Read(At($"lit.{f}.exr")).Find("", "R")!.Values;
            for (int i = 0; i < w * h; i += 7)
            {
                var (x, y, z, floor) = places[f][i];
                double lx = 0.5 - x,
                    ly = 2 - y,
                    lz = -4 - z,
                    square = lx * lx + ly * ly + lz * lz,
                    meant = 0.1 + 0.5 / Math.PI * 50 * Math.Max(0, floor ? ly : lz) / (square * Math.Sqrt(square));
                Assert.Equal(meant, red[i], 2e-3 * meant);
            }
        }
        using (JsonDocument report = JsonDocument.Parse(File.ReadAllText(At("report.json"))))
        {
            JsonElement positions = report.RootElement.GetProperty("positions");
            Assert.Equal(0.0254, positions.GetProperty("metres_per_unit").GetDouble(), 1e-9);
            Assert.True(positions.GetProperty("margin").GetDouble() > 10);
            Assert.Equal("+X +Z -Y", positions.GetProperty("flips").GetString());
            Assert.Equal(
                [1001, 1002],
                report.RootElement.GetProperty("frames").EnumerateArray().Select(r => r.GetProperty("frame").GetInt32())
            );
        }
        // Of another camera nothing is written; a sequence wants numbered files to go into.
        foreach (string lit in Directory.GetFiles(Path.GetDirectoryName(At("x"))!, "lit.*"))
        {
            File.Delete(lit);
        }
        File.WriteAllText(At("camera.csv"), csv.ToString().Replace(",60\n", ",23\n"));
        (exit, _, error) = Run(relight);
        Assert.Equal(3, exit);
        Assert.Contains("Is it the camera of this frame?", error);
        Assert.Empty(Directory.GetFiles(Path.GetDirectoryName(At("x"))!, "lit.*"));
        Assert.Equal(2, Run(relight.Replace("lit.####.exr", "lit.exr")).Exit);
        Assert.Equal(2, Run(relight.Replace("1001-1002", "1001-1003")).Exit);
    }

    // LGT-01: 800 cd, 3 m above, albedo 0.5: 14.1471061 cd/m² under it, 3.05577491 at 4 m; added times the picture's alpha; nothing where the normal is 0 or the position not finite.
    [Fact]
    public void A_picture_is_lit_again_by_command()
    {
        float[] x = [0, 4, 0, 0],
            one = [1, 1, 1, 1];
        ExrFile.Write(
            At("c.exr"),
            4,
            1,
            [new("R", [1, 1, 1, 1]), new("G", [0, 0, 0, 0]), new("B", [0, 0, 0, 0]), new("A", [1, 0.5f, 1, 1])]
        );
        ExrFile.Write(At("p.exr"), 4, 1, [new("P.X", x), new("P.Y", [0, 0, 0, float.PositiveInfinity]), new("P.Z", [0, 0, 0, 0])]);
        ExrFile.Write(At("n.exr"), 4, 1, [new("N.X", [0, 0, 0, 0]), new("N.Y", [1, 1, 0, 1]), new("N.Z", [0, 0, 0, 0])]);
        File.WriteAllText(At("lamp.json"), """[{"kind":"point","position":[0,3,0],"intensity":[800,0,0],"inPlate":false}]""");
        string relight =
            $"relight --color {At("c.exr")} --position {At("p.exr")} --normal {At("n.exr")} --lights {At("lamp.json")} --out {At("lit.exr")} --report {At("report.json")}";
        var (exit, _, error) = Run(relight);
        Assert.True(exit == 0, error);
        float[] red = ExrFile.Read(At("lit.exr")).Find("", "R")!.Values;
        Assert.Equal(1 + 14.1471061, red[0], 1e-4);
        Assert.Equal(1 + 3.05577491 / 2, red[1], 1e-4);
        Assert.Equal((1f, 1f), (red[2], red[3]));
        using (JsonDocument report = JsonDocument.Parse(File.ReadAllText(At("report.json"))))
        {
            Assert.Equal(0.5, report.RootElement.GetProperty("assumedAlbedo").GetDouble(), 1e-6);
            Assert.Equal(2, report.RootElement.GetProperty("pixelsWithoutSurface").GetInt32());
        }
        // A wall between lamp and floor casts its shadow, and only with the set.
        File.WriteAllText(At("wall.obj"), "o wall\nv -1 1 -1\nv 1 1 -1\nv 1 1 1\nv -1 1 1\nf 1 4 3 2\nf 1 2 3 4\n");
        Assert.Equal(0, Run($"{relight} --set {At("wall.obj")}").Exit);
        Assert.Equal(1, ExrFile.Read(At("lit.exr")).Find("", "R")!.Values[0]);
        // A lamp within a block of the set is told, by its name; one in the open, in a corner of nothing, is not.
        File.WriteAllText(At("block.obj"), ObjFile.Write([new("block", PieceMeshes.Box(new(1, 5, 1)))]));
        Assert.Contains("stands inside something solid", Run($"{relight} --set {At("block.obj")}").Error);
        Assert.DoesNotContain("solid", Run($"{relight} --set {At("wall.obj")}").Error);
        Assert.Equal(2, Run($"{relight} --specular 0.5,40").Exit);
        ExrFile.Write(At("n.exr"), 2, 1, [new("N.X", [0, 0]), new("N.Y", [1, 1]), new("N.Z", [0, 0])]);
        (exit, _, error) = Run(relight);
        Assert.Equal(3, exit);
        Assert.Contains("Passes must be of the picture's size", error);
    }

    // SUN-03: Reda and Andreas 2008, table A5.1: azimuth 194.34024°, elevation 39.888378° after refraction.
    [Fact]
    public void The_sun_is_found_by_command()
    {
        var (exit, output, _) = Run("find-sun --date 2003-10-17T12:30:30-07:00 --lat 39.742476 --lon -105.1786");
        Assert.Equal(0, exit);
        using JsonDocument sun = JsonDocument.Parse(output);
        Assert.Equal(194.34024, sun.RootElement.GetProperty("azimuthDegrees").GetDouble(), 0.02);
        Assert.Equal(39.888378, sun.RootElement.GetProperty("elevationDegrees").GetDouble(), 0.02);
        Assert.Equal(2, Run("find-sun --date 2003-10-17T12:30:30-07:00").Exit);
        Assert.Equal(3, Run("find-sun --date never --lat 1 --lon 2").Exit);
        var (below, _, error) = Run("find-sun --date 2003-10-17T00:30:30-07:00 --lat 39.742476 --lon -105.1786");
        Assert.Equal(3, below);
        Assert.Contains("below the horizon", error);
    }
}
