using System.Diagnostics;
using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Xunit;

namespace Plenk.Formats.Tests;

public class FormatTests
{
    private static CodeImage Picture(int width = 16, int height = 8, int bits = 8, int channels = 3) =>
        new(width, height, channels, bits, [.. Enumerable.Range(0, width * height * channels).Select(i => (ushort)(i * 7 % (1 << bits)))]);

    internal static string Repository()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at)!;
        }
        return at;
    }

    private static byte[] Hex(string text) => Convert.FromHexString(text.Replace(" ", ""));

    // The PNG specification's layout: one red pixel in a stored deflate block, 72 bytes.
    [Fact]
    public void A_handwritten_png_reads_as_red()
    {
        CodeImage red = RasterFile.Read(
            Hex(
                "89504e470d0a1a0a0000000d494844520000000100000001080200000090 7753de0000000f49444154780101 0400fbff00ff0000030101008d1de582 0000000049454e44ae426082"
            ),
            "red.png"
        );
        Assert.Equal<ushort>([255, 0, 0], red.Codes);
    }

    [Theory]
    [InlineData(8)]
    [InlineData(16)]
    public void Png_keeps_every_code(int bits)
    {
        CodeImage p = Picture(bits: bits),
            q = RasterFile.Read(RasterFile.ToPng(p), "p.png");
        Assert.Equal(bits, q.Bits);
        Assert.Equal(p.Codes, q.Codes);
    }

    // Debian's OpenEXR reads what is written: exrheader names the channels and types.
    [Fact]
    public void Exr_is_read_back_by_the_reference_tools_and_by_us()
    {
        string path = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.exr");
        try
        {
            float[] depth = [1.5f, float.PositiveInfinity, 2.25f, -3],
                green = [0.5f, 1, 0.18f, 65504];
            ExrFile.Write(path, 2, 2, [new("comp.G", green, Half: true), new("depth.Z", depth)], ExrCompression.Zip, (24000, 1001));
            using Process header = Process.Start(new ProcessStartInfo("exrheader", path) { RedirectStandardOutput = true })!;
            string text = header.StandardOutput.ReadToEnd();
            header.WaitForExit();
            Assert.Contains("comp.G, 16-bit floating-point", text);
            Assert.Contains("depth.Z, 32-bit floating-point", text);
            Assert.Contains("24000/1001", text);
            ExrPicture back = ExrFile.Read(path);
            Assert.Equal(depth, back.Find("depth", "Z")!.Values);
            Assert.Equal(0.5f, back.Find("comp", "G")!.Values[0]);
        }
        finally
        {
            File.Delete(path);
        }
    }

    [Fact]
    public void A_file_that_is_no_exr_is_refused()
    {
        string path = Path.GetTempFileName();
        try
        {
            File.WriteAllText(path, "not a picture");
            Assert.Equal("unreadable", Assert.Throws<FormatFault>(() => ExrFile.Read(path)).Kind);
        }
        finally
        {
            File.Delete(path);
        }
    }

    // The public OBJ description: 1-based, negative counts back, quads split as (0,1,2),(0,2,3).
    [Fact]
    public void Obj_indices()
    {
        const string text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvn 0 0 1\no a\nf 1//1 2//1 3//1 4//1\no b\nf -4 -3 \\\n-2\n";
        ImportedMesh mesh = ImportedMesh.Read(Encoding.UTF8.GetBytes(text), "quad.obj");
        Assert.Equal(2, mesh.Objects.Count);
        Assert.Equal(1, mesh.Objects[0].Mesh.AreaAndVolume().Area, 6);
        Assert.Equal(Vector3.UnitZ, mesh.Objects[1].Mesh.FaceNormal(0));
    }

    [Theory]
    [InlineData("v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a number")]
    [InlineData("v 0 0 0\nv 1 0 0\n", "no faces")]
    [InlineData("v 0 0 0\nf 1 2 9\n", "line 2")]
    public void Bad_meshes_are_refused_in_words(string text, string words) =>
        Assert.Contains(words, Assert.Throws<FormatFault>(() => ImportedMesh.Read(Encoding.UTF8.GetBytes(text), "bad.obj")).Message);

    [Fact]
    public void Glb_keeps_triangles_and_materials()
    {
        byte[] glb = GltfFile.WriteMesh("box", PieceMeshes.Box(new(1, 2, 3)), [new("brass", new(0.5f, 0.4f, 0.2f), 1, 0.3f)]);
        Assert.Equal("glTF"u8.ToArray(), glb[..4]);
        ImportedMesh back = ImportedMesh.Read(glb, "box.glb");
        Assert.Equal(22, back.Merged().AreaAndVolume().Area, 4);
        Assert.Equal(0.3f, back.Materials[0].Roughness, 5);
    }

    // glTF 2.0, 3.9 (base colour picture times factor, alpha modes, emission) and KHR_materials_emissive_strength, written by hand after the text of the standard.
    [Theory]
    [InlineData("\"alphaMode\":\"BLEND\"", true, 0.25098f)]
    [InlineData("\"alphaMode\":\"MASK\",\"alphaCutoff\":0.2", false, 1f)] // all of it is whole then
    [InlineData("\"alphaMode\":\"MASK\",\"alphaCutoff\":0.3", true, 0f)]
    [InlineData("\"alphaMode\":\"OPAQUE\"", false, 0.25098f)]
    public void Glb_materials_bring_pictures_alpha_and_light(string alpha, bool seeThrough, float second)
    {
        // Left pixel whole and red, right one a quarter covered and green.
        string picture = Convert.ToBase64String(RasterFile.ToPng(new CodeImage(2, 1, 4, 8, [255, 0, 0, 255, 0, 255, 0, 64])));
        float[] values = [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, 1, 1, 0, 0];
        byte[] buffer = [.. System.Runtime.InteropServices.MemoryMarshal.AsBytes<float>(values), 0, 0, 1, 0, 2, 0, 0, 0];
        string gltf = $$$"""
            {"asset":{"version":"2.0"},"extensionsUsed":["KHR_materials_emissive_strength"],"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"leaf"}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0,"TEXCOORD_0":1},"indices":2,"material":0}]}],
            "materials":[{"name":"leaf","pbrMetallicRoughness":{"baseColorFactor":[0.5,1,1,1],"baseColorTexture":{"index":0},"metallicFactor":0,"roughnessFactor":0.7},"emissiveFactor":[1,0.5,0.25],"extensions":{"KHR_materials_emissive_strength":{"emissiveStrength":6}},{{{alpha}}}}],
            "textures":[{"source":0}],"images":[{"mimeType":"image/png","uri":"data:image/png;base64,{{{picture}}}"}],
            "buffers":[{"byteLength":{{{buffer.Length}}},"uri":"data:application/octet-stream;base64,{{{Convert.ToBase64String(
                buffer
            )}}}"}],
            "bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":24},{"buffer":0,"byteOffset":60,"byteLength":6}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC2"},{"bufferView":2,"componentType":5123,"count":3,"type":"SCALAR"}]}
            """;
        ImportedMesh mesh = ImportedMesh.Read(Encoding.UTF8.GetBytes(gltf), "leaf.gltf");
        Material m = Assert.Single(mesh.Materials);
        Assert.Equal((new Vector3(0.5f, 1, 1), 0.7f, 0f), (m.BaseColor, m.Roughness, m.Metallic));
        Assert.Equal(new Vector3(6, 3, 1.5f), m.Emission);
        Assert.Equal(seeThrough, m.SeeThrough);
        Assert.Equal((1f, 0f, 1f), (m.Picture![0, 0, 0], m.Picture[0, 0, 1], m.Picture[0, 0, 3]));
        Assert.Equal(second, m.Picture[1, 0, 3], 1e-4);
        Assert.Equal(second, m.Picture[1, 0, 1], 1e-4); // premultiplied
        Assert.Empty(mesh.Warnings);
        // Texture places begin at the picture's upper left corner in glTF, as ours do.
        Assert.Equal([new(0, 1), new(1, 1), new(0, 0)], mesh.Merged().TextureCoordinates![..3]);
    }

    // RFC 4180.
    [Fact]
    public void Csv_quotes()
    {
        string[] fields = ["a", "b,c", "d\"e", "line1\nline2", "", "1.5"];
        Assert.Equal("a,\"b,c\",\"d\"\"e\",\"line1\nline2\",,1.5\r\n", CsvFile.Row(fields));
        Assert.Equal(fields, CsvFile.Read("\uFEFF" + CsvFile.Row(fields))[0]);
    }

    [Fact]
    public void Cameras_with_faults_are_refused_with_their_frame()
    {
        var import = new CameraImport(1280, 720, 36, 1001, new(24, 1));
        CameraSource good = CameraFiles.Read(
            Encoding.UTF8.GetBytes("frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n1001,1,2,3,0,0,0,1,28\n"),
            "c.csv",
            import
        );
        Assert.Equal(28.0 * 1280 / 36, good.Samples[0].FocalPx, 6);
        FormatFault zero = Assert.Throws<FormatFault>(() =>
            CameraFiles.Read(Encoding.UTF8.GetBytes("frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n1007,1,2,3,0,0,0,1,0\n"), "c.csv", import)
        );
        Assert.Contains("1007", zero.Message);
        Assert.Contains("focal length", zero.Message);
        Assert.Contains(
            "no column",
            Assert.Throws<FormatFault>(() => CameraFiles.Read("frame,x\n1,2\n"u8.ToArray(), "c.csv", import)).Message
        );
    }

    [Fact]
    public void A_delivery_is_checked_frame_by_frame()
    {
        byte[] png = RasterFile.ToPng(Picture()),
            jpeg = RasterFile.ToJpeg(Picture(), 90);
        var bomb = (byte[])png.Clone();
        (bomb[16], bomb[20]) = (0x7F, 0x7F);
        DeliveredFile F(string name, byte[] bytes) => new(name, () => bytes);
        PlateCheckResult r = PlateCheck.Check(
            [
                F("p.1001.png", png),
                F("p.1002.png", []),
                F("p.1003.png", png[..60]),
                F("p.1004.png", RasterFile.ToPng(Picture(20))),
                F("p.1005.png", RasterFile.ToPng(Picture(bits: 16))),
                F("p.1006.png", RasterFile.ToPng(Picture(channels: 1))),
                F("p.1008.png", png),
                F("p.1008.jpg", jpeg),
                F("p.1009.png", bomb),
                F("p.1010.png", "text"u8.ToArray()),
                F("cover.png", png),
            ],
            expectedFirst: 1000
        );
        Assert.Equal([1001, 1008], r.Frames.Select(f => f.Frame));
        string Kind(int frame) => r.Faults.First(f => f.Frame == frame && f.Kind != "start").Kind;
        Assert.Equal("empty", Kind(1002));
        Assert.Equal("truncated", Kind(1003));
        Assert.Equal("size", Kind(1004));
        Assert.Equal("depth", Kind(1005));
        Assert.Equal("depth", Kind(1006));
        Assert.Equal("missing", Kind(1007));
        Assert.Equal("duplicate", Kind(1008));
        Assert.Contains(Kind(1009), new[] { "too_large", "unreadable", "truncated" });
        Assert.Equal("unreadable", Kind(1010));
        Assert.Contains(r.Faults, f => f.Kind == "start");
        Assert.Contains(r.Faults, f => f.Kind == "name");
        Assert.All(r.Faults, f => Assert.NotEmpty(f.Mend));
    }

    // An artist's camera often writes CMYK for print: refused by name, not turned into wrong colours.
    [Fact]
    public void Cmyk_and_animated_pictures_are_refused_in_words()
    {
        using (
            NetVips.Image rgb = NetVips
                .Image.Black(16, 16, 3)
                .Cast(NetVips.Enums.BandFormat.Uchar)
                .Copy(interpretation: NetVips.Enums.Interpretation.Srgb)
        )
        using (
            NetVips.Image cmyk = (NetVips.Image.Black(16, 16, 4) + 40)
                .Cast(NetVips.Enums.BandFormat.Uchar)
                .Copy(interpretation: NetVips.Enums.Interpretation.Cmyk)
        )
        {
            FormatFault print = Assert.Throws<FormatFault>(() => RasterFile.Read(cmyk.JpegsaveBuffer(), "p.1001.jpg"));
            Assert.Contains("CMYK", print.Message);
            Assert.NotEmpty(print.Mend);
            Assert.Equal(16, RasterFile.Read(rgb.JpegsaveBuffer(), "p.1001.jpg").Width);
        }
        // An animated PNG is a PNG with an acTL chunk before the picture (the APNG specification; two frames, endless).
        byte[] png = RasterFile.ToPng(Picture());
        byte[] chunk = [0, 0, 0, 8, .. "acTL"u8, 0, 0, 0, 2, 0, 0, 0, 0, 0, 0, 0, 0];
        uint crc = ~0u; // ISO 3309, as the PNG specification has it
        foreach (byte b in chunk.AsSpan(4, 12))
        {
            crc ^= b;
            for (int k = 0; k < 8; k++)
            {
                crc = (crc & 1) != 0 ? 0xEDB88320u ^ (crc >> 1) : crc >> 1;
            }
        }
        crc = ~crc;
        (chunk[16], chunk[17], chunk[18], chunk[19]) = ((byte)(crc >> 24), (byte)(crc >> 16), (byte)(crc >> 8), (byte)crc);
        FormatFault moving = Assert.Throws<FormatFault>(() => RasterFile.Read([.. png[..33], .. chunk, .. png[33..]], "p.1001.png"));
        Assert.Contains("animated", moving.Message);
    }

    [Fact]
    public void A_mesh_of_a_million_triangles_comes_in_and_is_traced()
    {
        const int n = 708;
        var text = new StringBuilder();
        for (int j = 0; j <= n; j++)
        {
            for (int i = 0; i <= n; i++)
            {
                text.Append(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"v {i * 0.01:0.##} {0.1 * Math.Sin(i * 0.1) * Math.Sin(j * 0.1):0.#####} {j * 0.01:0.##}\n"
                );
            }
        }
        for (int j = 0; j < n; j++)
        {
            for (int i = 0; i < n; i++)
            {
                int p = j * (n + 1) + i + 1;
                text.Append(System.Globalization.CultureInfo.InvariantCulture, $"f {p} {p + n + 1} {p + n + 2} {p + 1}\n");
            }
        }
        Core.Tracing.TriangleMesh mesh = ImportedMesh.Read(Encoding.UTF8.GetBytes(text.ToString()), "terrain.obj").Merged();
        Assert.Equal(2 * n * n, mesh.TriangleCount);
        var tree = new Core.Tracing.MeshTree(mesh);
        Assert.True(tree.Intersect(new(new(3.3f, 5, 3.3f), -Vector3.UnitY)).IsHit);
        Assert.False(tree.Intersect(new(new(-3.3f, 5, 3.3f), -Vector3.UnitY)).IsHit);
    }

    // The validator of the format's own makers (npm gltf-validator): no errors, no warnings, in what we write and in the demo's bell.
    [Fact]
    public void Glb_passes_the_validator()
    {
        string at = Repository();
        string file = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.glb"),
            textured = $"{file}.textured.glb";
        try
        {
            File.WriteAllBytes(
                file,
                GltfFile.WriteMesh("box", PieceMeshes.Box(new(1, 2, 3)), [new("brass", new(0.5f, 0.4f, 0.2f), 1, 0.3f)])
            );
            // And a wall with footage of its own on two tiles.
            byte[] tile = RasterFile.ToPng(new CodeImage(4, 4, 3, 8, new ushort[48]));
            Core.Tracing.TriangleMesh wall = new(
                [new(0, 0, 0), new(1, 0, 0), new(1, 1, 0), new(0, 0, 0), new(1, 1, 0), new(0, 1, 0)],
                [0, 1, 2, 3, 4, 5]
            )
            {
                TextureCoordinates = [new(0, 1), new(1, 1), new(1, 0), new(0, 1), new(1, 0), new(0, 0)],
            };
            File.WriteAllBytes(textured, GltfFile.WriteTextured([("wall", wall, [0, 1], [tile, tile])]));
            foreach (string glb in (string[])[file, textured, Path.Combine(at, "demo", "BTH_0040", "bell.glb")])
            {
                using Process node = Process.Start(
                    new ProcessStartInfo(
                        "node",
                        [
                            "-e",
                            "require('gltf-validator').validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1]))).then((r) => console.log(r.issues.numErrors, r.issues.numWarnings, r.info.totalTriangleCount))",
                            glb,
                        ]
                    )
                    {
                        WorkingDirectory = at,
                        RedirectStandardOutput = true,
                    }
                )!;
                string[] told = node.StandardOutput.ReadToEnd().Trim().Split(' ');
                node.WaitForExit();
                Assert.Equal(["0", "0"], told[..2]);
                Assert.Equal(
                    ImportedMesh.Read(File.ReadAllBytes(glb), glb).Merged().TriangleCount,
                    int.Parse(told[2], System.Globalization.CultureInfo.InvariantCulture)
                );
            }
        }
        finally
        {
            File.Delete(file);
            File.Delete(textured);
        }
    }

    // glTF 2.0: yfov, column-major matrices, quaternion x y z w, the camera looks along −Z. HFOV 54.43222° at 16:9 is yfov 0.5631968.
    [Fact]
    public void A_gltf_camera_comes_in_with_its_focal_length_and_place()
    {
        const string gltf = """
            {"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
             "cameras":[{"type":"perspective","perspective":{"yfov":0.5631968,"znear":0.1,"aspectRatio":1.7777777778}}],
             "nodes":[{"name":"cam","camera":0,"translation":[2,1.6,8],"rotation":[0,0.17364818,0,0.98480775]}]}
            """;
        CameraSource camera = CameraFiles.Read(
            Encoding.UTF8.GetBytes(gltf),
            "camera.gltf",
            new CameraImport(1920, 1080, 36, 1001, new(24, 1))
        );
        CameraSample s = camera.Samples[0];
        Assert.Equal(1866.667, s.FocalPx, 2);
        Assert.Equal([2, 1.6, 8], new[] { s.CameraToWorld[3], s.CameraToWorld[7], s.CameraToWorld[11] }, (a, b) => Math.Abs(a - b) < 1e-6);
        // Turned by 20° about Y (half angle 10°): the axis it looks along is −Z turned, so its X is −sin 20°.
        Assert.Equal(-0.34202014, -s.CameraToWorld[2], 5);
    }

    [Theory]
    [InlineData("[1,0,0,0, 0,1,0,0, 0,0,2,0, 0,0,0,1]", "1003")]
    [InlineData("[1,0,0,0, 0,1,0,0, 0,0,1,0, 5,0,0,1]", "columns")]
    [InlineData("[-1,0,0,0, 0,1,0,0, 0,0,1,0, 0,0,0,1]", "mirrored")]
    [InlineData("[1,0,0,0]", "16")]
    public void A_solve_with_a_wrong_matrix_is_refused_with_its_frame(string matrix, string words)
    {
        string json =
            $$"""{"width":1280,"height":720,"frames":[{"frame":1003,"camera_to_world":{{matrix}},"focal_px":900,"cx":640,"cy":360}]}""";
        FormatFault fault = Assert.Throws<FormatFault>(() =>
            CameraFiles.Read(Encoding.UTF8.GetBytes(json), "solve.json", new CameraImport(1280, 720, 36, 1001, new(24, 1)))
        );
        Assert.Contains(words, fault.Message);
        Assert.Contains("1003", fault.Message);
    }

    // "Bundle Adjustment in the Large", Agarwal et al. 2010: 16 cameras, 22,106 points, 83,718 observations with lenses of their
    // own. Published costs ½ Σ r²: 4.185660e+06 at the start, 1.803390e+04 at the end; RMS 9.9997 and 0.65637 px (NOTICE beside it).
    [Fact]
    public void A_published_bundle_ends_at_its_published_cost()
    {
        string at = Repository();
        Core.Solving.BundleProblem problem = BundleFile.Read(Path.Combine(at, "tests", "data", "bundle", "problem-16-22106-pre.txt.gz"));
        Core.Solving.BundleReport report = Core.Solving.BundleAdjustment.Run(problem, iterations: 50);
        Assert.Equal(4185659.518, report.StartCost, 0.01);
        Assert.Equal(9.9997, report.StartRms, 4);
        Assert.InRange(report.EndCost, 18000, 18034);
        Assert.Equal(0.65637, report.EndRms, 4);
    }
}
