using System.Numerics;
using System.Text.Json;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Shelf;

namespace Plenk.Demo;

/// <summary>What ships of the demo's shelf: files, their pictures, and shelf.json, which names them.</summary>
public static class ShelfPackage
{
    private const int TextureSide = 512;

    public static void Write(string directory, int samples)
    {
        Directory.CreateDirectory(directory);
        string store = Directory.CreateTempSubdirectory("plenk-shelf-").FullName;
        try
        {
            var media = new MediaStore(store);
            var things = new List<ShippedThing>();
            string File(string name, byte[] bytes)
            {
                System.IO.File.WriteAllBytes(Path.Combine(directory, name), bytes);
                return name;
            }
            void Thing(string name, string tags, string words, ShotPart part, Func<string, byte[]> bytes)
            {
                ShotPart kept = ShippedThing.Kept(part, f => media.Write(bytes(f)));
                string picture = File($"{name.Replace(' ', '-')}.jpg", ShelfPreview.Of(kept, media)!);
                things.Add(new(name, tags, words, picture, part));
                Console.WriteLine(name);
            }
            byte[] Own(string name) => System.IO.File.ReadAllBytes(Path.Combine(directory, name));
            Element Mesh(string name, (TriangleMesh Mesh, Material[] Materials) model)
            {
                string id = name.Replace(' ', '_');
                return new()
                {
                    Id = id,
                    Name = name,
                    Media = File($"{name.Replace(' ', '-')}.glb", GltfFile.WriteMesh(id, model.Mesh, model.Materials)),
                };
            }
            void Model(string name, string tags, string words, (TriangleMesh, Material[]) model) =>
                Thing(name, tags, words, new() { Elements = [Mesh(name, model)] }, Own);
            Model("slatted crate", "wood, crate, store", "0.6 m a side", ShelfModels.Crate());
            Model("barrel", "wood, barrel, store", "0.95 m high, three hoops", ShelfModels.Barrel());
            Model("plank", "wood, plank, rubble", "2.2 m, a little twisted", ShelfModels.Plank());
            Model("grass tuft", "plant, grass, strew", "0.35 m, for joints of paving", ShelfModels.Tuft());
            foreach (string stance in (string[])["standing", "walking", "sitting", "crouching", "reaching"])
            {
                Model(
                    $"figure {stance}",
                    $"figure, person, {stance}",
                    "1.75 m where it stands: for scale and for shadows",
                    ShelfModels.Figure(stance)
                );
            }
            Thing(
                "hand lamp",
                "lamp, light, iron",
                "a caged lamp whose light hangs in it",
                new()
                {
                    Elements = [Mesh("hand lamp", ShelfModels.Lamp())],
                    Lights =
                    [
                        new()
                        {
                            Id = "hand_lamp",
                            Name = "hand lamp",
                            Kind = LightKind.Point,
                            Position = new(0, 0.15, 0),
                            Strength = 3,
                            Kelvin = 2900,
                            InPlate = false,
                            HangsOn = new() { On = "elements/hand_lamp" },
                        },
                    ],
                },
                Own
            );
            void Flat(string name, string tags, string words, Func<int, int, Vector4> at) =>
                Thing(
                    name,
                    tags,
                    words,
                    new()
                    {
                        Elements =
                        [
                            new()
                            {
                                Id = name,
                                Name = name,
                                Kind = ElementKind.Card,
                                Frames = new() { Frames = [new(1001, File($"{name}.png", Picture(at)), $"{name}.png")] },
                                WidthMetres = 1.2,
                                LiesFlat = true,
                                Lit = true,
                            },
                        ],
                    },
                    Own
                );
            Flat("cracks", "crack, texture, wear", "lies on floors and walls", Cracks);
            Flat("grime", "grime, texture, wear", "lies on floors and walls", Grime);
            foreach (var (name, place) in Spots)
            {
                string file = $"{name.Replace(' ', '-')}.exr";
                FloatImage around = new HallRenderer(FilmedShot.Bell).Around(place, TextureSide, samples);
                ExrFile.Write(
                    Path.Combine(directory, file),
                    around.Width,
                    around.Height,
                    [.. ExrChannel.Of(around, "RGB", half: true)],
                    ExrCompression.Piz
                );
                Thing(
                    name,
                    "panorama, bath, light",
                    "the made-up bath, all around",
                    new()
                    {
                        Lights =
                        [
                            new()
                            {
                                Id = name.Replace(' ', '_'),
                                Name = name,
                                Kind = LightKind.Panorama,
                                Media = file,
                            },
                        ],
                    },
                    Own
                );
            }
            System.IO.File.WriteAllText(
                Path.Combine(directory, "shelf.json"),
                JsonSerializer.Serialize(things, new JsonSerializerOptions(ShotJson.Options) { WriteIndented = true }) + "\n"
            );
        }
        finally
        {
            Directory.Delete(store, recursive: true);
        }
    }

    private static readonly (string Name, Vec3 Place)[] Spots =
    [
        ("bath from the basin", new(0, 0.2, -8)),
        ("bath from the walkway", new(-5, 1.6, -4)),
        ("bath from the shallow end", new(2, 1.5, 3)),
    ];

    private static byte[] Picture(Func<int, int, Vector4> at)
    {
        var codes = new ushort[4 * TextureSide * TextureSide];
        for (int i = 0; i < TextureSide * TextureSide; i++)
        {
            Vector4 c = Vector4.Clamp(at(i % TextureSide, i / TextureSide), Vector4.Zero, Vector4.One);
            for (int k = 0; k < 4; k++)
            {
                codes[4 * i + k] = (ushort)Math.Round(255 * c[k]);
            }
        }
        return RasterFile.ToPng(new CodeImage(TextureSide, TextureSide, 4, 8, codes));
    }

    /// <summary>Where two cells of a bent grid of points meet (Worley 1996) a dark line, broken here and there, gone at the rim.</summary>
    private static Vector4 Cracks(int x, int y)
    {
        Vector2 p = new Vector2(x, y) / 90;
        p += 0.35f * new Vector2(Noise.Value(new(3 * p.X, 3 * p.Y, 0)), Noise.Value(new(3 * p.X, 3 * p.Y, 9)));
        float first = 9,
            second = 9;
        for (int v = -1; v <= 1; v++)
        {
            for (int u = -1; u <= 1; u++)
            {
                int i = (int)MathF.Floor(p.X) + u,
                    j = (int)MathF.Floor(p.Y) + v;
                float d = Vector2.Distance(p, new(i + Noise.Cell(i + 50, j + 50, 1), j + Noise.Cell(i + 50, j + 50, 2)));
                (first, second) = d < first ? (d, first) : (first, MathF.Min(second, d));
            }
        }
        float line = Math.Clamp((0.045f - (second - first)) / 0.03f, 0, 1) * Math.Clamp(4 * Noise.Value(new(p.X, p.Y, 5)) - 1.2f, 0, 1);
        return new(0.07f, 0.06f, 0.055f, 0.9f * line * Rim(x, y));
    }

    private static Vector4 Grime(int x, int y)
    {
        Vector2 p = new Vector2(x, y) / 70;
        float n = 0;
        for (int octave = 0; octave < 5; octave++)
        {
            n += Noise.Value(new(p.X * (1 << octave), p.Y * (1 << octave), octave)) / (2 << octave);
        }
        float tone = 0.1f + 0.12f * Noise.Value(new(5 * p.X, 5 * p.Y, 20));
        return new(tone, 0.8f * tone, 0.55f * tone, 0.75f * Math.Clamp(4 * (n - 0.45f), 0, 1) * Rim(x, y));
    }

    private static float Rim(int x, int y)
    {
        float r = Vector2.Distance(new(x, y), new(TextureSide / 2f)) / (TextureSide / 2f);
        return Math.Clamp((1 - r) / 0.3f, 0, 1);
    }
}
