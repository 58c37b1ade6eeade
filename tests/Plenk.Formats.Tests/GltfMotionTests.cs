using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>
/// Meshes that move, against the glTF 2.0 specification's own equations, worked out here by hand (3.7.2.2 morphs, 3.7.3 skins, appendix C
/// interpolation).
/// </summary>
public class GltfMotionTests
{
    /// <summary>A glTF written as text from numbers: accessors in their order.</summary>
    private sealed class Written
    {
        private readonly List<byte> _bytes = [];
        private readonly List<string> _views = [],
            _accessors = [];

        public int Floats(string type, int width, params float[] values)
        {
            int at = _bytes.Count;
            foreach (float v in values)
            {
                _bytes.AddRange(BitConverter.GetBytes(v));
            }
            int count = values.Length / width;
            float[] min = [.. Enumerable.Range(0, width).Select(c => Enumerable.Range(0, count).Min(i => values[width * i + c]))],
                max = [.. Enumerable.Range(0, width).Select(c => Enumerable.Range(0, count).Max(i => values[width * i + c]))];
            return Add(at, 5126, count, type, $",\"min\":[{Numbers(min)}],\"max\":[{Numbers(max)}]");
        }

        public int Bytes(params byte[] values)
        {
            int at = _bytes.Count;
            _bytes.AddRange(values);
            return Add(at, 5121, values.Length / 4, "VEC4", "");
        }

        private static string Numbers(float[] v) => string.Join(",", v.Select(x => x.ToString("R", CultureInfo.InvariantCulture)));

        private int Add(int at, int component, int count, string type, string more)
        {
            _views.Add($$"""{"buffer":0,"byteOffset":{{at}},"byteLength":{{_bytes.Count - at}}}""");
            _accessors.Add(
                $$"""{"bufferView":{{_views.Count - 1}},"componentType":{{component}},"count":{{count}},"type":"{{type}}"{{more}}}"""
            );
            return _accessors.Count - 1;
        }

        public byte[] Of(string nodes, string mesh, string animations, string more = "") =>
            Encoding.UTF8.GetBytes(
                $$"""
                {"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{{nodes}}],"meshes":[{{mesh}}],"animations":[{{animations}}]{{more}},
                "buffers":[{"byteLength":{{_bytes.Count}},"uri":"data:application/octet-stream;base64,{{Convert.ToBase64String([
                    .. _bytes,
                ])}}"}],
                "bufferViews":[{{string.Join(",", _views)}}],"accessors":[{{string.Join(",", _accessors)}}]}
                """
            );
    }

    private static TriangleMesh At(byte[] file, double? seconds, out GltfMesh mesh)
    {
        mesh = GltfFile.OpenMesh(file, "it.gltf");
        return mesh.At(seconds).Merged();
    }

    private static void Near(Vector3 expected, Vector3 actual) =>
        Assert.True((expected - actual).Length() < 1e-5f, $"{actual}, not {expected}");

    [Fact]
    public void A_node_goes_straight_turns_by_the_shorter_arc_and_goes_through_splines()
    {
        var w = new Written();
        int p = w.Floats("VEC3", 3, 1, 0, 0, 0, 1, 0, 0, 0, 1),
            times = w.Floats("SCALAR", 1, 0, 2),
            straight = w.Floats("VEC3", 3, 0, 0, 0, 4, 0, 0),
            turns = w.Floats("VEC4", 4, 0, 0, 0, 1, 0, 0, MathF.Sqrt(0.5f), MathF.Sqrt(0.5f)),
            // In-tangent, value, out-tangent of each key.
            spline = w.Floats("VEC3", 3, 0, 0, 0, 1, 1, 1, 1, 0, 0, 0, -3, 0, 3, 1, 1, 0, 0, 0);
        byte[] file = w.Of(
            """{"mesh":0,"name":"it"}""",
            $$$"""{"primitives":[{"attributes":{"POSITION":{{{p}}}}}]}""",
            $$$"""
            {"name":"one","channels":[{"sampler":0,"target":{"node":0,"path":"translation"}},{"sampler":1,"target":{"node":0,"path":"rotation"}},{"sampler":2,"target":{"node":0,"path":"scale"}}],
            "samplers":[{"input":{{{times}}},"output":{{{straight}}}},{"input":{{{times}}},"output":{{{turns}}}},{"input":{{{times}}},"output":{{{spline}}},"interpolation":"CUBICSPLINE"}]},
            {"name":"two","channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":{{{times}}},"output":{{{straight}}}}]}
            """
        );
        TriangleMesh half = At(file, 1, out GltfMesh mesh);
        Assert.Equal((true, 2.0, true), (mesh.Moves, mesh.Seconds, mesh.IsRigid));
        // t = ½, td = 2: p = ½ v₀ + td/8 b₀ + ½ v₁ − td/8 a₁; slerp to 90° about z half-way is 45°.
        var size = new Vector3(0.5f + 2 / 8f + 1.5f, 0.5f + 0.5f + 2 * 3 / 8f, 1);
        float c = MathF.Sqrt(0.5f);
        Near(new(2 + c * size.X, c * size.X, 0), half.Positions[0]);
        Near(new(2 - c * size.Y, c * size.Y, 0), half.Positions[1]);
        Near(new(2, 0, size.Z), half.Positions[2]);
        // Beyond its ends it stays.
        Assert.Equal(mesh.At(2).Merged().Positions, mesh.At(99).Merged().Positions);
        Assert.Equal(mesh.At(0).Merged().Positions, mesh.At(-5).Merged().Positions);
        Assert.Contains(mesh.At(1).Warnings, t => t.Contains("2 animations", StringComparison.Ordinal));
    }

    [Fact]
    public void Morphs_are_added_and_skins_bend_what_was_morphed()
    {
        var w = new Written();
        int p = w.Floats("VEC3", 3, 0, 0, 0, 0, 1, 0, 0, 2, 0),
            delta = w.Floats("VEC3", 3, 0, 0, 0, 0.5f, 0, 0, 0, 0, 1),
            joints = w.Bytes(0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0),
            // The last sums to 2: taken in proportion.
            weights = w.Floats("VEC4", 4, 1, 0, 0, 0, 0.25f, 0.75f, 0, 0, 2, 0, 0, 0),
            // Joint 1 is bound 1 m up.
            binds = w.Floats("MAT4", 16, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1, 0, 1),
            times = w.Floats("SCALAR", 1, 0, 1),
            turns = w.Floats("VEC4", 4, 0, 0, 0, 1, 0, 0, MathF.Sqrt(0.5f), MathF.Sqrt(0.5f)),
            morphs = w.Floats("SCALAR", 1, 0, 1);
        // The node of the mesh stands elsewhere: with a skin that does not count.
        string nodes =
                """{"mesh":0,"skin":0,"name":"arm","translation":[50,0,0]},{"children":[2],"name":"root"},{"translation":[0,1,0],"name":"bone"}""",
            mesh =
                $$$"""{"primitives":[{"attributes":{"POSITION":{{{p}}},"JOINTS_0":{{{joints}}},"WEIGHTS_0":{{{weights}}}},"targets":[{"POSITION":{{{delta}}}}]}],"weights":[0]}""",
            animation =
                $$$"""{"channels":[{"sampler":0,"target":{"node":2,"path":"rotation"}},{"sampler":1,"target":{"node":0,"path":"weights"}}],"samplers":[{"input":{{{times}}},"output":{{{turns}}}},{"input":{{{times}}},"output":{{{morphs}}}}]}""",
            skin = $$$""","skins":[{"joints":[1,2],"inverseBindMatrices":{{{binds}}}}]""";
        byte[] file = w.Of(nodes, mesh, animation, skin);
        TriangleMesh rest = At(file, null, out GltfMesh moving),
            end = moving.At(1).Merged();
        Assert.False(moving.IsRigid);
        Near(new(0, 1, 0), rest.Positions[1]);
        Near(new(0, 2, 0), rest.Positions[2]);
        // Morphed to (0.5, 1, 0) and (0, 2, 1); joint 1 turns by 90° about z at (0, 1, 0): (x, y) → (−(y − 1), 1 + x).
        Near(default, end.Positions[0]);
        Near(0.25f * new Vector3(0.5f, 1, 0) + 0.75f * new Vector3(0, 1.5f, 0), end.Positions[1]);
        Near(new(-1, 1, 1), end.Positions[2]);
        Assert.Contains(moving.At(1).Warnings, t =>
            t.Contains("weights of 1 corners of “arm” do not sum to one", StringComparison.Ordinal)
        );
        Assert.Equal(rest.Indices, end.Indices);

        // Turned by hand, in the joint's own axes, before its own turn: about y by 90° (x, y, z) → (z, y, −x), then about z as above.
        Assert.Equal(["root", "bone"], moving.Joints);
        Quaternion about = new(0, MathF.Sqrt(0.5f), 0, MathF.Sqrt(0.5f));
        TriangleMesh turned = moving.At(1, new Dictionary<string, Quaternion> { ["bone"] = about }).Merged();
        // (0, 1, 1) about the joint's place: (1, 1, 0), then (−1, 1, 0), and a metre up.
        Near(new(-1, 2, 0), turned.Positions[2]);
        Near(default, turned.Positions[0]);
        // At rest too.
        Near(
            new(-1, 1, 0),
            moving
                .At(null, new Dictionary<string, Quaternion> { ["bone"] = new(0, 0, MathF.Sqrt(0.5f), MathF.Sqrt(0.5f)) })
                .Merged()
                .Positions[2]
        );
    }

    [Fact]
    public void A_corner_on_a_joint_that_is_not_there_is_said()
    {
        var w = new Written();
        int p = w.Floats("VEC3", 3, 0, 0, 0, 0, 1, 0, 0, 2, 0),
            joints = w.Bytes(0, 0, 0, 0, 7, 0, 0, 0, 0, 0, 0, 0),
            weights = w.Floats("VEC4", 4, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0),
            times = w.Floats("SCALAR", 1, 0, 1),
            turns = w.Floats("VEC4", 4, 0, 0, 0, 1, 0, 0, 0, 1);
        byte[] file = w.Of(
            """{"mesh":0,"skin":0,"name":"arm"},{"name":"bone"}""",
            $$$"""{"primitives":[{"attributes":{"POSITION":{{{p}}},"JOINTS_0":{{{joints}}},"WEIGHTS_0":{{{weights}}}}}]}""",
            $$$"""{"channels":[{"sampler":0,"target":{"node":1,"path":"rotation"}}],"samplers":[{"input":{{{times}}},"output":{{{turns}}}}]}""",
            ""","skins":[{"joints":[1]}]"""
        );
        FormatFault fault = Assert.Throws<FormatFault>(() => ImportedMesh.Read(file, "arm.gltf"));
        Assert.Contains("joint", fault.Message, StringComparison.OrdinalIgnoreCase);
    }
}
