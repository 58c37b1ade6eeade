using System.Numerics;
using NetTopologySuite.Geometries;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Elements of every kind, what they throw back and are seen in, outlines as solids, mattes and keys.</summary>
public sealed class ContactTests
{
    private static readonly SetScene Ground = new(
        [
            new Piece
            {
                Id = "floor",
                Kind = PieceKind.Plane,
                Size = new(400, 1, 400),
            },
        ],
        (_, _) => throw new InvalidOperationException()
    );
    private static readonly Light Sky = new()
    {
        Id = "sky",
        Kind = LightKind.Sky,
        Strength = 1,
    };

    /// <summary>One pixel that looks at a spot of the floor from just above it.</summary>
    private static FrameLayers Spot(
        double x,
        LightRig rig,
        IReadOnlyList<PlacedElement> elements,
        RenderOptions options,
        int samples,
        SetScene? set = null,
        float plate = 0.4f,
        double height = 0.002
    )
    {
        var pinhole = new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None);
        Pose pose = Pose.LookAt(new(x, height, 0), new(x, 0, 0), Vec3.UnitZ);
        return DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set ?? Ground, rig, null, new(samples, 1, 1), 3, keep: false),
            elements,
            new FloatImage(1, 1, 3, [plate, plate, plate]),
            null,
            pose,
            options
        );
    }

    private static PlacedElement Ball(Material material, double height, double radius = 1) =>
        new("ball", new(new MeshTree(PieceMeshes.Ball(192)), [material]), new Similarity(radius, Matrix3.Identity, new(0, height, 0)));

    // A sphere that shines with radiance L lights the floor under it with E = π L (R ÷ D)² (Howell, element to sphere; LGT-06 of the check list: R 0.5 at 2 m: 0.0625).
    [Fact]
    public void A_shining_element_lights_the_floor_by_its_form_factor()
    {
        PlacedElement ball = Ball(new("lamp", default, 0, 1) { Specular = 0, Emission = new(2) }, 2, 0.5);
        FrameLayers layers = Spot(
            0,
            LightRig.Of([Sky with { CastsShadow = false }]),
            [ball],
            new() { DataPasses = false, Bounce = true },
            4096
        );
        // added = plate · En ÷ E0, E0 = π under an open sky.
        Assert.Equal(0.4 * 2 * 0.0625, layers.Added[0, 0, 0], 4e-4);
        Assert.Equal(1, layers.Shadow[0, 0, 0]);
        FrameLayers far = Spot(60, LightRig.Of([Sky]), [ball], new() { DataPasses = false, Bounce = true }, 64);
        Assert.Equal(0, far.Added[0, 0, 0]); // too small there to be noticed
    }

    // Two balls of one element, metres apart: each by its own form factor, (R ÷ d)² cos θ for a sphere above the horizon (Howell). Aimed at as one they would be missed by most rays.
    [Fact]
    public void An_element_in_two_parts_is_aimed_at_part_by_part()
    {
        TriangleMesh one = PieceMeshes.Ball(96);
        Vector3[] places = [new(-4, 3, 0), new(4, 3, 0)];
        var two = new TriangleMesh(
            [.. places.SelectMany(p => one.Positions.Select(v => v * 0.4f + p))],
            [.. Enumerable.Range(0, 2).SelectMany(k => one.Indices.Select(i => i + k * one.Positions.Length))]
        );
        IReadOnlyList<(Vector3 Middle, float Radius)> balls = new MeshTree(two).Balls;
        Assert.All(two.Positions, v => Assert.Contains(balls, b => Vector3.Distance(v, b.Middle) <= b.Radius + 1e-5f));
        Assert.All(balls, b => Assert.InRange(b.Radius, 0.05f, 0.41f));
        FrameLayers layers = Spot(
            1,
            LightRig.Of([Sky with { CastsShadow = false }]),
            [new("pair", new(new MeshTree(two), [new("lamp", default, 0, 1) { Specular = 0, Emission = new(2) }]), Similarity.Identity)],
            new() { DataPasses = false, Bounce = true },
            1024
        );
        double Factor(double away) => 0.16 / (away * away + 9) * (3 / Math.Sqrt(away * away + 9));
        double expected = 0.4 * 2 * (Factor(5) + Factor(3));
        Assert.Equal(expected, layers.Added[0, 0, 0], 0.03 * expected);
    }

    // Half of a wide sun behind a card's edge: by how much its light varies from seed to seed falls with the rounds, its mean stays.
    [Fact]
    public void Rounds_of_shadow_take_noise_and_leave_the_mean()
    {
        var card = new PlacedElement(
            "card",
            new(new MeshTree(PieceMeshes.Box(new(20, 0.01, 20))), []),
            new Similarity(1, Matrix3.Identity, new(10, 3, 0))
        );
        LightRig rig = LightRig.Of([
            new Light
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0, 1, 0),
                Strength = 1,
                AngularDiameterDegrees = 20,
            },
            new Light
            {
                Id = "fill",
                Kind = LightKind.Fill,
                Strength = 0.1,
            },
        ]);
        var pinhole = new Pinhole(1, 1, 40, 40, 0.5, 0.5, Lens.None);
        Pose pose = Pose.LookAt(new(-0.1, 2, 0), new(-0.1, 0, 0), Vec3.UnitZ);
        (double Mean, double Spread) Of(int rounds)
        {
            double[] s =
            [
                .. Enumerable
                    .Range(0, 48)
                    .Select(seed =>
                        (double)
                            DifferentialRenderer
                                .Render(
                                    new SetPass(
                                        new RayGrid(pinhole, pose),
                                        Ground,
                                        rig,
                                        null,
                                        new(4, 1, 1, 1, rounds),
                                        (uint)seed,
                                        keep: false
                                    ),
                                    [card],
                                    new FloatImage(1, 1, 3, [1, 1, 1]),
                                    null,
                                    pose,
                                    new() { DataPasses = false }
                                )
                                .Shadow[0, 0, 0]
                    ),
            ];
            double mean = s.Average();
            return (mean, Math.Sqrt(s.Average(v => (v - mean) * (v - mean))));
        }
        var (once, many) = (Of(0), Of(15));
        Assert.Equal(once.Mean, many.Mean, 3 * once.Spread / Math.Sqrt(48));
        Assert.InRange(many.Spread, 0, once.Spread / 4);
    }

    // What the plate does not show is looked up in the panorama in the direction in which it stands from there, and not where a wall hides it from there.
    [Fact]
    public void A_mirror_shows_the_place_as_the_panorama_saw_it()
    {
        var room = new Piece
        {
            Id = "room",
            Kind = PieceKind.Box,
            Size = new(6, 6, 6),
        }; // stands on the floor, its middle at 3 m
        var from = new Vec3(0.8, 2.2, 1.1);
        var picture = new FloatImage(512, 256, 3);
        for (int y = 0; y < 256; y++)
        {
            for (int x = 0; x < 512; x++)
            {
                Vec3 d = Panorama.DirectionAt((x + 0.5) / 512, (y + 0.5) / 256);
                double t = new[]
                {
                    ((d.X > 0 ? 3 : -3) - from.X) / d.X,
                    ((d.Y > 0 ? 6 : 0) - from.Y) / d.Y,
                    ((d.Z > 0 ? 3 : -3) - from.Z) / d.Z,
                }.Min();
                Vec3 p = from + t * d;
                // A room painted by place: a spot tells where it is.
                (picture[x, y, 0], picture[x, y, 1], picture[x, y, 2]) = ((float)(p.X + 3), (float)p.Y, (float)(p.Z + 3));
            }
        }
        var light = new Light
        {
            Id = "around",
            Kind = LightKind.Panorama,
            ShowsPlace = true,
            Position = from,
            Strength = 1,
        };
        PlacedElement ball = Ball(new("chrome", Vector3.One, 1, 0), 3, 0.5);
        Vector3 Seen(params Piece[] pieces)
        {
            var set = new SetScene([room, .. pieces], (_, _) => throw new InvalidOperationException());
            var pinhole = new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None);
            Pose pose = Pose.LookAt(new(0, 3, 2.5), new(0.2, 3.1, 0.4), Vec3.UnitY);
            FloatImage seen = DifferentialRenderer
                .Render(
                    new SetPass(
                        new RayGrid(pinhole, pose),
                        set,
                        LightRig.Of([light], _ => new(picture)),
                        null,
                        new(16, 1, 1),
                        3,
                        keep: false
                    ),
                    [ball],
                    new FloatImage(1, 1, 3),
                    null,
                    pose,
                    new() { DataPasses = false }
                )
                .Element;
            return new(seen[0, 0, 0], seen[0, 0, 1], seen[0, 0, 2]);
        }
        // The ray by hand: from the camera to the ball, mirrored there, to a wall.
        Vec3 eye = new(0, 3, 2.5),
            to = (new Vec3(0.2, 3.1, 0.4) - eye).Normalized(),
            middle = new(0, 3, 0),
            off = eye - middle;
        double b = Vec3.Dot(off, to),
            near = -b - Math.Sqrt(b * b - off.LengthSquared + 0.25);
        Vec3 hit = eye + near * to,
            n = (hit - middle).Normalized(),
            back = to - 2 * Vec3.Dot(to, n) * n;
        double way = new[]
        {
            ((back.X > 0 ? 3 : -3) - hit.X) / back.X,
            ((back.Y > 0 ? 6 : 0) - hit.Y) / back.Y,
            ((back.Z > 0 ? 3 : -3) - hit.Z) / back.Z,
        }.Min();
        Vec3 wall = hit + way * back;
        Vector3 shown = Seen();
        Assert.Equal(wall.X + 3, shown.X, 0.05);
        Assert.Equal(wall.Y, shown.Y, 0.05);
        Assert.Equal(wall.Z + 3, shown.Z, 0.05);
        // A screen between that wall and where the panorama was shot: it cannot have seen it, and nothing lights the room.
        Vec3 between = 0.7 * wall + 0.3 * from;
        Assert.Equal(
            default,
            Seen(
                new Piece
                {
                    Id = "screen",
                    Kind = PieceKind.Box,
                    Size = new(0.4, 0.4, 0.4),
                    Position = between - new Vec3(0, 0.2, 0),
                }
            )
        );
    }

    // A closed white sphere lights itself and the floor so that nothing is lost: under a uniform sky of 1 a white body of albedo 1 is as bright
    // as the sky it hides, wherever it sees the sky alone. Over a black floor its lower half sees nothing; so what the floor gains is the upper
    // limit times its albedo.
    [Fact]
    public void Light_thrown_back_is_albedo_times_what_falls_on_it()
    {
        Vector3 Gain(float albedo)
        {
            FrameLayers layers = Spot(
                3,
                LightRig.Of([
                    new Light
                    {
                        Id = "sun",
                        Kind = LightKind.Sun,
                        Direction = new(1, 0.0001, 0),
                        Strength = 1,
                        AngularDiameterDegrees = 0,
                    },
                    new Light
                    {
                        Id = "fill",
                        Kind = LightKind.Fill,
                        Strength = 1 / Math.PI,
                    },
                ]),
                [Ball(new("white", new(albedo), 0, 1) { Specular = 0 }, 1)],
                new() { DataPasses = false, Bounce = true },
                4096
            );
            return new(layers.Shadow[0, 0, 0] - 1);
        }
        float half = Gain(0.5f).X,
            whole = Gain(1).X;
        Assert.InRange(whole, 0.005, 0.2);
        Assert.Equal(whole / 2, half, whole * 0.02);
    }

    // A mirror of reflectivity F0 faced straight shows F0 times what is above it (Schlick at 0°: F = F0), in the place of what it showed of the sky.
    [Fact]
    public void A_mirroring_piece_shows_the_element_above_it()
    {
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "floor",
                    Kind = PieceKind.Plane,
                    Size = new(400, 1, 400),
                    Mirror = new(0.2, 0),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        var surfaces = new SetSurfaces([new SetSurface { Mirror = new Material("wet", default, 0, 0) { Specular = 0.2f / 0.04f } }]);
        var card = new PlacedElement(
            "lamp",
            new(new MeshTree(PieceMeshes.Box(new(3, 0.1, 3))), [new("lamp", default, 0, 1) { Specular = 0, Emission = new(5) }]),
            new Similarity(1, Matrix3.Identity, new(0, 2, 0))
        );
        FrameLayers layers = Spot(
            0,
            LightRig.Of([Sky with { CastsShadow = false, Strength = 0.5 }]),
            [card],
            new() { DataPasses = false, Surfaces = surfaces },
            256,
            set,
            height: 1
        );
        Assert.Equal(0.2 * (5 - 0.5), layers.Mirror![0, 0, 0], 2e-3);
        Assert.Equal(0.4 + 0.9, layers.Comp[0, 0, 0], 4e-3);
        // Dry where its matte says so.
        surfaces = new([new SetSurface { Mirror = surfaces.ByPiece[0]!.Mirror, MirrorShare = [0] }]);
        Assert.Equal(
            0,
            Spot(0, LightRig.Of([Sky]), [card], new() { DataPasses = false, Surfaces = surfaces }, 64, set, height: 1).Mirror![0, 0, 0]
        );
    }

    // Under a white card that bounces all it gets (albedo 1, sun from below it) an element of albedo 0.5 sees π/π · E over the half sphere.
    [Fact]
    public void A_card_bounces_the_suns_light_onto_an_element()
    {
        Piece Card(Vec3? bounces) =>
            new()
            {
                Id = "card",
                Kind = PieceKind.Plane,
                Size = new(4000, 1, 4000),
                Position = new(0, 5, 0),
                RotationYxzDegrees = new(0, 180, 0),
                Duties = new() { Bounces = bounces, OnlyBlocksLight = true },
            };
        float Seen(Vec3? bounces)
        {
            var set = new SetScene([Card(bounces)], (_, _) => throw new InvalidOperationException());
            var pinhole = new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None);
            Pose pose = Pose.LookAt(new(0, 4, 0), new(0, 0, 0), Vec3.UnitZ);
            var slab = new PlacedElement("slab", new(new MeshTree(PieceMeshes.Box(new(2, 0.1, 2))), []), Similarity.Identity);
            // The sun shines upwards: it lights the card's underside and not the slab's top.
            LightRig rig = LightRig.Of([
                new Light
                {
                    Id = "sun",
                    Kind = LightKind.Sun,
                    Direction = new(0.3, -1, 0),
                    Strength = 1 / new Vec3(0.3, -1, 0).Normalized().Y * -1,
                    AngularDiameterDegrees = 0,
                },
            ]);
            var surfaces = new SetSurfaces([bounces is null ? null : new SetSurface { Bounces = bounces.Value.ToSingle() }]);
            return DifferentialRenderer
                .Render(
                    new SetPass(new RayGrid(pinhole, pose), set, rig, null, new(1024, 1, 1), 3, keep: false),
                    [slab],
                    new FloatImage(1, 1, 3),
                    null,
                    pose,
                    new() { DataPasses = false, Surfaces = surfaces }
                )
                .Element[0, 0, 0];
        }
        Assert.Equal(0, Seen(null));
        // The card sends albedo ÷ π · E with E = 1; the slab gathers π of it (all it sees is the card) less its own shadow on the card, and returns half ÷ π.
        Assert.InRange(Seen(new(1, 1, 1)), 0.93 * 0.5 / Math.PI, 0.5 / Math.PI + 1e-3);
        Assert.Equal(Seen(new(1, 1, 1)) / 2, Seen(new(0.5, 0.5, 0.5)), 1e-4);
    }

    // A picture of even alpha a lets 1 − a of the light through (over operator; Porter and Duff 1984).
    [Fact]
    public void A_see_through_picture_stops_its_alpha_and_casts_as_much_shadow()
    {
        var picture = new FloatImage(2, 2, 4, [.. Enumerable.Repeat((float[])[0.15f, 0.15f, 0.15f, 0.3f], 4).SelectMany(p => p)]);
        var model = new ElementModel(
            new MeshTree(
                new([new(-9, 3, -9), new(9, 3, -9), new(9, 3, 9), new(-9, 3, 9)], [0, 2, 1, 0, 3, 2])
                {
                    TextureCoordinates = [new(0, 0), new(1, 0), new(1, 1), new(0, 1)],
                }
            ),
            [
                new("card", default, 0, 1)
                {
                    Specular = 0,
                    Emission = Vector3.One,
                    Picture = picture,
                    SeeThrough = true,
                },
            ]
        );
        var pinhole = new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None);
        Pose pose = Pose.LookAt(new(0, 8, 0), new(0, 0, 0), Vec3.UnitZ);
        LightRig rig = LightRig.Of([
            new Light
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0.2, 1, 0),
                Strength = 1,
                AngularDiameterDegrees = 1,
            },
        ]);
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), Ground, rig, null, new(4096, 1, 1), 3, keep: false),
            [new("card", model, Similarity.Identity)],
            new FloatImage(1, 1, 3),
            null,
            pose,
            new() { DataPasses = false }
        );
        Assert.Equal(0.3, layers.Element[0, 0, 3], 0.02);
        Assert.Equal(0.15, layers.Element[0, 0, 0], 0.01); // premultiplied: its own 0.5 by 0.3
        Assert.Equal(0.7, layers.Shadow[0, 0, 0], 0.02);
    }

    // The parts are the whole (energy is neither made nor lost by taking apart), and every light's group is its own share.
    [Fact]
    public void The_parts_of_an_element_add_up_to_it()
    {
        var pinhole = new Pinhole(9, 9, 12, 12, 4.5, 4.5, Lens.None);
        Pose pose = Pose.LookAt(new(0, 2, 5), new(0, 1, 0), Vec3.UnitY);
        LightRig rig = LightRig.Of([
            new Light
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0.5, 1, 0.4),
                Strength = 3,
            },
            Sky,
            new Light
            {
                Id = "lamp",
                Kind = LightKind.Point,
                Position = new(1, 3, 2),
                Strength = 4,
                InPlate = false,
            },
        ]);
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), Ground, rig, null, new(16, 1, 2), 3, keep: false),
            [Ball(new("varnish", new(0.5f, 0.3f, 0.2f), 0, 0.3f) { Emission = new(0.01f) }, 1)],
            new FloatImage(9, 9, 3),
            null,
            pose,
            new() { Parts = true }
        );
        ElementParts p = layers.Parts!;
        for (int i = 0; i < 81; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(
                    layers.Element.Data[4 * i + c],
                    p.Diffuse.Data[3 * i + c] + p.Specular.Data[3 * i + c] + p.Reflection.Data[3 * i + c] + p.Emission.Data[3 * i + c],
                    1e-4f
                );
            }
        }
        Assert.Equal(["sun", "sky", "lamp"], p.Groups.Select(g => g.Light));
        Assert.Equal(p.Diffuse.Data.Sum() + p.Specular.Data.Sum(), p.Groups.Sum(g => g.Rgb.Data.Sum()), 0.02f * p.Diffuse.Data.Sum());
        Assert.True(layers.Counts.ElementError > 0);

        // Behind a half-open layer and with a contact look all parts lose the same, the groups too.
        FrameLayers seen = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), Ground, rig, null, new(16, 1, 2), 3, keep: false),
            [Ball(new("varnish", new(0.5f, 0.3f, 0.2f), 0, 0.3f), 1)],
            new FloatImage(9, 9, 3),
            null,
            pose,
            new()
            {
                Parts = true,
                Contact = new(0.8, 3),
                Rendered =
                [
                    new(
                        new FloatImage(9, 9, 4, [.. Enumerable.Repeat((float[])[0, 0, 0, 0.5f], 81).SelectMany(v => v)]),
                        [.. Enumerable.Repeat(0.5f, 81)]
                    ),
                ],
            }
        );
        ElementParts q = seen.Parts!;
        float part = q.Groups.Sum(g => g.Rgb.Data.Sum()),
            whole = q.Diffuse.Data.Sum() + q.Specular.Data.Sum();
        Assert.Equal(whole, part, 0.02f * whole);
        Assert.InRange(part / p.Groups.Sum(g => g.Rgb.Data.Sum()), 0.25f, 0.49f); // half by the layer, some by the contact
        Assert.Equal(seen.Element.Data.Where((_, i) => i % 4 != 3).Sum(), whole + q.Reflection.Data.Sum(), 1e-3f);
    }

    // The rendering equation by midpoint sums over the panorama's pixels (Kajiya 1986), against both ways of sampling together; few samples do, also for a
    // small bright sun in a rough metal and for a broad sky in a smooth one.
    [Theory]
    [InlineData(0.15f)]
    [InlineData(0.5f)]
    [InlineData(0.9f)]
    public void A_metal_under_a_panorama_sends_what_the_sum_over_its_pixels_says(float roughness)
    {
        const int wide = 512,
            high = 256;
        var image = new FloatImage(wide, high, 3);
        for (int i = 0; i < image.Data.Length; i++)
        {
            image.Data[i] = 0.3f;
        }
        for (int y = 70; y < 74; y++)
        {
            for (int x = 250; x < 254; x++)
            {
                for (int c = 0; c < 3; c++)
                {
                    image[x, y, c] = 4000;
                }
            }
        }
        var around = new Panorama(image);
        var metal = new Material("brass", new(0.9f, 0.7f, 0.3f), 1, roughness);
        var card = new PlacedElement(
            "card",
            new(new MeshTree(new([new(-9, 3, -9), new(9, 3, -9), new(9, 3, 9), new(-9, 3, 9)], [0, 2, 1, 0, 3, 2])), [metal]),
            Similarity.Identity
        );
        LightRig rig = LightRig.Of(
            [
                new Light
                {
                    Id = "around",
                    Kind = LightKind.Panorama,
                    Strength = 1,
                    Media = "p",
                },
            ],
            _ => around
        );
        Pose pose = Pose.LookAt(new(0, 7, 4), new(0, 3, 0), Vec3.UnitY);
        Vector3 v = Vector3.Normalize(new(0, 4, 4)),
            sum = default;
        for (int y = 0; y < high / 2; y++)
        {
            for (int x = 0; x < wide; x++)
            {
                Vector3 l = Panorama.DirectionAt((x + 0.5) / wide, (y + 0.5) / high).ToSingle();
                sum += Bsdf.Evaluate(metal, Vector3.UnitY, l, v) * (image[x, y, 0] * l.Y * (float)Panorama.SolidAngle(wide, high, y));
            }
        }
        var scene = new SetScene([], (_, _) => throw new InvalidOperationException());
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(new(1, 1, 40000, 40000, 0.5, 0.5, Lens.None), pose), scene, rig, null, new(256, 1, 8), 3, keep: false),
            [card],
            new FloatImage(1, 1, 3),
            null,
            pose,
            new() { DataPasses = false }
        );
        // Single scattering is all that the model counts, in the sum too. 2 %: what 256 × 9 rays leave.
        Assert.Equal(1, layers.Element[0, 0, 0] / sum.X, 0.02);
        Assert.Equal(1, layers.Element[0, 0, 2] / sum.Z, 0.02);
    }

    // A bar that goes by while the shutter is open covers each pixel for the share of the time that it stands before it: a trapezoid, whose middle is the
    // bar's at the shutter's middle (distributed ray tracing, Cook, Porter and Carpenter 1984). What hides stands still and is blurred not at all.
    [Fact]
    public void Motion_while_the_shutter_is_open_is_a_trapezoid()
    {
        var pinhole = new Pinhole(48, 3, 48, 48, 24, 1.5, Lens.None);
        Pose pose = Pose.LookAt(new(0, 0, 10), new(0, 0, 0), Vec3.UnitY);
        // 10 m away a metre is 4.8 pixels: the bar is 9.6 wide and goes 12 pixels.
        const double metres = 2.5,
            width = 9.6,
            way = 12;
        var bar = new ElementModel(
            new MeshTree(new([new(-1, -9, 0), new(1, -9, 0), new(1, 9, 0), new(-1, 9, 0)], [0, 1, 2, 0, 2, 3])),
            [Material.Grey]
        );
        var post = new SetScene(
            [
                new Piece
                {
                    Id = "post",
                    Kind = PieceKind.Box,
                    Size = new(1, 30, 0.01),
                    Position = new(0.5, -15, 1),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        LightRig rig = LightRig.Of([Sky]);
        var grid = new RayGrid(pinhole, pose);
        RenderMoment At(double t, uint first, int samples) =>
            new(
                new SetPass(grid, post, rig, null, new(samples, 1, 1), 5, keep: false, firstSample: first, centred: false),
                [new("bar", bar, new(1, Matrix3.Identity, new(metres * t, 0, 0)))],
                pose
            );
        const int moments = 64;
        FrameLayers layers = DifferentialRenderer.Render(
            At(0, 0, 1),
            [.. Enumerable.Range(0, moments).Select(i => At((i + 0.5) / moments - 0.5, 16 * (uint)i, 16))],
            new FloatImage(48, 3, 3),
            null,
            new() { Parts = true }
        );
        double sum = 0,
            moment = 0;
        for (int x = 0; x < 48; x++)
        {
            double from = x + 0.5 - 24,
                share = (Math.Clamp(from + width / 2, -way / 2, way / 2) - Math.Clamp(from - width / 2, -way / 2, way / 2)) / way;
            Assert.Equal(share, layers.Element[x, 1, 3], 0.03);
            (sum, moment) = (sum + layers.Element[x, 1, 3], moment + layers.Element[x, 1, 3] * (x + 0.5));
        }
        Assert.Equal(24, moment / sum, 0.05);
        Assert.Equal(width, sum, 0.05);
        // 9 m away the post spans 24 to 29.33: whole pixels are hidden as much as the bar covers them, the last a third of it.
        Assert.Equal(layers.Element[26, 1, 3], layers.Holdout[26, 1, 0], 1e-6);
        Assert.Equal(0, layers.Holdout[22, 1, 0]);
        Assert.Equal(layers.Element[29, 1, 3] / 3, layers.Holdout[29, 1, 0], 0.03);
        Assert.Equal(10, layers.Depth[20, 1, 0], 1e-3); // at the frame itself, not averaged
    }

    // A pinhole's image of a thing D away that goes s aside goes f s ÷ D (Hartley and Zisserman, chapter 6); towards the frame before, back.
    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Motion_is_told_in_pixels_to_the_next_frame(bool back)
    {
        var pinhole = new Pinhole(9, 9, 12, 12, 4.5, 4.5, Lens.None);
        Pose pose = Pose.LookAt(new(0, 2, 5), new(0, 2, 0), Vec3.UnitY);
        PlacedElement ball = Ball(Material.Grey, 2, 0.5);
        Similarity moved = ball.ObjectToWorld with { Translation = ball.ObjectToWorld.Translation + new Vec3(0.3, 0, 0) };
        FrameLayers At(Pose then, PlacedElement? goes = null) =>
            DifferentialRenderer.Render(
                new SetPass(new RayGrid(pinhole, pose), Ground, LightRig.Of([Sky]), null, new(4, 1, 1), 3, keep: false),
                [ball],
                new FloatImage(9, 9, 3),
                null,
                pose,
                new() { Parts = true, Next = new(then, pinhole, [goes ?? (ball with { ObjectToWorld = moved })], null, back) }
            );
        float sign = back ? -1 : 1;
        FloatImage motion = At(pose).Parts!.Motion;
        // A mesh whose corners have moved by as much, as one that bends, goes as far.
        TriangleMesh bent = ball.Model.Tree.Mesh.Moved(ball.ObjectToWorld.Inverse().After(moved));
        FloatImage same = At(pose, ball with { Model = ball.Model with { Tree = new(bent) } }).Parts!.Motion;
        Assert.Equal(motion[4, 4, 0], same[4, 4, 0], 1e-4f);
        Assert.Equal(sign * 12 * 0.3f / 4.5f, motion[4, 4, 0], 1e-4); // its front is 4.5 m away
        Assert.Equal(0, motion[4, 8, 0]); // the floor stays
        Pose aside = pose with { Position = pose.Position + new Vec3(0.1, 0, 0) };
        Assert.Equal(sign * 12 * 0.2f / 4.5f, At(aside).Parts!.Motion[4, 4, 0], 1e-4);
        // Half a pixel below the middle of the last row the floor is 12 · 2 ÷ 4 = 6 m away.
        Assert.Equal(sign * -12 * 0.1f / 6, At(aside).Parts!.Motion[4, 8, 0], 1e-4);
    }

    // Two ways of asking the sky (aimed at a small element, or all around) agree with the closed form beside a sphere: 1 − (1 + (x/R)²)^(−3/2), derived.
    [Theory]
    [InlineData(0.6)]
    [InlineData(3)]
    [InlineData(8)]
    public void What_an_element_keeps_of_the_sky_is_the_same_near_and_far(double x)
    {
        FrameLayers layers = Spot(x, LightRig.Of([Sky]), [Ball(Material.Grey, 1)], new() { DataPasses = false }, 8192);
        Assert.Equal(1 - Math.Pow(1 + x * x, -1.5), layers.Shadow[0, 0, 0], 0.01);
    }

    // A frame rendered elsewhere is merged by its distance: before the set it is seen, behind it held out; half a matte hides half (Porter and Duff 1984).
    [Fact]
    public void Rendered_frames_are_merged_by_distance_and_by_mattes()
    {
        FrameLayers Merged(float distance, float matte = 0, float beyond = 0) =>
            Spot(
                0,
                LightRig.Of([]),
                [],
                new()
                {
                    DataPasses = false,
                    Rendered = [new(new FloatImage(1, 1, 4, [0.5f, 0.25f, 0, 0.5f]), [distance])],
                    Mattes = matte > 0 ? [new([matte], beyond)] : [],
                },
                16,
                height: 3
            );
        FrameLayers before = Merged(1),
            behind = Merged(5);
        Assert.Equal(0.5 + 0.5 * 0.4, before.Comp[0, 0, 0], 1e-5);
        Assert.Equal(0.4, behind.Comp[0, 0, 0], 1e-6);
        Assert.Equal(0.5, behind.Holdout[0, 0, 0], 1e-6);
        Assert.False(behind.Touched[0]);
        Assert.Equal(0.25 + 0.75 * 0.4, Merged(1, 0.5f).Comp[0, 0, 0], 1e-5);
        Assert.Equal(0.5 + 0.5 * 0.4, Merged(1, 0.5f, 2).Comp[0, 0, 0], 1e-5); // nearer than where the matte begins to hide
    }

    // Marching squares: SIL-01 of the check list (Lorensen and Cline 1987, in the plane), areas and perimeters computed there cell by cell.
    [Fact]
    public void Outlines_are_those_of_marching_squares()
    {
        double[] diamond = Assert.Single(Contours.Of([0, 0, 0, 0, 1, 0, 0, 0, 0], 3, 3));
        Assert.Equal(0.5, Contours.Area(diamond), 1e-9);
        Assert.Equal(2 * Math.Sqrt(2), Contours.Perimeter(diamond), 1e-9);
        float[] Field(bool mask) =>
            [
                .. Enumerable
                    .Range(0, 32 * 32)
                    .Select(i => 10 - MathF.Sqrt(MathF.Pow(i % 32 - 16.3f, 2) + MathF.Pow(i / 32 - 15.7f, 2)))
                    .Select(v =>
                        !mask ? v
                        : v > 0 ? 1f
                        : 0f
                    ),
            ];
        double[] disk = Assert.Single(Contours.Of(Field(false), 32, 32, 0));
        Assert.Equal(313.507526, Contours.Area(disk), 1e-3);
        Assert.Equal(62.7934449, Contours.Perimeter(disk), 1e-4);
        double[] stairs = Assert.Single(Contours.Of(Field(true), 32, 32, 0.5));
        Assert.Equal(315.5, Contours.Area(stairs), 1e-9);
        Assert.Equal(66.526912, Contours.Perimeter(stairs), 1e-6);
        // What leaves the picture is closed at its edge; a hole runs the other way round.
        Assert.Equal(8.5, Contours.Area(Assert.Single(Contours.Of([1, 1, 1, 1, 1, 1, 1, 1, 1], 3, 3))), 1e-9);
        float[] ring = [.. Enumerable.Range(0, 49).Select(i => Math.Max(Math.Abs(i % 7 - 3), Math.Abs(i / 7 - 3)) is 1 or 2 ? 1f : 0f)];
        Assert.Equal(2, Contours.Of(ring, 7, 7).Count);
        Polygon holed = Assert.Single(Silhouette.Polygons(Contours.Of(ring, 7, 7), 0, 0.1));
        Assert.Equal(1, holed.NumInteriorRings);
        Assert.Equal(
            holed.Area,
            Silhouette.Triangles(holed).Sum(t => Math.Abs((t.B.X - t.A.X) * (t.C.Y - t.A.Y) - (t.C.X - t.A.X) * (t.B.Y - t.A.Y)) / 2),
            1e-6
        );
    }

    // The shoelace formula on SIL-03's pentagon: area 16, perimeter 15.6568542.
    [Fact]
    public void Polygon_measures()
    {
        double[] p = [0, 0, 4, 0, 4, 3, 2, 5, 0, 3];
        Assert.Equal(16, Math.Abs(Contours.Area(p)), 1e-9);
        Assert.Equal(15.6568542, Contours.Perimeter(p), 1e-6);
        Assert.True(MatteShape.Contains(p, 2, 4.9));
        Assert.False(MatteShape.Contains(p, 3.5, 4));
    }

    // A slab's volume is its area by its thickness, whatever its holes; faces look outwards (divergence theorem).
    [Fact]
    public void Extruded_outlines_are_closed_and_face_outwards()
    {
        var ring = (Polygon)
            new Polygon(
                new([new(0, 0), new(2, 0), new(2, 2), new(0, 2), new(0, 0)]),
                [new([new(0.5, 0.5), new(0.5, 1.5), new(1.5, 1.5), new(1.5, 0.5), new(0.5, 0.5)])]
            );
        Assert.Equal(3 * 0.4, Extrusion.Of([ring], 0.4).AreaAndVolume().Volume, 1e-5);
        double bevelled = Extrusion.Of([ring], 0.4, 0.1).AreaAndVolume().Volume;
        Assert.InRange(bevelled, 3 * 0.4 - 12 * 0.1 * 0.1 / 2 - 0.01, 3 * 0.4 - 0.04);
    }

    // A figure laid back onto its plane is seen by its camera where its outline was, at the depth of its foot; turned to a light it keeps its shape.
    [Fact]
    public void A_figure_stands_where_its_foot_is_and_covers_its_own_outline()
    {
        var pinhole = Pinhole.FromFilm(640, 360, 35, 36, new Lens(-0.06, 0.01));
        Pose pose = Pose.LookAt(new(0.3, 1.6, 6), new(0, 0.9, 0), Vec3.UnitY);
        var foot = new Vec3(-0.4, 0, 1);
        double[] Pixel(Vec3 p) => pinhole.TryProject(pose, p, out double x, out double y) ? [x, y] : throw new InvalidOperationException();
        Vec3 across = Vec3.Cross(Vec3.UnitY, new Vec3(pose.Position.X - foot.X, 0, pose.Position.Z - foot.Z).Normalized());
        Vec3[] corners =
        [
            foot - 0.25 * across,
            foot + 0.25 * across,
            foot + 0.25 * across + 1.8 * Vec3.UnitY,
            foot - 0.25 * across + 1.8 * Vec3.UnitY,
        ];
        var outline = new Polygon(new([.. corners.Append(corners[0]).Select(c => new Coordinate(Pixel(c)[0], Pixel(c)[1]))]));
        TriangleMesh solid = FigureSolid.Of([outline], pinhole, pose, foot, 0.3)!;
        var (min, max) = solid.Bounds();
        Assert.Equal(0, min.Y, 1e-3);
        Assert.Equal(1.8, max.Y, 1e-3);
        Assert.Equal(0.5 * 1.8 * 0.3, Math.Abs(solid.AreaAndVolume().Volume), 1e-3);
        Vec3 light = new(1, 0.7, 0);
        TriangleMesh turned = FigureSolid.Of([outline], pinhole, pose, foot, 0.3, light, new(0, 0, 1), 2)!;
        Assert.Equal(8 * 0.5 * 1.8 * 0.3 / 2, Math.Abs(turned.AreaAndVolume().Volume), 1e-3); // twice as wide and high, as thick
        Assert.Equal(foot.Z + 1, (turned.Bounds().Min.Z + turned.Bounds().Max.Z) / 2, 0.02);
        Assert.Equal(0.3, turned.Bounds().Max.X - turned.Bounds().Min.X, 1e-3); // it faces along x
        var (fx, fy) = FigureSolid.Foot([outline])!.Value;
        Assert.Equal(Pixel(foot)[0], fx, 2.0);
        Assert.Equal(Pixel(foot)[1], fy, 2.0);
        Assert.Null(FigureSolid.Foot([]));
    }

    // KEY-01 and KEY-02 of the check list: cubic Hermite (glTF 2.0's form), W3C CSS Easing Functions Level 1.
    [Theory]
    [InlineData(0.25, 12.968750, 0.1291619)]
    [InlineData(0.5, 17.5, 0.5)]
    [InlineData(0.75, 20.781250, 0.8708381)]
    public void Keys_ease_as_the_standards_say(double t, double hermite, double eased)
    {
        Assert.Equal(hermite, KeyCurve.Hermite(t, 10, 5, 20, -15), 1e-9);
        Assert.Equal(eased, KeyCurve.Bezier(t, 0.42, 0, 0.58, 1), 1e-6);
    }

    // KEY-03: uneven keys (0, 0) (1, 2) (3, 3) (4, 0), finite differences over the neighbours: 2.9166667 at t = 2.
    [Fact]
    public void Keys_go_through_without_a_corner()
    {
        FrameKey[] keys = [new(0, Scale: 0), new(1, Scale: 2), new(3, Scale: 3), new(4, Scale: 0)];
        double At(double f) => KeyCurve.At(keys, f, k => k.Frame, k => k.Scale, k => k.Ease)!.Value;
        Assert.Equal(2.9166667, At(2), 1e-6);
        Assert.Equal((0, 2, 0), (At(-5), At(1), At(9)));
    }

    // SIL-04: exact coverage sums to the area; ours is by distance, so the sum is held to a hundredth of the outline's length.
    [Fact]
    public void Mattes_join_grow_and_are_carried_along()
    {
        double[] box = [10, 10, 30, 10, 30, 25, 10, 25];
        float[] own = MatteShape.Coverage(box, 48, 40);
        Assert.Equal(300, own.Sum(), 0.7);
        Assert.Equal(Math.Pow(2, 2) * Math.PI + 300 + 2 * 70, MatteShape.Coverage(box, 48, 40, 1, 2).Sum(), 3.0);
        Assert.Equal(14 * 19.0, MatteField.Grown(own, 48, 40, -0.5, 1).Sum(), 6.0);
        float[] other = MatteShape.Coverage([20, 0, 48, 0, 48, 40, 20, 40], 48, 40),
            joined = [.. own],
            taken = [.. own],
            within = [.. own];
        MatteField.Join(joined, other, MatteJoin.Add);
        MatteField.Join(taken, other, MatteJoin.Subtract);
        MatteField.Join(within, other, MatteJoin.Within);
        Assert.Equal(150, taken.Sum(), 1.0);
        Assert.Equal(300, taken.Sum() + within.Sum(), 1.0);
        Assert.Equal(150 + other.Sum(), joined.Sum(), 1.0);
        // A shift of 5 px a frame carries the outline; a key at 1004 corrects it from there on.
        var motion = new MatteMotion(
            1001,
            [.. Enumerable.Range(0, 8).Select(i => new MatteStep(1001 + i, [1, 0, 5 * i, 0, 1, 0, 0, 0, 1]))]
        );
        var matte = new Matte
        {
            Id = "m",
            Motion = motion,
            Keys = [new(1001, box)],
        };
        Assert.Equal(box.Select((v, i) => i % 2 == 0 ? v + 15 : v), MatteShape.At(matte, 1004));
        matte = matte with { Keys = [new(1001, box), new(1005, [.. box.Select((v, i) => i % 2 == 0 ? v + 20 : v + 4)])] };
        Assert.Equal(box.Select((v, i) => i % 2 == 0 ? v + 10 : v + 2), MatteShape.At(matte, 1003));
    }

    // The pull of a plain green screen (0.1, 0.6, 0.15): foreground grey keeps all, screen keeps nothing, half over half keeps half; no green is left on it.
    [Fact]
    public void A_screen_is_keyed_and_its_spill_taken_off()
    {
        var key = new ScreenKey(new(0.1, 0.6, 0.15), 0, 1);
        Vector3 screen = new(0.1f, 0.6f, 0.15f),
            grey = new(0.3f),
            spilled = new(0.3f, 0.38f, 0.3f);
        Vector3[] pixels = [screen, grey, 0.5f * (screen + grey), spilled];
        var image = new FloatImage(4, 1, 3, [.. pixels.SelectMany(p => (float[])[p.X, p.Y, p.Z])]);
        float[] alpha = MatteField.Key(image, key);
        Assert.Equal([0, 1, 0.5f, 1 - 0.08f / 0.45f], alpha.Select(a => MathF.Round(a, 5)), (a, b) => Math.Abs(a - b) < 1e-4);
        FloatImage fore = MatteField.Foreground(image, alpha, key);
        Assert.Equal(0.15, fore[2, 0, 0], 1e-5); // half of its grey, premultiplied
        Assert.Equal(0.15, fore[2, 0, 1], 1e-5);
        for (int x = 0; x < 4; x++)
        {
            Assert.True(fore[x, 0, 1] <= Math.Max(fore[x, 0, 0], fore[x, 0, 2]) + 1e-6f);
        }
    }

    // The matting equation worked backwards: a red figure's soft edge before an uneven green screen is mixed by a known α. By difference alone half
    // of a red pixel counts as whole, since red is the screen's opposite; by both sides α comes back.
    [Fact]
    public void A_keys_edge_is_told_by_what_lies_on_either_side()
    {
        const int w = 96,
            h = 24;
        var image = new FloatImage(w, h, 3);
        var meant = new float[w * h];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                float a = Math.Clamp((x - 45.5f) / 5, 0, 1),
                    lit = 0.95f + 0.1f * y / h;
                meant[y * w + x] = a;
                Vector3 c = a * new Vector3(0.45f, 0.16f, 0.12f) + (1 - a) * lit * new Vector3(0.04f, 0.4f, 0.08f);
                (image[x, y, 0], image[x, y, 1], image[x, y, 2]) = (c.X, c.Y, c.Z);
            }
        }
        float[] plain = MatteField.Key(image, new(new(0.04, 0.4, 0.08))),
            sided = MatteField.EdgeBySides(image, plain);
        float Off(float[] key) => key.Zip(meant, (a, b) => Math.Abs(a - b)).Max();
        Assert.True(Off(plain) > 0.3, $"by difference {Off(plain)}");
        Assert.InRange(Off(sided), 0, 0.03);
        // What stands there without the screen: α times the figure's own colour.
        FloatImage fore = MatteField.Foreground(image, sided, new(new(0.04, 0.4, 0.08), EdgeBySides: true));
        for (int x = 0; x < w; x++)
        {
            Assert.Equal(meant[12 * w + x] * 0.45f, fore[x, 12, 0], 0.02f);
            Assert.Equal(meant[12 * w + x] * 0.16f, fore[x, 12, 1], 0.02f);
        }
        // Nothing whole to carry on: the key stays as it is.
        var none = new float[w * h];
        Assert.Same(none, MatteField.EdgeBySides(image, none));
    }

    // A textured plane that turns and nears, by a homography that is known: found again within a tenth of a pixel; nothing to hold on is told.
    [Fact]
    public void A_plane_is_followed_by_its_texture()
    {
        var random = new Random(4);
        var values = new float[64 * 64];
        for (int i = 0; i < values.Length; i++)
        {
            values[i] = random.NextSingle();
        }
        var texture = new FloatImage(64, 64, 1, values);
        double[] H(int f)
        {
            double t = f - 5,
                a = 0.01 * t,
                s = 1 + 0.012 * t;
            return [s * Math.Cos(a), -Math.Sin(a), 2.1 * t, Math.Sin(a), s * Math.Cos(a), -1.2 * t, 2e-5 * t, -1e-5 * t, 1];
        }
        double[] Inverse(double[] h)
        {
            var m = new Matrix3(h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], h[8]);
            Vec3 a = m.Column(0),
                b = m.Column(1),
                c = m.Column(2);
            double d = Vec3.Dot(a, Vec3.Cross(b, c));
            Vec3 r0 = Vec3.Cross(b, c),
                r1 = Vec3.Cross(c, a),
                r2 = Vec3.Cross(a, b);
            return [r0.X / d, r0.Y / d, r0.Z / d, r1.X / d, r1.Y / d, r1.Z / d, r2.X / d, r2.Y / d, r2.Z / d];
        }
        GrayImage Frame(int f)
        {
            double[] back = Inverse(H(f));
            var data = new float[200 * 160];
            Span<float> v = stackalloc float[1];
            for (int y = 0; y < 160; y++)
            {
                for (int x = 0; x < 200; x++)
                {
                    double[] p = MatteShape.Through(back, [x + 0.5, y + 0.5]);
                    texture.SampleBilinear(Math.Clamp((p[0] - 40) / 1.8, 0.5, 63.5), Math.Clamp((p[1] - 30) / 1.5, 0.5, 63.5), v);
                    data[y * 200 + x] = v[0];
                }
            }
            return new(200, 160, data);
        }
        PlaneMotion found = PlaneFollower.Follow([50, 40, 140, 40, 140, 110, 50, 110], 5, 1, 9, Frame);
        Assert.Equal(9, found.Steps.Count);
        foreach (MatteStep s in found.Steps)
        {
            double[] at = [50, 40, 140, 110],
                ours = MatteShape.Through(s.Homography, at),
                true_ = MatteShape.Through(H(s.Frame), at);
            Assert.All(ours.Zip(true_), p => Assert.Equal(p.Second, p.First, 0.2));
        }
        Assert.Contains(
            "too little texture",
            PlaneFollower
                .Follow([50, 40, 140, 40, 140, 110, 50, 110], 5, 1, 9, _ => new GrayImage(200, 160, new float[200 * 160]))
                .EndedAfter
        );
    }
}
