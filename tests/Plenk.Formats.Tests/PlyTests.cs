using System.Numerics;
using System.Text;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>
/// Meshes in the polygon format, written by hand after its description (Turk 1994), and sequences of meshes. A roof: a square floor and four
/// sides that meet 1.5 m above its middle; volume by hand 1.5 · 2 · 2 ÷ 3.
/// </summary>
public sealed class PlyTests
{
    private static readonly (float X, float Y, float Z)[] Corners = [(-1, 0, -1), (1, 0, -1), (1, 0, 1), (-1, 0, 1), (0, 1.5f, 0)];
    private static readonly int[][] Faces =
    [
        [0, 1, 2, 3],
        [1, 0, 4],
        [2, 1, 4],
        [3, 2, 4],
        [0, 3, 4],
    ];

    private static string Header(string format) =>
        $"ply\nformat {format} 1.0\ncomment by hand\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty float s\nproperty float t\nelement face 5\nproperty list uchar int vertex_indices\nelement edge 1\nproperty int a\nend_header\n";

    private static byte[] Ascii(string lines = "\n") =>
        Encoding.ASCII.GetBytes(
            (
                Header("ascii")
                + string.Concat(Corners.Select((c, i) => FormattableString.Invariant($"{c.X} {c.Y} {c.Z} {10 * i} {0.25 * i} 0.25\n")))
                + string.Concat(Faces.Select(f => $"{f.Length} {string.Join(' ', f)}\n"))
                + "7\n"
            ).Replace("\n", lines)
        );

    private static byte[] Binary(bool little)
    {
        var bytes = new List<byte>(Encoding.ASCII.GetBytes(Header(little ? "binary_little_endian" : "binary_big_endian")));
        void Add(byte[] b) => bytes.AddRange(little ? b : b.Reverse());
        for (int i = 0; i < 5; i++)
        {
            Add(BitConverter.GetBytes(Corners[i].X));
            Add(BitConverter.GetBytes(Corners[i].Y));
            Add(BitConverter.GetBytes(Corners[i].Z));
            bytes.Add((byte)(10 * i));
            Add(BitConverter.GetBytes(0.25f * i));
            Add(BitConverter.GetBytes(0.25f));
        }
        foreach (int[] f in Faces)
        {
            bytes.Add((byte)f.Length);
            foreach (int v in f)
            {
                Add(BitConverter.GetBytes(v));
            }
        }
        Add(BitConverter.GetBytes(7));
        return [.. bytes];
    }

    private static double Volume(TriangleMesh mesh)
    {
        double sum = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (a, b, c) = mesh.Triangle(t);
            sum += Vector3.Dot(a, Vector3.Cross(b, c)) / 6;
        }
        return sum;
    }

    [Fact]
    public void In_text_and_in_both_byte_orders_it_is_the_same_mesh()
    {
        TriangleMesh text = ImportedMesh.Read(Ascii(), "roof.ply").Merged();
        Assert.Equal((6, 5), (text.TriangleCount, text.Positions.Length));
        Assert.Equal(2, Math.Abs(Volume(text)), 1e-6);
        // Its rows run upwards in the file.
        Assert.Equal(new Vector2(0.5f, 0.75f), text.TextureCoordinates![2]);
        foreach (byte[] other in (byte[][])[Ascii("\r\n"), Binary(true), Binary(false)])
        {
            TriangleMesh mesh = ImportedMesh.Read(other, "roof.ply").Merged();
            Assert.Equal(text.Positions, mesh.Positions);
            Assert.Equal(text.Indices, mesh.Indices);
            Assert.Equal(text.TextureCoordinates, mesh.TextureCoordinates);
        }
    }

    [Fact]
    public void What_is_no_mesh_or_cut_off_is_refused_in_words()
    {
        string Told(byte[] bytes) => Assert.Throws<FormatFault>(() => ImportedMesh.Read(bytes, "roof.ply")).Message;
        string good = Encoding.ASCII.GetString(Ascii());
        Assert.Contains("is not a PLY file", Told("solid"u8.ToArray()));
        Assert.Contains("ends before all", Told(Binary(true)[..^9]));
        Assert.Contains("ends before all", Told(Encoding.ASCII.GetBytes(good[..^20])));
        Assert.Contains("vertex 9", Told(Encoding.ASCII.GetBytes(good.Replace("3 1 0 4", "3 1 0 9"))));
        Assert.Contains("“x” where a number", Told(Encoding.ASCII.GetBytes(good.Replace("3 1 0 4", "3 x 0 4"))));
        Assert.Contains("a list of", Told(Encoding.ASCII.GetBytes(good.Replace("3 1 0 4", "-3 1 0 4"))));
        Assert.Contains("unknown format", Told(Encoding.ASCII.GetBytes(good.Replace("format ascii", "format roman"))));
        Assert.Contains("without x, y and z", Told(Encoding.ASCII.GetBytes(good.Replace("property float y", "property float q"))));
        Assert.Contains(
            "no faces",
            Told(
                Encoding.ASCII.GetBytes(
                    "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n"
                )
            )
        );
        Assert.Contains("not a number", Told(Encoding.ASCII.GetBytes(good.Replace("-1 0 -1 0", "nan 0 -1 0"))));
        // So many as no file holds are not made room for.
        Assert.Contains("ends before all", Told(Encoding.ASCII.GetBytes(good.Replace("element vertex 5", "element vertex 2000000000"))));
    }

    [Fact]
    public void Frames_of_a_sequence_have_one_set_of_faces_and_go_straight_from_one_to_the_next()
    {
        TriangleMesh Mesh(string faces, float high) =>
            ImportedMesh
                .Read(
                    Encoding.UTF8.GetBytes(FormattableString.Invariant($"v 0 0 0\nv 1 0 0\nv 0 {high} 0\nv 1 {high} 0\n{faces}")),
                    "a.obj"
                )
                .Merged();
        const string two = "f 1 2 3\nf 3 2 4\n";
        TriangleMesh a = Mesh(two, 1),
            b = Mesh(two, 3);
        MeshSequence.Check("a.1.obj", a, "a.2.obj", b);
        Assert.Equal(1.5f, MeshSequence.Between(a, b, 0.25f).Bounds().Max.Y);
        Assert.Same(a, MeshSequence.Between(a, b, 0));
        Assert.Contains(
            "a.2.obj has 1 triangles",
            Assert.Throws<FormatFault>(() => MeshSequence.Check("a.1.obj", a, "a.2.obj", Mesh("f 1 2 3\n", 1))).Message
        );
    }
}
