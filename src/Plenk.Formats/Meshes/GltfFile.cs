using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using SharpGLTF.Schema2;
using GltfMaterial = SharpGLTF.Schema2.Material;
using Material = Plenk.Core.Contact.Material;

namespace Plenk.Formats.Meshes;

/// <summary>glTF 2.0 in and out through SharpGLTF: meshes with metallic-roughness factors, and an animated camera.</summary>
public static class GltfFile
{
    /// <summary>The bytes of a glTF, binary or text.</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => IsBinary(bytes) || bytes.TrimStart(" \t\r\n"u8).StartsWith("{"u8);

    private static bool IsBinary(ReadOnlySpan<byte> bytes) => bytes.StartsWith("glTF"u8);

    /// <summary>As it stands before its animation begins.</summary>
    public static ImportedMesh ReadMesh(byte[] bytes, string name) => new GltfMesh(Open(bytes, name), name).At(null);

    /// <summary>Kept open, to be asked how it stands at other times.</summary>
    public static GltfMesh OpenMesh(byte[] bytes, string name) => new(Open(bytes, name), name);

    /// <summary>
    /// The first camera with its node's animation. t = 0 s is the first plate frame; <c>extras</c> of the camera or the
    /// scene with firstFrame and rate win over the arguments.
    /// </summary>
    public static CameraSource ReadCamera(byte[] bytes, string name, int width, int height, int firstFrame, FrameRate rate)
    {
        ModelRoot model = Open(bytes, name);
        try
        {
            return CameraOf(model, name, width, height, firstFrame, rate);
        }
        // The library looks at values when they are asked for.
        catch (Exception e)
            when (e
                    is ArgumentException
                        or InvalidOperationException
                        or FormatException
                        or OverflowException
                        or SharpGLTF.Validation.ModelException
            )
        {
            throw new FormatFault("file", $"{name}: its camera cannot be read ({e.Message})", "Export the camera again.");
        }
    }

    private static CameraSource CameraOf(ModelRoot model, string name, int width, int height, int firstFrame, FrameRate rate)
    {
        Node node = model.LogicalNodes.FirstOrDefault(n => n.Camera is not null)
            ?? throw new FormatFault("file", $"{name} holds no camera", "Export the camera with the file, with its animation.");
        if (node.Camera.Settings is not CameraPerspective perspective)
        {
            throw new FormatFault("file", $"{name}: the camera “{node.Name}” is not a perspective camera", "Export a perspective camera.");
        }
        foreach (var extras in new[] { node.Camera.Extras, node.Extras, model.DefaultScene?.Extras, model.Asset.Extras })
        {
            if (extras is System.Text.Json.Nodes.JsonObject o)
            {
                if (o["firstFrame"] is { } f)
                {
                    firstFrame = (int)(double)f;
                }
                if (o["rate"]?.ToString() is { } r && TryRate(r, out FrameRate parsed))
                {
                    rate = parsed;
                }
            }
        }
        double focal = height / (2 * Math.Tan(perspective.VerticalFOV / 2));
        double last = model.LogicalAnimations.Count > 0 ? model.LogicalAnimations.Max(a => a.Duration) : 0;
        int count = (int)Math.Round(last * rate.PerSecond) + 1;
        if (count > 100_000)
        {
            throw new FormatFault(
                "too_large",
                $"{name}: the camera's animation is {last:0} s long, {count:N0} frames",
                "Export the shot's range only."
            );
        }
        var samples = new List<CameraSample>();
        GltfCurves? curves = model.LogicalAnimations.Count > 0 ? new(model.LogicalAnimations[0]) : null;
        for (int i = 0; i < count; i++)
        {
            float time = (float)Math.Min(i / rate.PerSecond, last);
            Matrix4x4 m = curves?.World(node, time) ?? node.WorldMatrix;
            double[] rows = [m.M11, m.M21, m.M31, m.M41, m.M12, m.M22, m.M32, m.M42, m.M13, m.M23, m.M33, m.M43, 0, 0, 0, 1];
            if (Pose.FromRowMajor16(rows, out string? why) is null)
            {
                throw new FormatFault(
                    "nan",
                    $"{name}: at frame {firstFrame + i}, {why}",
                    "Export the camera without scale, from its own node."
                );
            }
            samples.Add(new(firstFrame + i, rows, focal, width / 2.0, height / 2.0));
        }
        return new CameraSource
        {
            Name = node.Name ?? name,
            Rate = rate,
            Mapping = new(firstFrame, firstFrame),
            Width = width,
            Height = height,
            Samples = samples,
        };
    }

    /// <summary>
    /// A binary glTF of one animated camera: a sample a frame, straight between them, 0 s at the first; extras hold firstFrame
    /// and rate. glTF has no lens and no principal point: those travel in solve.json.
    /// </summary>
    public static byte[] WriteCamera(
        string name,
        IReadOnlyList<(int Frame, Pose CameraToWorld)> frames,
        double verticalFovRadians,
        double aspect,
        FrameRate rate
    )
    {
        ModelRoot model = ModelRoot.CreateModel();
        Node node = model.UseScene("scene").CreateNode(name);
        Camera camera = model.CreateCamera(name);
        camera.SetPerspectiveMode((float)aspect, (float)verticalFovRadians, 0.01f, float.PositiveInfinity);
        camera.Extras = new System.Text.Json.Nodes.JsonObject { ["firstFrame"] = frames[0].Frame, ["rate"] = rate.ToString() };
        node.Camera = camera;
        float Time(int frame) => (float)((frame - frames[0].Frame) / rate.PerSecond);
        node.LocalTransform = new SharpGLTF.Transforms.AffineTransform(
            Vector3.One,
            Rotations.ToQuaternion(frames[0].CameraToWorld.Rotation),
            frames[0].CameraToWorld.Position.ToSingle()
        );
        if (frames.Count > 1)
        {
            Animate(
                model.CreateAnimation(name),
                node,
                [.. frames.Select(f => (Time(f.Frame), f.CameraToWorld.Rotation, f.CameraToWorld.Position))]
            );
        }
        model.MergeBuffers();
        return [.. model.WriteGLB()];
    }

    /// <summary>Turns and places of a node over time, straight between them.</summary>
    internal static void Animate(Animation animation, Node node, IReadOnlyList<(float Time, Matrix3 Rotation, Vec3 Place)> places)
    {
        var turns = new Dictionary<float, Quaternion>();
        Quaternion before = Rotations.ToQuaternion(places[0].Rotation);
        foreach (var (time, rotation, _) in places)
        {
            // q and −q are one rotation; the shorter way between neighbours is meant.
            Quaternion q = Rotations.ToQuaternion(rotation);
            before = turns[time] = Quaternion.Dot(q, before) < 0 ? -q : q;
        }
        animation.CreateRotationChannel(node, turns, linear: true);
        animation.CreateTranslationChannel(node, places.ToDictionary(p => p.Time, p => p.Place.ToSingle()), linear: true);
    }

    public static bool TryRate(string text, out FrameRate rate)
    {
        string[] parts = text.Split('/');
        rate = new(24, 1);
        if (parts.Length is < 1 or > 2 || !int.TryParse(parts[0], out int num) || num <= 0)
        {
            return false;
        }
        int den = 1;
        if (parts.Length == 2 && (!int.TryParse(parts[1], out den) || den <= 0))
        {
            return false;
        }
        rate = new(num, den);
        return true;
    }

    /// <summary>A binary glTF of one mesh with its materials.</summary>
    public static byte[] WriteMesh(string name, TriangleMesh mesh, IReadOnlyList<Material> materials)
    {
        ModelRoot model = ModelRoot.CreateModel();
        Scene scene = model.UseScene("scene");
        scene.CreateNode(name).Mesh = MeshOf(model, name, mesh, materials);
        model.MergeBuffers();
        return [.. model.WriteGLB()];
    }

    /// <summary>A mesh with its materials in a model; textures stay behind.</summary>
    /// <param name="shapes">Where its vertices are at other times: a morph target each.</param>
    internal static Mesh MeshOf(
        ModelRoot model,
        string name,
        TriangleMesh mesh,
        IReadOnlyList<Material> materials,
        IReadOnlyList<Vector3[]>? shapes = null
    )
    {
        Mesh target = model.CreateMesh(name);
        foreach (var group in Enumerable.Range(0, mesh.TriangleCount).GroupBy(i => mesh.Materials?[i] ?? 0).OrderBy(g => g.Key))
        {
            var remap = new Dictionary<int, int>();
            var positions = new List<Vector3>();
            var normals = new List<Vector3>();
            var indices = new List<int>();
            foreach (int i in group)
            {
                for (int k = 0; k < 3; k++)
                {
                    int v = mesh.Indices[3 * i + k];
                    if (!remap.TryGetValue(v, out int at))
                    {
                        at = remap[v] = positions.Count;
                        positions.Add(mesh.Positions[v]);
                        normals.Add(NormalOf(mesh, i, v));
                    }
                    indices.Add(at);
                }
            }
            MeshPrimitive primitive = target.CreatePrimitive();
            primitive.SetVertexAccessor("POSITION", Vectors(model, [.. positions]));
            primitive.SetVertexAccessor("NORMAL", Vectors(model, [.. normals]));
            primitive.SetIndexAccessor(Indices(model, [.. indices]));
            primitive.DrawPrimitiveType = PrimitiveType.TRIANGLES;
            int[] order = [.. remap.OrderBy(r => r.Value).Select(r => r.Key)];
            for (int k = 0; k < shapes?.Count; k++)
            {
                Vector3[] at = shapes[k];
                primitive.SetMorphTargetAccessors(
                    k,
                    new Dictionary<string, Accessor> { ["POSITION"] = Vectors(model, [.. order.Select(v => at[v] - mesh.Positions[v])]) }
                );
            }
            Material m = materials.Count > 0 ? materials[Math.Clamp(group.Key, 0, materials.Count - 1)] : Material.Grey;
            GltfMaterial made = model.CreateMaterial(m.Name);
            made.InitializePBRMetallicRoughness();
            var color = made.FindChannel("BaseColor")!.Value;
            color.Color = new Vector4(m.BaseColor, 1);
            var mr = made.FindChannel("MetallicRoughness")!.Value;
            mr.SetFactor("MetallicFactor", m.Metallic);
            mr.SetFactor("RoughnessFactor", m.Roughness);
            primitive.Material = made;
        }
        return target;
    }

    /// <summary>Unit length, whatever the mesh has: its own, else its face's, else up.</summary>
    private static Vector3 NormalOf(TriangleMesh mesh, int triangle, int vertex)
    {
        Vector3 n = mesh.Normals?[vertex] ?? default;
        n = n.LengthSquared() > 1e-12f ? Vector3.Normalize(n) : mesh.FaceNormal(triangle);
        return float.IsFinite(n.X + n.Y + n.Z) ? n : Vector3.UnitY;
    }

    /// <summary>
    /// Pieces that wear textures of their own, unlit (KHR_materials_unlit): what they carry is light already. Per piece its mesh with
    /// texture coordinates, the tile each triangle lies on, and the tiles as PNG.
    /// </summary>
    public static byte[] WriteTextured(
        IReadOnlyList<(string Name, TriangleMesh Mesh, int[] TileOfTriangle, IReadOnlyList<byte[]> Tiles)> pieces
    )
    {
        ModelRoot model = ModelRoot.CreateModel();
        Scene scene = model.UseScene("scene");
        foreach (var (name, mesh, tileOf, tiles) in pieces)
        {
            if (mesh.TriangleCount == 0)
            {
                continue;
            }
            Node node = scene.CreateNode(name);
            Mesh target = node.Mesh = model.CreateMesh(name);
            for (int tile = 0; tile < tiles.Count; tile++)
            {
                var positions = new List<Vector3>();
                var normals = new List<Vector3>();
                var places = new List<Vector2>();
                var indices = new List<int>();
                for (int t = 0; t < mesh.TriangleCount; t++)
                {
                    if (tileOf[t] != tile)
                    {
                        continue;
                    }
                    for (int k = 0; k < 3; k++)
                    {
                        int v = mesh.Indices[3 * t + k];
                        indices.Add(positions.Count);
                        positions.Add(mesh.Positions[v]);
                        normals.Add(mesh.Normal(t, k == 1 ? 1 : 0, k == 2 ? 1 : 0));
                        places.Add(mesh.TextureCoordinates![v]);
                    }
                }
                if (indices.Count == 0)
                {
                    continue;
                }
                MeshPrimitive primitive = target.CreatePrimitive();
                primitive.SetVertexAccessor("POSITION", Vectors(model, [.. positions]));
                primitive.SetVertexAccessor("NORMAL", Vectors(model, [.. normals]));
                primitive.SetVertexAccessor("TEXCOORD_0", Places(model, [.. places]));
                primitive.SetIndexAccessor(Indices(model, [.. indices]));
                primitive.DrawPrimitiveType = PrimitiveType.TRIANGLES;
                GltfMaterial material = model.CreateMaterial($"{name}.{1001 + tile}");
                material.InitializeUnlit();
                material.DoubleSided = true;
                Image image = model.CreateImage($"{name}.{1001 + tile}");
                image.Content = new SharpGLTF.Memory.MemoryImage(tiles[tile]);
                material.FindChannel("BaseColor")!.Value.SetTexture(0, image);
                primitive.Material = material;
            }
        }
        model.MergeBuffers();
        return [.. model.WriteGLB()];
    }

    internal static Accessor Vectors(ModelRoot model, Vector3[] values) => Vertices(model, values, DimensionType.VEC3);

    internal static Accessor Places(ModelRoot model, Vector2[] values) => Vertices(model, values, DimensionType.VEC2);

    private static Accessor Vertices<T>(ModelRoot model, T[] values, DimensionType numbers)
        where T : unmanaged
    {
        BufferView view = model.UseBufferView(new ArraySegment<byte>(ToBytes(values)), 0, BufferMode.ARRAY_BUFFER);
        Accessor accessor = model.CreateAccessor();
        accessor.SetVertexData(view, 0, values.Length, new SharpGLTF.Memory.AttributeFormat(numbers));
        return accessor;
    }

    internal static Accessor Indices(ModelRoot model, int[] values)
    {
        Accessor accessor = model.CreateAccessor();
        accessor.SetIndexData(
            model.UseBufferView(new ArraySegment<byte>(ToBytes(values)), 0, BufferMode.ELEMENT_ARRAY_BUFFER),
            0,
            values.Length,
            IndexEncodingType.UNSIGNED_INT
        );
        return accessor;
    }

    private static byte[] ToBytes<T>(T[] values)
        where T : unmanaged => System.Runtime.InteropServices.MemoryMarshal.AsBytes<T>(values).ToArray();

    private static ModelRoot Open(byte[] bytes, string name)
    {
        try
        {
            try
            {
                return Open(bytes, name, SharpGLTF.Validation.ValidationMode.TryFix);
            }
            // Weights that do not sum to one are taken in proportion.
            catch (Exception e) when (e is not FormatFault && e.Message.Contains("Weight Sum", StringComparison.Ordinal))
            {
                return Open(bytes, name, SharpGLTF.Validation.ValidationMode.Skip);
            }
        }
        catch (FormatFault)
        {
            throw;
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            string why = e.Message.Split('\n')[0].Split("Model generated by")[0];
            throw new FormatFault("file", $"{name} cannot be read as glTF: {why}", "Export the file again as .glb.");
        }
    }

    private static ModelRoot Open(byte[] bytes, string name, SharpGLTF.Validation.ValidationMode mode)
    {
        var settings = new ReadSettings { Validation = mode };
        if (IsBinary(bytes))
        {
            return ModelRoot.ReadGLB(new MemoryStream(bytes), settings);
        }
        // A text glTF must carry its data inside: nothing else is fetched.
        var context = SharpGLTF.Schema2.ReadContext.Create(_ =>
            throw new FormatFault("file", $"{name} points to other files", "Export one .glb file.")
        );
        context.Validation = mode;
        return context.ReadSchema2(new MemoryStream(bytes));
    }
}
