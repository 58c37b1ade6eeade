using System.Diagnostics;
using System.Globalization;
using System.Numerics;
using System.Text;
using System.Text.RegularExpressions;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>What leaves a shot, against the formats' own texts and foreign readers.</summary>
public sealed partial class HandOverFormatTests : FileTests
{
    // IDM-01: the commonly published vectors of MurmurHash3_x86_32 (Appleby, public domain).
    [Theory]
    [InlineData("", 0u, 0u)]
    [InlineData("", 1u, 0x514e28b7u)]
    [InlineData("test", 0u, 0xba6bd213u)]
    [InlineData("hello", 0u, 0x248bfa47u)]
    [InlineData("aaaa", 0x9747b28cu, 0x5a97808au)]
    [InlineData("Hello, world!", 0x9747b28cu, 0x24884cbau)]
    [InlineData("ππππππππ", 0x9747b28cu, 0xd58063c1u)]
    [InlineData("The quick brown fox jumps over the lazy dog", 0u, 0x2e4ff723u)]
    public void Hashes_are_the_published_ones(string text, uint seed, uint hash) =>
        Assert.Equal(hash, IdMatteFile.Hash(Encoding.UTF8.GetBytes(text), seed));

    // IDM-02 and IDM-03: the open ID-matte specification 1.2, its example manifest and the exponent rule.
    [Theory]
    [InlineData("bunny", 0x13851a76u)]
    [InlineData("default", 0x42c9679fu)]
    [InlineData("été", 0x3393660fu)]
    [InlineData("obj_456", 0x80f1e77cu)]
    [InlineData("obj_213", 0x7f474713u)]
    public void Names_become_the_specifications_ids(string name, uint id)
    {
        Assert.Equal(id, IdMatteFile.IdOf(name));
        Assert.True(float.IsNormal(IdMatteFile.AsFloat(id)));
    }

    [Fact]
    public void A_layers_key_is_the_first_seven_digits_of_its_hash() =>
        Assert.Equal(("d593dd7", "ae93ba3"), (IdMatteFile.KeyOf("uCryptoAsset"), IdMatteFile.KeyOf("uCryptoObject")));

    // IDM-04, written by us and read by Debian's image tool; the values that it prints are decoded here by hand.
    [Fact]
    public void Id_mattes_are_read_by_a_foreign_tool_and_come_back()
    {
        string[] names = ["bunny", "default", "hero"];
        var matte = new IdMatte("id_object", names, 2);
        (matte.Numbers[0], matte.Coverage[0], matte.Numbers[1], matte.Coverage[1], matte.Numbers[2], matte.Coverage[2]) = (
            0,
            0.6f,
            1,
            0.3f,
            2,
            0.1f
        );
        string path = At("ids.exr");
        ExrFile.Write(
            path,
            2,
            1,
            IdMatteFile.Channels(matte, names),
            new ExrHead { Attributes = IdMatteFile.Attributes("id_object", names), Primaries = Primaries.Bt709 }
        );
        string dump = Tool("oiiotool", "--dumpdata", path);
        double[] first =
        [
            .. Regex
                .Match(dump, @"Pixel \(0, 0\):(.*)")
                .Groups[1]
                .Value.Split((char[])[' ', '\t'], StringSplitOptions.RemoveEmptyEntries)
                .Select(v => double.Parse(v, CultureInfo.InvariantCulture)),
        ];
        Assert.Equal(12, first.Length);
        // It prints so many decimals that the smallest ID is 0; its bits are told by the manifest below.
        Assert.Contains(first, v => Math.Abs(v - 100.702385) < 1e-4);
        Assert.Contains(first, v => Math.Abs(v - 0.6) < 1e-6);
        string head = Tool("exrheader", path);
        Assert.Contains("\"bunny\":\"13851a76\"", head);
        Assert.Contains("uint32_to_float32", head);
        Assert.Contains("32-bit floating-point", head);
        Assert.DoesNotContain("16-bit floating-point", head);

        IdMatteFile.Layer back = Assert.Single(IdMatteFile.Read(ExrFile.Read(path)));
        Assert.Empty(back.Notes);
        Assert.Equal(0.3f, back.Coverage["default"][0]);
        Assert.Equal(0.7f, back.Coverage["bunny"][0] + back.Coverage["hero"][0], 1e-6);
        Assert.Equal(0.3f, matte.Of(["default"])[0]);
    }

    [Fact]
    public void Id_mattes_that_were_harmed_say_how()
    {
        var matte = new IdMatte("ids", ["bunny"], 4);
        for (int i = 0; i < 4; i++)
        {
            (matte.Numbers[i * 6], matte.Coverage[i * 6]) = (0, 1);
        }
        IReadOnlyList<ExrChannel> channels = IdMatteFile.Channels(matte, ["bunny"]);
        var attributes = new Dictionary<string, string>(IdMatteFile.Attributes("ids", ["bunny"]));
        string path = At("bare.exr");
        ExrFile.Write(
            path,
            2,
            2,
            channels,
            new ExrHead { Attributes = attributes.Where(a => !a.Key.EndsWith("manifest", StringComparison.Ordinal)).ToDictionary() }
        );
        IdMatteFile.Layer bare = Assert.Single(IdMatteFile.Read(ExrFile.Read(path)));
        Assert.Contains("no manifest", Assert.Single(bare.Notes));
        Assert.Equal(1, bare.Coverage["13851a76"][3]);
        // Averaged with its neighbour an ID is another one.
        ExrChannel[] filtered =
        [
            .. channels.Select(c => c.Name == "ids00.R" ? c with { Values = [.. c.Values.Select((v, i) => i < 2 ? v * 0.5f : v)] } : c),
        ];
        ExrFile.Write(path, 2, 2, filtered, new ExrHead { Attributes = attributes });
        Assert.Contains(Assert.Single(IdMatteFile.Read(ExrFile.Read(path))).Notes, n => n.Contains("filtered", StringComparison.Ordinal));
    }

    // FMT-10, SMPTE ST 268M: words R<<22 | G<<12 | B<<2, offsets of the header's fields; and what Debian's image tool makes of it.
    [Fact]
    public void Dpx_is_packed_as_the_standard_says()
    {
        byte[] dpx = DpxFile.Write(new CodeImage(2, 1, 3, 10, [64, 512, 940, 1023, 0, 1]), 10, 3, 1036, new(24, 1));
        Assert.Equal("SDPX"u8.ToArray(), dpx[..4]);
        uint U32(int at) => System.Buffers.Binary.BinaryPrimitives.ReadUInt32BigEndian(dpx.AsSpan(at));
        Assert.Equal((2048u, 0x10200eb0u, 0xffc00004u), (U32(4), U32(2048), U32(2052)));
        Assert.Equal(((uint)dpx.Length, 2u, 1u, 2048u), (U32(16), U32(772), U32(776), U32(808)));
        Assert.Equal((50, 3, 10), (dpx[800], dpx[801], dpx[803]));
        Assert.Equal(24f, BitConverter.UInt32BitsToSingle(U32(1724)));
        var picture = new CodeImage(5, 3, 3, 16, [.. Enumerable.Range(0, 45).Select(i => (ushort)(i * 1400))]);
        string path = At("frame.dpx");
        File.WriteAllBytes(path, DpxFile.Write(picture, 16, 0, 1001, new(25, 1)));
        Assert.Equal(picture.Codes, DpxFile.Read(File.ReadAllBytes(path), "frame").Image.Codes);
        Tool("oiiotool", "frame.dpx", "-d", "uint16", "-o", "frame.png");
        Assert.Equal(picture.Codes, RasterFile.Read(File.ReadAllBytes(At("frame.png")), "png").Codes);
    }

    // Parts, windows and standard attributes, as Debian's OpenEXR tool names them.
    [Fact]
    public void An_exr_of_parts_with_overscan_is_read_by_a_foreign_tool_and_comes_back()
    {
        string path = At("parts.exr");
        float[] values = [.. Enumerable.Range(0, 24).Select(i => i / 8f)];
        ExrFile.Write(
            path,
            6,
            4,
            [new("comp.R", values, Half: true), new("depth.Z", [.. values.Select(v => v + 9)])],
            new ExrHead
            {
                DataCorner = (-1, -1),
                Display = (4, 2),
                PartPerLayer = true,
                Primaries = Primaries.Bt709,
                WorldToCamera = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 2, 3, 4, 1],
                Rate = (24000, 1001),
            }
        );
        string head = Tool("exrheader", path);
        foreach (
            string said in (string[])
                ["\"comp\"", "\"depth\"", "(-1 -1) - (4 2)", "(0 0) - (3 1)", "24000/1001", "worldToCamera", "chromaticities"]
        )
        {
            Assert.Contains(said, head);
        }
        ExrPicture back = ExrFile.Read(path);
        Assert.Equal((6, 4, -1, -1, 4, 2), (back.Width, back.Height, back.DataX, back.DataY, back.DisplayWidth, back.DisplayHeight));
        Assert.Equal(values, back.Channels.Single(c => c.Name == "comp.R").Values);
        Assert.Equal(values[5] + 9, back.Channels.Single(c => c.Name == "depth.Z").Values[5]);
    }

    private static SceneToHandOver Scene()
    {
        (int, Pose, double)[] camera =
        [
            .. Enumerable
                .Range(1001, 3)
                .Select(f => (f, Pose.LookAt(new(0.1 * (f - 1001), 1.6, 5), new(0, 1, 0), Vec3.UnitY), 28.0 + f - 1001)),
        ];
        var bell = new SceneThing(
            "bell",
            PieceMeshes.Box(new(1, 1, 1)),
            [new("brass", new(0.8f, 0.6f, 0.2f), 1, 0.3f)],
            [.. Enumerable.Range(1001, 3).Select(f => (f, new Similarity(1.5, Rotations.AboutY(0.2 * (f - 1001)), new(f - 1001, 0, 0))))]
        );
        Light[] lights =
        [
            new()
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0.3, 1, 0.2),
                Strength = 5,
            },
            new()
            {
                Id = "lamp",
                Kind = LightKind.Spot,
                Position = new(1, 3, 0),
                Direction = new(0, 1, 0),
                Strength = 20,
                InnerDegrees = 10,
                OuterDegrees = 20,
            },
            new()
            {
                Id = "window",
                Kind = LightKind.Rectangle,
                Position = new(0, 2, -4),
                Direction = new(0, 0, 1),
                Width = 2,
                Height = 1,
                Strength = 3,
            },
        ];
        return new(
            camera,
            36,
            20.25,
            new(24, 1),
            [new("floor", PieceMeshes.Box(new(9, 0.1, 9)), [], [(1001, Similarity.Identity)])],
            [bell],
            lights
        );
    }

    [Fact]
    public void The_scene_passes_the_validator_and_its_camera_comes_back()
    {
        string path = At("scene.glb"),
            at = Repository();
        byte[] glb = SceneFile.Glb(Scene());
        File.WriteAllBytes(path, glb);
        using Process node = Process.Start(
            new ProcessStartInfo(
                "node",
                [
                    "-e",
                    "require('gltf-validator').validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1]))).then((r) => console.log(r.issues.numErrors, r.issues.numWarnings, r.info.animationCount, r.info.extensionsUsed))",
                    path,
                ]
            )
            {
                WorkingDirectory = at,
                RedirectStandardOutput = true,
            }
        )!;
        string told = node.StandardOutput.ReadToEnd();
        node.WaitForExit();
        Assert.StartsWith("0 0 1", told);
        Assert.Contains("KHR_lights_punctual", told);
        CameraSource camera = GltfFile.ReadCamera(glb, "scene.glb", 1920, 1080, 1001, new(24, 1));
        Assert.Equal(3, camera.Samples.Count);
        Assert.Equal(0.2, camera.Samples[2].CameraToWorld[3], 1e-5);
    }

    private static string Repository()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at)!;
        }
        return at;
    }

    [Fact]
    public void Copies_of_one_mesh_are_written_once_and_stand_where_each_does()
    {
        SceneToHandOver one = Scene();
        SceneThing bell = one.Elements[0];
        SceneToHandOver three = one with
        {
            Elements =
            [
                .. Enumerable
                    .Range(1, 3)
                    .Select(i => bell with { Name = $"bell {i}", Places = [(1001, new Similarity(i, Matrix3.Identity, new(i, 0, 0)))] }),
            ],
        };
        byte[] glb = SceneFile.Glb(three);
        var model = SharpGLTF.Schema2.ModelRoot.ParseGLB(glb);
        var nodes = model.LogicalNodes.Where(n => n.Name.StartsWith("bell ", StringComparison.Ordinal)).ToArray();
        Assert.Equal(3, nodes.Length);
        Assert.Single(nodes.Select(n => n.Mesh).Distinct());
        Assert.Equal([1f, 2f, 3f], nodes.Select(n => n.LocalTransform.Translation.X));
        string usd = SceneFile.Usd(three);
        Assert.Single(System.Text.RegularExpressions.Regex.Matches(usd, "def Mesh \"bell_1\"\n"));
        Assert.Equal(2, usd.Split("prepend references = </shot/elements/bell_1>").Length - 1);
        Assert.Equal(SceneFile.Usd(one).Split("faceVertexCounts").Length, usd.Split("faceVertexCounts").Length);
    }

    // FMT-07: row vectors with the translation in the last row, counts that sum to the indices, a camera whose ratio of lengths fixes the angle of view.
    [Fact]
    public void The_usd_text_says_where_all_is()
    {
        string usd = SceneFile.Usd(Scene());
        Assert.StartsWith("#usda 1.0\n", usd);
        Assert.Equal(usd.Count(c => c == '{'), usd.Count(c => c == '}'));
        Assert.Equal(usd.Count(c => c == '['), usd.Count(c => c == ']'));
        foreach (
            string said in (string[])
                [
                    "upAxis = \"Y\"",
                    "metersPerUnit = 1",
                    "startTimeCode = 1001",
                    "endTimeCode = 1003",
                    "def DistantLight",
                    "def RectLight",
                    "def SphereLight",
                    "1003: 0.3,",
                ]
        )
        {
            Assert.Contains(said, usd);
        }
        Assert.Contains("float horizontalAperture = 0.36", usd);
        foreach (Match m in Counts().Matches(usd))
        {
            Assert.Equal(
                m.Groups[1].Value.Split(',').Sum(v => int.Parse(v, CultureInfo.InvariantCulture)),
                m.Groups[2].Value.Split(',').Length
            );
        }
        // The bell at 1003: turned by 0.4, 1.5 as large, 2 m along x.
        Match bell = Regex.Match(
            usd[usd.IndexOf("\"bell\"", StringComparison.Ordinal)..],
            @"1003: \( \(([^)]*)\), \(([^)]*)\), \(([^)]*)\), \(([^)]*)\) \)"
        );
        double[] Row(int k) => [.. bell.Groups[k].Value.Split(',').Select(v => double.Parse(v, CultureInfo.InvariantCulture))];
        Assert.Equal([2, 0, 0, 1], Row(4));
        Assert.Equal(1.5 * Math.Cos(0.4), Row(1)[0], 1e-6);
        Assert.Equal(-1.5 * Math.Sin(0.4), Row(1)[2], 1e-6);
    }

    [GeneratedRegex(@"faceVertexCounts = \[([^\]]*)\]\s+int\[\] faceVertexIndices = \[([^\]]*)\]")]
    private static partial Regex Counts();
}
