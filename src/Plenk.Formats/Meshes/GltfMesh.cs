using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Tracing;
using SharpGLTF.Schema2;
using GltfMaterial = SharpGLTF.Schema2.Material;
using Material = Plenk.Core.Contact.Material;

namespace Plenk.Formats.Meshes;

/// <summary>
/// Meshes of a glTF at any time of its animation: nodes, morphs, then skins, as the glTF 2.0 specification has them (3.7.2 and 3.7.3, appendix
/// C). The same triangles at all times.
/// </summary>
public sealed class GltfMesh : IMovingMesh
{
    // What is told and which materials there are grows as it is asked.
    private readonly Lock _asking = new();
    private readonly ModelRoot _model;
    private readonly string _name;
    private readonly Animation? _animation;
    private readonly GltfCurves _curves;
    private readonly List<string> _told = [];
    private readonly List<Material> _materials = [];
    private readonly Dictionary<int, int> _numbers = [];

    internal GltfMesh(ModelRoot model, string name)
    {
        (_model, _name) = (model, name);
        _animation = model.LogicalAnimations.Count > 0 ? model.LogicalAnimations[0] : null;
        _curves = new(_animation);
        if (model.LogicalAnimations.Count > 1)
        {
            _told.Add(
                $"{name} has {model.LogicalAnimations.Count} animations; the first is used ({Called(model.LogicalAnimations[0].Name)}), and not "
                    + $"{string.Join(", ", model.LogicalAnimations.Skip(1).Take(4).Select(a => Called(a.Name)))}. Join them, or export the one that is meant."
            );
        }
    }

    private static string Called(string? name) => string.IsNullOrEmpty(name) ? "unnamed" : $"“{name}”";

    /// <summary>It has an animation.</summary>
    public bool Moves => _animation is not null;

    /// <summary>Of what its file holds.</summary>
    public long Bytes =>
        _model.LogicalBuffers.Sum(b => (long)b.Content.Length) + _model.LogicalImages.Sum(i => (long)i.Content.Content.Length);

    /// <summary>Of its animation.</summary>
    public double Seconds => _animation?.Duration ?? 0;

    /// <summary>Its nodes move as they are; else some are bent by skins or morphs.</summary>
    public bool IsRigid =>
        _model.LogicalNodes.Where(n => n.Mesh is not null).All(n => n.Skin is null && n.Mesh.Primitives.All(p => p.MorphTargetsCount == 0));

    public IReadOnlyList<string> Joints =>
        [
            .. _model
                .LogicalSkins.SelectMany(s => Enumerable.Range(0, s.JointsCount).Select(i => s.GetJoint(i).Joint.Name))
                .Where(n => !string.IsNullOrEmpty(n))
                .Distinct(),
        ];

    public ImportedMesh At(double? seconds, IReadOnlyDictionary<string, Quaternion>? turned = null)
    {
        float? time = seconds is { } s ? (float)Math.Clamp(s, 0, Seconds) : null;
        using Lock.Scope asking = _asking.EnterScope();
        try
        {
            var objects = new List<ImportedObject>();
            foreach (Node node in _model.LogicalNodes)
            {
                if (node.Mesh is { } mesh)
                {
                    objects.Add(new(NameOf(node, mesh, objects.Count), MeshOf(node, mesh, World(node, time, turned), time, turned)));
                }
            }
            return new(objects, [.. _materials], [.. _told.Distinct()]);
        }
        // The library looks at values when they are asked for.
        catch (Exception e)
            when (e is ArgumentException or InvalidOperationException or IndexOutOfRangeException or SharpGLTF.Validation.ModelException)
        {
            throw new FormatFault(
                "file",
                $"{_name}: its meshes cannot be read ({e.Message.Split('\n')[0]})",
                "Export the file again as .glb; a skin or a morph does not fit its mesh."
            );
        }
    }

    private static string NameOf(Node node, Mesh mesh, int number) => node.Name ?? mesh.Name ?? $"object {number + 1}";

    private Matrix4x4 World(Node node, float? time, IReadOnlyDictionary<string, Quaternion>? turned = null) =>
        (time is not null && _animation is not null) || turned is { Count: > 0 } ? _curves.World(node, time, turned) : node.WorldMatrix;

    /// <summary>Of a rigid file: each object in its own space, and where its node is at a time.</summary>
    public IReadOnlyList<(string Name, TriangleMesh Mesh, Func<double, Matrix4x4> At)> Nodes()
    {
        using Lock.Scope asking = _asking.EnterScope();
        var nodes = new List<(string, TriangleMesh, Func<double, Matrix4x4>)>();
        foreach (Node node in _model.LogicalNodes)
        {
            if (node.Mesh is { } mesh)
            {
                Node own = node;
                nodes.Add(
                    (NameOf(node, mesh, nodes.Count), MeshOf(node, mesh, Matrix4x4.Identity, null, null), seconds =>
                        World(own, (float)Math.Clamp(seconds, 0, Seconds))
                    )
                );
            }
        }
        return nodes;
    }

    private TriangleMesh MeshOf(Node node, Mesh mesh, Matrix4x4 world, float? time, IReadOnlyDictionary<string, Quaternion>? turned)
    {
        var positions = new List<Vector3>();
        var normals = new List<Vector3>();
        var textures = new List<Vector2>();
        var indices = new List<int>();
        var owners = new List<int>();
        bool anyNormals = false,
            anyTextures = false;
        IReadOnlyList<float> weights = Weights(node, mesh, time);
        Matrix4x4[]? joints = node.Skin is { } skin
            ?
            [
                .. Enumerable
                    .Range(0, skin.JointsCount)
                    .Select(i => skin.GetJoint(i))
                    .Select(j => j.InverseBindMatrix * World(j.Joint, time, turned)),
            ]
            : null;
        foreach (MeshPrimitive primitive in mesh.Primitives)
        {
            if (primitive.DrawPrimitiveType is not (PrimitiveType.TRIANGLES or PrimitiveType.TRIANGLE_STRIP or PrimitiveType.TRIANGLE_FAN))
            {
                _told.Add($"Points or lines of “{node.Name}” were left out.");
                continue;
            }
            if (primitive.GetVertexAccessor("POSITION") is not { } accessor)
            {
                continue;
            }
            int first = positions.Count;
            Vector3[] p = [.. accessor.AsVector3Array()],
                n = primitive.GetVertexAccessor("NORMAL") is { } own ? [.. own.AsVector3Array()] : new Vector3[p.Length];
            anyNormals |= primitive.GetVertexAccessor("NORMAL") is not null;
            Morph(primitive, weights, p, n);
            if (joints is not null)
            {
                Bend(node, primitive, joints, p, n);
            }
            else
            {
                Matrix4x4.Invert(world, out Matrix4x4 inverse);
                Matrix4x4 turn = Matrix4x4.Transpose(inverse);
                for (int v = 0; v < p.Length; v++)
                {
                    p[v] = Vector3.Transform(p[v], world);
                    n[v] = Unit(Vector3.TransformNormal(n[v], turn));
                }
            }
            positions.AddRange(p);
            normals.AddRange(n);
            if (primitive.GetVertexAccessor("TEXCOORD_0") is { } uv)
            {
                anyTextures = true;
                textures.AddRange(uv.AsVector2Array());
            }
            else
            {
                textures.AddRange(new Vector2[p.Length]);
            }
            int material = MaterialNumber(primitive.Material);
            foreach ((int a, int b, int c) in primitive.GetTriangleIndices())
            {
                indices.AddRange([first + a, first + b, first + c]);
                owners.Add(material);
            }
        }
        return new([.. positions], [.. indices])
        {
            Normals = anyNormals ? [.. normals] : null,
            TextureCoordinates = anyTextures ? [.. textures] : null,
            Materials = [.. owners],
        };
    }

    private static Vector3 Unit(Vector3 v) => v.LengthSquared() > 0 ? Vector3.Normalize(v) : v;

    private IReadOnlyList<float> Weights(Node node, Mesh mesh, float? time)
    {
        if (mesh.Primitives.All(p => p.MorphTargetsCount == 0))
        {
            return [];
        }
        if (time is { } t && _curves.Weights(node, t) is { } keyed)
        {
            return keyed;
        }
        IReadOnlyList<float> own = node.MorphWeights;
        return own.Count > 0 ? own : mesh.MorphWeights;
    }

    /// <summary>v = v₀ + Σ weight · Δ, before skins; normals likewise.</summary>
    private static void Morph(MeshPrimitive primitive, IReadOnlyList<float> weights, Vector3[] p, Vector3[] n)
    {
        for (int k = 0; k < primitive.MorphTargetsCount && k < weights.Count; k++)
        {
            if (weights[k] == 0)
            {
                continue;
            }
            IReadOnlyDictionary<string, Accessor> target = primitive.GetMorphTargetAccessors(k);
            if (target.TryGetValue("POSITION", out Accessor? dp))
            {
                IReadOnlyList<Vector3> by = dp.AsVector3Array();
                for (int v = 0; v < p.Length; v++)
                {
                    p[v] += weights[k] * by[v];
                }
            }
            if (target.TryGetValue("NORMAL", out Accessor? dn))
            {
                IReadOnlyList<Vector3> by = dn.AsVector3Array();
                for (int v = 0; v < n.Length; v++)
                {
                    n[v] += weights[k] * by[v];
                }
            }
        }
    }

    /// <summary>p = Σ wⱼ · (global of joint j · inverse bind j) · v; where the node itself stands does not count.</summary>
    private void Bend(Node node, MeshPrimitive primitive, Matrix4x4[] joints, Vector3[] p, Vector3[] n)
    {
        var sets = new List<(IReadOnlyList<Vector4> Joints, IReadOnlyList<Vector4> Weights)>();
        for (int s = 0; primitive.GetVertexAccessor($"JOINTS_{s}") is { } j && primitive.GetVertexAccessor($"WEIGHTS_{s}") is { } w; s++)
        {
            sets.Add((j.AsVector4Array(), w.AsVector4Array()));
        }
        if (sets.Count == 0)
        {
            _told.Add($"“{node.Name}” has a skeleton, but a part of it no weights; that stands as the file has it.");
            return;
        }
        int uneven = 0;
        for (int v = 0; v < p.Length; v++)
        {
            Matrix4x4 sum = default;
            float whole = 0;
            foreach (var (j, w) in sets)
            {
                for (int k = 0; k < 4; k++)
                {
                    float weight = w[v][k];
                    if (weight == 0)
                    {
                        continue;
                    }
                    int joint = (int)j[v][k];
                    if (joint < 0 || joint >= joints.Length)
                    {
                        throw new FormatFault(
                            "file",
                            $"{_name}: corner {v + 1} of “{node.Name}” hangs on joint {joint}; its skeleton has {joints.Length}",
                            "Export the mesh with the skeleton that it is bound to."
                        );
                    }
                    sum += joints[joint] * weight;
                    whole += weight;
                }
            }
            if (MathF.Abs(whole - 1) > 1e-3f)
            {
                uneven++;
            }
            if (!(whole > 1e-6f))
            {
                continue;
            }
            sum *= 1 / whole;
            p[v] = Vector3.Transform(p[v], sum);
            Matrix4x4 turn = sum with { M41 = 0, M42 = 0, M43 = 0 };
            n[v] = Unit(Matrix4x4.Invert(turn, out Matrix4x4 inverse) ? Vector3.TransformNormal(n[v], Matrix4x4.Transpose(inverse)) : n[v]);
        }
        if (uneven > 0)
        {
            _told.Add($"The weights of {uneven} corners of “{node.Name}” do not sum to one; they are taken in proportion.");
        }
    }

    private int MaterialNumber(GltfMaterial? m)
    {
        int key = m?.LogicalIndex ?? -1;
        if (_numbers.TryGetValue(key, out int at))
        {
            return at;
        }
        Material made = Material.Grey;
        if (m is not null)
        {
            Vector4 baseColor = m.FindChannel("BaseColor") is { } c ? c.Color : Vector4.One;
            float metallic = 1,
                roughness = 1;
            if (m.FindChannel("MetallicRoughness") is { } mr)
            {
                metallic = mr.GetFactor("MetallicFactor");
                roughness = mr.GetFactor("RoughnessFactor");
            }
            // What its material says beyond what is worked on, by the names of the published extensions.
            string[] beyond =
            [
                .. m
                    .Channels.Select(c => c.Key)
                    .Where(k =>
                        k
                            is not (
                                "BaseColor"
                                or "MetallicRoughness"
                                or "Normal"
                                or "Occlusion"
                                or "Emissive"
                                or "Diffuse"
                                or "SpecularGlossiness"
                            )
                    ),
            ];
            if (beyond.Length > 0)
            {
                _told.Add(
                    $"{string.Join(", ", beyond)} of material “{m.Name}” {(beyond.Length > 1 ? "are" : "is")} not worked on; it is taken as "
                        + "solid and plain."
                );
            }
            FloatImage? picture = null;
            if (m.FindChannel("BaseColor")?.Texture is { } texture)
            {
                byte[] data = texture.PrimaryImage?.Content.Content.ToArray() ?? [];
                if (data.Length == 0)
                {
                    _told.Add($"The picture of material “{m.Name}” is missing; its flat colour is used.");
                }
                else
                {
                    picture = MaterialPicture.Read(data, $"the picture of material {m.Name}");
                }
            }
            if (m.Alpha == AlphaMode.MASK && picture is not null)
            {
                MaterialPicture.Cut(picture, m.AlphaCutoff);
            }
            if (m.Alpha == AlphaMode.BLEND && baseColor.W < 1)
            {
                _told.Add(
                    $"Material “{m.Name}” is see-through all over ({baseColor.W:0.##}); it is taken as whole. Give it a picture with alpha."
                );
            }
            foreach (
                string left in ((string[])["Normal", "Occlusion", "MetallicRoughness", "Emissive"]).Where(c =>
                    m.FindChannel(c)?.Texture is not null
                )
            )
            {
                _told.Add($"The {left} picture of material “{m.Name}” is not used; its even value is.");
            }
            Vector3 emission = m.FindChannel("Emissive") is { } e
                ? new Vector3(e.Color.X, e.Color.Y, e.Color.Z)
                    * (e.Parameters.FirstOrDefault(p => p.Name == "EmissiveStrength")?.Value is float strength ? strength : 1)
                : default;
            // What takes no light shows its picture or colour as it is.
            if (m.Unlit)
            {
                _materials.Add(
                    new(m.Name ?? "material", default, 0, 1)
                    {
                        Specular = 0,
                        Emission = new(baseColor.X, baseColor.Y, baseColor.Z),
                        Picture = picture,
                        SeeThrough = picture is not null && m.Alpha != AlphaMode.OPAQUE && MaterialPicture.HasAlpha(picture),
                    }
                );
                return _numbers[key] = _materials.Count - 1;
            }
            made = new(m.Name ?? "material", new(baseColor.X, baseColor.Y, baseColor.Z), metallic, roughness)
            {
                Emission = emission,
                Picture = picture,
                SeeThrough = picture is not null && m.Alpha != AlphaMode.OPAQUE && MaterialPicture.HasAlpha(picture),
            };
        }
        _materials.Add(made);
        return _numbers[key] = _materials.Count - 1;
    }
}
