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

/// <summary>Irradiance of sun and sky on a place of the set, and how an element's shadow falls off, against closed formulas.</summary>
public class LightTests
{
    private static Piece Plane(string id, Vec3 position, Vec3 size, Vec3 turned = default) =>
        new()
        {
            Id = id,
            Kind = PieceKind.Plane,
            Position = position,
            Size = size,
            RotationYxzDegrees = turned,
        };

    private static Piece Floor(double size = 4000) => Plane("floor", Vec3.Zero, new(size, 0, size));

    private static Light SunAt(double elevationDegrees, double strength, double diameter = 0.533)
    {
        double e = Rotations.Radians(elevationDegrees);
        return new()
        {
            Id = "sun",
            Kind = LightKind.Sun,
            Direction = new(Math.Cos(e), Math.Sin(e), 0),
            Strength = strength,
            AngularDiameterDegrees = diameter,
        };
    }

    private static readonly Light Sky = new()
    {
        Id = "sky",
        Kind = LightKind.Sky,
        Strength = 1,
    };

    /// <summary>Irradiance at a place that is looked at from a hand's breadth along its normal.</summary>
    private static Vector3 Irradiance(
        IReadOnlyList<Piece> pieces,
        Vec3 place,
        Vec3 normal,
        IEnumerable<Light> lights,
        int samples = 4096,
        TriangleMesh? mesh = null
    )
    {
        var set = new SetScene(pieces, (_, _) => mesh!);
        var pose = Pose.LookAt(place + 0.002 * normal, place, Math.Abs(normal.Y) > 0.9 ? Vec3.UnitZ : Vec3.UnitY);
        var grid = new RayGrid(new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None), pose);
        LightRig rig = LightRig.Of(lights);
        var pass = new SetPass(grid, set, rig, null, new(samples, 1, 1), 7, keep: true);
        var row = new SetPass.RowOfSamples();
        pass.Row(0, ref row);
        ReadOnlySpan<LightSample> rays = row.Lights.Span;
        Vector3 sum = rig.FillPlate * samples;
        for (int i = 0; i < samples; i++)
        {
            for (int k = 0; k < rig.Sampled.Count; k++)
            {
                sum += rays[i * rig.Sampled.Count + k].Irradiance;
            }
        }
        return sum / samples;
    }

    // Cosine law for a directional light, elementary: a sun of 100000 lx at 30° gives the floor half and a facing wall cos 30°.
    [Fact]
    public void Sun_on_floor_and_wall()
    {
        Assert.Equal(50000, Irradiance([Floor()], Vec3.Zero, Vec3.UnitY, [SunAt(30, 100000)]).X, 60.0);
        Piece wall = Plane("wall", new(0, 1, 0), new(2, 0, 2), new(0, 0, -90));
        Assert.Equal(86602.54, Irradiance([wall], new(0, 1, 0), Vec3.UnitX, [SunAt(30, 100000)]).X, 60.0);
        Assert.Equal(0, Irradiance([Floor()], Vec3.Zero, Vec3.UnitY, [SunAt(-5, 100000)]).X, 1e-3);
    }

    // Importance sampling: what a drawn direction weighs is f cos ÷ density (Heitz, JCGT 2018, eq. 19), whichever of the three is asked.
    [Theory]
    [InlineData(0.2f, 0.1f)]
    [InlineData(0.5f, 0.7f)]
    [InlineData(1f, 0.95f)]
    public void A_mirrored_direction_weighs_what_its_density_says(float roughness, float tilt)
    {
        var mirror = new Material("m", Vector3.One, 1, roughness); // Fresnel 1 everywhere
        Vector3 n = Vector3.UnitY,
            v = Vector3.Normalize(new(tilt, 1 - tilt, 0.1f));
        int drawn = 0;
        for (uint i = 0; i < 64; i++)
        {
            if (!Bsdf.SampleSpecular(mirror, n, v, Sampling.Point(i, 5, 0), out Vector3 l, out float weight, out _))
            {
                continue;
            }
            drawn++;
            Assert.Equal(1, Bsdf.Parts(mirror, n, l, v).Specular.X * l.Y / Bsdf.SpecularDensity(mirror, n, l, v) / weight, 2e-3);
        }
        Assert.True(drawn > 16);
    }

    // A uniform sky of radiance 1 gives π on an open floor: the furnace argument.
    [Fact]
    public void Open_sky_gives_pi() => Assert.Equal(Math.PI, Irradiance([Floor()], Vec3.Zero, Vec3.UnitY, [Sky]).X, 1e-4);

    // Lights add; 1.5 stops are a factor of 2^1.5 (linearity of light transport).
    [Fact]
    public void Lights_add()
    {
        Light one = SunAt(90, 1) with { Color = new(1, .5, .25) },
            two = SunAt(90, Math.Pow(2, 1.5)) with { Id = "two", Color = new(.2, .4, .8) };
        Vector3 e = Irradiance([Floor()], Vec3.Zero, Vec3.UnitY, [one, two], 64);
        Assert.Equal(1.56568542, e.X, 1e-4);
        Assert.Equal(1.63137085, e.Y, 1e-4);
        Assert.Equal(2.51274170, e.Z, 1e-4);
    }

    // Hottel's strip factor (1 − cos φ)/2 blocked by a wall of height h at distance d; an endless one takes half, a corner of two three quarters.
    [Theory]
    [InlineData(1, 0.853553391)]
    [InlineData(0.5, 0.723606798)]
    public void Sky_beside_a_wall(double distance, double visible)
    {
        Piece wall = Plane("wall", new(0, 0.5, -distance), new(4000, 0, 1), new(90, 0, 0));
        Assert.Equal(visible, Irradiance([Floor(), wall], Vec3.Zero, Vec3.UnitY, [Sky], 16384).X / Math.PI, 0.01);
    }

    [Fact]
    public void Sky_at_the_foot_of_high_walls()
    {
        Piece north = Plane("north", new(0, 2000, -0.01), new(8000, 0, 4000), new(90, 0, 0)),
            east = Plane("east", new(0.01, 2000, 0), new(8000, 0, 4000), new(90, 90, 0));
        Assert.Equal(0.5, Irradiance([Floor(), north], Vec3.Zero, Vec3.UnitY, [Sky], 16384).X / Math.PI, 0.012);
        Assert.Equal(0.25, Irradiance([Floor(), north, east], Vec3.Zero, Vec3.UnitY, [Sky], 16384).X / Math.PI, 0.012);
    }

    // Element to a sphere that rests on its plane: (1 + (x/R)²)^(−3/2) is blocked (Howell's catalogue, sphere factor (R/D)² cos).
    [Theory]
    [InlineData(0.5, 0.71554175)]
    [InlineData(1, 0.35355339)]
    [InlineData(2, 0.089442719)]
    public void Sky_beside_a_resting_ball(double x, double blocked)
    {
        TriangleMesh ball = PieceMeshes.Ball(192).Moved(new Similarity(1, Matrix3.Identity, new(0, 1, 0)));
        var piece = new Piece
        {
            Id = "ball",
            Kind = PieceKind.Mesh,
            Media = "ball",
        };
        Assert.Equal(1 - blocked, Irradiance([Floor(), piece], new(x, 0, 0), Vec3.UnitY, [Sky], 16384, ball).X / Math.PI, 0.012);
    }

    // Sky from the bottom of a pit 2 × 2, 1 deep: 4 F(1, 1, 1) in its middle, F(2, 2, 1) in its corner (Howell, element to parallel rectangle).
    [Theory]
    [InlineData(0, 0.554126424)]
    [InlineData(0.999, 0.207757125)]
    public void Sky_from_a_pit(double at, double visible)
    {
        Piece[] pit =
        [
            Plane("floor", Vec3.Zero, new(2, 0, 2)),
            Plane("north", new(0, 0.5, -1), new(2, 0, 1), new(90, 0, 0)),
            Plane("south", new(0, 0.5, 1), new(2, 0, 1), new(90, 0, 0)),
            Plane("east", new(1, 0.5, 0), new(2, 0, 1), new(90, 90, 0)),
            Plane("west", new(-1, 0.5, 0), new(2, 0, 1), new(90, 90, 0)),
        ];
        Assert.Equal(visible, Irradiance(pit, new(at, 0, at), Vec3.UnitY, [Sky], 16384).X / Math.PI, 0.015);
    }

    /// <summary>S′ along x on the floor under a half plane from x = 0 to −∞ at a height, seen from the side.</summary>
    private static FrameLayers UnderAnEdge(double height, Light sun, int samples = 512)
    {
        // The floor is looked at from straight above through the half plane's missing side, close to the edge.
        var pinhole = new Pinhole(41, 1, 41, 41, 20.5, 0.5, Lens.None);
        var pose = new Pose(Rotations.AboutX(-Math.PI / 2), new Vec3(0, 1, 0));
        var set = new SetScene([Floor()], (_, _) => throw new InvalidOperationException());
        LightRig rig = LightRig.Of([sun]);
        var roof = new TriangleMesh(
            [new(-50, (float)height, -50), new(0, (float)height, -50), new(0, (float)height, 50), new(-50, (float)height, 50)],
            [0, 1, 2, 0, 2, 3]
        );
        var element = new PlacedElement("roof", new(new MeshTree(roof), []), Similarity.Identity);
        var plate = new FloatImage(41, 1, 3);
        Array.Fill(plate.Data, 0.5f);
        return DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set, rig, null, new(samples, 1, 1), 3, keep: false),
            [element],
            plate,
            null,
            pose,
            new() { DataPasses = false }
        );
    }

    // Across the shadow edge of a straight blocker under a uniform disk, visible = ½ + (t √(1 − t²) + asin t)/π with t = −1 … 1:
    // area of a circular segment, derived. A disk of 8° wide at 4 m above gives half a width of 4 tan 4° = 0.2797 m.
    [Fact]
    public void Shadow_edge_has_the_profile_of_the_suns_disk()
    {
        const double height = 4,
            half = 4;
        FrameLayers layers = UnderAnEdge(height, SunAt(90, 3, 2 * half));
        double reach = height * Math.Tan(Rotations.Radians(half));
        for (int x = 0; x < 41; x++)
        {
            double at = (x - 20.0) / 41,
                t = Math.Clamp(at / reach, -1, 1);
            double visible = 0.5 + (t * Math.Sqrt(1 - t * t) + Math.Asin(t)) / Math.PI;
            Assert.Equal(visible, layers.Shadow[x, 0, 0], 0.035); // 4 sd of 512 rays over a pixel's width are 0.03 when they are low-discrepancy
        }
    }

    // Width of the sun's shadow edge: 2 d tan(0.2665°) = 0.0093026720 d, derived (tangent lines to the disk).
    [Fact]
    public void Shadow_edge_of_the_sun_is_as_wide_as_derived()
    {
        FrameLayers layers = UnderAnEdge(20, SunAt(90, 3));
        double width = 20 * 0.0093026720,
            step = 1.0 / 41;
        for (int x = 0; x < 41; x++)
        {
            double left = (x - 20.5) * step,
                right = left + step;
            if (right < -width / 2)
            {
                Assert.Equal(0, layers.Shadow[x, 0, 0]);
            }
            else if (left > width / 2)
            {
                Assert.Equal(1, layers.Shadow[x, 0, 0]);
            }
            else if (left > -width / 2 && right < width / 2)
            {
                Assert.InRange(layers.Shadow[x, 0, 0], 0.0005f, 0.9995f);
            }
        }
    }

    // A shadow begins at the foot: no bright gap between a box and its shadow; length h / tan e (2 m at 30°: 3.4641016 m), derived.
    [Fact]
    public void Shadow_joins_the_foot_and_ends_where_derived()
    {
        var pinhole = new Pinhole(600, 1, 75, 75, 300, 0.5, Lens.None); // 75 px a metre from 1 m; seen from 1 m beside the box at 1 m height
        var pose = new Pose(Rotations.AboutX(-Math.PI / 2), new Vec3(-2.5, 1, 0));
        var set = new SetScene([Floor()], (_, _) => throw new InvalidOperationException());
        var box = new PlacedElement(
            "box",
            new(new MeshTree(PieceMeshes.Box(new(1, 2, 60))), []),
            new Similarity(1, Matrix3.Identity, new(0.5, 0, 0))
        );
        var plate = new FloatImage(600, 1, 3);
        Array.Fill(plate.Data, 0.5f);
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([SunAt(30, 3, 0.001)]), null, new(16, 1, 1), 3, keep: false),
            [box],
            plate,
            null,
            pose,
            new() { DataPasses = false }
        );
        double X(int pixel) => -2.5 + (pixel + 0.5 - 300) / 75.0;
        int first = Enumerable.Range(0, 600).First(i => layers.Shadow[i, 0, 0] < 0.5f),
            last = Enumerable.Range(0, 600).Last(i => X(i) < -1e-6 && layers.Shadow[i, 0, 0] < 0.5f);
        Assert.Equal(-3.4641016, X(first), 1.0 / 75);
        Assert.InRange(-X(last), 0, 1.0 / 75);
        Assert.All(Enumerable.Range(first + 1, last - first), i => Assert.Equal(0, layers.Shadow[i, 0, 0]));
    }

    // With a second sun that was not there when the plate was shot, the plate is not darkened by its shadow but lit where it arrives:
    // comp = plate · S′ + plate · En/E0 (Debevec 1998, lamps added to the difference).
    [Fact]
    public void A_new_lamp_adds_light_and_takes_none()
    {
        var pinhole = new Pinhole(8, 8, 32, 32, 4, 4, Lens.None);
        var pose = new Pose(Rotations.AboutX(-Math.PI / 2), new Vec3(30, 4, 0));
        var set = new SetScene([Floor()], (_, _) => throw new InvalidOperationException());
        Light lamp = SunAt(90, 1) with { Id = "lamp", InPlate = false };
        var plate = new FloatImage(8, 8, 3);
        Array.Fill(plate.Data, 0.4f);
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([SunAt(90, 2), lamp]), null, new(16, 1, 1), 3, keep: false),
            [],
            plate,
            null,
            pose,
            new() { DataPasses = false }
        );
        Assert.Equal(1, layers.Shadow[4, 4, 0]);
        Assert.Equal(0.2, layers.Added[4, 4, 0], 1e-4);
        Assert.Equal(0.6, layers.Comp[4, 4, 0], 1e-4);
    }

    // The sky's open share beside a ball that rests on the floor, as an element this time: 1 − (1 + (x/R)²)^(−3/2).
    [Theory]
    [InlineData(1, 0.64644661)]
    [InlineData(2, 0.910557281)]
    public void Ambient_occlusion_beside_an_element(double x, double open)
    {
        var pinhole = new Pinhole(1, 1, 4000, 4000, 0.5, 0.5, Lens.None);
        Pose pose = Pose.LookAt(new(x, 0.002, 0), new(x, 0, 0), Vec3.UnitZ);
        var set = new SetScene([Floor()], (_, _) => throw new InvalidOperationException());
        var ball = new PlacedElement(
            "ball",
            new(new MeshTree(PieceMeshes.Ball(192)), []),
            new Similarity(1, Matrix3.Identity, new(0, 1, 0))
        );
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([Sky]), null, new(16384, 1, 1), 3, keep: false),
            [ball],
            new FloatImage(1, 1, 3),
            null,
            pose
        );
        Assert.Equal(open, layers.Ao[0, 0, 0], 0.012);
        Assert.Equal(open, layers.Shadow[0, 0, 0], 0.012);
    }

    // Cosine-weighted directions are uniform on the unit disk (Malley): next to an endless wall at d, within a reach r, the segment beyond d/r is closed.
    [Theory]
    [InlineData(0.006, 0.56355571)]
    [InlineData(0.015, 0.65748118)]
    [InlineData(0.03, 0.80449889)]
    [InlineData(0.045, 0.927853194)]
    public void The_contact_look_beside_a_wall(double distance, double open)
    {
        var pinhole = new Pinhole(1, 1, 40000, 40000, 0.5, 0.5, Lens.None);
        Pose pose = Pose.LookAt(new(0, 0.002, 0), new(0, 0, 0), Vec3.UnitZ);
        var set = new SetScene([Floor()], (_, _) => throw new InvalidOperationException());
        var wall = new PlacedElement(
            "wall",
            new(new MeshTree(PieceMeshes.Box(new(0.2, 10, 20))), []),
            new Similarity(1, Matrix3.Identity, new(distance + 0.1, -5, 0))
        );
        var plate = new FloatImage(1, 1, 3, [0.4f, 0.4f, 0.4f]);
        FrameLayers layers = DifferentialRenderer.Render(
            new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([]), null, new(8192, 1, 1), 3, keep: false),
            [wall],
            plate,
            null,
            pose,
            new() { DataPasses = false, Contact = new(0.5, 0.06) }
        );
        Assert.Equal(open, layers.Contact![0, 0, 0], 0.006);
        // Half its strength in the comp, nothing in the shadow.
        Assert.Equal(0.4 * (1 - 0.5 * (1 - open)), layers.Comp[0, 0, 0], 0.003);
        Assert.Equal(1, layers.Shadow[0, 0, 0]);
        Assert.Null(
            DifferentialRenderer
                .Render(
                    new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([]), null, new(16, 1, 1), 3, keep: false),
                    [wall],
                    plate,
                    null,
                    pose,
                    new() { DataPasses = false }
                )
                .Contact
        );
    }

    // Holdout by coverage: an element of the plate's own colour behind a piece leaves no line along the edge (out operator, derived).
    [Fact]
    public void A_holdout_edge_leaves_no_line()
    {
        var pinhole = new Pinhole(33, 33, 40, 40, 16.5, 16.5, Lens.None);
        var pose = new Pose(Matrix3.Identity, new Vec3(0, 1, 6));
        Piece column = new()
        {
            Id = "column",
            Kind = PieceKind.Box,
            Position = new(0.31, 0, 2),
            Size = new(0.4, 3, 0.4),
            RotationYxzDegrees = new(0, 0, 3),
        };
        var set = new SetScene([column], (_, _) => throw new InvalidOperationException());
        // A black element over a black plate: whatever coverage the edge has, the picture stays black; over white it shows it.
        var card = new PlacedElement(
            "card",
            new(new MeshTree(PieceMeshes.Box(new(8, 8, 0.1))), []),
            new Similarity(1, Matrix3.Identity, new(0, -2, 0))
        );
        FrameLayers Over(float level)
        {
            var plate = new FloatImage(33, 33, 3);
            Array.Fill(plate.Data, level);
            return DifferentialRenderer.Render(
                new SetPass(new RayGrid(pinhole, pose), set, LightRig.Of([]), null, new(64, 1, 1), 3, keep: false),
                [card],
                plate,
                null,
                pose,
                new() { DataPasses = false }
            );
        }
        FrameLayers white = Over(1),
            black = Over(0);
        int partly = 0;
        for (int y = 0; y < 33; y++)
        {
            for (int x = 0; x < 33; x++)
            {
                float held = white.Element[x, y, 3] - white.Holdout[x, y, 0];
                Assert.Equal(black.Comp[x, y, 0] + (1 - held), white.Comp[x, y, 0], 2e-3); // the card mirrors a little of the white plate
                if (held is > 0.01f and < 0.99f)
                {
                    partly++;
                }
            }
        }
        Assert.InRange(partly, 20, 200); // both sides of the column are antialiased
    }

    // Lambert: a floor under a sun E and an even sky of radiance L shows albedo/π · (E + π L), in the shadow of a small roof albedo/π · π L: their ratio is found, the product with the albedo is not.
    [Fact]
    public void Lights_are_told_apart_by_a_shadow()
    {
        const float sun = 2.4f,
            sky = 0.5f,
            albedo = 0.3f;
        Piece roof = new()
        {
            Id = "roof",
            Kind = PieceKind.Plane,
            Position = new(0, 6, 0),
            Size = new(1.2, 1, 1.2),
            Duties = new() { OnlyBlocksLight = true },
        };
        var camera = new RayGrid(new Pinhole(64, 64, 64, 64, 32, 32, Lens.None), Pose.LookAt(new(0, 3, 0), Vec3.Zero, Vec3.UnitZ));
        var plate = new FloatImage(64, 64, 3);
        for (int y = 0; y < 64; y++)
        {
            for (int x = 0; x < 64; x++)
            {
                camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d);
                Vector3 p = camera.Origin + d * (camera.Origin.Y / -d.Y);
                bool shaded = Math.Abs(p.X) < 0.6f && Math.Abs(p.Z) < 0.6f;
                plate.Pixel(x, y).Fill(albedo / MathF.PI * ((shaded ? 0 : sun) + MathF.PI * sky));
            }
        }
        Light Sun(double strength) =>
            new()
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0, 1, 0),
                Strength = strength,
                AngularDiameterDegrees = 0,
            };
        static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());
        Light Sky(double strength) =>
            new()
            {
                Id = "sky",
                Kind = LightKind.Sky,
                Strength = strength,
            };
        var fit = new LightFit(Set(Floor(40), roof), camera, plate, null, [Sun(1), Sky(1)], [], null);
        FittedLights found = fit.Solve([new(1), new(1)])!;
        // The small roof takes a little of the sky too.
        Assert.Equal(sun / sky, found.Strengths[0].Y / found.Strengths[1].Y, 0.25);
        Assert.InRange(found.LeftOverStops, 0, 0.02);
        Assert.True(found.LeftOverStops < found.BeforeStops);
        // One that reaches nothing cannot be told.
        Assert.Null(
            new LightFit(Set(Floor(4)), camera, plate, null, [Sun(1) with { Direction = new(0, -1, 0) }], [], null).Solve([new(1)])
        );
    }
}
