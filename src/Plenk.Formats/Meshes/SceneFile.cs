using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using SharpGLTF.Schema2;
using Material = Plenk.Core.Contact.Material;

namespace Plenk.Formats.Meshes;

/// <summary>A thing of a shot with where it is: one place, or one a frame.</summary>
/// <param name="Places">Object to world by frame; the first holds where it does not move.</param>
public sealed record SceneThing(
    string Name,
    TriangleMesh Mesh,
    IReadOnlyList<Material> Materials,
    IReadOnlyList<(int Frame, Similarity ObjectToWorld)> Places
)
{
    /// <summary>
    /// Of one that bends: where its vertices are by frame, as many as its mesh has; empty: they stay. USD has them as samples of its points, glTF
    /// as morph targets that are followed from one to the next.
    /// </summary>
    public IReadOnlyList<(int Frame, Vector3[] Positions)> Shapes { get; init; } = [];
}

/// <summary>
/// A shot's place for other programs: metres, right-handed, +Y up. Lights as at the first frame, their strength as Plenk's.
/// </summary>
public sealed record SceneToHandOver(
    IReadOnlyList<(int Frame, Pose CameraToWorld, double FocalMm)> Camera,
    double SensorWidthMm,
    double SensorHeightMm,
    FrameRate Rate,
    IReadOnlyList<SceneThing> Set,
    IReadOnlyList<SceneThing> Elements,
    IReadOnlyList<Light> Lights
)
{
    /// <summary>Named places in the world.</summary>
    public IReadOnlyList<(string Name, Vec3 Place)> Points { get; init; } = [];

    /// <summary>
    /// How far the aperture lies off the lens's axis, positive to the right and up: a principal point off the centre, the other way.
    /// </summary>
    public (double X, double Y) ApertureOffsetMm { get; init; }
}

/// <summary>Camera, set, elements and lights together, as binary glTF and as USD text.</summary>
public static class SceneFile
{
    /// <summary>
    /// Lights by KHR_lights_punctual: suns, points and spots; intensities are Plenk's own (relative), not candela or lux. A zoom and lights
    /// that shine from all around have no place in glTF: extras of the camera name the first frame, the rate and the sensor.
    /// </summary>
    public static byte[] Glb(SceneToHandOver s)
    {
        ModelRoot model = ModelRoot.CreateModel();
        Scene scene = model.UseScene("shot");
        var (first, pose, focal) = s.Camera[0];
        float Time(int frame) => (float)((frame - first) / s.Rate.PerSecond);
        Camera camera = model.CreateCamera("camera");
        camera.SetPerspectiveMode(
            (float)(s.SensorWidthMm / s.SensorHeightMm),
            (float)(2 * Math.Atan(s.SensorHeightMm / (2 * focal))),
            0.01f,
            float.PositiveInfinity
        );
        camera.Extras = new System.Text.Json.Nodes.JsonObject
        {
            ["firstFrame"] = first,
            ["rate"] = s.Rate.ToString(),
            ["sensorWidthMm"] = s.SensorWidthMm,
            ["sensorHeightMm"] = s.SensorHeightMm,
            ["focalMm"] = focal,
        };
        Animation? animation = null;
        void Place(Node node, IReadOnlyList<(int Frame, Similarity At)> places)
        {
            Similarity at = places[0].At;
            node.LocalTransform = new SharpGLTF.Transforms.AffineTransform(
                new Vector3((float)at.Scale),
                Rotations.ToQuaternion(at.Rotation),
                at.Translation.ToSingle()
            );
            if (places.Count < 2)
            {
                return;
            }
            animation ??= model.CreateAnimation("shot");
            GltfFile.Animate(animation, node, [.. places.Select(p => (Time(p.Frame), p.At.Rotation, p.At.Translation))]);
            if (places.Any(p => p.At.Scale != at.Scale))
            {
                animation.CreateScaleChannel(
                    node,
                    places.ToDictionary(p => Time(p.Frame), p => new Vector3((float)p.At.Scale)),
                    linear: true
                );
            }
        }
        Node seen = scene.CreateNode("camera");
        seen.Camera = camera;
        Place(seen, [.. s.Camera.Select(c => (c.Frame, new Similarity(1, c.CameraToWorld.Rotation, c.CameraToWorld.Position)))]);
        // Copies are nodes of one mesh.
        var meshes = new Dictionary<TriangleMesh, Mesh>(ReferenceEqualityComparer.Instance);
        foreach (var (group, things) in (ReadOnlySpan<(string, IReadOnlyList<SceneThing>)>)[("set", s.Set), ("elements", s.Elements)])
        {
            if (things.Count == 0)
            {
                continue;
            }
            Node parent = scene.CreateNode(group);
            foreach (SceneThing t in things.Where(t => t.Mesh.TriangleCount > 0))
            {
                Node node = parent.CreateNode(t.Name);
                if (!meshes.TryGetValue(t.Mesh, out Mesh? mesh))
                {
                    meshes[t.Mesh] = mesh = GltfFile.MeshOf(model, t.Name, t.Mesh, t.Materials, [.. t.Shapes.Select(f => f.Positions)]);
                }
                node.Mesh = mesh;
                Place(node, t.Places);
                if (t.Shapes.Count > 0)
                {
                    animation ??= model.CreateAnimation("shot");
                    animation.CreateMorphChannel(
                        node,
                        t.Shapes.Select((f, i) => (f.Frame, i))
                            .ToDictionary(
                                f => Time(f.Frame),
                                f => Enumerable.Range(0, t.Shapes.Count).Select(k => k == f.i ? 1f : 0).ToArray()
                            ),
                        t.Shapes.Count,
                        linear: true
                    );
                }
            }
        }
        foreach (Light l in s.Lights)
        {
            PunctualLightType? kind = l.Kind switch
            {
                LightKind.Sun => PunctualLightType.Directional,
                LightKind.Point => PunctualLightType.Point,
                LightKind.Spot => PunctualLightType.Spot,
                _ => null,
            };
            Vector3 colour = SampledLight.ColourOf(l);
            float strength = MathF.Max(colour.X, MathF.Max(colour.Y, colour.Z));
            if (kind is not { } type || !(strength > 0))
            {
                continue;
            }
            PunctualLight light = model.CreatePunctualLight(type);
            light.Name = l.Name.Length > 0 ? l.Name : l.Id;
            light.Color = colour / strength;
            light.Intensity = strength;
            if (type == PunctualLightType.Spot)
            {
                light.SetSpotCone(
                    (float)Rotations.Radians(l.InnerDegrees),
                    (float)Rotations.Radians(Math.Max(l.OuterDegrees, l.InnerDegrees + 0.01))
                );
            }
            Node node = scene.CreateNode(light.Name);
            // A light shines along its own −Z; ours points towards the light.
            node.LocalTransform = new SharpGLTF.Transforms.AffineTransform(
                Vector3.One,
                type == PunctualLightType.Point
                    ? Quaternion.Identity
                    : Rotations.ToQuaternion(Rotations.Between(Vec3.UnitZ, l.Direction.Normalized())),
                l.Kind == LightKind.Sun ? Vector3.Zero : l.Position.ToSingle()
            );
            node.PunctualLight = light;
        }
        model.MergeBuffers();
        return [.. model.WriteGLB()];
    }

    private static string N(double v) => v.ToString("G9", CultureInfo.InvariantCulture);

    /// <summary>
    /// USD text: row vectors, lengths of the camera in tenths of the stage's unit, time codes are frames; the zoom is animated.
    /// </summary>
    public static string Usd(SceneToHandOver s)
    {
        var text = new StringBuilder();
        text.Append(
            CultureInfo.InvariantCulture,
            $"#usda 1.0\n(\n    defaultPrim = \"shot\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    startTimeCode = {s.Camera[0].Frame}\n    endTimeCode = {s.Camera[^1].Frame}\n    timeCodesPerSecond = {N(s.Rate.PerSecond)}\n    framesPerSecond = {N(s.Rate.PerSecond)}\n)\n\ndef Xform \"shot\"\n{{\n"
        );
        text.Append(
            CultureInfo.InvariantCulture,
            $"    def Camera \"camera\"\n    {{\n        float horizontalAperture = {N(s.SensorWidthMm / 100)}\n        float verticalAperture = {N(s.SensorHeightMm / 100)}\n        float horizontalApertureOffset = {N(s.ApertureOffsetMm.X / 100)}\n        float verticalApertureOffset = {N(s.ApertureOffsetMm.Y / 100)}\n        float focalLength.timeSamples = {{\n"
        );
        foreach (var (frame, _, focal) in s.Camera)
        {
            text.Append(CultureInfo.InvariantCulture, $"            {frame}: {N(focal / 100)},\n");
        }
        text.Append("        }\n");
        Transform(
            text,
            "        ",
            [.. s.Camera.Select(c => (c.Frame, new Similarity(1, c.CameraToWorld.Rotation, c.CameraToWorld.Position)))]
        );
        text.Append("    }\n");
        if (s.Points.Count > 0)
        {
            text.Append("    def Points \"points\"\n    {\n        point3f[] points = [")
                .AppendJoin(", ", s.Points.Select(p => $"({N(p.Place.X)}, {N(p.Place.Y)}, {N(p.Place.Z)})"))
                .Append("]\n        float[] widths = [0.02] (interpolation = \"constant\")\n    }\n");
        }
        foreach (var (group, things) in (ReadOnlySpan<(string, IReadOnlyList<SceneThing>)>)[("set", s.Set), ("elements", s.Elements)])
        {
            if (things.Count == 0)
            {
                continue;
            }
            text.Append(CultureInfo.InvariantCulture, $"    def Xform \"{group}\"\n    {{\n");
            var taken = new HashSet<string>();
            var first = new Dictionary<TriangleMesh, string>(ReferenceEqualityComparer.Instance);
            foreach (SceneThing t in things)
            {
                string prim = Prim(t.Name, taken);
                if (first.TryGetValue(t.Mesh, out string? like))
                {
                    // A copy refers to the first of them, and stands elsewhere.
                    text.Append(
                        CultureInfo.InvariantCulture,
                        $"        def Mesh \"{prim}\" (\n            prepend references = </shot/{group}/{like}>\n        )\n        {{\n"
                    );
                    Transform(text, "            ", t.Places);
                    text.Append("        }\n");
                    continue;
                }
                first[t.Mesh] = prim;
                text.Append(CultureInfo.InvariantCulture, $"        def Mesh \"{prim}\"\n        {{\n");
                text.Append("            int[] faceVertexCounts = [")
                    .AppendJoin(", ", Enumerable.Repeat("3", t.Mesh.TriangleCount))
                    .Append("]\n            int[] faceVertexIndices = [")
                    .AppendJoin(", ", t.Mesh.Indices)
                    .Append("]\n            point3f[] points = [");
                Points(text, t.Mesh.Positions);
                if (t.Shapes.Count > 0)
                {
                    text.Append("]\n            point3f[] points.timeSamples = {\n");
                    foreach (var (frame, positions) in t.Shapes)
                    {
                        text.Append(CultureInfo.InvariantCulture, $"                {frame}: [");
                        Points(text, positions).Append("],\n");
                    }
                    text.Append("            }\n");
                }
                else
                {
                    text.Append("]\n");
                }
                text.Append(
                    "            uniform token subdivisionScheme = \"none\"\n            uniform token orientation = \"rightHanded\"\n"
                );
                if (t.Materials.Count > 0)
                {
                    Vector3 c = t.Materials[0].BaseColor;
                    text.Append(
                        CultureInfo.InvariantCulture,
                        $"            color3f[] primvars:displayColor = [({N(c.X)}, {N(c.Y)}, {N(c.Z)})]\n"
                    );
                }
                Transform(text, "            ", t.Places);
                text.Append("        }\n");
            }
            text.Append("    }\n");
        }
        Light[] lights = [.. s.Lights.Where(l => SampledLight.ColourOf(l) != default)];
        if (lights.Length > 0)
        {
            text.Append("    def Xform \"lights\"\n    {\n");
            var taken = new HashSet<string>();
            foreach (Light l in lights)
            {
                if (LightPrim(l) is not { } prim)
                {
                    continue;
                }
                Vector3 colour = SampledLight.ColourOf(l);
                float strength = MathF.Max(colour.X, MathF.Max(colour.Y, colour.Z));
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"        def {prim.Type} \"{Prim(l.Name.Length > 0 ? l.Name : l.Id, taken)}\"\n        {{\n            color3f inputs:color = ({N(colour.X / strength)}, {N(colour.Y / strength)}, {N(colour.Z / strength)})\n            float inputs:intensity = {N(strength)}\n{prim.More}"
                );
                Transform(
                    text,
                    "            ",
                    [
                        (
                            0,
                            new(
                                1,
                                l.Kind is LightKind.Point or LightKind.Sky or LightKind.Panorama
                                    ? Matrix3.Identity
                                    : Rotations.Between(Vec3.UnitZ, l.Direction.Normalized()),
                                l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle ? l.Position : Vec3.Zero
                            )
                        ),
                    ]
                );
                text.Append("        }\n");
            }
            text.Append("    }\n");
        }
        return text.Append("}\n").ToString();
    }

    private static StringBuilder Points(StringBuilder text, Vector3[] positions) =>
        text.AppendJoin(", ", positions.Select(p => $"({N(p.X)}, {N(p.Y)}, {N(p.Z)})"));

    /// <summary>UsdLux: its lights shine along −Z; a fill that nothing hides has no prim of its own.</summary>
    private static (string Type, string More)? LightPrim(Light l) =>
        l.Kind switch
        {
            LightKind.Sun => ("DistantLight", $"            float inputs:angle = {N(l.AngularDiameterDegrees)}\n"),
            LightKind.Point => ("SphereLight", "            float inputs:radius = 0.01\n            bool treatAsPoint = 1\n"),
            LightKind.Spot => (
                "SphereLight",
                "            float inputs:radius = 0.01\n            bool treatAsPoint = 1\n            float "
                    + $"inputs:shaping:cone:angle = {N(l.OuterDegrees)}\n"
            ),
            LightKind.Rectangle => (
                "RectLight",
                $"            float inputs:width = {N(l.Width)}\n            float inputs:height = {N(l.Height)}\n"
            ),
            LightKind.Sky or LightKind.Panorama => ("DomeLight", ""),
            _ => null,
        };

    private static string Prim(string name, HashSet<string> taken)
    {
        string prim = new([.. name.Select(ch => char.IsAsciiLetterOrDigit(ch) ? ch : '_')]),
            own;
        if (prim.Length == 0 || char.IsAsciiDigit(prim[0]))
        {
            prim = $"_{prim}";
        }
        own = prim;
        for (int k = 2; !taken.Add(own); k++)
        {
            own = $"{prim}_{k}";
        }
        return own;
    }

    private static void Transform(StringBuilder text, string indent, IReadOnlyList<(int Frame, Similarity At)> places)
    {
        string Matrix(Similarity s)
        {
            Matrix3 r = s.Rotation;
            string Row(double a, double b, double c) => $"({N(a * s.Scale)}, {N(b * s.Scale)}, {N(c * s.Scale)}, 0)";
            // Matrices act on row vectors: the columns of ours are its rows, the translation its last.
            return $"( {Row(r.M11, r.M21, r.M31)}, {Row(r.M12, r.M22, r.M32)}, {Row(r.M13, r.M23, r.M33)}, ({N(s.Translation.X)}, "
                + $"{N(s.Translation.Y)}, {N(s.Translation.Z)}, 1) )";
        }
        if (places.Count == 1)
        {
            text.Append(CultureInfo.InvariantCulture, $"{indent}matrix4d xformOp:transform = {Matrix(places[0].At)}\n");
        }
        else
        {
            text.Append(CultureInfo.InvariantCulture, $"{indent}matrix4d xformOp:transform.timeSamples = {{\n");
            foreach (var (frame, at) in places)
            {
                text.Append(CultureInfo.InvariantCulture, $"{indent}    {frame}: {Matrix(at)},\n");
            }
            text.Append(CultureInfo.InvariantCulture, $"{indent}}}\n");
        }
        text.Append(CultureInfo.InvariantCulture, $"{indent}uniform token[] xformOpOrder = [\"xformOp:transform\"]\n");
    }
}
