using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras;

/// <summary>A shot's camera in the world, for other programs: metres, right-handed, +Y up, looking along −Z.</summary>
/// <param name="Points">Named places in the world.</param>
/// <param name="Set">Pieces of the set in the world, by name.</param>
public sealed record CameraToHandOver(IReadOnlyList<(int Frame, Pose CameraToWorld, Pinhole Pinhole)> Frames, double SensorWidthMm, double SensorHeightMm, FrameRate Rate,
    IReadOnlyList<(string Name, Vec3 Place)> Points, IReadOnlyList<(string Name, TriangleMesh Mesh)> Set);

/// <summary>Cameras out: glTF, USD text with points and set, CSV, PLY points, lens maps as EXR (docs/camera-files.md).</summary>
public static class CameraExport
{
    private static string N(double v) => v.ToString("G9", CultureInfo.InvariantCulture);

    /// <summary>File names and contents; lens maps are written by <see cref="LensMaps"/>, as they go straight to disk.</summary>
    public static IReadOnlyList<(string Name, byte[] Bytes)> Files(CameraToHandOver c)
    {
        Pinhole p = c.Frames[0].Pinhole;
        return
        [
            ("camera.glb", GltfFile.WriteCamera("camera", [.. c.Frames.Select(f => (f.Frame, f.CameraToWorld))], 2 * Math.Atan(p.Height / (2 * p.Fy)), p.Width * p.Fy / (p.Height * p.Fx), c.Rate)),
            ("camera.usda", Encoding.UTF8.GetBytes(Usd(c))),
            ("camera.csv", Encoding.UTF8.GetBytes(Csv(c))),
            ("points.ply", Encoding.UTF8.GetBytes(Ply(c.Points))),
        ];
    }

    /// <summary>One row a frame: place, unit quaternion, focal length and principal point in pixels, lens.</summary>
    private static string Csv(CameraToHandOver c)
    {
        var text = new StringBuilder("frame,tx,ty,tz,qx,qy,qz,qw,focal_px,cx,cy,k1,k2,p1,p2,k3\r\n");
        foreach (var (frame, pose, p) in c.Frames)
        {
            Quaternion q = Rotations.ToQuaternion(pose.Rotation);
            Lens l = p.Lens;
            text.Append(CultureInfo.InvariantCulture, $"{frame},{N(pose.Position.X)},{N(pose.Position.Y)},{N(pose.Position.Z)},{N(q.X)},{N(q.Y)},{N(q.Z)},{N(q.W)},{N(p.Fx)},{N(p.Cx)},{N(p.Cy)},{N(l.K1)},{N(l.K2)},{N(l.P1)},{N(l.P2)},{N(l.K3)}\r\n");
        }
        return text.ToString();
    }

    private static string Ply(IReadOnlyList<(string Name, Vec3 Place)> points)
    {
        var text = new StringBuilder($"ply\nformat ascii 1.0\ncomment {string.Join(' ', points.Select(p => p.Name.Replace(' ', '_')))}\nelement vertex {points.Count}\nproperty float x\nproperty float y\nproperty float z\nend_header\n");
        foreach (var (_, p) in points) { text.Append(CultureInfo.InvariantCulture, $"{N(p.X)} {N(p.Y)} {N(p.Z)}\n"); }
        return text.ToString();
    }

    /// <summary>USD text: row vectors, apertures and focal length in tenths of the stage's unit; points and set beside the camera.</summary>
    private static string Usd(CameraToHandOver c)
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"#usda 1.0\n(\n    defaultPrim = \"shot\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    startTimeCode = {c.Frames[0].Frame}\n    endTimeCode = {c.Frames[^1].Frame}\n    timeCodesPerSecond = {N(c.Rate.PerSecond)}\n)\n\ndef Xform \"shot\"\n{{\n    def Camera \"camera\"\n    {{\n");
        Pinhole first = c.Frames[0].Pinhole;
        double toMm = c.SensorWidthMm / first.Width;
        // The principal point off the centre is an offset of the aperture, positive to the right and up.
        text.Append(CultureInfo.InvariantCulture, $"        float horizontalAperture = {N(c.SensorWidthMm / 100)}\n        float verticalAperture = {N(c.SensorHeightMm / 100)}\n        float horizontalApertureOffset = {N((first.Width / 2.0 - first.Cx) * toMm / 100)}\n        float verticalApertureOffset = {N((first.Cy - first.Height / 2.0) * toMm / 100)}\n        float focalLength.timeSamples = {{\n");
        foreach (var (frame, _, p) in c.Frames) { text.Append(CultureInfo.InvariantCulture, $"            {frame}: {N(p.Fx * toMm / 100)},\n"); }
        text.Append("        }\n        matrix4d xformOp:transform.timeSamples = {\n");
        foreach (var (frame, pose, _) in c.Frames)
        {
            double[] m = pose.ToRowMajor16();
            string Row(int k) => $"({N(m[k])}, {N(m[4 + k])}, {N(m[8 + k])}, {N(m[12 + k])})";
            text.Append(CultureInfo.InvariantCulture, $"            {frame}: ( {Row(0)}, {Row(1)}, {Row(2)}, {Row(3)} ),\n");
        }
        text.Append("        }\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n    }\n");
        if (c.Points.Count > 0)
        {
            text.Append("    def Points \"points\"\n    {\n        point3f[] points = [").AppendJoin(", ", c.Points.Select(p => $"({N(p.Place.X)}, {N(p.Place.Y)}, {N(p.Place.Z)})"))
                .Append("]\n        float[] widths = [0.02] (interpolation = \"constant\")\n    }\n");
        }
        if (c.Set.Count > 0)
        {
            text.Append("    def Xform \"set\"\n    {\n");
            var taken = new HashSet<string>();
            foreach (var (name, mesh) in c.Set)
            {
                string prim = new([.. name.Select(ch => char.IsAsciiLetterOrDigit(ch) ? ch : '_')]);
                if (prim.Length == 0 || char.IsAsciiDigit(prim[0])) { prim = $"_{prim}"; }
                for (int k = 2; !taken.Add(prim); k++) { prim = $"{prim}_{k}"; }
                text.Append(CultureInfo.InvariantCulture, $"        def Mesh \"{prim}\"\n        {{\n            int[] faceVertexCounts = [");
                text.AppendJoin(", ", Enumerable.Repeat("3", mesh.TriangleCount)).Append("]\n            int[] faceVertexIndices = [").AppendJoin(", ", mesh.Indices).Append("]\n            point3f[] points = [")
                    .AppendJoin(", ", mesh.Positions.Select(p => $"({N(p.X)}, {N(p.Y)}, {N(p.Z)})")).Append("]\n            uniform token subdivisionScheme = \"none\"\n        }\n");
            }
            text.Append("    }\n");
        }
        return text.Append("}\n").ToString();
    }

    /// <summary>
    /// Two maps of the plate's size, channels R and G: where in the source picture a pixel of the result comes from, 0..1 from the
    /// left and from the bottom. <c>undistort.exr</c> makes a straight picture from the plate, <c>distort.exr</c> the plate's from a
    /// straight one of the same focal length. Spots outside the lens are −1.
    /// </summary>
    public static void LensMaps(Pinhole p, string folder)
    {
        Directory.CreateDirectory(folder);
        foreach (bool undistort in (bool[])[true, false])
        {
            var u = new float[p.Width * p.Height];
            var v = new float[p.Width * p.Height];
            Parallel.For(0, p.Height, y =>
            {
                for (int x = 0; x < p.Width; x++)
                {
                    double nx = (x + 0.5 - p.Cx) / p.Fx, ny = (y + 0.5 - p.Cy) / p.Fy;
                    bool inside = undistort ? p.Lens.TryDistort(nx, ny, out double sx, out double sy) : p.Lens.TryUndistort(nx, ny, out sx, out sy);
                    int i = y * p.Width + x;
                    (u[i], v[i]) = inside ? ((float)((p.Cx + p.Fx * sx) / p.Width), (float)(1 - (p.Cy + p.Fy * sy) / p.Height)) : (-1, -1);
                }
            });
            ExrFile.Write(Path.Combine(folder, undistort ? "undistort.exr" : "distort.exr"), p.Width, p.Height, [new("R", u), new("G", v)]);
        }
    }
}
