using System.Diagnostics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras;
using Plenk.Formats.Exr;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>Cameras out: what other programs read is what the shot has.</summary>
public sealed class CameraExportTests : FileTests
{
    private static readonly Lens Lens = new(-0.12, 0.03, 0.001, -0.0005);

    private static CameraToHandOver Camera() =>
        new(
            [
                .. Enumerable
                    .Range(0, 5)
                    .Select(f =>
                        (
                            1001 + f,
                            new Pose(Rotations.AboutY(0.6 * f) * Rotations.AboutX(-0.2), new Vec3(f, 1.6, -2)),
                            new Pinhole(192, 108, 150 + f, 150 + f, 100, 52, Lens)
                        )
                    ),
            ],
            36,
            20.25,
            new(24000, 1001),
            [("O", new(0, 0, 0)), ("P 2", new(1, 2, 3))],
            [("3 steps & co", PieceMeshes.Box(new(1, 2, 3))), ("3 steps & co", PieceMeshes.Box(new(1, 1, 1)))]
        );

    [Fact]
    public void Each_file_is_read_again_as_the_same_camera()
    {
        CameraToHandOver camera = Camera();
        var files = CameraExport.Files(camera).ToDictionary(f => f.Name, f => f.Bytes);
        var import = new CameraImport(192, 108, 36, 1001, new(24000, 1001));
        foreach (string name in (string[])["camera.usda", "camera.csv", "camera.glb"])
        {
            CameraSource back = CameraFiles.Read(files[name], name, import);
            Assert.Equal(5, back.Samples.Count);
            for (int f = 0; f < 5; f++)
            {
                Pose pose = Pose.FromRowMajor16(back.Samples[f].CameraToWorld, out _)!.Value,
                    truth = camera.Frames[f].CameraToWorld;
                Assert.InRange(
                    (pose.Position - truth.Position).Length + (pose.Rotation * Vec3.UnitX - truth.Rotation * Vec3.UnitX).Length,
                    0,
                    2e-5
                );
                // glTF keeps one angle of view.
                Assert.Equal(name == "camera.glb" ? 150 : 150 + f, back.Samples[f].FocalPx, 1e-2);
            }
        }
        Assert.Equal(-0.12, CameraFiles.Read(files["camera.csv"], "camera.csv", import).Lens.K1);
        Assert.Equal([Vec3.Zero, new Vec3(1, 2, 3)], PointFiles.ReadPly(files["points.ply"], "points.ply"));
        // Names become prims of their own; offsets of the aperture go the other way than the principal point: (100, 52) of (96, 54).
        string usd = System.Text.Encoding.UTF8.GetString(files["camera.usda"]);
        Assert.Contains("def Mesh \"_3_steps___co\"", usd);
        Assert.Contains("def Mesh \"_3_steps___co_2\"", usd);
        Assert.Contains("horizontalApertureOffset = -0.0075", usd);
        Assert.Contains("verticalApertureOffset = -0.00375", usd);
    }

    // Debian's image tool warps by the map (its own sampling): straight lines that the lens had bent are straight again.
    [Fact]
    public void Lens_maps_undo_one_another_and_are_read_by_another_tool()
    {
        Pinhole p = Camera().Frames[0].Pinhole;
        CameraExport.LensMaps(p, Folder);
        ExrPicture undistort = ExrFile.Read(At("undistort.exr")),
            distort = ExrFile.Read(At("distort.exr"));
        float[] Of(ExrPicture m, string c) => m.Channels.First(x => x.Name == c).Values;
        float[] ur = Of(undistort, "R"),
            ug = Of(undistort, "G"),
            dr = Of(distort, "R"),
            dg = Of(distort, "G");
        int compared = 0;
        for (int y = 8; y < 100; y += 4)
        {
            for (int x = 8; x < 184; x += 4)
            {
                // From a straight pixel to the plate and back: through the other map, read between its pixels.
                int i = y * 192 + x;
                double px = ur[i] * 192 - 0.5,
                    py = (1 - ug[i]) * 108 - 0.5;
                int x0 = (int)px,
                    y0 = (int)py;
                if (px < 1 || py < 1 || x0 > 189 || y0 > 105)
                {
                    continue;
                }
                double Between(float[] m)
                {
                    double a = px - x0,
                        b = py - y0;
                    int k = y0 * 192 + x0;
                    return (1 - b) * ((1 - a) * m[k] + a * m[k + 1]) + b * ((1 - a) * m[k + 192] + a * m[k + 193]);
                }
                Assert.Equal(x + 0.5, Between(dr) * 192, 0.01);
                Assert.Equal(y + 0.5, (1 - Between(dg)) * 108, 0.01);
                compared++;
            }
        }
        Assert.InRange(compared, 500, 2000);
        // Brown–Conrady worked for one pixel: (150.5, 20.5) straight, from undistorted to distorted.
        double u = (150.5 - 100) / 150,
            v = (20.5 - 52) / 150,
            r2 = u * u + v * v,
            s = 1 - 0.12 * r2 + 0.03 * r2 * r2;
        double bentX = u * s + 2 * 0.001 * u * v - 0.0005 * (r2 + 2 * u * u);
        Assert.Equal((100 + 150 * bentX) / 192, ur[20 * 192 + 150], 1e-6);
        using Process tool = Process.Start(
            new ProcessStartInfo("oiiotool", ["--info", "-v", At("undistort.exr")]) { RedirectStandardOutput = true }
        )!;
        Assert.Contains("192 x  108, 2 channel, float", tool.StandardOutput.ReadToEnd());
    }
}
