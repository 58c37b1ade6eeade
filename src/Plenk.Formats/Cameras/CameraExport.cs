using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core;
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
public sealed record CameraToHandOver(
    IReadOnlyList<(int Frame, Pose CameraToWorld, Pinhole Pinhole)> Frames,
    double SensorWidthMm,
    double SensorHeightMm,
    FrameRate Rate,
    IReadOnlyList<(string Name, Vec3 Place)> Points,
    IReadOnlyList<(string Name, TriangleMesh Mesh)> Set
);

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
            (
                "camera.glb",
                GltfFile.WriteCamera(
                    "camera",
                    [.. c.Frames.Select(f => (f.Frame, f.CameraToWorld))],
                    2 * Math.Atan(p.Height / (2 * p.Fy)),
                    p.Width * p.Fy / (p.Height * p.Fx),
                    c.Rate
                )
            ),
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
            text.Append(
                CultureInfo.InvariantCulture,
                $"{frame},{N(pose.Position.X)},{N(pose.Position.Y)},{N(pose.Position.Z)},{N(q.X)},{N(q.Y)},{N(q.Z)},{N(q.W)},{N(p.Fx)},{N(p.Cx)},{N(p.Cy)},{N(l.K1)},{N(l.K2)},{N(l.P1)},{N(l.P2)},{N(l.K3)}\r\n"
            );
        }
        return text.ToString();
    }

    private static string Ply(IReadOnlyList<(string Name, Vec3 Place)> points)
    {
        var text = new StringBuilder(
            $"ply\nformat ascii 1.0\ncomment {string.Join(' ', points.Select(p => p.Name.Replace(' ', '_')))}\nelement vertex "
                + $"{points.Count}\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
        );
        foreach (var (_, p) in points)
        {
            text.Append(CultureInfo.InvariantCulture, $"{N(p.X)} {N(p.Y)} {N(p.Z)}\n");
        }
        return text.ToString();
    }

    /// <summary>
    /// Points and set beside the camera; a principal point off the centre is an offset of the aperture, positive to the right and up.
    /// </summary>
    private static string Usd(CameraToHandOver c)
    {
        Pinhole first = c.Frames[0].Pinhole;
        double toMm = c.SensorWidthMm / first.Width;
        return SceneFile.Usd(
            new(
                [.. c.Frames.Select(f => (f.Frame, f.CameraToWorld, f.Pinhole.Fx * toMm))],
                c.SensorWidthMm,
                c.SensorHeightMm,
                c.Rate,
                [.. c.Set.Select(p => new SceneThing(p.Name, p.Mesh, [], [(c.Frames[0].Frame, Similarity.Identity)]))],
                [],
                []
            )
            {
                Points = c.Points,
                ApertureOffsetMm = ((first.Width / 2.0 - first.Cx) * toMm, (first.Cy - first.Height / 2.0) * toMm),
            }
        );
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
            Parallel.For(0, p.Height, Cores.All, y =>
            {
                for (int x = 0; x < p.Width; x++)
                {
                    double nx = (x + 0.5 - p.Cx) / p.Fx,
                        ny = (y + 0.5 - p.Cy) / p.Fy;
                    bool inside = undistort
                        ? p.Lens.TryDistort(nx, ny, out double sx, out double sy)
                        : p.Lens.TryUndistort(nx, ny, out sx, out sy);
                    int i = y * p.Width + x;
                    (u[i], v[i]) = inside ? ((float)((p.Cx + p.Fx * sx) / p.Width), (float)(1 - (p.Cy + p.Fy * sy) / p.Height)) : (-1, -1);
                }
            });
            ExrFile.Write(Path.Combine(folder, undistort ? "undistort.exr" : "distort.exr"), p.Width, p.Height, [new("R", u), new("G", v)]);
        }
    }
}
