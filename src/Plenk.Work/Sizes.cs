using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>About how many bytes things hold that are kept to be asked for again: their arrays, which is nearly all of them.</summary>
public static class Sizes
{
    public const long Small = 4096;

    public static long Of(CodeImage image) => 2L * image.Codes.Length;

    public static long Of(FloatImage? image) => image is null ? 0 : 4L * image.Data.Length;

    public static long Of(float[]? values) => values is null ? 0 : 4L * values.Length;

    public static long Of(byte[] bytes) => bytes.LongLength;

    public static long Of(TriangleMesh mesh) =>
        12L * mesh.Positions.Length
        + 4L * mesh.Indices.Length
        + 12L * (mesh.Normals?.Length ?? 0)
        + 8L * (mesh.TextureCoordinates?.Length ?? 0)
        + 4L * (mesh.Materials?.Length ?? 0);

    /// <summary>The mesh, its triangles packed for tracing (9 floats and what fills a line), its nodes (half as much).</summary>
    public static long Of(MeshTree tree) => Of(tree.Mesh) + 72L * tree.Mesh.TriangleCount;

    public static long Of(ImportedMesh mesh) => mesh.Objects.Sum(o => Of(o.Mesh)) + mesh.Materials.Sum(m => Of(m.Picture));

    /// <summary>Meshes in the world, their trees, and which piece a triangle is of.</summary>
    public static long Of(SetScene set) =>
        Small + (set.Pieces.Any(p => p.Duties.New) ? 2 : 1) * set.Meshes.Sum(m => 2 * Of(m) + 76L * m.TriangleCount);

    public static long Of(SetPass pass) => Small + pass.KeptBytes;

    public static long Of(RayGrid grid) => 8L * (grid.Width + 1) * (grid.Height + 1);

    /// <summary>Its picture and the tables by which it is sampled.</summary>
    public static long Of(Panorama panorama) => 2 * Of(panorama.Image);

    public static long Of(DepthMap map) => Of(map.Depth) + Of(map.Confidence);

    public static long Of(SetLight light) => Of(light.Irradiance) + Of(light.Sun);

    /// <summary>Pictures with their smaller copies, a third on top.</summary>
    public static long Of(BakedSurface baked) => baked.KeptBytes;

    public static long Of(RenderedLayer layer) =>
        Of(layer.Rgba) + Of(layer.Distance) + Of(layer.Shadow) + Of(layer.Motion) + layer.Ids.Values.Sum(Of);

    public static long Of(FrameLayers f) =>
        new[]
        {
            f.Comp,
            f.Element,
            f.Holdout,
            f.Shadow,
            f.Added,
            f.Visibility,
            f.Ao,
            f.Depth,
            f.Position,
            f.Normal,
            f.Contact,
            f.Mirror,
            f.Held,
        }.Sum(Of)
        + f.Touched.LongLength
        + Of(f.Distance)
        + Of(f.Near)
        + f.Mattes.Sum(m => Of(m.Coverage) + Of(m.Foreground))
        + f.Rendered.Sum(Of)
        + (
            f.Parts is { } p
                ? new[] { p.Albedo, p.Diffuse, p.Specular, p.Reflection, p.Emission, p.Uv, p.Motion }.Sum(Of) + p.Groups.Sum(g => Of(g.Rgb))
                : 0
        )
        + (f.Objects is null ? 0 : 16L * f.Touched.Length)
        + (f.Materials is null ? 0 : 16L * f.Touched.Length);
}
