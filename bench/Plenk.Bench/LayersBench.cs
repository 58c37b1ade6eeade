using System.Numerics;
using System.Text.Json;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Layers;

namespace Plenk.Bench;

/// <summary>Paintings in layers against an independent reader and writer (reference/layers.py).</summary>
internal static class LayersBench
{
    private const int Width = 160,
        Height = 90;

    private sealed record Theirs(string Name, string Blend, double Opacity);

    public static int Write(string folder)
    {
        FloatImage Filled(Func<int, int, Vector4> at)
        {
            var made = new FloatImage(Width, Height, 4);
            for (int i = 0; i < Width * Height; i++)
            {
                at(i % Width, i / Width).CopyTo(made.Data.AsSpan(4 * i, 4));
            }
            return made;
        }
        PaintLayer[] layers =
        [
            new("guide plate of BTH_0040 at 1012", Filled((x, y) => new(x / 160f, y / 90f, 0.3f, 1))),
            new("ridge", Filled((x, y) => new(0.2f, 0.3f, 0.4f, y > 40 + x % 9 ? 1 : 0)), Opacity: 0.75),
            new("haze", Filled((x, y) => new(0.9f, 0.8f, 0.7f, y / 90f)), Opacity: 0.5, Blend: LayerBlend.Multiply),
        ];
        var picture = new LayeredPicture(Width, Height, layers, false, 16);
        File.WriteAllBytes(Path.Combine(folder, "ours.ora"), LayeredFile.Write(picture, LayeredKind.OpenRaster));
        File.WriteAllBytes(Path.Combine(folder, "ours.tif"), LayeredFile.Write(picture, LayeredKind.Tiff));
        foreach (PaintLayer l in layers)
        {
            File.WriteAllBytes(
                Path.Combine(folder, l.Name + ".rgba8"),
                [.. l.Picture.Data.Select(v => (byte)((int)Math.Round(v * 65535) >> 8))]
            );
        }
        File.WriteAllText(
            Path.Combine(folder, "told.json"),
            JsonSerializer.Serialize(
                new
                {
                    width = Width,
                    height = Height,
                    layers = layers.Select(l => new
                    {
                        name = l.Name,
                        opacity = l.Opacity,
                        op = l.Blend == LayerBlend.Multiply ? "svg:multiply" : "svg:src-over",
                    }),
                }
            )
        );
        return 0;
    }

    public static int Read(string folder)
    {
        Theirs[] told = JsonSerializer.Deserialize<Theirs[]>(
            File.ReadAllText(Path.Combine(folder, "theirs.json")),
            new JsonSerializerOptions(JsonSerializerDefaults.Web)
        )!;
        bool fine = true;
        void Held(string what, LayeredPicture read, bool named)
        {
            int off = 0;
            foreach (var (layer, own) in read.Layers.Zip(told))
            {
                byte[] pixels = File.ReadAllBytes(Path.Combine(folder, $"theirs.{own.Name}.rgba8"));
                off += layer.Picture.Data.Where((v, i) => (int)Math.Round(v * 255) != pixels[i]).Count();
                fine &= !named || (layer.Name == own.Name && layer.Blend.ToString() == own.Blend && layer.Opacity == own.Opacity);
            }
            fine &= off == 0 && read.Layers.Count == told.Length && (read.Width, read.Height) == (Width, Height);
            Console.WriteLine($"{what}: {read.Layers.Count} layers, {read.Width} × {read.Height}, {off} values differ");
        }
        LayeredPicture ora = LayeredFile.Read(File.ReadAllBytes(Path.Combine(folder, "theirs.ora")), "theirs.ora");
        Held("their .ora", ora, true);
        fine &= ora.Layers.Select((l, k) => (l.X, l.Y) == (-3 * k, 5 * k)).All(b => b);
        Held("their TIFF", LayeredFile.Read(File.ReadAllBytes(Path.Combine(folder, "theirs.tif")), "theirs.tif"), false);
        Held(
            "their folder",
            LayerFolder.Read([
                .. Directory.GetFiles(Path.Combine(folder, "theirs")).Select(f => (Path.GetFileName(f), File.ReadAllBytes(f))),
            ]),
            true
        );
        Console.WriteLine(fine ? "all equal" : "NOT equal");
        return fine ? 0 : 1;
    }
}
