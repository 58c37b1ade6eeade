using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using SharpGLTF.Schema2;
using GltfMaterial = SharpGLTF.Schema2.Material;
using Material = Plenk.Core.Contact.Material;

namespace Plenk.Formats.Meshes;

/// <summary>Parts of what broke, each a node with a closed mesh that moves, and their motion as a table.</summary>
public static class PartsFile
{
    /// <param name="footage">PNG a material of the meshes; what they carry is light already, so these take none. Others are the inside.</param>
    /// <param name="frames">0 s is the first.</param>
    /// <param name="scraps">Nodes of their own; each of a shape shares its mesh.</param>
    /// <param name="lit">The footage is its surface's own colour, and takes light.</param>
    public static byte[] Glb(
        IReadOnlyList<BrokenPart> parts,
        IReadOnlyList<byte[]> footage,
        Material inside,
        IReadOnlyList<FallFrame> frames,
        FrameRate rate,
        bool lit = false,
        IReadOnlyList<Scrap>? scraps = null
    )
    {
        ModelRoot model = ModelRoot.CreateModel();
        Scene scene = model.UseScene("parts");
        GltfMaterial[] materials =
        [
            .. footage.Select(
                (png, i) =>
                {
                    GltfMaterial m = model.CreateMaterial($"footage.{1001 + i}");
                    if (lit)
                    {
                        m.InitializePBRMetallicRoughness();
                        SharpGLTF.Schema2.MaterialChannel rough = m.FindChannel("MetallicRoughness")!.Value;
                        rough.SetFactor("MetallicFactor", 0);
                        rough.SetFactor("RoughnessFactor", 1);
                    }
                    else
                    {
                        m.InitializeUnlit();
                    }
                    Image image = model.CreateImage($"footage.{1001 + i}");
                    image.Content = new SharpGLTF.Memory.MemoryImage(png);
                    m.FindChannel("BaseColor")!.Value.SetTexture(0, image);
                    return m;
                }
            ),
            Plain(model, inside),
        ];
        Animation? animation = frames.Count > 1 ? model.CreateAnimation("break") : null;
        for (int p = 0; p < parts.Count; p++)
        {
            int part = p;
            Node node = scene.CreateNode(parts[p].Name);
            node.Mesh = MeshOf(model, parts[p], materials);
            BodyState at = frames[0].Bodies[p];
            node.LocalTransform = new SharpGLTF.Transforms.AffineTransform(
                Vector3.One,
                Rotations.ToQuaternion(at.Turn),
                at.Place.ToSingle()
            );
            if (animation is not null)
            {
                GltfFile.Animate(
                    animation,
                    node,
                    [
                        .. frames.Select(f =>
                            ((float)((f.Frame - frames[0].Frame) / rate.PerSecond), f.Bodies[part].Turn, f.Bodies[part].Place)
                        ),
                    ]
                );
            }
        }
        Throw(model, scene, animation, scraps ?? [], materials[^1], frames, rate);
        model.MergeBuffers();
        return [.. model.WriteGLB()];
    }

    private static void Throw(
        ModelRoot model,
        Scene scene,
        Animation? animation,
        IReadOnlyList<Scrap> scraps,
        GltfMaterial material,
        IReadOnlyList<FallFrame> frames,
        FrameRate rate
    )
    {
        var shapes = new Dictionary<int, Mesh>();
        for (int i = 0; i < scraps.Count; i++)
        {
            Scrap scrap = scraps[i];
            if (!shapes.TryGetValue(scrap.Shape, out Mesh? mesh))
            {
                shapes[scrap.Shape] = mesh = model.CreateMesh($"scrap_{scrap.Shape}");
                TriangleMesh own = Scraps.Shape(scrap.Shape);
                MeshPrimitive primitive = mesh.CreatePrimitive();
                primitive.SetVertexAccessor("POSITION", GltfFile.Vectors(model, own.Positions));
                primitive.SetVertexAccessor("NORMAL", GltfFile.Vectors(model, own.Normals!));
                primitive.SetIndexAccessor(GltfFile.Indices(model, own.Indices));
                primitive.DrawPrimitiveType = PrimitiveType.TRIANGLES;
                primitive.Material = material;
            }
            Node node = scene.CreateNode($"scrap_{i + 1:0000}");
            node.Mesh = mesh;
            ScrapState at = scrap.States[0];
            node.LocalTransform = new SharpGLTF.Transforms.AffineTransform(
                new Vector3((float)scrap.Metres),
                Rotations.ToQuaternion(at.Turn),
                at.Place.ToSingle()
            );
            if (animation is not null)
            {
                // Where it lies it has no keys.
                GltfFile.Animate(
                    animation,
                    node,
                    [
                        .. scrap
                            .States.Take(Math.Max(2, scrap.Rests + 1))
                            .Select((s, f) => ((float)((frames[f].Frame - frames[0].Frame) / rate.PerSecond), s.Turn, s.Place)),
                    ]
                );
            }
        }
    }

    private static GltfMaterial Plain(ModelRoot model, Material m)
    {
        GltfMaterial made = model.CreateMaterial(m.Name);
        made.InitializePBRMetallicRoughness();
        SharpGLTF.Schema2.MaterialChannel color = made.FindChannel("BaseColor")!.Value;
        color.Color = new Vector4(m.BaseColor, 1);
        SharpGLTF.Schema2.MaterialChannel mr = made.FindChannel("MetallicRoughness")!.Value;
        mr.SetFactor("MetallicFactor", m.Metallic);
        mr.SetFactor("RoughnessFactor", m.Roughness);
        return made;
    }

    private static Mesh MeshOf(ModelRoot model, BrokenPart part, GltfMaterial[] materials)
    {
        TriangleMesh mesh = part.Mesh;
        Mesh target = model.CreateMesh(part.Name);
        foreach (
            var group in Enumerable
                .Range(0, mesh.TriangleCount)
                .GroupBy(t => Math.Min(mesh.Materials![t], materials.Length - 1))
                .OrderBy(g => g.Key)
        )
        {
            TriangleMesh own = mesh.Part(new HashSet<int>(group).Contains);
            MeshPrimitive primitive = target.CreatePrimitive();
            primitive.SetVertexAccessor("POSITION", GltfFile.Vectors(model, own.Positions));
            primitive.SetVertexAccessor("NORMAL", GltfFile.Vectors(model, own.Normals!));
            primitive.SetVertexAccessor("TEXCOORD_0", GltfFile.Places(model, own.TextureCoordinates!));
            primitive.SetIndexAccessor(GltfFile.Indices(model, own.Indices));
            primitive.DrawPrimitiveType = PrimitiveType.TRIANGLES;
            primitive.Material = materials[group.Key];
        }
        return target;
    }

    /// <summary>frame,part,x,y,z,qx,qy,qz,qw: each centre of mass, every part in every frame.</summary>
    public static string Csv(IReadOnlyList<BrokenPart> parts, IReadOnlyList<FallFrame> frames)
    {
        var text = new StringBuilder("frame,part,x,y,z,qx,qy,qz,qw\n");
        foreach (FallFrame f in frames)
        {
            for (int p = 0; p < parts.Count; p++)
            {
                BodyState s = f.Bodies[p];
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"{f.Frame},{parts[p].Name},{s.Place.X:R},{s.Place.Y:R},{s.Place.Z:R},{s.X:R},{s.Y:R},{s.Z:R},{s.W:R}\n"
                );
            }
        }
        return text.ToString();
    }
}
