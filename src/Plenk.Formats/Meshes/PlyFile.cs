using System.Buffers.Binary;
using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Tracing;

namespace Plenk.Formats.Meshes;

/// <summary>
/// Meshes in the Stanford polygon format 1.0 (Turk, “The PLY Polygon File Format”, 1994): ascii, binary little or big endian. Vertices with
/// x, y, z, and nx, ny, nz and s, t (or u, v) where they have them; faces of any number of corners. Other elements are passed over. No unit
/// and no up axis stand in the file: metres and +Y are taken.
/// </summary>
public static class PlyFile
{
    private const int LargestCorners = 30_000_000;

    /// <param name="Counted">Of a list: the type of how many there are; null: it is one value.</param>
    internal sealed record Property(string Name, string Type, string? Counted);

    internal sealed record Part(string Name, int Count, List<Property> Properties);

    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith("ply\n"u8) || bytes.StartsWith("ply\r"u8);

    public static ImportedMesh Read(byte[] bytes, string name)
    {
        var (format, parts, body) = Header(bytes, name);
        Func<string, double> next = format switch
        {
            "ascii" => Words(bytes, body, name),
            "binary_little_endian" => Numbers(bytes, body, name, little: true),
            "binary_big_endian" => Numbers(bytes, body, name, little: false),
            _ => throw Bad(name, $"has the unknown format “{format}”"),
        };
        var positions = new List<Vector3>();
        var normals = new List<Vector3>();
        var places = new List<Vector2>();
        var indices = new List<int>();
        foreach (Part part in parts)
        {
            int At(params ReadOnlySpan<string> names)
            {
                foreach (string n in names)
                {
                    if (part.Properties.FindIndex(p => p.Name == n) is >= 0 and var i)
                    {
                        return i;
                    }
                }
                return -1;
            }
            int x = At("x"),
                y = At("y"),
                z = At("z"),
                nx = At("nx"),
                ny = At("ny"),
                nz = At("nz"),
                s = At("s", "u", "texture_u"),
                t = At("t", "v", "texture_v");
            bool isVertex = part.Name == "vertex";
            if (isVertex && (x < 0 || y < 0 || z < 0))
            {
                throw Bad(name, "has vertices without x, y and z");
            }
            double[] row = new double[part.Properties.Count];
            for (int i = 0; i < part.Count; i++)
            {
                for (int k = 0; k < row.Length; k++)
                {
                    Property p = part.Properties[k];
                    if (p.Counted is null)
                    {
                        row[k] = next(p.Type);
                        continue;
                    }
                    double many = next(p.Counted);
                    if (!(many is >= 0 and <= 100_000))
                    {
                        throw Bad(name, $"has a list of {many:0} values at {part.Name} {i + 1}");
                    }
                    bool corners = part.Name == "face" && p.Name is "vertex_indices" or "vertex_index";
                    int first = -1,
                        last = -1;
                    for (int c = 0; c < (int)many; c++)
                    {
                        double v = next(p.Type);
                        if (!corners)
                        {
                            continue;
                        }
                        if (!(v >= 0 && v < positions.Count))
                        {
                            throw Bad(name, $"has a face ({i + 1}) of vertex {v:0}, and {positions.Count:N0} vertices before it");
                        }
                        if (c >= 2)
                        {
                            indices.AddRange([first, last, (int)v]);
                        }
                        (first, last) = (c == 0 ? (int)v : first, (int)v);
                    }
                }
                if (isVertex)
                {
                    positions.Add(new((float)row[x], (float)row[y], (float)row[z]));
                    normals.Add(nx >= 0 && ny >= 0 && nz >= 0 ? new((float)row[nx], (float)row[ny], (float)row[nz]) : default);
                    // A picture's rows run downwards here.
                    places.Add(s >= 0 && t >= 0 ? new((float)row[s], 1 - (float)row[t]) : default);
                }
                if (indices.Count > LargestCorners || positions.Count > LargestCorners)
                {
                    throw new FormatFault("too_large", $"{name} has more than {LargestCorners / 3:N0} triangles", "Reduce the mesh.");
                }
            }
        }
        if (indices.Count == 0)
        {
            throw new FormatFault(
                "file",
                $"{name} has no faces",
                "Export the mesh with its polygons; a cloud of points is brought in at step 3."
            );
        }
        bool hasNormals = normals.Any(n => n != default),
            hasPlaces = places.Any(p => p != default);
        var mesh = new TriangleMesh([.. positions], [.. indices])
        {
            Normals = hasNormals ? [.. normals] : null,
            TextureCoordinates = hasPlaces ? [.. places] : null,
            Materials = new int[indices.Count / 3],
        };
        return new([new(Path.GetFileNameWithoutExtension(name), mesh)], [Material.Grey], []);
    }

    private static FormatFault Bad(string name, string what) => new("file", $"{name} {what}", "Export it again as PLY.");

    /// <summary>What a file’s header names, and where its values begin.</summary>
    internal static (string Format, List<Part> Parts, int Body) Header(byte[] bytes, string name)
    {
        int end = bytes.AsSpan(0, Math.Min(bytes.Length, 1 << 16)).IndexOf("end_header"u8);
        if (!Is(bytes) || end < 0)
        {
            throw Bad(name, "is not a PLY file (no ply … end_header)");
        }
        int body = end + "end_header".Length;
        while (body < bytes.Length && bytes[body] is (byte)'\r' or (byte)'\n')
        {
            if (bytes[body++] == '\n')
            {
                break;
            }
        }
        string format = "";
        var parts = new List<Part>();
        foreach (string line in Encoding.ASCII.GetString(bytes, 0, end).Split('\n'))
        {
            string[] w = line.Split((char[])[' ', '\t', '\r'], StringSplitOptions.RemoveEmptyEntries);
            switch (w)
            {
                case ["format", var f, ..]:
                    format = f;
                    break;
                case ["element", var element, var many]:
                    if (!int.TryParse(many, NumberStyles.None, CultureInfo.InvariantCulture, out int count))
                    {
                        throw Bad(name, $"has “{many}” {element}s");
                    }
                    parts.Add(new(element, count, []));
                    break;
                case ["property", "list", var counted, var type, var own] when parts.Count > 0:
                    parts[^1].Properties.Add(new(own, type, counted));
                    break;
                case ["property", var type, var own] when parts.Count > 0:
                    parts[^1].Properties.Add(new(own, type, null));
                    break;
            }
        }
        return (format, parts, body);
    }

    private static Func<string, double> Words(byte[] bytes, int body, string name)
    {
        int at = body;
        return _ =>
        {
            while (at < bytes.Length && bytes[at] <= ' ')
            {
                at++;
            }
            int from = at;
            while (at < bytes.Length && bytes[at] > ' ')
            {
                at++;
            }
            return double.TryParse(bytes.AsSpan(from, at - from), NumberStyles.Float, CultureInfo.InvariantCulture, out double v) ? v
                : from == at ? throw Bad(name, "ends before all that its header names has come")
                : throw Bad(name, $"has “{Encoding.ASCII.GetString(bytes, from, Math.Min(20, at - from))}” where a number should be");
        };
    }

    private static Func<string, double> Numbers(byte[] bytes, int body, string name, bool little)
    {
        int at = body;
        return type =>
        {
            int size = type switch
            {
                "char" or "int8" or "uchar" or "uint8" => 1,
                "short" or "int16" or "ushort" or "uint16" => 2,
                "int" or "int32" or "uint" or "uint32" or "float" or "float32" => 4,
                "double" or "float64" => 8,
                _ => throw Bad(name, $"has values of the unknown type “{type}”"),
            };
            if (at + size > bytes.Length)
            {
                throw Bad(name, "ends before all that its header names has come");
            }
            ReadOnlySpan<byte> b = bytes.AsSpan(at, size);
            at += size;
            return type switch
            {
                "char" or "int8" => (sbyte)b[0],
                "uchar" or "uint8" => b[0],
                "short" or "int16" => little ? BinaryPrimitives.ReadInt16LittleEndian(b) : BinaryPrimitives.ReadInt16BigEndian(b),
                "ushort" or "uint16" => little ? BinaryPrimitives.ReadUInt16LittleEndian(b) : BinaryPrimitives.ReadUInt16BigEndian(b),
                "int" or "int32" => little ? BinaryPrimitives.ReadInt32LittleEndian(b) : BinaryPrimitives.ReadInt32BigEndian(b),
                "uint" or "uint32" => little ? BinaryPrimitives.ReadUInt32LittleEndian(b) : BinaryPrimitives.ReadUInt32BigEndian(b),
                "float" or "float32" => little ? BinaryPrimitives.ReadSingleLittleEndian(b) : BinaryPrimitives.ReadSingleBigEndian(b),
                _ => little ? BinaryPrimitives.ReadDoubleLittleEndian(b) : BinaryPrimitives.ReadDoubleBigEndian(b),
            };
        };
    }
}
