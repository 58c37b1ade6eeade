using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Pieces that are lit by other light than their footage, and such as were not there when the plate was shot. Values by hand: the cosine law
/// (Lambert, Photometria, 1760: irradiance goes with the cosine of the angle to the normal; a matt surface sends back albedo · E ÷ π), and
/// the over operator (Porter and Duff 1984).
/// </summary>
public sealed class NewPieceTests
{
    private static readonly Pinhole Lens = new(64, 64, 64, 64, 32, 32, Cameras.Lens.None);
    private static readonly Pose Above = new(Rotations.AboutX(-Math.PI / 2), new Vec3(0, 8, 0));
    private const float Irradiance = 2; // of a surface that faces the sun

    private static Light Sun(Vec3 towards) =>
        new()
        {
            Id = "sun",
            Kind = LightKind.Sun,
            Direction = towards,
            Strength = Irradiance,
            AngularDiameterDegrees = 0.53,
        };

    private static readonly Vec3 Overhead = new(0, 1, 0),
        Low = new(Math.Sqrt(3), 1, 0); // 60° from overhead

    private static Piece Floor(Duties duties) =>
        new()
        {
            Id = "floor",
            Kind = PieceKind.Plane,
            Size = new(40, 1, 40),
            Duties = duties,
        };

    private static Piece Box(Duties duties) =>
        new()
        {
            Id = "box",
            Kind = PieceKind.Box,
            Size = new(1, 1, 1),
            Duties = duties,
        };

    private static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());

    private static FloatImage Even(float value)
    {
        var picture = new FloatImage(64, 64, 3);
        picture.Data.AsSpan().Fill(value);
        return picture;
    }

    private static SpotLight By(SetScene set, Light light) =>
        (point, normal, _, index, seed) => SpotIrradiance.At(set, LightRig.Of([light]), null, point, normal, 4, index, seed);

    /// <summary>The floor seen in a picture of its own.</summary>
    private static Background Seen(SetScene set, SeenLight? light, float picture = 0.5f, IReadOnlyList<float[]?>? shows = null) =>
        SeenSet.Render(
            [new(new RayGrid(Lens, Above), set)],
            Even(0.1f),
            null,
            [new Projector(Even(picture), new SourceSight(Lens, Above, set))],
            null,
            [],
            BackgroundKind.Plate,
            SourceMix.Order,
            4,
            1,
            out _,
            light: light,
            shows: shows
        );

    [Fact]
    public void The_cosine_law_holds_at_a_spot_and_what_stands_between_keeps_the_sun_away()
    {
        SetScene set = Set(Floor(new()), Box(new()));
        Vector3 On(Vec3 towards, Vector3 spot) => SpotIrradiance.At(set, LightRig.Of([Sun(towards)]), null, spot, Vector3.UnitY, 4, 0, 7);
        Assert.Equal(Irradiance, On(Overhead, new(3, 0, 0)).X, 1e-4);
        Assert.Equal(Irradiance / 2, On(Low, new(3, 0, 0)).X, 1e-2);
        // The box's shadow falls away from the low sun.
        Assert.Equal(0, On(Low, new(-1, 0, 0)).X);
        Assert.Equal(
            0,
            SpotIrradiance.At(set, LightRig.Of([Sun(Overhead) with { InPlate = false }]), null, new(3, 0, 0), Vector3.UnitY, 4, 0, 7).X
        );
    }

    [Fact]
    public void Over_a_texture_the_light_is_what_it_is_at_each_spot_and_of_the_lights_that_elements_get()
    {
        SetScene set = Set(Floor(new()), Box(new()));
        // Its texture runs along x and z.
        var mesh = new TriangleMesh([new(-4, 0, -4), new(4, 0, -4), new(4, 0, 4), new(-4, 0, 4)], [0, 2, 1, 0, 3, 2])
        {
            TextureCoordinates = [new(0, 0), new(1, 0), new(1, 1), new(0, 1)],
        };
        FloatImage Of(Light light) => LightMap.Of(set, LightRig.Of([light]), null, mesh, [0, 0], 1, 128, 3)[0];
        float At(FloatImage map, float x, float z) => LightMap.At(map, (x + 4) / 8, (z + 4) / 8).X;
        FloatImage low = Of(Sun(Low));
        Assert.Equal(Irradiance / 2, At(low, 3, 0), 1e-2);
        Assert.Equal(Irradiance / 2, At(low, -1, 2), 1e-2);
        // The shadow of a metre reaches √3 m beyond the box.
        Assert.Equal(0, At(low, -1, 0));
        Assert.Equal(0, At(low, -2.1f, 0.3f), 1e-2);
        Assert.Equal(Irradiance / 2, At(low, -2.4f, 0.3f), 1e-2);
        Assert.Equal(0, At(Of(Sun(Low) with { LightsElements = false }), 3, 0));
        Assert.Equal(0, At(Of(Sun(Low) with { InPlate = false }), 3, 0));
    }

    [Theory]
    [InlineData(PieceLit.AsFilmed, false, 0.5)]
    [InlineData(PieceLit.Turning, false, 0.25)] // half the light that it was filmed in
    [InlineData(PieceLit.Turning, true, 0.25)]
    [InlineData(PieceLit.Here, false, 0.25)] // footage has light in it already
    [InlineData(PieceLit.Here, true, 0.5 * 1 / Math.PI)] // own colour: albedo · E ÷ π
    public void A_piece_is_seen_in_the_light_that_it_is_given(PieceLit lit, bool own, double meant)
    {
        SetScene set = Set(Floor(new() { Seen = true, Lit = lit }));
        Background seen = Seen(set, new(By(set, Sun(Low)), [By(set, Sun(Overhead))], [null], [own]));
        Assert.Equal(meant, seen.Rgb[20, 30, 0], 3e-3);
        Assert.Equal(meant, seen.Rgb[50, 10, 2], 3e-3);
    }

    [Fact]
    public void In_the_same_light_it_is_as_it_was_filmed_to_the_bit()
    {
        SetScene filmed = Set(Floor(new() { Seen = true })),
            turning = Set(Floor(new() { Seen = true, Lit = PieceLit.Turning }));
        SpotLight sun = By(turning, Sun(Low));
        Assert.Equal(Seen(filmed, null).Rgba.Data, Seen(turning, new(sun, [sun], [null], [false])).Rgba.Data);
    }

    [Fact]
    public void New_light_on_what_lay_in_the_dark_stays_within_bounds()
    {
        Assert.Equal(new Vector3(16, 1, 0.5f), SeenLight.Ratio(new(4, 0, 1), new(1e-4f, 0, 2)));
        Assert.Equal(Vector3.One, SeenLight.Ratio(new(4, 4, 4), default));
    }

    [Fact]
    public void Where_it_fades_the_plate_comes_through()
    {
        SetScene set = Set(Floor(new() { Seen = true }));
        float[] shows = [.. Enumerable.Range(0, 64 * 64).Select(i => i % 64 / 64f)];
        Background seen = Seen(set, null, shows: [shows]);
        Assert.Equal(0.1 + 0.25 * 0.4, seen.Rgb[16, 30, 1], 1e-5);
        Assert.Equal(0.1f, seen.Rgb[0, 30, 1]);
    }

    private static FrameLayers Lit(SetScene set, IReadOnlyList<PlacedElement> elements, Background? background = null)
    {
        var fill = new Light
        {
            Id = "fill",
            Kind = LightKind.Fill,
            Strength = 0.25 * Irradiance / Math.PI,
        };
        var pass = new SetPass(
            new RayGrid(Lens, Above),
            set,
            LightRig.Of([Sun(new(1, 1, 0)) with { Strength = Math.Sqrt(2) * Irradiance }, fill]),
            null,
            new(16, 1, 1),
            5,
            keep: false
        );
        return DifferentialRenderer.Render(pass, elements, background?.Rgb ?? Even(0.3f), null, Above, new() { Background = background });
    }

    private static PlacedElement[] Cast(SetScene set) =>
        [.. set.New.Select(n => new PlacedElement(n.Piece.Id, new(n.World, []), Similarity.Identity, RayKinds.CastsNew))];

    [Fact]
    public void What_was_not_there_throws_its_shadow_on_what_was_as_an_element_does()
    {
        SetScene set = Set(Floor(new()), Box(new() { Seen = true, New = true }));
        FrameLayers layers = Lit(set, Cast(set));
        // Sun 1 and fill 0.25 of it: where the sun is kept away a fifth is left. The shadow of a 1 m box under a sun at 45° covers x from
        // −1.5 to −0.5 m: 8 px a metre on the floor, its middle at 32.
        Assert.Equal(0.2, layers.Shadow[24, 32, 0], 3);
        Assert.Equal(1f, layers.Shadow[10, 32, 0]);
        FrameLayers element = Lit(
            Set(Floor(new())),
            [new("box", new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []), Similarity.Identity)]
        );
        for (int x = 0; x < 27; x++)
        {
            Assert.Equal(element.Shadow[x, 32, 0], layers.Shadow[x, 32, 0], 0.02);
        }
        // What was there when the plate was shot keeps its shadow in the plate.
        SetScene filmed = Set(Floor(new()), Box(new() { Seen = true }));
        Assert.Empty(Cast(filmed));
        Assert.All(Lit(filmed, []).Shadow.Data, s => Assert.Equal(1f, s));
    }

    [Fact]
    public void In_its_footages_light_it_throws_no_shadow_on_itself_but_elements_do()
    {
        // A new wall before a new floor: the footage on both shows the wall's shadow, or does without.
        SetScene filmed = Set(Floor(new() { Seen = true, New = true }), Box(new() { Seen = true, New = true })),
            here = Set(
                Floor(
                    new()
                    {
                        Seen = true,
                        New = true,
                        Lit = PieceLit.Here,
                    }
                ),
                Box(new() { Seen = true, New = true })
            );
        Assert.All(Lit(filmed, Cast(filmed)).Shadow.Data, s => Assert.Equal(1f, s));
        Assert.Equal(0.2, Lit(here, Cast(here)).Shadow[24, 32, 0], 3);
        var element = new PlacedElement(
            "ball",
            new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []),
            new Similarity(1, Matrix3.Identity, new(0, 0, -3))
        );
        Assert.Equal(0.2, Lit(filmed, [element, .. Cast(filmed)]).Shadow[24, 8, 0], 3);
    }

    [Fact]
    public void What_was_not_there_hides_nothing_from_the_footage_and_shows_none_of_it_unnamed()
    {
        Vector4 Under(bool isNew)
        {
            SetScene set = Set(Floor(new()), Box(new() { New = isNew }));
            return new Projector(Even(0.5f), new SourceSight(Lens, Above, set)).At(new(0.2f, 0, 0.2f), Vector3.UnitY, 0);
        }
        Assert.Equal(0, Under(isNew: false).W);
        Assert.Equal(1, Under(isNew: true).W);
        // A painting that is laid on what is new keeps its own masses apart.
        SetScene both = Set(Floor(new() { New = true }), Box(new() { New = true }));
        Assert.Equal(0, new Projector(Even(0.5f), new SourceSight(Lens, Above, both)).At(new(0.2f, 0, 0.2f), Vector3.UnitY, 0).W);
        var footage = new ProjectionSource { Id = "f", Kind = SourceKind.Held };
        Piece there = Box(new()),
            added = Box(new() { New = true });
        Assert.True(footage.LiesOn(there));
        Assert.False(footage.LiesOn(added));
        Assert.True((footage with { Pieces = ["box"] }).LiesOn(added));
        Assert.True((footage with { Kind = SourceKind.Picture }).LiesOn(added));
    }

    [Fact]
    public void Taken_apart_the_frame_adds_up_again()
    {
        SetScene set = Set(Floor(new()), Box(new() { Seen = true, New = true }));
        Background seen = Seen(set, null, 0.8f);
        Assert.NotNull(seen.Pieces);
        Assert.Equal(1f, seen.Pieces[32, 32, 3]);
        Assert.Equal(0.8f, seen.Pieces[32, 32, 0], 1e-5f);
        Assert.Equal(0f, seen.Pieces[10, 32, 3]);
        var half = new PlacedElement(
            "over",
            new(new MeshTree(PieceMeshes.Box(new Vec3(1, 1, 1))), []),
            new Similarity(1, Matrix3.Identity, new(0.47, 1.2, 0))
        );
        FrameLayers layers = Lit(set, [half, .. Cast(set)], seen);
        FloatImage behind = NewPieces.Behind(seen.Rgba, seen.Pieces),
            elements = NewPieces.Under(FrameMerge.OnTop(layers, seen.Rgb, (_, _) => true), NewPieces.Lit(layers, seen.Pieces));
        // Without the box the background is the plate, also where the box covers a part of a pixel.
        for (int i = 0; i < 64 * 64; i++)
        {
            float alpha = elements.Data[4 * i + 3];
            Assert.Equal(seen.Pieces.Data[4 * i + 3] < 1 ? 0.1f : 0, behind.Data[4 * i], 1e-5f);
            for (int c = 0; c < 3; c++)
            {
                int at = 3 * i + c;
                Assert.Equal(
                    layers.Comp.Data[at],
                    elements.Data[4 * i + c] + (1 - alpha) * (behind.Data[4 * i + c] * layers.Shadow.Data[at] + layers.Added.Data[at]),
                    1e-5f
                );
            }
        }
    }

    [Fact]
    public void What_a_new_piece_leaves_next_to_nothing_of_is_all_the_pieces()
    {
        // 1 − 0.9995 is half as much again in half floats; what is behind, divided by it, would be a spark of 16.
        var background = new FloatImage(2, 1, 4, [0.054f, 0.1f, 0.2f, 1, 0.5f, 0.5f, 0.5f, 1]);
        var pieces = new FloatImage(2, 1, 4, [0.046f, 0.1f, 0.2f, 0.9995f, 0.25f, 0.25f, 0.25f, 0.5f]);
        FloatImage whole = NewPieces.Whole(background, pieces),
            behind = NewPieces.Behind(background, whole);
        Assert.Equal([0.054f, 0.1f, 0.2f, 1], whole.Pixel(0, 0).ToArray());
        Assert.Equal([0f, 0, 0, 0], behind.Pixel(0, 0).ToArray());
        Assert.Equal([0.25f, 0.25f, 0.25f, 0.5f], whole.Pixel(1, 0).ToArray());
        Assert.Equal([0.5f, 0.5f, 0.5f, 1], behind.Pixel(1, 0).ToArray());
    }
}
