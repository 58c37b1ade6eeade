using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Lighting;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes.Usd;

namespace Plenk.Formats.Meshes;

/// <summary>
/// One named object of a mesh file, in metres and +Y up as the file says; Materials are the file's, shared by its objects.
/// </summary>
public sealed record ImportedObject(string Name, TriangleMesh Mesh);

/// <summary>A mesh file's objects. Warnings say, in the artist's terms, what was left out.</summary>
public sealed record ImportedMesh(IReadOnlyList<ImportedObject> Objects, IReadOnlyList<Material> Materials, IReadOnlyList<string> Warnings)
{
    /// <summary>All objects as one mesh; materials and normals are kept where all have them.</summary>
    public TriangleMesh Merged()
    {
        var positions = new List<Vector3>();
        var normals = new List<Vector3>();
        var indices = new List<int>();
        var materials = new List<int>();
        var textures = new List<Vector2>();
        foreach (ImportedObject o in Objects)
        {
            textures.AddRange(o.Mesh.TextureCoordinates ?? new Vector2[o.Mesh.Positions.Length]);
            indices.AddRange(o.Mesh.Indices.Select(i => i + positions.Count));
            positions.AddRange(o.Mesh.Positions);
            normals.AddRange(o.Mesh.Normals ?? new Vector3[o.Mesh.Positions.Length]);
            materials.AddRange(o.Mesh.Materials ?? new int[o.Mesh.TriangleCount]);
        }
        return new([.. positions], [.. indices])
        {
            Normals = [.. normals],
            Materials = [.. materials],
            TextureCoordinates = Objects.Any(o => o.Mesh.TextureCoordinates is not null) ? [.. textures] : null,
        };
    }

    /// <param name="beside">Gives the bytes of files that it names; null: it stands alone.</param>
    public static ImportedMesh Read(byte[] bytes, string name, Func<string, byte[]?>? beside = null)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Export the mesh again.");
        }
        string extension = Path.GetExtension(name).ToLowerInvariant();
        ImportedMesh mesh =
            GltfFile.Is(bytes) || extension is ".glb" or ".gltf" ? GltfFile.ReadMesh(bytes, name)
            : PlyFile.Is(bytes) || extension == ".ply" ? PlyFile.Read(bytes, name)
            : UsdMesh.Is(bytes) || extension is ".usda" or ".usd" ? new UsdMesh(bytes, name, beside).At(null)
            : extension == ".obj" ? ObjFile.Read(bytes, name, beside)
            : throw new FormatFault("file", $"{name} is no OBJ, PLY, glTF or USD text", "Export the mesh as .obj, .ply, .glb or .usda.");
        return mesh.Checked(name);
    }

    /// <summary>A file that can be asked how it stands at other times; null: of a kind that has none.</summary>
    public static IMovingMesh? Moving(byte[] bytes, string name, Func<string, byte[]?>? beside = null) =>
        GltfFile.Is(bytes) ? GltfFile.OpenMesh(bytes, name)
        : UsdMesh.Is(bytes) ? new UsdMesh(bytes, name, beside)
        : null;

    /// <summary>Refuses NaN and emptiness; objects without faces are left out.</summary>
    private ImportedMesh Checked(string name)
    {
        var warnings = new List<string>(Warnings);
        var kept = new List<ImportedObject>();
        foreach (ImportedObject o in Objects)
        {
            int bad = Array.FindIndex(o.Mesh.Positions, p => !float.IsFinite(p.X + p.Y + p.Z));
            if (bad >= 0)
            {
                throw new FormatFault(
                    "nan",
                    $"{name}: corner {bad + 1} of object “{o.Name}” has a coordinate that is not a number",
                    "Export the mesh again; a modifier or a simulation has broken it."
                );
            }
            if (o.Mesh.TriangleCount == 0)
            {
                warnings.Add($"Object “{o.Name}” has no faces and was left out.");
                continue;
            }
            kept.Add(o);
        }
        if (kept.Count == 0)
        {
            throw new FormatFault(
                "file",
                $"{name} has no faces",
                "Export the mesh with its polygons; points and curves alone cannot be used."
            );
        }
        float size = kept.Max(o =>
        {
            var (min, max) = o.Mesh.Bounds();
            return (max - min).Length();
        });
        if (size > 5000)
        {
            warnings.Add($"The mesh is {size:0} m across. If it was made in millimetres or centimetres, set its scale to 0.001 or 0.01.");
        }
        if (size < 0.005f)
        {
            warnings.Add($"The mesh is {size * 1000:0.###} mm across. If it was made in other units, set its scale.");
        }
        return this with { Objects = kept, Warnings = warnings };
    }
}
