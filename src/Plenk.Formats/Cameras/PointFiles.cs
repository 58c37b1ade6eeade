using System.Buffers.Binary;
using System.Globalization;
using System.Text;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras;

/// <summary>Points in space, in: survey CSV (see <see cref="SurveyFile"/>) or PLY, text or binary.</summary>
public static class PointFiles
{
    private const int Most = 5_000_000;

    public static IReadOnlyList<SurveyPoint> Read(byte[] bytes, string name) =>
        Path.GetExtension(name).Equals(".ply", StringComparison.OrdinalIgnoreCase)
            ? [.. ReadPly(bytes, name).Select((p, i) => new SurveyPoint { Name = $"{i + 1}", Position = p })]
            : SurveyFile.Read(bytes, name);

    /// <summary>
    /// The vertices of a PLY file (Stanford polygon format 1.0): ascii, binary little or big endian; other elements are passed over.
    /// </summary>
    public static IReadOnlyList<Vec3> ReadPly(byte[] bytes, string name)
    {
        FormatFault Bad(string what) => new("file", $"{name} {what}", "Export the points again as PLY.");
        var (format, parts, body) = PlyFile.Header(bytes, name);
        int element = parts.FindIndex(p => p.Name == "vertex");
        if (element < 0)
        {
            throw Bad("names no vertices");
        }
        if (element > 0)
        {
            throw Bad("does not begin with its vertices");
        }
        var (_, count, properties) = parts[0];
        if (count > Most)
        {
            throw new FormatFault("too_large", $"{name} holds {count:N0} points; {Most:N0} are taken", "Thin the cloud out first.");
        }
        if (properties.Any(p => p.Counted is not null))
        {
            throw Bad("has lists among its vertices' values");
        }
        int[] at = [.. new[] { "x", "y", "z" }.Select(k => properties.FindIndex(p => p.Name == k))];
        if (at.Any(i => i < 0))
        {
            throw Bad("has vertices without x, y and z");
        }
        var points = new List<Vec3>(count);
        if (format == "ascii")
        {
            using var reader = new StringReader(Encoding.ASCII.GetString(bytes, body, bytes.Length - body));
            for (int i = 0; i < count; i++)
            {
                string[] v = (reader.ReadLine() ?? throw Bad($"ends after {i:N0} of {count:N0} points")).Split(
                    ' ',
                    StringSplitOptions.RemoveEmptyEntries
                );
                double V(int k) =>
                    at[k] < v.Length && double.TryParse(v[at[k]], NumberStyles.Float, CultureInfo.InvariantCulture, out double d)
                        ? d
                        : throw Bad($"has no number where point {i + 1} stands");
                points.Add(new(V(0), V(1), V(2)));
            }
            return Finite(points);
        }
        bool little = format switch
        {
            "binary_little_endian" => true,
            "binary_big_endian" => false,
            _ => throw Bad($"has the unknown format “{format}”"),
        };
        static int Size(string type) =>
            type switch
            {
                "char" or "uchar" or "int8" or "uint8" => 1,
                "short" or "ushort" or "int16" or "uint16" => 2,
                "double" or "float64" => 8,
                _ => 4,
            };
        int[] offsets = new int[properties.Count];
        int stride = 0;
        for (int i = 0; i < properties.Count; i++)
        {
            offsets[i] = stride;
            stride += Size(properties[i].Type);
        }
        if (bytes.Length - body < (long)stride * count)
        {
            throw Bad($"ends after {(bytes.Length - body) / Math.Max(1, stride):N0} of {count:N0} points");
        }
        for (int i = 0; i < count; i++)
        {
            double V(int k)
            {
                ReadOnlySpan<byte> b = bytes.AsSpan(body + i * stride + offsets[at[k]]);
                return properties[at[k]].Type switch
                {
                    "double" or "float64" => little ? BinaryPrimitives.ReadDoubleLittleEndian(b) : BinaryPrimitives.ReadDoubleBigEndian(b),
                    "float" or "float32" => little ? BinaryPrimitives.ReadSingleLittleEndian(b) : BinaryPrimitives.ReadSingleBigEndian(b),
                    var t => throw Bad($"has places of type {t}; float or double are taken"),
                };
            }
            points.Add(new(V(0), V(1), V(2)));
        }
        return Finite(points);
    }

    private static List<Vec3> Finite(List<Vec3> points)
    {
        points.RemoveAll(p => !p.IsFinite);
        return points;
    }
}
