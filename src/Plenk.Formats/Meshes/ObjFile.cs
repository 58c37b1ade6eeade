using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Lighting;
using Plenk.Core.Tracing;

namespace Plenk.Formats.Meshes;

/// <summary>
/// Wavefront OBJ text: v, vt, vn, f (1-based, negative counts back), o, g, usemtl, line continuation. No unit and no up axis stand in the
/// file: metres and +Y are taken.
/// </summary>
public static class ObjFile
{
    private const int LargestCorners = 30_000_000;

    /// <param name="beside">Gives the bytes of a file that it names (materials, pictures); null: there is none.</param>
    public static ImportedMesh Read(byte[] bytes, string name, Func<string, byte[]?>? beside = null)
    {
        var materials = new List<Material>();
        var numbers = new Dictionary<string, int>();
        var library = new Dictionary<string, Material>();
        var warnings = new List<string>();
        int material = -1;
        var positions = new List<Vector3>();
        var textures = new List<Vector2>();
        var normals = new List<Vector3>();
        var objects = new List<Builder>();
        Builder? current = null;
        int number = 0;
        string? carried = null;
        using var reader = new StreamReader(new MemoryStream(bytes), Encoding.UTF8);
        while (reader.ReadLine() is { } raw)
        {
            number++;
            string line = carried is null ? raw : carried + " " + raw;
            carried = null;
            if (line.EndsWith('\\'))
            {
                carried = line[..^1];
                continue;
            }
            string[] parts = line.Split((char[])[' ', '\t'], StringSplitOptions.RemoveEmptyEntries);
            if (parts.Length == 0 || parts[0][0] == '#')
            {
                continue;
            }
            switch (parts[0])
            {
                case "v":
                    positions.Add(new(Number(parts, 1), Number(parts, 2), Number(parts, 3)));
                    break;
                case "vt":
                    textures.Add(new(Number(parts, 1), parts.Length > 2 ? 1 - Number(parts, 2) : 0));
                    break;
                case "vn":
                    normals.Add(new(Number(parts, 1), Number(parts, 2), Number(parts, 3)));
                    break;
                case "o" or "g":
                    string title = parts.Length > 1 ? string.Join(' ', parts[1..]) : "object";
                    current = objects.FirstOrDefault(o => o.Name == title);
                    if (current is null)
                    {
                        objects.Add(current = new Builder(title));
                    }
                    break;
                case "mtllib":
                    string file = string.Join(' ', parts[1..]);
                    if (beside?.Invoke(file) is { } text)
                    {
                        foreach (Material m in MtlFile.Read(text, file, beside, warnings))
                        {
                            library[m.Name] = m;
                        }
                    }
                    else if (beside is not null)
                    {
                        warnings.Add($"{file} is not there: {name} is grey. Bring it in together with the mesh.");
                    }
                    break;
                case "usemtl":
                    string wanted = string.Join(' ', parts[1..]);
                    if (!numbers.TryGetValue(wanted, out material))
                    {
                        material = numbers[wanted] = materials.Count;
                        materials.Add(library.GetValueOrDefault(wanted) ?? Material.Grey with { Name = wanted });
                        if (library.Count > 0 && !library.ContainsKey(wanted))
                        {
                            warnings.Add($"Material “{wanted}” is not in the material file; it is grey.");
                        }
                    }
                    break;
                case "f":
                    if (current is null)
                    {
                        objects.Add(current = new Builder(Path.GetFileNameWithoutExtension(name)));
                    }
                    Face(parts, current);
                    break;
            }
        }
        if (objects.Any(o => o.Materials.Contains(-1)))
        {
            foreach (Builder o in objects)
            {
                for (int i = 0; i < o.Materials.Count; i++)
                {
                    if (o.Materials[i] < 0)
                    {
                        o.Materials[i] = materials.Count;
                    }
                }
            }
            materials.Add(Material.Grey);
        }
        return new([.. objects.Select(o => o.Build())], materials, warnings);

        float Number(string[] parts, int i)
        {
            if (i >= parts.Length || !float.TryParse(parts[i], NumberStyles.Float, CultureInfo.InvariantCulture, out float v))
            {
                throw new FormatFault(
                    "file",
                    $"{name}, line {number}: “{string.Join(' ', parts)}” lacks a number",
                    "Export the mesh again."
                );
            }
            return v;
        }

        void Face(string[] parts, Builder target)
        {
            if (parts.Length < 4)
            {
                throw new FormatFault("file", $"{name}, line {number}: a face needs three corners or more", "Export the mesh again.");
            }
            int first = target.Positions.Count;
            for (int i = 1; i < parts.Length; i++)
            {
                string[] refs = parts[i].Split('/');
                target.Positions.Add(positions[At(refs[0], positions.Count)]);
                target.Textures.Add(refs.Length > 1 && refs[1].Length > 0 ? textures[At(refs[1], textures.Count)] : default);
                target.Normals.Add(refs.Length > 2 && refs[2].Length > 0 ? normals[At(refs[2], normals.Count)] : default);
            }
            if (target.Positions.Count > LargestCorners)
            {
                throw new FormatFault("too_large", $"{name} has more than {LargestCorners / 3:N0} triangles", "Reduce the mesh.");
            }
            for (int i = 2; i < parts.Length - 1; i++)
            {
                target.Indices.AddRange([first, first + i - 1, first + i]);
                target.Materials.Add(material);
            }
        }

        int At(string text, int count)
        {
            if (!int.TryParse(text, NumberStyles.Integer, CultureInfo.InvariantCulture, out int i) || i == 0 || i > count || -i > count)
            {
                throw new FormatFault(
                    "file",
                    $"{name}, line {number}: corner “{text}” names nothing that stands before it (there are {count})",
                    "Export the mesh again."
                );
            }
            return i > 0 ? i - 1 : count + i;
        }
    }

    /// <summary>OBJ text of named meshes, in metres, with normals where given.</summary>
    public static string Write(IEnumerable<ImportedObject> objects)
    {
        var text = new StringBuilder("# metres, +Y up, right-handed\n");
        int first = 1,
            firstNormal = 1;
        static string F(float v) => v.ToString("R", CultureInfo.InvariantCulture);
        foreach (ImportedObject o in objects)
        {
            text.Append("o ").Append(o.Name).Append('\n');
            foreach (Vector3 p in o.Mesh.Positions)
            {
                text.Append($"v {F(p.X)} {F(p.Y)} {F(p.Z)}\n");
            }
            foreach (Vector3 n in o.Mesh.Normals ?? [])
            {
                text.Append($"vn {F(n.X)} {F(n.Y)} {F(n.Z)}\n");
            }
            string Corner(int i) => o.Mesh.Normals is null ? $"{i + first}" : $"{i + first}//{i + firstNormal}";
            for (int i = 0; i < o.Mesh.TriangleCount; i++)
            {
                text.Append($"f {Corner(o.Mesh.Indices[3 * i])} {Corner(o.Mesh.Indices[3 * i + 1])} {Corner(o.Mesh.Indices[3 * i + 2])}\n");
            }
            first += o.Mesh.Positions.Length;
            firstNormal += o.Mesh.Normals?.Length ?? 0;
        }
        return text.ToString();
    }

    private sealed class Builder(string name)
    {
        public string Name { get; } = name;
        public List<Vector3> Positions { get; } = [];
        public List<Vector3> Normals { get; } = [];
        public List<Vector2> Textures { get; } = [];
        public List<int> Indices { get; } = [];
        public List<int> Materials { get; } = [];

        public ImportedObject Build() =>
            new(
                Name,
                new([.. Positions], [.. Indices])
                {
                    Normals = Normals.Any(n => n != default)
                        ? [.. Normals.Select(n => n.LengthSquared() > 0 ? Vector3.Normalize(n) : n)]
                        : null,
                    TextureCoordinates = Textures.Any(t => t != default) ? [.. Textures] : null,
                    Materials = [.. Materials],
                }
            );
    }
}
