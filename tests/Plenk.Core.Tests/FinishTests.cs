using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Xunit;
using static Plenk.Core.Tests.FinishScene;

namespace Plenk.Core.Tests;

/// <summary>The steps that close a match, against published values and closed forms.</summary>
public sealed class FinishTests
{
    // CMP-04: pixel (.2, .1, .05; .5): gamma 2.2 gives .32967665 …, lift .005 gives .2025 …; where alpha is 0 nothing is added.
    [Fact]
    public void Grades_work_on_what_is_not_premultiplied()
    {
        var scene = Scene(new(0.2f, 0.1f, 0.05f, 0.5f));
        FloatImage gamma = Run(scene, Step(FinishKind.Grade) with { Grade = new() { Gamma = new(2.2, 2.2, 2.2) } }).Element;
        Assert.Equal(0.32967665, gamma[30, 20, 0], 1e-6);
        Assert.Equal(0.24057825, gamma[30, 20, 1], 1e-6);
        Assert.Equal(0.17555959, gamma[30, 20, 2], 1e-6);
        FrameLayers lift = Run(scene, Step(FinishKind.Grade) with { Grade = new() { Lift = new(0.005, 0.005, 0.005) } });
        Assert.Equal(0.2025, lift.Element[30, 20, 0], 1e-7);
        Assert.Equal(0.3f, lift.Comp[2, 2, 0]);
        Assert.False(lift.Touched[2 * W + 2]);
        Assert.Equal(0.2025 + 0.5 * 0.3, lift.Comp[30, 20, 0], 1e-6);
    }

    // GRN-03: CG 0 to .9 onto .005 to .75: .18 becomes .154, at an edge of alpha .5 half of it.
    [Fact]
    public void Levels_are_an_affine_map()
    {
        FinishStep levels = Step(FinishKind.Levels) with
        {
            Levels = new(new(0.005, 0.005, 0.005), new(0.827777778, 0.827777778, 0.827777778)),
        };
        Assert.Equal(0.154, Run(Scene(new(0.18f, 0.18f, 0.18f, 1)), levels).Element[30, 20, 1], 1e-6);
        Assert.Equal(0.077, Run(Scene(new(0.09f, 0.09f, 0.09f, 0.5f)), levels).Element[30, 20, 1], 1e-6);
    }

    // A shadow takes light away by a share; of two of one light the darker counts (common practice, no source). Arithmetic by hand.
    [Fact]
    public void A_drawn_shadow_never_darkens_what_lies_in_shadow_already()
    {
        static float[] Right(string _) => [.. Enumerable.Range(0, W * H).Select(i => i % W >= 10 ? 1f : 0)];
        FrameLayers Drawn((FrameLayers Layers, FloatImage Plate) scene, DrawnShadowSettings how, double strength = 1) =>
            Finisher.Run(
                scene.Layers,
                scene.Plate,
                [Step(FinishKind.DrawnShadow) with { Matte = "m", DrawnShadow = how, Strength = strength }],
                new(Camera, 1, 36, 1001, 0, 7) { Matte = Right }
            );
        var half = new DrawnShadowSettings(new(0.5, 0.6, 0.7));
        FrameLayers lit = Drawn(Scene(new(0.2f, 0.1f, 0.05f, 1)), half);
        Assert.Equal(0.5f * 0.3f, lit.Comp[12, 2, 0], 1e-6f);
        Assert.Equal(0.7f * 0.3f, lit.Comp[12, 2, 2], 1e-6f);
        Assert.Equal(0.3f, lit.Comp[2, 2, 0]);
        Assert.False(lit.Touched[2 * W + 2]);
        Assert.Equal(0.2f, lit.Comp[30, 20, 0], 1e-6f); // the element stands before it
        Assert.Equal(("m", 0.6f), (lit.Drawn[0].Matte, lit.Drawn[0].Rgb[12, 2, 1]));
        Assert.Equal(0.8f, Drawn(Scene(default), half, strength: 0.5).Shadow[12, 2, 1], 1e-6f);
        // Traced: 0.55 is darker than 0.6 and lighter than 0.5.
        FrameLayers traced = Drawn(Scene(default, shadow: 0.55f), half);
        Assert.Equal(0.5f, traced.Shadow[12, 2, 0]);
        Assert.Equal(0.55f, traced.Shadow[12, 2, 1]);
        Assert.Equal(0.55f, traced.Shadow[2, 2, 0]);
        FrameLayers on = Drawn(Scene(new(0.2f, 0.1f, 0.05f, 0.5f)), half with { OnElements = true });
        Assert.Equal(0.1f, on.Element[30, 20, 0], 1e-6f);
        Assert.Equal(0.5f, on.Element[30, 20, 3]);
        // What was filmed before the set, in a matte that covers it by three quarters.
        var scene = Scene(default);
        scene.Layers = scene.Layers with { Mattes = [new([.. Enumerable.Repeat(0.75f, W * H)], 3)] };
        Assert.Equal(1 - 0.5f * 0.25f, Drawn(scene, half with { OnFilmed = false }).Shadow[12, 2, 0], 1e-6f);
        Assert.Equal(1 - 0.5f * 0.75f, Drawn(scene, half with { OnSet = false }).Shadow[12, 2, 0], 1e-6f);
        // A spot on the place is a shape too; the air before it is none.
        float[] Spot(AirSphere sphere) =>
            Finisher
                .Run(
                    scene.Layers,
                    scene.Plate,
                    [Step(FinishKind.DrawnShadow) with { DrawnShadow = half, Sphere = sphere }],
                    new(Camera, 1, 36, 1001, 0, 7)
                )
                .Shadow.Data;
        var wide = new AirSphere { RadiusMetres = 1e4, Lies = true };
        Assert.Contains(Spot(wide), v => Math.Abs(v - 0.5f) < 1e-6f);
        Assert.DoesNotContain(Spot(wide with { Lies = false }), v => v < 1);
        // Softer by some pixels, on its edge half of it.
        FrameLayers soft = Finisher.Run(
            scene.Layers,
            scene.Plate,
            [Step(FinishKind.DrawnShadow) with { Matte = "m", DrawnShadow = half, Pixels = 2 }],
            new(Camera, 1, 36, 1001, 0, 7) { Matte = Right }
        );
        Assert.Equal(0.75f, (soft.Shadow[9, 20, 0] + soft.Shadow[10, 20, 0]) / 2, 1e-3f);
    }

    [Fact]
    public void The_grade_of_everything_is_seen_and_in_no_layer()
    {
        var scene = Scene(new(0.2f, 0.1f, 0.05f, 0.5f), shadow: 0.8f);
        FinishStep up = Step(FinishKind.Whole) with
        {
            Grade = new() { Stops = 1 },
            Saturation = new(1, 0, 1, 0.001, 60),
        };
        FrameLayers plain = Run(scene),
            left = Run(scene, up),
            seen = Finisher.Run(scene.Layers, scene.Plate, [up], new(Camera, 1, 36, 1001, 0, 7), whole: true);
        Assert.Equal(plain.Comp.Data, left.Comp.Data);
        Assert.Equal(plain.Element.Data, seen.Element.Data);
        Assert.Equal(plain.Shadow.Data, seen.Shadow.Data);
        // A stop doubles; without colour all is the luminance (ITU-R BT.709-6: 0.2126, 0.7152, 0.0722).
        Assert.Equal(2 * 0.8f * 0.3f, seen.Comp[2, 2, 1], 1e-5f);
        double y = 0.2126 * plain.Comp[30, 20, 0] + 0.7152 * plain.Comp[30, 20, 1] + 0.0722 * plain.Comp[30, 20, 2];
        Assert.Equal(2 * y, seen.Comp[30, 20, 2], 1e-5);
        Assert.True(seen.Touched[2 * W + 2]);
    }

    // What lies above the threshold goes elsewhere whole, by the glow's share; the plate glows too. Grain is refused where none can be told.
    [Fact]
    public void Everything_glows_that_is_bright_enough()
    {
        var scene = Scene(new(0, 0, 0, 0), (x, y) => false, plate: 0.1f);
        scene.Plate[32, 24, 1] = 5;
        FinishStep glow = Step(FinishKind.Whole) with { Whole = new(0.25, 1.5, 2) };
        FinishContext context = new(Camera, 1, 36, 1001, 0, 7);
        FrameLayers seen = Finisher.Run(scene.Layers, scene.Plate, [glow], context, whole: true),
            left = Finisher.Run(scene.Layers, scene.Plate, [glow with { Whole = new() }], context, whole: true);
        Assert.Equal(0.25 * (5 - 2), seen.Comp.Data.Sum(v => (double)v) - left.Comp.Data.Sum(v => (double)v), 0.01);
        Assert.True(seen.Comp[34, 24, 1] > left.Comp[34, 24, 1] + 0.001f);
        Assert.Equal(left.Comp[34, 24, 0], seen.Comp[34, 24, 0]);
        Assert.Contains(
            "flat enough",
            Assert
                .Throws<FinishFault>(() =>
                    Finisher.Run(scene.Layers, scene.Plate, [glow with { Whole = new(Grain: 0.5) }], context, whole: true)
                )
                .Message
        );
    }

    // COL-08 in linear codes would clamp; here the CDL acts on ACEScct codes, identity leaves all as it is.
    [Fact]
    public void Saturation_curve_and_cdl()
    {
        Vector3 c = new(0.2f, 0.5f, 0.8f);
        Assert.Equal(c, new Grading(new()).Apply(c));
        Vector3 grey = new Grading(new() { Saturation = 0 }).Apply(c);
        Assert.Equal(0.2126f * 0.2f + 0.7152f * 0.5f + 0.0722f * 0.8f, grey.X, 1e-5);
        Vector3 identity = new Grading(new() { Cdl = new("", new(1, 1, 1), default, new(1, 1, 1), 1) }).Apply(c);
        for (int k = 0; k < 3; k++)
        {
            Assert.Equal(c[k], identity[k], 1e-5);
        }
        // One stop up is 1/17.52 of ACEScct code (ACES S-2016-001).
        Vector3 up = new Grading(new() { Cdl = new("", new(1, 1, 1), new(1 / 17.52, 1 / 17.52, 1 / 17.52), new(1, 1, 1), 1) }).Apply(c);
        Assert.Equal(0.4, up.X, 1e-4);
        // Fritsch and Carlson 1980: between rising points the curve rises, and passes through them.
        var curve = new Grading(new() { Curve = [new(0, 0), new(0.2, 0.02), new(0.5, 0.6), new(1, 1)] });
        Assert.Equal(0.6, curve.Apply(c).Y, 1e-6);
        float before = -1;
        for (float x = 0; x < 1.2f; x += 0.01f)
        {
            float y = curve.Apply(new Vector3(x)).X;
            Assert.True(y >= before);
            before = y;
        }
    }

    // DOF-01 to DOF-03, thin lens (Ray; Potmesil and Chakravarty 1982).
    [Fact]
    public void The_lens_follows_the_published_values()
    {
        Assert.Equal(34.77222, Defocus.Hyperfocal(50, 2.4, 0.03), 1e-5);
        Assert.Equal(20.45167, Defocus.Hyperfocal(35, 2.4, 0.025), 1e-5);
        Assert.Equal(10.46667, Defocus.Hyperfocal(50, 8, 0.03), 1e-5);
        var (near, far) = Defocus.SharpRange(50, 2.4, 0.03, 3);
        Assert.Equal(2.765079, near, 1e-6);
        Assert.Equal(3.278545, far, 1e-6);
        Assert.Equal(double.PositiveInfinity, Defocus.SharpRange(50, 2.4, 0.03, 40).Far);
        Assert.Equal(
            (1.824410, 2.212989),
            (Math.Round(Defocus.SharpRange(35, 2.4, 0.025, 2).Near, 6), Math.Round(Defocus.SharpRange(35, 2.4, 0.025, 2).Far, 6))
        );
        Assert.Equal(
            (4.766535, 5.257513),
            (Math.Round(Defocus.SharpRange(85, 2.4, 0.03, 5).Near, 6), Math.Round(Defocus.SharpRange(85, 2.4, 0.03, 5).Far, 6))
        );
        // Focused at the hyperfocal distance all is sharp from half of it on; twice the f-number halves every disc.
        double h = Defocus.Hyperfocal(50, 2.4, 0.03);
        Assert.Equal(17.38611, Defocus.SharpRange(50, 2.4, 0.03, h).Near, 1e-5);
        Assert.Equal(Defocus.Diameter(50, 2.4, 3, 6) / 2, Defocus.Diameter(50, 4.8, 3, 6), 1e-12);
        double[] depth = [1.5, 2, 3, 6, 20, double.PositiveInfinity],
            mm = [-0.3531073, -0.1765537, 0, 0.1765537, 0.3001412, 0.3531073];
        for (int i = 0; i < depth.Length; i++)
        {
            Assert.Equal(mm[i], Defocus.Diameter(50, 2.4, 3, depth[i]), 1e-6);
        }
        Assert.Contains("f-number", Defocus.Fault(new(0, 3), 50));
        Assert.Contains("behind", Defocus.Fault(new(2, -1), 50));
        Assert.Null(Defocus.Fault(new(2, 3), 50));
    }

    // A point becomes a disc of the thin lens's size: by its area and by its second moment, r²/2 of a disc. Bar: 2 %.
    [Theory]
    [InlineData(2.3, 0)]
    [InlineData(6.5, 0)]
    [InlineData(6.5, 6)]
    public void A_point_becomes_a_disc_of_the_right_size(double radius, int blades)
    {
        var point = new FloatImage(41, 41, 4);
        point.Pixel(20, 20).Fill(1);
        FloatImage disc = Defocus.Apply(point, [.. Enumerable.Repeat((float)radius, 41 * 41)], new float[41 * 41], new(2, 3, blades));
        double sum = 0,
            moment = 0,
            top = 0;
        for (int y = 0; y < 41; y++)
        {
            for (int x = 0; x < 41; x++)
            {
                float v = disc[x, y, 3];
                sum += v;
                moment += v * ((x - 20) * (x - 20) + (y - 20) * (y - 20));
                top = Math.Max(top, v);
            }
        }
        Assert.Equal(1, sum, 1e-3);
        Assert.Equal(1, Math.Sqrt(1 / (Math.PI * top)) / radius, 0.02);
        // The pixel's own box adds 1/6 to the moment.
        if (blades == 0)
        {
            Assert.Equal(1, Math.Sqrt(2 * (moment / sum - 1.0 / 6)) / radius, 0.02);
        }
    }

    // A sharp front stays sharp before what is blurred behind it, and nothing shows through where both are whole.
    [Fact]
    public void Sharp_fronts_do_not_bleed_into_what_is_blurred_behind()
    {
        var both = new FloatImage(60, 20, 4);
        var radius = new float[60 * 20];
        var near = new float[60 * 20];
        for (int y = 0; y < 20; y++)
        {
            for (int x = 0; x < 60; x++)
            {
                bool front = x < 30;
                both.Pixel(x, y).Fill(1);
                both[x, y, front ? 1 : 0] = 0; // red before, green behind
                (radius[y * 60 + x], near[y * 60 + x]) = front ? (0, -2) : (5, -9);
            }
        }
        FloatImage blurred = Defocus.Apply(both, radius, near, new(2, 3));
        for (int x = 0; x < 54; x++)
        {
            Assert.Equal(1, blurred[x, 10, 3], 1e-3);
            Assert.Equal(x < 30 ? 1 : 0, blurred[x, 10, 0], 1e-3);
        }
        // The other way round the blurred front lies over the sharp back, half at its edge.
        for (int i = 0; i < radius.Length; i++)
        {
            (radius[i], near[i]) = (i % 60 < 30 ? -5 : 0, i % 60 < 30 ? -2 : -9);
        }
        blurred = Defocus.Apply(both, radius, near, new(2, 3));
        Assert.Equal(0.5, (blurred[29, 10, 0] + blurred[30, 10, 0]) / 2, 0.02);
        Assert.InRange(blurred[33, 10, 0], 0.05f, 0.4f);
        Assert.Equal(1, blurred[32, 10, 3], 0.02);
    }

    // MBL-02: 60 px a frame at 180° is a streak of 30; the middle stays where it was within 0.05 px.
    [Fact]
    public void Vectors_spread_a_pixel_over_its_streak()
    {
        var image = new FloatImage(80, 9, 4);
        image.Pixel(40, 4).Fill(1);
        var motion = new FloatImage(80, 9, 2);
        for (int i = 0; i < 80 * 9; i++)
        {
            (motion.Data[2 * i], motion.Data[2 * i + 1]) = (60, 0);
        }
        FloatImage blurred = MotionVectors.Apply(image, motion, 180);
        double sum = 0,
            middle = 0,
            square = 0;
        for (int x = 0; x < 80; x++)
        {
            double v = blurred[x, 4, 3];
            sum += v;
            middle += v * x;
            square += v * x * x;
        }
        middle /= sum;
        Assert.Equal(1, sum, 1e-3);
        Assert.Equal(40, middle, 0.05);
        // A streak of length l has variance l²/12; the two-pixel tent adds at most a quarter.
        Assert.Equal(30, Math.Sqrt(12 * (square / sum - middle * middle)), 0.5);
    }

    // What a matte, a strength and an object leave: a mix of before and after.
    [Fact]
    public void Steps_keep_to_their_strength_and_matte()
    {
        var scene = Scene(new(0.2f, 0.2f, 0.2f, 1));
        FinishStep up = Step(FinishKind.Grade) with
        {
            Grade = new() { Stops = 1 },
            Strength = 0.5,
        };
        Assert.Equal(0.3, Run(scene, up).Element[30, 20, 0], 1e-6);
        float[] left = [.. Enumerable.Range(0, W * H).Select(i => i % W < 32 ? 1f : 0)];
        FrameLayers kept = Finisher.Run(
            scene.Layers,
            scene.Plate,
            [up with { Matte = "left" }],
            new(Camera, 1, 36, 1001, 0, 7) { Matte = _ => left }
        );
        Assert.Equal(0.3, kept.Element[30, 20, 0], 1e-6);
        Assert.Equal(0.2f, kept.Element[40, 20, 0]);
        Assert.Throws<FinishFault>(() => Run(scene, up with { Objects = ["bell"] }));
        Assert.Same(scene.Layers, Run(scene, up with { Off = true }));
    }

    // What a step does is the difference that it makes: where, how much, and in its own terms.
    [Fact]
    public void A_steps_effect_is_the_difference_it_makes()
    {
        var scene = Scene(new(0.2f, 0.1f, 0.05f, 1));
        FinishContext context = new(Camera, 0.5, 36, 1001, 0, 7);
        StepEffect Of(FinishStep step, FinishContext? at = null) =>
            StepEffect.Of(step, Finisher.Run(scene.Layers, scene.Plate, [step], at ?? context), scene.Layers, at ?? context);
        StepEffect up = Of(Step(FinishKind.Grade) with { Grade = new() { Stops = 1 } });
        Assert.Equal(24.0 * 24 / (W * H), up.Share, 1e-9);
        Assert.Equal((0.2, 0.2), (Math.Round(up.Mean, 6), Math.Round(up.Most, 6)));
        Assert.Equal((41.0, 25.0), (up.X, up.Y)); // half a pixel into 20, 12 of a picture at half the plate's size
        Assert.Contains("from 0.2000 0.1000 0.0500 to 0.4000 0.2000 0.1000", up.Says);
        Assert.Equal(0, Of(Step(FinishKind.Grade) with { Grade = new() }).Share);
        // T = exp(−0.1 · 5) (Koschmieder 1924); the disc of f²|z − s| ÷ (N z (s − f)): 36 mm on 36 mm and 64 px, twice that on the plate.
        Assert.Contains(
            "At 5.0 m it lets 60.7, 60.7, 100.0 %",
            Of(Step(FinishKind.Haze) with { Haze = new(new(0.5, 0.5, 0.5), new(0.1, 0.1, 0)) }).Says
        );
        double disc = 45.0 * 45 / 2 * (5 - 2) / 5 / (2000 - 45) * 64 / 36 / 0.5;
        Assert.Contains(
            FormattableString.Invariant($"a disc of {disc:0.0} px"),
            Of(Step(FinishKind.Defocus) with { Defocus = new(2, 2) }).Says
        );
        Assert.Contains("2.56 px wide", Of(Step(FinishKind.EdgeWidth) with { Pixels = 1 }).Says);
        Assert.Contains("nothing shines", Of(Step(FinishKind.Flare) with { Flare = new("lamp") }).Says);
        scene = Scene(default, (_, _) => false, shadow: 0.5f);
        StepEffect deeper = Of(Step(FinishKind.Shadow) with { Shadow = new(new(2, 2, 2)) });
        Assert.Contains("from 50.0 to 25.0 %", deeper.Says);
        Assert.Equal((1.0, 0.075), (deeper.Share, Math.Round(deeper.Most, 6)));
    }

    // Steps work about the element alone: what comes out is what the whole picture would give, in its middle and at its border.
    [Theory]
    [InlineData(20, 12)]
    [InlineData(0, 0)]
    [InlineData(55, 40)]
    public void Work_about_the_element_is_work_on_the_whole_picture(int left, int top)
    {
        var scene = Scene(new(0.5f, 0.4f, 0.3f, 1), (x, y) => x >= left && x < left + 9 && y >= top && y < top + 8);
        FloatImage held = scene.Layers.Held;
        void Same(FloatImage whole, FloatImage ours)
        {
            for (int i = 0; i < whole.Data.Length; i++)
            {
                Assert.Equal(whole.Data[i], ours.Data[i], 1e-6f);
            }
        }
        Same(Blur.Gaussian(held, 1.5), Run(scene, Step(FinishKind.EdgeWidth) with { Pixels = 1.5 }).Held);
        foreach (int blades in (int[])[0, 3, 6])
        {
            DefocusSettings lens = new(0.05, 2, blades, 20);
            var radius = new float[W * H];
            for (int y = 0; y < H; y++)
            {
                for (int x = 0; x < W; x++)
                {
                    Assert.True(Camera.TryDirection(x + 0.5, y + 0.5, out Vec3 ray));
                    if (held[x, y, 3] > 0)
                    {
                        radius[y * W + x] = (float)(Defocus.Diameter(45, 0.05, 2, 5 / ray.Length * Math.Abs(ray.Z)) / 2 * W / 36);
                    }
                }
            }
            Same(
                Defocus.Apply(held, radius, [.. Enumerable.Repeat(-5f, W * H)], lens),
                Run(scene, Step(FinishKind.Defocus) with { Defocus = lens }).Held
            );
        }
        FloatImage motion = new(W, H, 2, [.. Enumerable.Range(0, W * H * 2).Select(i => i % 2 == 0 ? 7f : -5f)]);
        var moving = (scene.Layers with { Rendered = [new(held, scene.Layers.Distance, "smoke", null, motion)] }, scene.Plate);
        Same(MotionVectors.Apply(held, motion, 200), Run(moving, Step(FinishKind.Motion) with { Degrees = 200 }).Held);
        FloatImage wrapped = scene.Layers.Comp.Copy();
        LensLight.Wrap(wrapped, held, PixelBox.Whole(held), 3, [.. Enumerable.Repeat(1f, W * H)]);
        Same(wrapped, Run(scene, Step(FinishKind.Wrap) with { Pixels = 3 }).Comp);
        // Nothing of an element: every step passes it by.
        var none = Scene(default, (_, _) => false);
        Assert.Equal(
            none.Plate.Data,
            Run(
                none,
                Step(FinishKind.EdgeWidth) with
                {
                    Pixels = 1.5,
                },
                Step(FinishKind.Defocus) with
                {
                    Defocus = new(2, 2),
                },
                Step(FinishKind.Lens) with
                {
                    Lens = new(-0.1, 0, 3, -3),
                },
                Step(FinishKind.Wrap) with
                {
                    Pixels = 3,
                }
            ).Comp.Data
        );
    }

    // A rendered element's own ID mattes: a part that covers half of a pixel's coverage takes half of the step; what hides the element hides its parts.
    [Fact]
    public void A_step_is_kept_to_parts_that_rendered_frames_name()
    {
        var (layers, plate) = Scene(new(0.2f, 0.2f, 0.2f, 1));
        var (objects, hat, half) = (
            new IdMatte(IdMatte.ObjectLayer, ["man"], W * H),
            new RenderedId("man", "ids", "hat"),
            new float[W * H]
        );
        for (int i = 0; i < W * H; i++)
        {
            float a = layers.Held.Data[4 * i + 3];
            if (a > 0)
            {
                (objects.Numbers[IdMatte.Ranks * i], objects.Coverage[IdMatte.Ranks * i]) = (0, a);
            }
            half[i] =
                a
                * (
                    i / W < 20 ? 1
                    : i / W < 28 ? 0.5f
                    : 0
                );
        }
        layers = layers with
        {
            Objects = objects,
            Rendered = [new(layers.Element, layers.Distance, "man") { Ids = new Dictionary<RenderedId, float[]> { [hat] = half } }],
        };
        FinishStep up = Step(FinishKind.Grade) with
        {
            Grade = new() { Stops = 1 },
            RenderedIds = [hat],
        };
        FloatImage graded = Run((layers, plate), up).Held;
        Assert.Equal((0.4f, 0.3f, 0.2f), (graded[30, 15, 0], graded[30, 24, 0], graded[30, 32, 0]));
        // The whole element chosen too: all of it; a name that this frame does not show: nothing.
        Assert.Equal(0.4f, Run((layers, plate), up with { Objects = ["man"] }).Held[30, 32, 0]);
        Assert.Equal(0.2f, Run((layers, plate), up with { RenderedIds = [hat with { Name = "cloak" }] }).Held[30, 15, 0]);
        Assert.Equal(0.4f, Run((layers, plate), up with { RenderedIds = [hat, hat with { Name = "cloak" }] }).Held[30, 15, 0]);
        Assert.Throws<FinishFault>(() => Run((layers with { Objects = null }, plate), up));
    }

    // One light darkens once: min(r, S) ÷ r where the plate lies in that light's shadow of ratio r.
    [Theory]
    [InlineData(0.4f, 0.5, 0.8f)]
    [InlineData(0.6f, 0.5, 1f)]
    public void A_shadow_in_a_shadow_darkens_only_what_is_left(float ours, double level, float expected)
    {
        var scene = Scene(default, (_, _) => false, 0.15f, ours);
        FinishStep join = Step(FinishKind.ShadowMerge) with { ShadowJoin = new("shade", new(level, level, level)) };
        FrameLayers joined = Finisher.Run(
            scene.Layers,
            scene.Plate,
            [join],
            new(Camera, 1, 36, 1001, 0, 7) { Matte = _ => [.. Enumerable.Repeat(1f, W * H)] }
        );
        Assert.Equal(expected, joined.Shadow[5, 5, 0], 1e-5);
    }

    // Of one light's shadows the darkest counts, also where one came with frames rendered elsewhere; and without any step.
    [Fact]
    public void A_shadow_that_came_with_rendered_frames_is_joined_not_multiplied()
    {
        var (layers, plate) = Scene(default, (_, _) => false, 0.3f, 0.6f);
        var theirs = new FloatImage(W, H, 3, [.. Enumerable.Range(0, W * H * 3).Select(i => i / 3 % W < 32 ? 0.4f : 0.9f)]);
        layers = layers with { Rendered = [new(new FloatImage(W, H, 4), new float[W * H], "smoke", theirs)] };
        FrameLayers joined = Run((layers, plate));
        Assert.Equal((0.4f, 0.6f), (joined.Shadow[5, 5, 0], joined.Shadow[50, 5, 0]));
        Assert.Equal(0.3f * 0.4f, joined.Comp[5, 5, 1], 1e-6);
    }

    // Vectors act on what brings them; what samples blurred is not blurred again, and nothing to act on is told.
    [Fact]
    public void Vectors_of_rendered_frames_move_them_alone()
    {
        var (layers, plate) = Scene(new(0.4f, 0.4f, 0.4f, 1));
        FinishStep vectors = Step(FinishKind.Motion) with { Degrees = 360 };
        FinishContext context = new(Camera, 1, 36, 1001, 0, 7) { BlurredBySamples = true };
        Assert.Contains("none does", Assert.Throws<FinishFault>(() => Finisher.Run(layers, plate, [vectors], context)).Message);
        var motion = new FloatImage(W, H, 2, [.. Enumerable.Range(0, W * H * 2).Select(i => i % 2 == 0 ? 8f : 0)]);
        FrameLayers blurred = Finisher.Run(
            layers with
            {
                Rendered = [new(layers.Element, layers.Distance, "smoke", null, motion)],
            },
            plate,
            [vectors],
            context
        );
        // A step of 8 px at full shutter is a ramp of 8: half at the edge, a quarter 2 px beyond it.
        Assert.Equal(0.5, (blurred.Held[19, 20, 3] + blurred.Held[20, 20, 3]) / 2, 0.02);
        Assert.Equal(0.25, (blurred.Held[17, 20, 3] + blurred.Held[18, 20, 3]) / 2, 0.02);
    }

    [Fact]
    public void Scopes_count_every_pixel_once_and_views_show_what_they_say()
    {
        var (layers, plate) = Scene(new(0.5f, 0.1f, 0.1f, 1));
        Scopes scopes = Scopes.Of(layers, plate);
        Assert.Equal((3f * W * H, 3f * 24 * 24), (scopes.Plate.Sum(), scopes.Element.Sum()));
        Assert.Equal((24f * H, 24f * 24), (scopes.WavePlate.Sum(), scopes.Wave.Sum()));
        Assert.Equal(24f * 24, scopes.Element[3 * Scopes.BinOf(0.5f)]);
        Assert.False(Scopes.Of(Scene(default, (_, _) => false).Layers, plate).Any);
        Assert.Equal((0.5f, 0.18f), (CompareViews.Alone(layers)[30, 20, 0], CompareViews.Alone(layers)[2, 2, 0]));
        FloatImage edges = CompareViews.Edges(layers.Comp, 1);
        Assert.True(edges[20, 20, 0] > 0.01f && edges[30, 24, 0] == 0);
        Assert.Equal(Math.Sqrt(0.3), CompareViews.Lifted(layers.Comp)[2, 2, 0], 1e-5);
        Assert.Equal(new Vector3(0.5f, 0.1f, 0.1f), PlateMeasure.Mean(layers.Comp, 24, 16, 8, 8));
    }

    // Before the merge nothing outside the element changes; wrap and grain stay within it too; glow, being the lens's, does not.
    [Fact]
    public void Only_the_lens_touches_the_plate()
    {
        var scene = Scene(new(3, 3, 3, 1));
        FrameLayers wrap = Run(
            scene,
            Step(FinishKind.Wrap) with
            {
                Pixels = 3,
            },
            Step(FinishKind.Grade) with
            {
                Grade = new() { Stops = -1 },
            }
        );
        Assert.Equal(scene.Plate[2, 2, 0], wrap.Comp[2, 2, 0]);
        Assert.False(wrap.Touched[W * 2 + 2]);
        Assert.True(wrap.Comp[20, 20, 0] > 1.5f + 0.05f);
        Assert.Equal(1.5, wrap.Comp[32, 24, 0], 0.01);
        FrameLayers glow = Run(scene, Step(FinishKind.Glow) with { Pixels = 3, Threshold = 1, Strength = 0.2 });
        Assert.True(glow.Touched[W * 20 + 17] && glow.Comp[17, 20, 0] > 0.32f);
        // What it does not reach stays the plate to the bit.
        FrameLayers small = Run(scene, Step(FinishKind.Glow) with { Pixels = 0.5, Threshold = 1, Strength = 0.2 });
        Assert.False(small.Touched[0]);
        Assert.Equal(scene.Plate[0, 0, 0], small.Comp[0, 0, 0]);
        FrameLayers soft = Run(scene, Step(FinishKind.EdgeWidth) with { Pixels = 2 });
        // A blurred edge: half at the step, its colour and coverage together.
        Assert.Equal(0.5, (soft.Held[19, 24, 3] + soft.Held[20, 24, 3]) / 2, 1e-3);
        Assert.Equal(3, soft.Held[18, 24, 0] / soft.Held[18, 24, 3], 1e-3);
    }

    // A lamp behind the element shines into no lens; one that is seen does, most at its place.
    [Fact]
    public void A_flare_is_hidden_with_its_lamp()
    {
        var scene = Scene(new(0.2f, 0.2f, 0.2f, 1));
        FinishStep flare = Step(FinishKind.Flare) with { Flare = new("lamp") };
        FrameLayers At(float visible) =>
            Finisher.Run(
                scene.Layers,
                scene.Plate,
                [flare],
                new(Camera, 1, 36, 1001, 0, 7)
                {
                    Lamps = new Dictionary<string, SeenLamp> { ["lamp"] = new(10, 10, new(1, 0.8f, 0.5f), visible, 8) },
                }
            );
        Assert.Equal(scene.Layers.Comp.Data, At(0).Comp.Data);
        FloatImage seen = At(1).Comp;
        Assert.True(seen[10, 10, 0] > seen[40, 40, 0] && seen[10, 10, 0] > 0.34f);
        Assert.True(seen[10, 10, 0] - 0.3f > seen[10, 10, 2] - 0.3f);
    }

    // A picture moved by whole pixels is the same picture elsewhere; keys hold before the first and after the last.
    [Fact]
    public void Framing_moves_the_whole_picture()
    {
        var scene = Scene(new(0.9f, 0.1f, 0.1f, 1));
        FinishStep frame = Step(FinishKind.Reframe) with { Reframe = new([new(1001, 4, 2)]) };
        FrameLayers moved = Run(scene, frame);
        Assert.Equal(scene.Layers.Comp[30, 20, 0], moved.Comp[26, 18, 0], 1e-6);
        Assert.True(moved.Touched.All(t => t));
        var shaken = new ReframeSettings([], 3, 5);
        double[] x = [.. Enumerable.Range(0, 4000).Select(i => Reframing.At(shaken, 1001, i / 24.0, 3).X)];
        Assert.Equal(3, Math.Sqrt(x.Average(v => v * v)), 0.6);
        Assert.Equal(Reframing.At(shaken, 1001, 1.3, 3), Reframing.At(shaken, 1001, 1.3, 3));
    }
}
