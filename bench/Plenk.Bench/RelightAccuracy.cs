using System.Numerics;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;

namespace Plenk.Bench;

/// <summary>
/// Foreign position, normal and albedo passes, mixed up and read again; and lit again by their own sun, against their picture.
/// </summary>
public static class RelightAccuracy
{
    public static void Run(
        string directory,
        JsonElement truth,
        TraceScene set,
        Dictionary<int, (Pose Pose, Pinhole Pinhole)> cameras,
        Action<string, double, double, string> report
    )
    {
        const int frame = 1001;
        var (pose, pinhole) = cameras[frame];
        FloatImage Pass(string name, string layer, params string[] channels)
        {
            ExrPicture p = ExrFile.Read(Path.Combine(directory, "passes", $"{name}.{frame}.exr"));
            return FloatImage.Of(p.Width, p.Height, [.. channels.Select(c => p.Find(layer, c)!.Values)]);
        }
        FloatImage position = Pass("P", "P", "X", "Y", "Z"),
            normal = Pass("N", "N", "X", "Y", "Z"),
            albedo = Pass("albedo", "albedo", "R", "G", "B"),
            beauty = Pass("beauty", "beauty", "R", "G", "B"),
            ao = Pass("ao", "ao", "Y");
        // As they are, and mixed up: z up and mirrored positions, camera-space and encoded normals.
        FloatImage Mixed(FloatImage image, Matrix3 m, Matrix3? first = null, float times = 1, float plus = 0)
        {
            var result = new FloatImage(image.Width, image.Height, 3);
            for (int i = 0; i < image.Width * image.Height; i++)
            {
                Vec3 v = new(image.Data[3 * i], image.Data[3 * i + 1], image.Data[3 * i + 2]);
                if (first is { } f)
                {
                    v = f * v;
                }
                v = m * v;
                (result.Data[3 * i], result.Data[3 * i + 1], result.Data[3 * i + 2]) = (
                    (float)v.X * times + plus,
                    (float)v.Y * times + plus,
                    (float)v.Z * times + plus
                );
            }
            return result;
        }
        var zUp = new Matrix3(1, 0, 0, 0, 0, -1, 0, 1, 0);
        var mirrored = new Matrix3(-1, 0, 0, 0, 1, 0, 0, 0, 1);
        (string Name, FloatImage P, FloatImage N, Matrix3 WantP, Matrix3 WantN, bool CameraN)[] cases =
        [
            ("as they are", position, normal, Matrix3.Identity, Matrix3.Identity, false),
            ("z up", Mixed(position, zUp), Mixed(normal, zUp), zUp.Transpose(), zUp.Transpose(), false),
            (
                "normals in camera space, mirrored, 0..1",
                position,
                Mixed(normal, mirrored, pose.Rotation.Transpose(), 0.5f, 0.5f),
                Matrix3.Identity,
                mirrored,
                true
            ),
        ];
        foreach (var (name, p, n, wantP, wantN, cameraN) in cases)
        {
            PassReport r = PassReader.Read(p, n, pose, pinhole);
            bool right =
                r.Known
                && Same(r.Positions[0].Axes, wantP)
                && !r.Positions[0].InCamera
                && Same(r.Normals[0].Axes, wantN)
                && r.Normals[0].InCamera == cameraN;
            report(
                $"passes {name}: read wrongly ({r.Positions[0].Error:0.00} px, {r.Normals[0].Error:0.0}°, the next reading {r.Margin:0.0} times)",
                right ? 0 : 1,
                0,
                ""
            );
        }
        JsonElement lights = truth.GetProperty("lights");
        static Vec3 V(JsonElement e) => new(e[0].GetDouble(), e[1].GetDouble(), e[2].GetDouble());
        Vec3 strength = Math.PI * V(lights.GetProperty("sun_irradiance_over_pi")),
            sky = V(lights.GetProperty("sky_irradiance_over_pi"));
        var sun = new Light
        {
            Id = "sun",
            Kind = LightKind.Sun,
            Direction = V(lights.GetProperty("sun_direction_to_light")),
            Strength = 1,
            Color = strength,
            AngularDiameterDegrees = lights.GetProperty("sun_angular_diameter_deg").GetDouble(),
        };
        // As the command adds lights to a black picture: sun and sky, shadows by the set; held against the foreign picture where a surface lies whole in a pixel.
        var around = new Light
        {
            Id = "sky",
            Kind = LightKind.Sky,
            Strength = 1,
            Color = sky,
        };
        FloatImage added = Relight.Light(
            position,
            normal,
            albedo,
            LightRig.Of([sun, around]),
            new(),
            pose.Position.ToSingle(),
            set,
            rays: 128,
            onSet: true
        );
        double square = 0;
        int whole = 0;
        for (int y = 1; y < added.Height - 1; y++)
        {
            for (int x = 1; x < added.Width - 1; x++)
            {
                bool even = true;
                for (int v = -1; v <= 1; v++)
                {
                    for (int u = -1; u <= 1; u++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            even &=
                                MathF.Abs(normal[x + u, y + v, c] - normal[x, y, c]) < 0.02f
                                && MathF.Abs(position[x + u, y + v, c] - position[x, y, c]) < 0.2f;
                        }
                    }
                }
                if (!even || normal[x, y, 0] == 0 && normal[x, y, 1] == 0 && normal[x, y, 2] == 0)
                {
                    continue;
                }
                whole++;
                for (int c = 0; c < 3; c++)
                {
                    square += Math.Pow(added[x, y, c] - beauty[x, y, c], 2);
                }
            }
        }
        report(
            $"lights added to black, {100.0 * whole / (added.Width * added.Height):0} % of the frame: PSNR short of 40 dB",
            Math.Max(0, 40 + 10 * Math.Log10(square / (3.0 * whole))),
            0,
            $"dB ({-10 * Math.Log10(square / (3.0 * whole)):0.0} dB)"
        );
        var own = new TraceScene([new TraceInstance(new MeshTree(Relight.Surface(position)!), Similarity.Identity, RayKinds.LightSet)]);
        foreach (var (name, casts) in new[] { ("the set's shadows", set), ("its own surface's", own) })
        {
            FloatImage lit = Relight.Light(position, normal, albedo, LightRig.Of([sun]), new(), pose.Position.ToSingle(), casts);
            var off = new List<double>();
            for (int i = 0; i < lit.Width * lit.Height; i++)
            {
                if (lit.Data[3 * i] == 0 && beauty.Data[3 * i] == 0)
                {
                    continue;
                }
                double a = 0,
                    b = 0;
                for (int c = 0; c < 3; c++)
                {
                    a +=
                        lit.Data[3 * i + c]
                        + albedo.Data[3 * i + c]
                            * (
                                c == 0 ? sky.X
                                : c == 1 ? sky.Y
                                : sky.Z
                            )
                            * ao.Data[i];
                    b += beauty.Data[3 * i + c];
                }
                if (float.IsFinite(position.Data[3 * i]) && b > 1e-3)
                {
                    off.Add(Math.Abs(a / b - 1));
                }
            }
            off.Sort();
            report($"lit again from its passes, {name}: median difference", 100 * off[off.Count / 2], 1, "%");
            report(
                $"lit again from its passes, {name}: off by more than a tenth (bar ours)",
                100.0 * off.Count(o => o > 0.1) / off.Count,
                20,
                "%"
            );
        }
    }

    private static bool Same(Matrix3 a, Matrix3 b) => Rows(a).Zip(Rows(b)).All(p => Math.Abs(p.First - p.Second) < 1e-9);

    private static double[] Rows(Matrix3 m) => [m.M11, m.M12, m.M13, m.M21, m.M22, m.M23, m.M31, m.M32, m.M33];
}
