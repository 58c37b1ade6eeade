using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>A floor seen from straight above, a box on it, a sun and a sky: small enough to know the answers.</summary>
public class DifferentialTests
{
    private static readonly Pinhole Pinhole = new(64, 64, 64, 64, 32, 32, Lens.None);
    private static readonly Pose Above = new(Rotations.AboutX(-Math.PI / 2), new Vec3(0, 8, 0));

    private static SetScene Floor() =>
        new(
            [
                new Piece
                {
                    Id = "floor",
                    Kind = PieceKind.Plane,
                    Size = new(40, 1, 40),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );

    private static FloatImage Plate()
    {
        var plate = new FloatImage(64, 64, 3);
        for (int i = 0; i < plate.Data.Length; i++)
        {
            plate.Data[i] = 0.1f + 0.3f * (i % 17) / 17;
        }
        return plate;
    }

    private static FrameLayers Render(IReadOnlyList<Light> lights, bool box, int samples = 16)
    {
        SetScene set = Floor();
        LightRig rig = LightRig.Of(lights);
        PlacedElement[] elements = box ? [new("box", new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []), Similarity.Identity)] : [];
        var pass = new SetPass(new RayGrid(Pinhole, Above), set, rig, null, new(samples, 1, 1), 5, keep: false);
        return DifferentialRenderer.Render(pass, elements, Plate(), null, Above);
    }

    private static readonly Light Sun = new()
    {
        Id = "sun",
        Kind = LightKind.Sun,
        Direction = new(1, 1, 0),
        Strength = Math.Sqrt(2) * 80,
        AngularDiameterDegrees = 0.53,
    };
    private static readonly Light Fill = new()
    {
        Id = "fill",
        Kind = LightKind.Fill,
        Strength = 20 / Math.PI,
    };

    // Sun 80 and fill 20 on the floor: the umbra is at 20/100; SHD-05 of common photometry, derived.
    [Fact]
    public void Umbra_has_the_ratio_of_the_lights()
    {
        FrameLayers layers = Render([Sun, Fill], box: true);
        // The shadow of a 1 m box under a 45° sun covers x from −1.5 to −0.5 m: pixel 8 a metre, centre at 32.
        Assert.Equal(0.2, layers.Shadow[24, 32, 0], 3);
        Assert.Equal(1f, layers.Shadow[10, 32, 0]);
    }

    [Fact]
    public void Outside_what_the_element_touches_the_comp_is_the_plate()
    {
        FrameLayers layers = Render([Sun, Fill], box: true);
        FloatImage plate = Plate();
        int untouched = 0;
        for (int i = 0; i < 64 * 64; i++)
        {
            if (layers.Touched[i])
            {
                continue;
            }
            untouched++;
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(plate.Data[3 * i + c], layers.Comp.Data[3 * i + c]);
            }
        }
        Assert.InRange(untouched, 3000, 64 * 64 - 50);
        Assert.All(Render([Sun, Fill], box: false).Touched, Assert.False);
    }

    [Fact]
    public void Depth_is_along_the_axis_and_infinite_where_nothing_is_hit()
    {
        FrameLayers layers = Render([Sun, Fill], box: true);
        Assert.Equal(8, layers.Depth[2, 60, 0], 4);
        Assert.Equal(7, layers.Depth[32, 32, 0], 4);
        Assert.Equal(1, layers.Normal[2, 60, 1], 5);
    }

    // Added light hides nothing and keeps no light: comp = plate + the picture's own premultiplied light, by hand; two of them add up, what
    // stands before them hides them.
    [Fact]
    public void What_is_added_is_light_alone()
    {
        PlacedElement Card(double y, double x = 0)
        {
            var picture = new FloatImage(2, 2, 4);
            for (int i = 0; i < 4; i++)
            {
                (picture.Data[4 * i], picture.Data[4 * i + 1], picture.Data[4 * i + 3]) = (0.4f, 0.1f, 0.5f);
            }
            var mesh = new TriangleMesh([new(-1, 0, 1), new(1, 0, 1), new(1, 0, -1), new(-1, 0, -1)], [0, 1, 2, 0, 2, 3])
            {
                TextureCoordinates = [new(0, 0), new(1, 0), new(1, 1), new(0, 1)],
            };
            return new(
                $"card {y}",
                new(
                    new MeshTree(mesh),
                    [
                        new Material("card", default, 0, 1)
                        {
                            Specular = 0,
                            Emission = Vector3.One,
                            Picture = picture,
                            SeeThrough = true,
                        },
                    ]
                ),
                new Similarity(1, Matrix3.Identity, new(x, y, 0)),
                RayKinds.Blended
            )
            {
                Blend = ElementBlend.Added,
            };
        }
        FrameLayers Of(params PlacedElement[] elements) =>
            DifferentialRenderer.Render(
                new SetPass(new RayGrid(Pinhole, Above), Floor(), LightRig.Of([Sun, Fill]), null, new(16, 1, 1), 5, keep: false),
                elements,
                Plate(),
                null,
                Above
            );
        FloatImage plate = Plate();
        FrameLayers one = Of(Card(2));
        Assert.All(one.Shadow.Data, s => Assert.Equal(1f, s));
        Assert.Equal(plate[32, 32, 0] + 0.4f, one.Comp[32, 32, 0], 1e-5f);
        Assert.Equal(plate[32, 32, 1] + 0.1f, one.Comp[32, 32, 1], 1e-5f);
        Assert.Equal(plate[32, 32, 2], one.Comp[32, 32, 2], 1e-5f);
        Assert.Equal(0f, one.Element[32, 32, 3]);
        Assert.True(one.Touched[32 * 64 + 32]);
        Assert.False(one.Touched[2 * 64 + 2]);
        Assert.Equal(plate[32, 32, 0] + 0.8f, Of(Card(2), Card(3)).Comp[32, 32, 0], 1e-5f);
        // A box 1 m high before a card on the floor, and behind one above it.
        var box = new PlacedElement("box", new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []), Similarity.Identity);
        FrameLayers alone = Of(box);
        Assert.Equal(alone.Comp[32, 32, 0], Of(box, Card(0.5)).Comp[32, 32, 0], 1e-5f);
        Assert.Equal(alone.Comp[32, 32, 0] + 0.4f, Of(box, Card(2)).Comp[32, 32, 0], 1e-5f);
    }

    // W3C, Compositing and Blending Level 1: 9.1.2 multiply B = Cb·Cs, 9.1.3 screen B = Cb + Cs − Cb·Cs, 9.1.4 overlay = hard light with its
    // layers swapped; result (1 − α) Cb + α B (section 5, an opaque backdrop). By hand for the floor and for a box that it stands before.
    [Theory]
    [InlineData(ElementBlend.Multiplied)]
    [InlineData(ElementBlend.Screened)]
    [InlineData(ElementBlend.Overlaid)]
    public void What_is_blended_changes_what_is_behind_it(ElementBlend how)
    {
        const float alpha = 0.6f;
        float[] colour = [0.8f, 0.3f, 0.5f];
        float Blend(float behind, float own) =>
            how switch
            {
                ElementBlend.Multiplied => behind * own,
                ElementBlend.Screened => behind + own - behind * own,
                // Beyond white, which the formula does not know, it leaves all as it is.
                _ when behind >= 1 => behind,
                _ => behind <= 0.5f ? 2 * behind * own : 1 - 2 * (1 - behind) * (1 - own),
            };
        float Meant(float behind, int c) => (1 - alpha) * behind + alpha * Blend(behind, colour[c]);
        PlacedElement Card(double y)
        {
            var mesh = new TriangleMesh([new(-1, 0, 1), new(1, 0, 1), new(1, 0, -1), new(-1, 0, -1)], [0, 1, 2, 0, 2, 3])
            {
                TextureCoordinates = [new(0, 0), new(1, 0), new(1, 1), new(0, 1)],
            };
            var picture = new FloatImage(1, 1, 4, [alpha * colour[0], alpha * colour[1], alpha * colour[2], alpha]);
            var paper = new Material("card", default, 0, 1)
            {
                Specular = 0,
                Emission = Vector3.One,
                Picture = picture,
                SeeThrough = true,
            };
            return new("card", new(new MeshTree(mesh), [paper]), new Similarity(1, Matrix3.Identity, new(0, y, 0)), RayKinds.Blended)
            {
                Blend = how,
            };
        }
        FloatImage plate = Plate();
        plate[32, 32, 2] = 0.7f;
        FrameLayers Of(params PlacedElement[] elements) =>
            DifferentialRenderer.Render(
                new SetPass(new RayGrid(Pinhole, Above), Floor(), LightRig.Of([Sun, Fill]), null, new(16, 1, 1), 5, keep: false),
                elements,
                plate,
                null,
                Above
            );
        FrameLayers seen = Of(Card(2));
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(Meant(plate[32, 32, c], c), seen.Comp[32, 32, c], 1e-5f);
        }
        Assert.False(seen.Touched[2 * 64 + 2]);
        // The layers add up: comp = element over (plate · shadow + added).
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(
                seen.Element[32, 32, c] + plate[32, 32, c] * seen.Shadow[32, 32, c] + seen.Added[32, 32, c],
                seen.Comp[32, 32, c],
                1e-5f
            );
        }
        // A box 1 m high: behind one at 2 m, before one at half a metre.
        var box = new PlacedElement("box", new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []), Similarity.Identity);
        FrameLayers alone = Of(box),
            behind = Of(box, Card(2)),
            before = Of(box, Card(0.5));
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(alone.Comp[32, 32, c], before.Comp[32, 32, c], 1e-5f);
            // Where a ray meets the box, its own light is what is behind; rays of a pixel differ by their noise.
            Assert.Equal(Meant(alone.Comp[32, 32, c], c), behind.Comp[32, 32, c], how == ElementBlend.Overlaid ? 0.02f : 1e-4f);
        }
    }

    // Alpha is exact for the camera, however few samples: two sheets of 0.3 and 0.5 leave 0.35 (Porter and Duff 1984); and a sheet that
    // goes soft over 2 m stands a metre before the floor with half of its alpha.
    [Fact]
    public void Soft_pictures_are_smooth_at_one_sample()
    {
        PlacedElement Sheet(double y, float alpha, float soft = 0)
        {
            var mesh = new TriangleMesh([new(-9, 0, 9), new(9, 0, 9), new(9, 0, -9), new(-9, 0, -9)], [0, 1, 2, 0, 2, 3])
            {
                TextureCoordinates = [new(0, 0), new(1, 0), new(1, 1), new(0, 1)],
            };
            var smoke = new Material("smoke", default, 0, 1)
            {
                Specular = 0,
                Emission = Vector3.One,
                Picture = new FloatImage(1, 1, 4, [0, 0, 0, alpha]),
                SeeThrough = true,
            };
            return new($"sheet {y}", new(new MeshTree(mesh), [smoke]), new Similarity(1, Matrix3.Identity, new(0, y, 0))) { Soft = soft };
        }
        FrameLayers Of(params PlacedElement[] elements) =>
            DifferentialRenderer.Render(
                new SetPass(new RayGrid(Pinhole, Above), Floor(), LightRig.Of([Fill]), null, new(1, 1, 1), 5, keep: false),
                elements,
                Plate(),
                null,
                Above
            );
        FrameLayers two = Of(Sheet(2, 0.3f), Sheet(4, 0.5f));
        Assert.All(Enumerable.Range(0, 64 * 64), i => Assert.Equal(0.65f, two.Element.Data[4 * i + 3], 1e-5f));
        FrameLayers soft = Of(Sheet(1, 0.8f, soft: 2));
        Assert.Equal(0.4f, soft.Element[32, 32, 3], 1e-3f);
    }

    // Sky openings change the noise, never the mean: the sky share below a window, both ways.
    [Fact]
    public void Drawing_through_openings_keeps_the_mean()
    {
        var pieces = new List<Piece>
        {
            new()
            {
                Id = "floor",
                Kind = PieceKind.Plane,
                Size = new(6, 1, 6),
            },
            new()
            {
                Id = "roof",
                Kind = PieceKind.Plane,
                Size = new(6, 1, 6),
                Position = new(0, 3, 0),
            },
            new()
            {
                Id = "north",
                Kind = PieceKind.Plane,
                Size = new(6, 1, 3),
                Position = new(0, 1.5, -3),
                RotationYxzDegrees = new(90, 0, 0),
            },
            new()
            {
                Id = "south",
                Kind = PieceKind.Plane,
                Size = new(6, 1, 3),
                Position = new(0, 1.5, 3),
                RotationYxzDegrees = new(90, 0, 0),
            },
            new()
            {
                Id = "east",
                Kind = PieceKind.Plane,
                Size = new(6, 1, 3),
                Position = new(3, 1.5, 0),
                RotationYxzDegrees = new(90, 90, 0),
            },
        };
        var set = new SetScene(pieces, (_, _) => throw new InvalidOperationException());
        SkyOpenings openings = SkyOpenings.Find(set, 1)!;
        const int n = 60_000;
        double plain = 0,
            drawn = 0,
            drawnSquare = 0;
        var p = new Vector3(0.5f, 1e-3f, 0.4f);
        for (uint i = 0; i < n; i++)
        {
            Vector2 u = Sampling.Point(i, 8, 0);
            if (!set.Scene.Occluded(new Ray(p, Sampling.CosineHemisphere(Vector3.UnitY, u)), RayKinds.LightSet))
            {
                plain++;
            }
            var (d, factor) = openings.Sample(p, Vector3.UnitY, u);
            double f = factor > 0 && !set.Scene.Occluded(new Ray(p, d), RayKinds.LightSet) ? factor : 0;
            drawn += f;
            drawnSquare += f * f;
        }
        plain /= n;
        drawn /= n;
        Assert.InRange(plain, 0.02, 0.5);
        Assert.Equal(plain, drawn, 0.01);
        Assert.True(drawnSquare / n - drawn * drawn < plain * (1 - plain), "openings must lower the variance");
    }

    // glTF 2.0 appendix B, values by hand from the formulas.
    [Fact]
    public void Metallic_roughness_reflectance()
    {
        var n = Vector3.UnitZ;
        var l = new Vector3(.6f, 0, .8f);
        var v = new Vector3(-.28f, 0, .96f);
        Assert.Equal(5.09295818, Bsdf.Distribution(1, .25f), 4);
        Assert.Equal(0.124339799, Bsdf.Distribution(.8f, .25f), 6);
        Assert.Equal(0.957063849, Bsdf.Masking(.5f, .25f), 6);
        Assert.Equal(0.27444235, Bsdf.Evaluate(new("d", new(.8f, .2f, .1f), 0, .5f), n, l, v).X, 5);
        Assert.Equal(0.59948463, Bsdf.Evaluate(new("m", new(.8f, .2f, .1f), 1, .5f), n, l, v).X, 5);
    }

    [Fact]
    public void Lowering_makes_the_foot_touch()
    {
        SetScene set = Floor();
        var model = new ElementModel(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []);
        Assert.Equal(0.7, Standing.DropToTouch(set, model, Similarity.Identity with { Translation = new(0.2, 0.7, 0) })!.Value, 5);
        FootReport sunk = Standing.Measure(set, model.Tree.Mesh, Similarity.Identity with { Translation = new(0, -0.014, 0) })!;
        Assert.Equal(-0.014, sunk.DeepestSink, 5);
        Assert.Null(Standing.DropToTouch(set, model, Similarity.Identity with { Translation = new(100, 1, 0) }));
    }
}
