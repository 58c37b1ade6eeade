using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Tracing;

namespace Plenk.Formats.Meshes.Usd;

/// <summary>
/// Meshes of USD text at any time of its samples: places by their ops, points by their samples, in metres and +Y up. The same triangles at all
/// times.
/// </summary>
public sealed class UsdMesh : IMovingMesh
{
    private const int LargestCorners = 30_000_000;
    private readonly UsdPrim _root;
    private readonly string _name;
    private readonly HashSet<string> _told = [];
    private readonly List<Material> _materials = [];
    private readonly List<Part> _parts = [];
    private readonly Dictionary<string, int> _numbers = [];
    private readonly Matrix4x4 _world;
    private readonly double _start;
    private readonly double _perSecond;
    private readonly Func<string, byte[]?>? _beside;

    /// <summary>A mesh with its corners: each is a point, with a normal and a texture coordinate of the file's lists.</summary>
    private sealed record Part(
        UsdPrim Prim,
        UsdAttribute Points,
        UsdAttribute? Normals,
        (int Point, int Normal, int Texture)[] Corners,
        TriangleMesh Rest
    );

    /// <summary>The bytes of USD text.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => UsdText.Is(bytes);

    /// <param name="beside">Gives the bytes of pictures that it names; null: it stands alone.</param>
    /// <exception cref="FormatFault">It is broken, or its faces name points that are not there.</exception>
    public UsdMesh(byte[] bytes, string name, Func<string, byte[]?>? beside = null)
    {
        (_name, _beside, Bytes) = (name, beside, bytes.LongLength);
        _root = UsdText.Read(bytes, name);
        double unit = Said("metersPerUnit", 0.01);
        _perSecond = Said("timeCodesPerSecond", Said("framesPerSecond", 24));
        _world = Matrix4x4.CreateScale((float)unit);
        if (_root.Told.GetValueOrDefault("upAxis")?.Words.FirstOrDefault() is "Z")
        {
            _world *= Matrix4x4.CreateRotationX(-MathF.PI / 2);
        }
        foreach (UsdPrim prim in _root.All().ToArray())
        {
            Look(prim);
        }
        var times = new List<double>();
        foreach (Part p in _parts)
        {
            times.AddRange(p.Points.Samples.Keys);
            for (UsdPrim? at = p.Prim; at is not null; at = at.Above)
            {
                times.AddRange(
                    at.Attributes.Where(a => a.Key.StartsWith("xformOp:", StringComparison.Ordinal)).SelectMany(a => a.Value.Samples.Keys)
                );
            }
        }
        Moves = times.Distinct().Skip(1).Any();
        _start = times.Count == 0 ? 0 : Math.Min(times.Min(), Said("startTimeCode", times.Min(), anySign: true));
        Seconds = Moves ? (times.Max() - _start) / _perSecond : 0;
        IsRigid = !_parts.Any(p => p.Points.Changes);
    }

    public bool Moves { get; }
    public long Bytes { get; }
    public double Seconds { get; }
    public bool IsRigid { get; }

    private double Said(string key, double otherwise, bool anySign = false) =>
        _root.Told.GetValueOrDefault(key) is not { } value ? otherwise
        : value.Numbers is [var v, ..] && double.IsFinite(v) && (anySign || (v > 0 && v <= 1e6)) ? v
        : throw new FormatFault("file", $"{_name} says a {key} that is none", "Export it again, or mend that line.");

    /// <summary>Skeletons are not worked on.</summary>
    public IReadOnlyList<string> Joints => [];

    public ImportedMesh At(double? seconds, IReadOnlyDictionary<string, Quaternion>? turned = null)
    {
        double? time = seconds is { } s && Moves ? _start + Math.Clamp(s, 0, Seconds) * _perSecond : null;
        return new(
            [.. _parts.Select(p => new ImportedObject(p.Prim.Name, MeshOf(p, time, WorldOf(p.Prim, time))))],
            [.. _materials],
            [.. _told]
        );
    }

    public IReadOnlyList<(string Name, TriangleMesh Mesh, Func<double, Matrix4x4> At)> Nodes() =>
        [
            .. _parts.Select(p =>
                (
                    p.Prim.Name,
                    MeshOf(p, null, Matrix4x4.Identity),
                    (Func<double, Matrix4x4>)(s => WorldOf(p.Prim, _start + Math.Clamp(s, 0, Seconds) * _perSecond))
                )
            ),
        ];

    private Matrix4x4 WorldOf(UsdPrim prim, double? time)
    {
        Matrix4x4 result = Matrix4x4.Identity;
        bool top = false;
        for (UsdPrim? at = prim; at is not null && !top; at = at.Above)
        {
            result *= at.Local(time, out top, Tell);
        }
        return result * _world;
    }

    private void Tell(string what)
    {
        lock (_told)
        {
            _told.Add(what);
        }
    }

    private static bool Hides(UsdPrim prim)
    {
        for (UsdPrim? at = prim; at is not null; at = at.Above)
        {
            if (at.Of("visibility")?.Word == "invisible" || at.Of("purpose")?.Word is "guide" or "proxy")
            {
                return true;
            }
        }
        return false;
    }

    private void Look(UsdPrim prim)
    {
        if (prim.Of("variantSet") is not null)
        {
            Tell($"Variants of {prim.Path} were left out. Export the file flattened, with the one that is meant.");
        }
        UsdPrim shape = prim;
        if (prim.Told.ContainsKey("references") || prim.Told.ContainsKey("payload"))
        {
            string[] words = prim.Told.GetValueOrDefault("references")?.Words ?? [];
            if (words is [var to] && _root.Find(to) is { } own && own != prim)
            {
                shape = own;
            }
            else
            {
                Tell($"{prim.Path} refers to another file and was left out. Export the file flattened.");
                return;
            }
        }
        switch (shape.Type)
        {
            case "Mesh":
                break;
            case "SkelRoot" or "Skeleton" or "BlendShape":
                Tell(
                    $"{shape.Type} “{prim.Name}” is not worked on: its meshes stand as they were bound. Export their points by time instead."
                );
                return;
            case "PointInstancer" or "BasisCurves" or "NurbsPatch" or "Points" or "Volume":
                Tell($"{shape.Type} “{prim.Name}” was left out. Export it as meshes.");
                return;
            case "Cube" or "Sphere" or "Cylinder" or "Cone" or "Capsule" or "Plane":
                Tell($"The {shape.Type} “{prim.Name}” was left out. Export it as a mesh.");
                return;
            default:
                return;
        }
        if (Hides(prim))
        {
            Tell($"“{prim.Name}” is hidden in the file, or a guide, and was left out.");
            return;
        }
        _parts.Add(PartOf(prim, shape));
    }

    private FormatFault Fault(UsdPrim prim, string what) => new("file", $"{_name}: mesh “{prim.Name}” {what}", "Export the mesh again.");

    private static int[] Whole(UsdAttribute? a) =>
        [.. (a?.NumbersAt(null) ?? []).Select(v => double.IsFinite(v) && Math.Abs(v) < int.MaxValue ? (int)v : -1)];

    private Part PartOf(UsdPrim prim, UsdPrim shape)
    {
        int[] counts = Whole(shape.Of("faceVertexCounts")),
            faces = Whole(shape.Of("faceVertexIndices"));
        UsdAttribute points = shape.Of("points") ?? throw Fault(prim, "has no points");
        int pointCount = points.NumbersAt(null).Length / 3;
        foreach (var (time, value) in points.Samples)
        {
            if (value.Numbers.Length != 3 * pointCount)
            {
                throw Fault(prim, $"has {value.Numbers.Length / 3:N0} points at time {time}, and {pointCount:N0} before: its faces change");
            }
            if (value.Numbers.Any(v => !double.IsFinite(v)))
            {
                throw Fault(prim, $"has a point at time {time} that is not a number");
            }
        }
        if (counts.Any(c => c < 0) || counts.Sum(c => (long)c) != faces.Length)
        {
            throw Fault(prim, $"has faces of {counts.Sum(c => (long)Math.Max(0, c)):N0} corners, and names {faces.Length:N0}");
        }
        if (faces.Length > LargestCorners)
        {
            throw new FormatFault("too_large", $"{_name} has more than {LargestCorners / 3:N0} triangles", "Reduce the mesh.");
        }
        int wrong = Array.FindIndex(faces, i => i < 0 || i >= pointCount);
        if (wrong >= 0)
        {
            throw Fault(prim, $"names point {faces[wrong]}; it has {pointCount:N0}");
        }
        if (shape.Of("subdivisionScheme")?.Word is not ("none" or "bilinear"))
        {
            Tell($"“{prim.Name}” is the cage of a smooth surface; the cage is taken as it is. Export it subdivided where that is seen.");
        }
        UsdAttribute? normals = shape.Of("primvars:normals") ?? shape.Of("normals"),
            textures = shape.Of("primvars:st") ?? shape.Of("primvars:UVMap") ?? shape.Of("primvars:st0");
        int normalCount = (normals?.NumbersAt(null).Length ?? 0) / 3,
            textureCount = (textures?.NumbersAt(null).Length ?? 0) / 2;
        int[] textureOrder = Whole(shape.Of("primvars:st:indices") ?? shape.Of("primvars:UVMap:indices")),
            normalOrder = Whole(shape.Of("primvars:normals:indices"));
        var known = new Dictionary<(int, int, int), int>();
        var corners = new List<(int Point, int Normal, int Texture)>();
        var indices = new List<int>();
        var owners = new List<int>();
        int[] materials = Materials(prim, shape, counts.Length);
        var holes = Whole(shape.Of("holeIndices")).ToHashSet();
        bool left = shape.Of("orientation")?.Word == "leftHanded";
        // Which of an attribute's values a corner has; by how the file spreads them over the mesh.
        int Which(UsdAttribute? a, int count, int[] order, int face, int corner)
        {
            if (a is null || count == 0)
            {
                return -1;
            }
            int at = (a.Told.GetValueOrDefault("interpolation")?.Words.FirstOrDefault() ?? "vertex") switch
            {
                "faceVarying" => corner,
                "uniform" => face,
                "constant" => 0,
                _ => faces[corner],
            };
            if (order.Length > 0)
            {
                at = at < order.Length ? order[at] : -1;
            }
            return at < count ? at : -1;
        }
        for (int face = 0, from = 0; face < counts.Length; from += counts[face++])
        {
            if (holes.Contains(face))
            {
                continue;
            }
            int Corner(int i)
            {
                var own = (
                    faces[from + i],
                    Which(normals, normalCount, normalOrder, face, from + i),
                    Which(textures, textureCount, textureOrder, face, from + i)
                );
                if (!known.TryGetValue(own, out int at))
                {
                    known[own] = at = corners.Count;
                    corners.Add(own);
                }
                return at;
            }
            for (int i = 2; i < counts[face]; i++)
            {
                indices.AddRange(left ? [Corner(0), Corner(i), Corner(i - 1)] : [Corner(0), Corner(i - 1), Corner(i)]);
                owners.Add(materials[face]);
            }
        }
        double[] st = textures?.NumbersAt(null) ?? [];
        return new(
            prim,
            points,
            normalCount > 0 && corners.All(c => c.Normal >= 0) ? normals : null,
            [.. corners],
            new([], [.. indices])
            {
                // Its pictures begin at the lower left.
                TextureCoordinates =
                    textureCount > 0
                        ?
                        [
                            .. corners.Select(c =>
                                c.Texture < 0 ? default : new Vector2((float)st[2 * c.Texture], 1 - (float)st[2 * c.Texture + 1])
                            ),
                        ]
                        : null,
                Materials = [.. owners],
            }
        );
    }

    private static TriangleMesh MeshOf(Part part, double? time, Matrix4x4 world)
    {
        static Vector3 Three(double[] v, int i) => new((float)v[3 * i], (float)v[3 * i + 1], (float)v[3 * i + 2]);
        double[] points = part.Points.NumbersAt(time),
            normals = part.Normals?.NumbersAt(time) ?? [];
        Matrix4x4.Invert(world, out Matrix4x4 inverse);
        Matrix4x4 turn = Matrix4x4.Transpose(inverse);
        // Normals that do not come along with a bent mesh would be those of another shape.
        bool shaded =
            part.Normals is { } own && (own.Changes || !part.Points.Changes) && part.Corners.All(c => 3 * c.Normal + 2 < normals.Length);
        return part.Rest with
        {
            Positions = [.. part.Corners.Select(c => Vector3.Transform(Three(points, c.Point), world))],
            Normals = shaded
                ?
                [
                    .. part.Corners.Select(c =>
                        Vector3.TransformNormal(Three(normals, c.Normal), turn) is var n && n.LengthSquared() > 0 ? Vector3.Normalize(n) : n
                    ),
                ]
                : null,
            // A place that mirrors turns its faces inside out.
            Indices =
                world.GetDeterminant() < 0
                    ? [.. part.Rest.Indices.Chunk(3).SelectMany(t => new[] { t[0], t[2], t[1] })]
                    : part.Rest.Indices,
        };
    }

    private int[] Materials(UsdPrim prim, UsdPrim shape, int faces)
    {
        int whole = MaterialOf(prim, shape);
        int[] result = [.. Enumerable.Repeat(whole, faces)];
        foreach (UsdPrim part in shape.Below.Where(p => p.Type == "GeomSubset" && p.Of("elementType")?.Word is null or "face"))
        {
            int own = MaterialOf(part, part);
            foreach (int face in Whole(part.Of("indices")))
            {
                if (face >= 0 && face < faces)
                {
                    result[face] = own;
                }
            }
        }
        return result;
    }

    private int MaterialOf(UsdPrim prim, UsdPrim shape)
    {
        string? path = null;
        for (UsdPrim? at = prim; at is not null && path is null; at = at.Above)
        {
            path = at.Of("material:binding")?.Word ?? (at == prim ? shape.Of("material:binding")?.Word : null);
        }
        double[] shown = shape.Of("primvars:displayColor")?.NumbersAt(null) ?? [];
        string key = path ?? $"colour {string.Join(' ', shown.Take(3))}";
        if (_numbers.TryGetValue(key, out int number))
        {
            return number;
        }
        _materials.Add(
            path is not null && _root.Find(path) is { } material ? Preview(material)
            : shown.Length >= 3 ? Material.Grey with { Name = $"{prim.Name} colour", BaseColor = Positive(shown) }
            : Material.Grey
        );
        return _numbers[key] = _materials.Count - 1;
    }

    private static Vector3 Positive(double[] v) => Vector3.Max(default, new((float)v[0], (float)v[1], (float)v[2]));

    /// <summary>UsdPreviewSurface, by the published specification's names and fallbacks.</summary>
    private Material Preview(UsdPrim material)
    {
        if (material.All().FirstOrDefault(s => s.Of("info:id")?.Word == "UsdPreviewSurface") is not { } surface)
        {
            Tell($"Material “{material.Name}” has no preview surface; it is grey.");
            return Material.Grey with { Name = material.Name };
        }
        float One(string input, float otherwise) =>
            surface.Of($"inputs:{input}")?.NumbersAt(null) is [var v, ..] ? Math.Clamp((float)v, 0, 1) : otherwise;
        Vector3 Colour(string input, float otherwise) =>
            surface.Of($"inputs:{input}")?.NumbersAt(null) is { Length: >= 3 } v ? Positive(v) : new(otherwise);
        Core.Images.FloatImage? picture = null;
        foreach (string input in surface.Attributes.Where(a => a.Value.Connected is not null).Select(a => a.Key["inputs:".Length..]))
        {
            string to = surface.Of($"inputs:{input}")!.Connected!;
            string? file = _root.Find(to.Split('.')[0])?.Of("inputs:file")?.Word;
            if (input != "diffuseColor")
            {
                Tell($"The {input} picture of material “{material.Name}” is not used; its even value is.");
            }
            else if (file is null || _beside?.Invoke(file) is not { } bytes)
            {
                Tell(
                    $"The picture {file ?? "of its colour"} of material “{material.Name}” is not there; its flat colour is used. Bring it in together with the mesh."
                );
            }
            else
            {
                picture = MaterialPicture.Read(bytes, file);
            }
        }
        if (One("opacity", 1) < 1)
        {
            Tell($"Material “{material.Name}” is see-through all over; it is taken as whole. Give it a picture with alpha.");
        }
        return new(material.Name, picture is null ? Colour("diffuseColor", 0.18f) : Vector3.One, One("metallic", 0), One("roughness", 0.5f))
        {
            Emission = Colour("emissiveColor", 0),
            Picture = picture,
            SeeThrough = picture is not null && MaterialPicture.HasAlpha(picture),
        };
    }
}
