using System.Diagnostics;
using System.Numerics;
using Plenk.Core;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>
/// A picture of the demo shot lit again by four lamps, from a moved lamp to the bytes that go to the page, beside what memory alone would
/// allow; and a whole frame under sun, panorama and contact look, beside what its rays alone take.
/// </summary>
public static class RelightBench
{
    public static void Run(string shotFolder)
    {
        var folder = new ShotFolder(shotFolder);
        ShotDocument shot = folder.ReadDocument();
        var engine = new ShotEngine(folder);
        FrameLayers frame = engine.Renderer.Render(shot, 1036, 640, RenderQuality.Draft);
        int width = frame.Position.Width,
            height = frame.Position.Height;
        var albedo = new FloatImage(width, height, 3, [.. Enumerable.Repeat(0.5f, width * height * 3)]);
        Vector3 eye = engine.Camera(shot, 1036).Pose.Position.ToSingle(),
            middle =
                new(
                    frame.Position[width / 2, height / 2, 0],
                    frame.Position[width / 2, height / 2, 1],
                    frame.Position[width / 2, height / 2, 2]
                );
        Light Lamp(int i, float moved) =>
            new()
            {
                Id = $"lamp_{i}",
                Kind = LightKind.Point,
                Position = Vec3.From(middle + new Vector3(i - 1.5f + moved, 1.2f, 0.8f * i)),
                Strength = 3,
                InPlate = false,
            };
        byte[] One(int n, out double shading)
        {
            var watch = Stopwatch.StartNew();
            FloatImage lit = Relight.Light(
                frame.Position,
                frame.Normal,
                albedo,
                LightRig.Of(Enumerable.Range(0, 4).Select(i => Lamp(i, i == 0 ? 0.02f * n : 0))),
                new(Specular: 0.2f, Width: 40),
                eye,
                null
            );
            for (int i = 0; i < lit.Data.Length; i++)
            {
                lit.Data[i] += frame.Comp.Data[i];
            }
            shading = watch.Elapsed.TotalSeconds;
            return RasterFile.ToJpeg(CodeImage.FromLinear(lit, ColorEncoding.Srgb, 8), 88);
        }
        for (int i = 0; i < 20; i++)
        {
            One(i, out _);
        }
        const int pictures = 60;
        double shade = 0;
        long bytes = 0;
        var all = Stopwatch.StartNew();
        for (int i = 0; i < pictures; i++)
        {
            bytes += One(i, out double s).Length;
            shade += s;
        }
        double each = all.Elapsed.TotalSeconds / pictures;
        // Positions, normals, colour and picture are read, the picture is written: five images of floats.
        var from = new float[width * height * 12];
        var to = new float[width * height * 12];
        var copy = Stopwatch.StartNew();
        const int copies = 200;
        for (int i = 0; i < copies; i++)
        {
            Parallel.For(0, 4, Cores.All, q => from.AsSpan(q * from.Length / 4, from.Length / 4).CopyTo(to.AsSpan(q * from.Length / 4)));
        }
        double limit = copy.Elapsed.TotalSeconds / copies * 15 / 24; // a copy reads and writes: 24 values a pixel move, of a picture 15
        Console.WriteLine(
            $"lit again, {width} × {height}, four lamps with highlights: {1 / each:0.0} pictures a second from drag to {bytes / pictures / 1000.0:0} kB of JPEG (bar 20); {1000 * shade / pictures:0.0} ms of it shading, memory alone {1000 * limit:0.0} ms"
        );

        var panorama = new FloatImage(512, 256, 3);
        for (int i = 0; i < 512 * 256; i++)
        {
            float v = i / 512 < 128 ? 0.8f + 6 * MathF.Max(0, 1 - MathF.Abs(i % 512 - 140) / 30f) : 0.2f;
            for (int c = 0; c < 3; c++)
            {
                panorama.Data[3 * i + c] = v;
            }
        }
        var lights = shot
            .Lights.Where(l => l.Kind == LightKind.Sun)
            .Append(
                new Light
                {
                    Id = "around",
                    Kind = LightKind.Panorama,
                    Media = "",
                }
            )
            .ToArray();
        var (pose, pinhole) = engine.Camera(shot, 1036);
        LightRig rig = LightRig.Of(lights, _ => new Panorama(panorama));
        FloatImage plate = engine.Plates.Plate(shot, 1036);
        var pass = new SetPass(
            engine.Grid(shot, 1036, plate.Width, plate.Height),
            engine.Place.Set(shot),
            rig,
            engine.Place.OpeningsOf(shot),
            new(16, 1, 4),
            1,
            keep: false
        );
        FrameLayers whole = DifferentialRenderer.Render(
            pass,
            engine.Elements(shot, 1036),
            plate,
            engine.Place.OpeningsOf(shot),
            pose,
            new() { Contact = new(0.6, 0.06) }
        );
        var random = new Random(3);
        Ray[] rays =
        [
            .. Enumerable
                .Range(0, 400_000)
                .Select(_ =>
                {
                    Vector3 d = Vector3.Normalize(new(random.NextSingle() - 0.5f, random.NextSingle() - 0.5f, random.NextSingle() - 0.5f));
                    return new Ray(new(random.NextSingle() * 6 - 3, 1 + random.NextSingle(), -random.NextSingle() * 8), d);
                }),
        ];
        TraceScene scene = engine.Place.Set(shot).Scene;
        var timed = Stopwatch.StartNew();
        Parallel.For(0, rays.Length / 4096, Cores.All, b =>
        {
            for (int i = b * 4096; i < (b + 1) * 4096; i++)
            {
                scene.Occluded(rays[i], RayKinds.LightSet);
            }
        });
        double perSecond = rays.Length / timed.Elapsed.TotalSeconds,
            alone = whole.Counts.Rays / perSecond;
        Console.WriteLine(
            $"whole frame 1280 × 720, sun, panorama (64 samples) and contact look, all layers: {whole.Counts.Seconds:0.0} s, {whole.Counts.Rays / 1e6:0} M rays, {whole.Counts.Rays / whole.Counts.Seconds / 1e6:0.0} M/s; random rays alone go at {perSecond / 1e6:0.0} M/s: shading and sampling are {100 * Math.Max(0, 1 - alone / whole.Counts.Seconds):0} % of the time; noise left: shadow {whole.Counts.ShadowError:0.0000}, element {whole.Counts.ElementError:0.0000}"
        );
    }
}
