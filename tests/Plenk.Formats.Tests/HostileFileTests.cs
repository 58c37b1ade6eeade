using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Plenk.Formats.Looks;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>
/// Files of every kind that is taken, harmed in a thousand ways by a seeded generator: cut off, bytes changed, runs repeated, numbers made
/// huge or no numbers. Each is read, or refused by a <see cref="FormatFault"/> that says what would mend it; nothing else may come out, and
/// nothing may take long.
/// </summary>
public sealed class HostileFileTests : FileTests
{
    private static readonly int Tries = int.TryParse(Environment.GetEnvironmentVariable("PLENK_HARMS"), out int n) ? n : 400; // more by hand

    private static readonly CameraImport Import = new(192, 108, 36, 1001, new(24, 1));

    private static CodeImage Picture(int channels, int bits) =>
        new(9, 7, channels, bits, [.. Enumerable.Range(0, 63 * channels).Select(i => (ushort)(i * 977 % (1 << bits)))]);

    private static SceneToHandOver Scene()
    {
        (int, Pose, double)[] camera =
        [
            .. Enumerable
                .Range(1001, 3)
                .Select(f => (f, Pose.LookAt(new(0.1 * (f - 1001), 1.6, 5), new(0, 1, 0), Vec3.UnitY), 28.0 + f - 1001)),
        ];
        return new(
            camera,
            36,
            20.25,
            new(24, 1),
            [new("floor", PieceMeshes.Box(new(9, 0.1, 9)), [], [(1001, Similarity.Identity)])],
            [],
            [
                new()
                {
                    Id = "sun",
                    Kind = LightKind.Sun,
                    Direction = new(0.3, 1, 0.2),
                    Strength = 5,
                },
            ]
        );
    }

    private byte[] Exr()
    {
        float[] v = [.. Enumerable.Range(0, 63).Select(i => i / 9f)];
        ExrFile.Write(
            At("whole.exr"),
            9,
            7,
            [new("R", v, Half: true), new("G", v), new("B", v), new("depth.Z", v)],
            new ExrHead
            {
                Compression = ExrCompression.Zips,
                Primaries = Primaries.AcesCg,
                Attributes = new Dictionary<string, string> { ["plenk/frame"] = "1001" },
            }
        );
        return File.ReadAllBytes(At("whole.exr"));
    }

    private byte[] ExrOfIds()
    {
        var matte = new IdMatte("id_object", ["bunny", "hero"], 6);
        for (int i = 0; i < 6; i++)
        {
            (matte.Numbers[i * IdMatte.Ranks], matte.Coverage[i * IdMatte.Ranks]) = (i % 2, 1);
        }
        ExrFile.Write(
            At("ids.exr"),
            3,
            2,
            IdMatteFile.Channels(matte, ["bunny", "hero"]),
            new ExrHead { Compression = ExrCompression.None, Attributes = IdMatteFile.Attributes("id_object", ["bunny", "hero"]) }
        );
        return File.ReadAllBytes(At("ids.exr"));
    }

    private static byte[] Text(string s) => Encoding.UTF8.GetBytes(s);

    private (byte[] Whole, Action<byte[]> Read) Case(string kind)
    {
        var files = CameraExport
            .Files(
                new(
                    [.. Scene().Camera.Select(c => (c.Frame, c.CameraToWorld, new Pinhole(192, 108, 150, 150, 96, 54, Lens.None)))],
                    36,
                    20.25,
                    new(24, 1),
                    [("a", new Vec3(1, 2, 3))],
                    []
                )
            )
            .ToDictionary(f => f.Name, f => f.Bytes);
        return kind switch
        {
            "png" => (RasterFile.ToPng(Picture(3, 16)), b => RasterFile.Read(b, "a.png")),
            "dpx" => (DpxFile.Write(Picture(3, 10), 10, 0, 1001, new(24, 1)), b => DpxFile.Read(b, "a.dpx")),
            "exr" => (Exr(), b => ExrFile.Read(b, "a.exr")),
            "ids" => (ExrOfIds(), b => IdMatteFile.Read(ExrFile.Read(b, "a.exr"))),
            "mtl" => (Text("newmtl brass\nKd 0.6 0.4 0.1\nPm 1\nPr 0.35\nKe 0 0 0\nd 0.5\nmap_Kd none.png\n"), b =>
                ImportedMesh.Read(Text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl brass\nf 1 2 3\n"), "a.obj", n =>
                    n == "a.mtl" ? b : null
                )
            ),
            "hdr" => (
                [
                    .. "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\nEXPOSURE=1\n\n-Y 2 +X 8\n"u8,
                    .. Enumerable
                        .Repeat((byte[])[2, 2, 0, 8, 0x88, 0x80, 0x88, 0x40, 4, 9, 8, 7, 6, 0x84, 5, 0x88, 0x81], 2)
                        .SelectMany(x => x),
                ],
                b => RadianceFile.Read(b, "a.hdr")
            ),
            "obj" => (Text(ObjFile.Write([new("box", PieceMeshes.Box(new(1, 2, 3)))])), b => ImportedMesh.Read(b, "a.obj")),
            "glb" => (SceneFile.Glb(Scene()), b => ImportedMesh.Read(b, "a.glb")),
            "glb camera" => (files["camera.glb"], b => CameraFiles.Read(b, "a.glb", Import)),
            "usda" => (files["camera.usda"], b => CameraFiles.Read(b, "a.usda", Import)),
            "camera csv" => (files["camera.csv"], b => CameraFiles.Read(b, "a.csv", Import)),
            "solve" => (
                Text(
                    """{"width":192,"height":108,"k1":-0.1,"frames":[{"frame":1001,"focal_px":150,"camera_to_world":[1,0,0,0,0,1,0,1.6,0,0,1,5,0,0,0,1]}]}"""
                ),
                b => CameraFiles.Read(b, "a.json", Import)
            ),
            "ply" => (files["points.ply"], b => PointFiles.Read(b, "a.ply")),
            "points csv" => (Text("name,x,y,z\na,1,2,3\nb,4,5,6\n\"c,d\",7,8,9\n"), b => PointFiles.Read(b, "a.csv")),
            "cdl" => (CdlFile.Write(Cdl.Identity, "a"), b => CdlFile.Read(b, "a.cc")),
            "cube" => (
                Text(
                    "TITLE \"a\"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n"
                ),
                b => CubeFile.Read(b, "a.cube")
            ),
            "lines" => (
                Text(
                    """{"width":192,"height":108,"families":[{"axis":"x","lines":[[1,2,30,4],[1,20,30,24]]},{"axis":"z","lines":[[1,2,3,40],[90,2,80,40]]}]}"""
                ),
                b => LineFiles.Read(b, "a.json")
            ),
            _ => throw new ArgumentException(kind),
        };
    }

    /// <summary>One way of harm, by the generator.</summary>
    private static byte[] Harmed(byte[] whole, Random random)
    {
        var b = new List<byte>(whole);
        int times = 1 + random.Next(3);
        for (int t = 0; t < times && b.Count > 0; t++)
        {
            int at = random.Next(b.Count),
                length = Math.Min(b.Count - at, 1 + random.Next(16));
            switch (random.Next(8))
            {
                case 0:
                    b.RemoveRange(at, b.Count - at);
                    break;
                case 1:
                    b.RemoveRange(at, length);
                    break;
                case 2:
                    b[at] ^= (byte)(1 << random.Next(8));
                    break;
                case 3:
                    for (int i = at; i < at + length; i++)
                    {
                        b[i] = (byte)random.Next(256);
                    }
                    break;
                case 4:
                    for (int i = at; i < at + length; i++)
                    {
                        b[i] = 255;
                    }
                    break;
                case 5:
                    for (int i = at; i < at + length; i++)
                    {
                        b[i] = 0;
                    }
                    break;
                case 6:
                    b.InsertRange(at, b.GetRange(at, length));
                    break;
                default:
                    b.InsertRange(
                        at,
                        Text(
                            (string[])["NaN", "-1", "1e999", "99999999999", "\"", "}", "{", "0", "\n", "\0"] is var words
                                ? words[random.Next(words.Length)]
                                : ""
                        )
                    );
                    break;
            }
        }
        return [.. b];
    }

    [Theory]
    [InlineData("png")]
    [InlineData("dpx")]
    [InlineData("exr")]
    [InlineData("ids")]
    [InlineData("mtl")]
    [InlineData("hdr")]
    [InlineData("obj")]
    [InlineData("glb")]
    [InlineData("glb camera")]
    [InlineData("usda")]
    [InlineData("camera csv")]
    [InlineData("solve")]
    [InlineData("ply")]
    [InlineData("points csv")]
    [InlineData("cdl")]
    [InlineData("cube")]
    [InlineData("lines")]
    public void A_harmed_file_is_read_or_refused_in_words(string kind)
    {
        var (whole, read) = Case(kind);
        read(whole);
        int refused = 0;
        for (int seed = 0; seed < Tries; seed++)
        {
            byte[] harmed = Harmed(whole, new Random(seed));
            try
            {
                read(harmed);
            }
            catch (FormatFault f)
            {
                refused++;
                Assert.True(f.Message.Length is > 10 and < 400 && f.Mend.EndsWith('.'), $"seed {seed}: {f.Message} / {f.Mend}");
            }
            catch (Exception e)
            {
                Assert.Fail($"{kind}, seed {seed}: {e.GetType().Name}: {e.Message}\n{e.StackTrace}");
            }
        }
        // A list of materials is read line by line: what makes no sense is left out and told.
        if (kind != "mtl")
        {
            Assert.InRange(refused, Tries / 20, Tries);
        }
    }
}
