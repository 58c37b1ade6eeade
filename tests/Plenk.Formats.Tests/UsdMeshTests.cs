using System.Numerics;
using System.Text;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Formats.Meshes.Usd;
using Xunit;

namespace Plenk.Formats.Tests;

public sealed class UsdMeshTests
{
    private const string Head =
        "#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = \"Z\"\n    startTimeCode = 101\n    endTimeCode = 125\n    timeCodesPerSecond = 24\n)\n";

    private const string Faces =
        "int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 2]\nuniform token subdivisionScheme = \"none\"\n";

    private static UsdMesh Read(string body, string head = Head, Func<string, byte[]?>? beside = null) =>
        new(Encoding.UTF8.GetBytes(head + body), "lid.usda", beside);

    private static Vector3[] Corners(UsdMesh mesh, double? seconds = null) =>
        [.. mesh.At(seconds).Objects.SelectMany(o => o.Mesh.Indices.Select(i => o.Mesh.Positions[i]))];

    private static void Near(string expected, Vector3[] own)
    {
        double[] numbers =
        [
            .. expected
                .Split((char[])[' ', '\n'], StringSplitOptions.RemoveEmptyEntries)
                .Select(s => double.Parse(s, System.Globalization.CultureInfo.InvariantCulture)),
        ];
        Assert.Equal(numbers.Length, 3 * own.Length);
        for (int i = 0; i < own.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(numbers[3 * i + c], own[i][c], 1e-5);
            }
        }
    }

    // Corners in metres, Y up, as three.js r187's USD loader reads the same text (its USDLoader, run by hand).
    [Fact]
    public void Ops_units_and_the_up_axis_are_read_as_an_independent_reader_has_them() =>
        Near(
            """
            1.000000 0.100000 0.500000
            1.052654 0.042642 0.437249
            0.815155 0.154709 0.135529
            1.000000 0.100000 0.500000
            0.815155 0.154709 0.135529
            0.762501 0.212067 0.198279
            1.000000 0.100000 0.500000
            0.762501 0.212067 0.198279
            0.972519 0.271496 0.320184
            1.084536 0.220696 0.235241
            1.043617 0.192997 0.113539
            0.853769 0.327529 0.169323
            """,
            Corners(
                Read(
                    """
                    def Xform "crate" (
                        kind = "component"
                    )
                    {
                        double3 xformOp:translate = (100, -50, 10)
                        float3 xformOp:rotateXYZ = (20, 35, 50)
                        float3 xformOp:scale = (1, 2, 0.5)
                        uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ", "xformOp:scale"]

                        def Mesh "box"
                        {
                            int[] faceVertexCounts = [4, 3]
                            int[] faceVertexIndices = [0, 1, 2, 3, 0, 3, 4]
                            point3f[] points = [(0, 0, 0), (10, 0, 0), (10, 20, 0), (0, 20, 0), (0, 10, 30)]
                            uniform token subdivisionScheme = "none"
                            color3f[] primvars:displayColor = [(0.2, 0.4, 0.6)] (
                                interpolation = "constant"
                            )
                        }

                        def Mesh "lid"
                        {
                            int[] faceVertexCounts = [3]
                            int[] faceVertexIndices = [0, 1, 2]
                            point3f[] points = [(0, 0, 0), (10, 0, 0), (0, 20, 0)]
                            uniform token subdivisionScheme = "none"
                            double3 xformOp:translate = (0, 0, 30)
                            double3 xformOp:translate:pivot = (0, 20, 0)
                            float xformOp:rotateX = -40
                            quatf xformOp:orient = (0.9238795, 0, 0, 0.3826834)
                            uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:translate:pivot", "xformOp:rotateX", "xformOp:orient", "!invert!xformOp:translate:pivot"]
                        }
                    }
                    """
                )
            )
        );

    // By hand: time code 101 is 0 s; 24 codes are a second; values go straight between samples and stay beyond them (USD's own rule).
    [Fact]
    public void Points_and_places_are_sampled_over_time()
    {
        UsdMesh mesh = Read(
            $$"""
            def Mesh "cloth"
            {
                {{Faces}}
                point3f[] points.timeSamples = {
                    101: [(0, 0, 0), (100, 0, 0), (0, 100, 0)],
                    125: [(0, 0, 0), (100, 0, 200), (0, 100, 0)],
                }
                double3 xformOp:translate.timeSamples = {
                    101: (0, 0, 0),
                    113: (0, 0, 50),
                }
                uniform token[] xformOpOrder = ["xformOp:translate"]
            }
            """
        );
        Assert.True(mesh.Moves);
        Assert.False(mesh.IsRigid);
        Assert.Equal(1, mesh.Seconds, 1e-9);
        Near("0 0 0  1 0 0  0 0 -1", Corners(mesh, 0));
        Near("0 0.25 0  1 0.75 0  0 0.25 -1", Corners(mesh, 0.25));
        Near("0 0.5 0  1 2.5 0  0 0.5 -1", Corners(mesh, 7));
        // Without a time it stands as its first sample has it.
        Near("0 0 0  1 0 0  0 0 -1", Corners(mesh));
    }

    [Fact]
    public void A_rigid_files_nodes_go_their_way()
    {
        UsdMesh mesh = Read(
            $$"""
            def Xform "arm"
            {
                float xformOp:rotateZ.timeSamples = { 101: 0, 125: 90 }
                uniform token[] xformOpOrder = ["xformOp:rotateZ"]
                def Mesh "hand"
                {
                    {{Faces}}
                    point3f[] points = [(100, 0, 0), (200, 0, 0), (100, 0, 100)]
                }
            }
            """
        );
        Assert.True(mesh.IsRigid);
        var (name, own, at) = Assert.Single(mesh.Nodes());
        Assert.Equal("hand", name);
        Vector3 half = Vector3.Transform(own.Positions[0], at(0.5));
        Assert.Equal(0, (new Vector3(MathF.Sqrt(0.5f), 0, -MathF.Sqrt(0.5f)) - half).Length(), 1e-5);
    }

    // UsdPreviewSurface as its published specification names its inputs; st counts from the lower left.
    [Fact]
    public void Materials_by_part_and_texture_coordinates_come_along()
    {
        ImportedMesh mesh = Read(
                """
                def Mesh "sign" (
                    prepend apiSchemas = ["MaterialBindingAPI"]
                )
                {
                    int[] faceVertexCounts = [3, 3]
                    int[] faceVertexIndices = [0, 1, 2, 0, 2, 3]
                    point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
                    texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] (
                        interpolation = "faceVarying"
                    )
                    int[] primvars:st:indices = [0, 1, 2, 0, 2, 3]
                    uniform token subdivisionScheme = "none"
                    rel material:binding = </looks/wood>
                    def GeomSubset "frame"
                    {
                        uniform token elementType = "face"
                        int[] indices = [1]
                        rel material:binding = </looks/iron>
                    }
                }
                def Scope "looks"
                {
                    def Material "wood"
                    {
                        token outputs:surface.connect = </looks/wood/s.outputs:surface>
                        def Shader "s"
                        {
                            uniform token info:id = "UsdPreviewSurface"
                            color3f inputs:diffuseColor = (0.3, 0.2, 0.1)
                            float inputs:roughness = 0.8
                            token outputs:surface
                        }
                    }
                    def Material "iron"
                    {
                        def Shader "s"
                        {
                            uniform token info:id = "UsdPreviewSurface"
                            color3f inputs:diffuseColor.connect = </looks/iron/t.outputs:rgb>
                            float inputs:metallic = 1
                        }
                        def Shader "t"
                        {
                            uniform token info:id = "UsdUVTexture"
                            asset inputs:file = @./rust.png@
                        }
                    }
                }
                """
            )
            .At(null);
        Assert.Equal(["wood", "iron"], mesh.Materials.Select(m => m.Name));
        Assert.Equal(
            (new Vector3(0.3f, 0.2f, 0.1f), 0f, 0.8f),
            (mesh.Materials[0].BaseColor, mesh.Materials[0].Metallic, mesh.Materials[0].Roughness)
        );
        Assert.Equal(1, mesh.Materials[1].Metallic);
        Assert.Contains(mesh.Warnings, w => w.Contains("./rust.png", StringComparison.Ordinal));
        TriangleMesh own = mesh.Objects[0].Mesh;
        Assert.Equal([0, 1], own.Materials!);
        Assert.Equal(
            [new(0, 1), new(1, 1), new(1, 0), new(0, 1), new(1, 0), new(0, 0)],
            own.Indices.Select(i => own.TextureCoordinates![i])
        );
    }

    [Fact]
    public void What_is_not_taken_is_told()
    {
        ImportedMesh mesh = Read(
                $$"""
                def Mesh "seen" { {{Faces}} point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)] }
                def Mesh "hidden" { {{Faces}} token visibility = "invisible" point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)] }
                def Sphere "ball" { double radius = 2 }
                def "far" ( prepend references = @other.usda@</tree> ) { }
                def SkelRoot "body" { }
                """
            )
            .At(null);
        Assert.Equal("seen", Assert.Single(mesh.Objects).Name);
        Assert.Equal(4, mesh.Warnings.Count);
        Assert.All(["hidden", "ball", "/far", "body"], name =>
            Assert.Contains(mesh.Warnings, w => w.Contains(name, StringComparison.Ordinal))
        );
    }

    [Theory]
    [InlineData("def Mesh \"a\" { ", "ends within")]
    [InlineData("def Mesh \"a\" { point3f[] points = [(0, 0, 0), (1, 0", "line 9")]
    [InlineData(
        "def Mesh \"a\" { int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 1, 7]\npoint3f[] points = [(0, 0, 0)] }",
        "names point 1"
    )]
    [InlineData(
        "def Mesh \"a\" { int[] faceVertexCounts = [4]\nint[] faceVertexIndices = [0, 0, 0]\npoint3f[] points = [(0, 0, 0)] }",
        "corners"
    )]
    [InlineData(
        "def Mesh \"a\" { int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 0, 0]\npoint3f[] points.timeSamples = { 1: [(0, 0, 0)], 2: [(0, 0, 0), (1, 1, 1)] } }",
        "at time 2"
    )]
    [InlineData(
        "def Mesh \"a\" { int[] faceVertexCounts = [3]\nint[] faceVertexIndices = [0, 0, 0]\npoint3f[] points.timeSamples = { 1: [(0, 0, nan)] } }",
        "not a number"
    )]
    [InlineData("def Mesh \"a\" { point3f[] points = [\"", "does not end")]
    public void What_is_broken_is_refused_by_its_place(string body, string says) =>
        Assert.Contains(says, Assert.Throws<FormatFault>(() => Read(body)).Message, StringComparison.Ordinal);

    [Fact]
    public void What_lies_too_deep_or_is_binary_is_refused()
    {
        Assert.Contains(
            "lie in each other",
            Assert.Throws<FormatFault>(() => Read(string.Concat(Enumerable.Repeat("def \"a\" {", 5000)))).Message
        );
        Assert.Contains(
            "lie in each other",
            Assert.Throws<FormatFault>(() => Read($"def \"a\" {{ int b = {new string('[', 100_000)}")).Message
        );
        Assert.Contains("no faces", Assert.Throws<FormatFault>(() => ImportedMesh.Read("#usda 1.0\n"u8.ToArray(), "a.usda")).Message);
        Assert.Contains("#usda", Assert.Throws<FormatFault>(() => ImportedMesh.Read("PXR-USDC"u8.ToArray(), "a.usd")).Message);
    }

    // What bends is written as it is by frame: as morph targets in glTF (read back by SharpGLTF's curves), as samples of its points in USD.
    [Fact]
    public void What_bends_leaves_with_the_scene_in_both_forms()
    {
        var mesh = new TriangleMesh([new(0, 0, 0), new(1, 0, 0), new(0, 1, 0), new(1, 1, 0)], [0, 1, 2, 2, 1, 3]);
        Vector3[] Bent(float by) => [.. mesh.Positions.Select(p => p with { Z = by * p.Y })];
        var scene = new SceneToHandOver(
            [.. Enumerable.Range(1001, 3).Select(f => (f, Pose.Identity, 35.0))],
            36,
            20.25,
            new FrameRate(24, 1),
            [],
            [
                new("flag", mesh, [], [(1001, new Similarity(1, Matrix3.Identity, new(0, 2, 0)))])
                {
                    Shapes = [(1001, mesh.Positions), (1002, Bent(1)), (1003, Bent(3))],
                },
            ],
            []
        );
        GltfMesh glb = GltfFile.OpenMesh(SceneFile.Glb(scene), "scene.glb");
        var usd = new UsdMesh(Encoding.UTF8.GetBytes(SceneFile.Usd(scene)), "scene.usda");
        foreach (IMovingMesh file in new IMovingMesh[] { glb, usd })
        {
            Assert.False(file.IsRigid);
            foreach (var (seconds, by) in new[] { (0.0, 0.0), (1 / 24.0, 1), (1.5 / 24, 2), (2 / 24.0, 3) })
            {
                Vector3 top = file.At(seconds).Objects[0].Mesh.Positions.MaxBy(p => p.X + p.Y);
                Assert.Equal(0, (top - new Vector3(1, 3, (float)by)).Length(), 1e-4);
            }
        }
    }
}
