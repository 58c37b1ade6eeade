using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;
using static Plenk.Core.Tests.FinishScene;

namespace Plenk.Core.Tests;

/// <summary>What the lens and the air do to the finished picture, against closed forms: derived, where no source is named.</summary>
public sealed class LensLightTests
{
    private static readonly FinishContext Context = new(Camera, 1, 36, 1001, 0, 7);

    private static FrameLayers With((FrameLayers Layers, FloatImage Plate) scene, FinishContext context, params FinishStep[] steps) =>
        Finisher.Run(scene.Layers, scene.Plate, steps, context);

    /// <summary>The normal distribution's integral (Abramowitz and Stegun 26.2.17, within 7.5e-8).</summary>
    private static double Normal(double z)
    {
        double t = 1 / (1 + 0.2316419 * Math.Abs(z)),
            tail =
                Math.Exp(-z * z / 2)
                / Math.Sqrt(2 * Math.PI)
                * t
                * (0.319381530 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
        return z > 0 ? 1 - tail : tail;
    }

    // Beside a straight edge a blurred half plane of light L falls off as L Φ(−d/σ).
    [Theory]
    [InlineData(2)]
    [InlineData(4)]
    public void Light_wraps_over_an_edge_as_a_blurred_half_plane(double sigma)
    {
        var scene = Scene(new(0.1f, 0.1f, 0.1f, 1), (x, _) => x >= 32, plate: 0.8f);
        FloatImage wrapped = With(scene, Context, Step(FinishKind.Wrap) with { Pixels = sigma }).Comp;
        for (int x = 32; x < 44; x++)
        {
            Assert.Equal(0.1 + 0.8 * Normal(-(x + 0.5 - 32) / sigma), wrapped[x, 24, 1], 0.004);
        }
        Assert.Equal(0.8f, wrapped[31, 24, 1]);
        // Half of its strength lays half of it on.
        FloatImage half = With(scene, Context, Step(FinishKind.Wrap) with { Pixels = sigma, Strength = 0.5 }).Comp;
        Assert.Equal((wrapped[33, 24, 0] - 0.1) / 2, half[33, 24, 0] - 0.1, 1e-5);
    }

    // Three Gaussians of σ, 2σ and 4σ, a third each: what lies above the threshold goes elsewhere whole, with a variance of (1 + 4 + 16)/3 σ² across.
    [Fact]
    public void Glow_spreads_what_is_above_its_threshold_and_nothing_more()
    {
        const double sigma = 1.2;
        var scene = Scene(new(5, 5, 5, 1), (x, y) => x == 32 && y == 24, plate: 0.1f);
        FloatImage glow = With(scene, Context, Step(FinishKind.Glow) with { Pixels = sigma, Threshold = 2 }).Comp;
        double sum = 0,
            across = 0;
        for (int y = 0; y < H; y++)
        {
            for (int x = 0; x < W; x++)
            {
                double light = glow[x, y, 0] - scene.Layers.Comp[x, y, 0];
                sum += light;
                across += light * (x - 32) * (x - 32);
            }
        }
        Assert.Equal(3, sum, 0.01);
        Assert.Equal(7 * sigma * sigma, across / sum, 0.25);
        // The plate's own highlights are the plate's: they glow in it already.
        var bright = Scene(default, (_, _) => false, plate: 4);
        Assert.Equal(bright.Plate.Data, With(bright, Context, Step(FinishKind.Glow) with { Pixels = 2, Threshold = 1 }).Comp.Data);
    }

    private static FinishContext Lamp(double x, double y, float visible = 1, double depth = 8) =>
        Context with
        {
            Lamps = new Dictionary<string, SeenLamp> { ["lamp"] = new(x, y, new(4, 2, 1), visible, depth) },
        };

    // The veil falls off as (1 + (r/R)²)^−1.5: whole at the lamp, 2^−1.5 at R, 10^−1.5 at 3 R; by the lamp's colour, and by the share that is seen of it.
    [Fact]
    public void A_veil_falls_off_from_its_lamp()
    {
        var scene = Scene(default, (_, _) => false, plate: 0.2f);
        FinishStep step = Step(FinishKind.Flare) with { Flare = new("lamp", Veil: 0.1, RadiusPixels: 10, Streaks: 0, Ghosts: 0) };
        FloatImage seen = With(scene, Lamp(20.5, 24.5), step).Comp,
            half = With(scene, Lamp(20.5, 24.5, 0.5f), step).Comp;
        foreach (var (x, share) in ((int, double)[])[(20, 1), (30, Math.Pow(2, -1.5)), (50, Math.Pow(10, -1.5))])
        {
            for (int c = 0; c < 3; c++)
            {
                double colour =
                    c == 0 ? 4
                    : c == 1 ? 2
                    : 1;
                Assert.Equal(0.2 + 0.1 * colour * share, seen[x, 24, c], 1e-5);
                Assert.Equal(0.2 + 0.05 * colour * share, half[x, 24, c], 1e-5);
            }
        }
        // A picture at half the plate's size has half the radius.
        FloatImage small = With(scene, Lamp(20.5, 24.5) with { Scale = 0.5 }, step).Comp;
        Assert.Equal(seen[30, 24, 0], small[25, 24, 0], 1e-6);
        // Six streaks are six times as bright a turn of 60° on, and between them the bare veil.
        FloatImage streaks = With(scene, Lamp(32.5, 24.5), step with { Flare = step.Flare! with { Streaks = 6 } }).Comp,
            bare = With(scene, Lamp(32.5, 24.5), step).Comp;
        Assert.Equal(3, (streaks[44, 24, 0] - 0.2) / (bare[44, 24, 0] - 0.2), 1e-3);
        Assert.Equal(1, (streaks[32, 36, 0] - 0.2) / (bare[32, 36, 0] - 0.2), 1e-3);
    }

    // Ghosts lie on the line from the lamp through the picture's middle, beyond it.
    [Fact]
    public void Ghosts_lie_across_the_middle()
    {
        var scene = Scene(default, (_, _) => false, plate: 0.2f);
        FinishStep step = Step(FinishKind.Flare) with { Flare = new("lamp", Veil: 0, RadiusPixels: 10, Streaks: 0, Ghosts: 0.1) };
        FloatImage seen = With(scene, Lamp(12, 24), step).Comp;
        // The lamp is 20 px left of the middle: a ghost at −0.7 of that lies 14 px right of it, its middle 0.6 as bright as its rim.
        Assert.Equal(0.2 + 0.1 * 4 * 0.6 * 0.6, seen[46, 24, 0], 0.02);
        Assert.Equal(0.2f, seen[5, 40, 0]);
        Assert.True(seen.Data.Where((_, i) => i % 3 == 0).Sum(v => v - 0.2f) > 1);
    }

    // Shafts are the open share of the way to the lamp: all of it under an open sky, none behind an element that covers the way, and what stands nearer than the lamp closes it too.
    [Fact]
    public void Shafts_shine_through_what_is_open()
    {
        FinishStep step = Step(FinishKind.Flare) with
        {
            Flare = new("lamp", Veil: 0, RadiusPixels: 1000, Streaks: 0, Ghosts: 0, Shafts: 0.1),
        };
        var open = Scene(default, (_, _) => false, plate: 0.2f);
        Assert.Equal(0.2 + 0.4, With(open, Lamp(32, 10), step).Comp[32, 30, 0], 1e-3);
        Assert.Equal(0.2f, With(open, Lamp(32, 10, depth: 20), step).Comp[32, 30, 0]); // the set stands 9 m away, before the lamp
        var covered = Scene(new(0.2f, 0.2f, 0.2f, 1), (_, y) => y is > 5 and < 40, plate: 0.2f);
        Assert.Equal(0.2f, With(covered, Lamp(32, 10), step).Comp[32, 30, 0], 1e-4f);
        var part = Scene(new(0, 0, 0, 1), (_, y) => y is >= 18 and < 22, plate: 0.2f);
        float through = With(part, Lamp(32, 10), step).Comp[32, 34, 0];
        Assert.InRange(through, 0.45f, 0.58f);
    }

    // A driving picture of 0.5 + δ moves by 2 δ of the step's pixels: whole pixels are the same picture elsewhere, 0.5 leaves it to the bit.
    [Fact]
    public void A_driving_picture_moves_the_finished_one()
    {
        var scene = Scene(new(0.9f, 0.1f, 0.1f, 1));
        FinishStep step = Step(FinishKind.Ripple) with { Ripple = new(Pixels: 4) };
        FloatImage Drive(float right, float down) =>
            new(
                8,
                6,
                3,
                [
                    .. Enumerable
                        .Range(0, 48 * 3)
                        .Select(i =>
                            i % 3 == 0 ? right
                            : i % 3 == 1 ? down
                            : 0
                        ),
                ]
            );
        FrameLayers moved = With(scene, Context with { Driving = _ => Drive(0.75f, 0.25f) }, step);
        for (int y = 4; y < H - 4; y += 5)
        {
            for (int x = 4; x < W - 4; x += 3)
            {
                Assert.Equal(scene.Layers.Comp[x + 2, y - 2, 0], moved.Comp[x, y, 0], 1e-5f);
            }
        }
        FrameLayers still = With(scene, Context with { Driving = _ => Drive(0.5f, 0.5f) }, step);
        Assert.Equal(scene.Layers.Comp.Data, still.Comp.Data);
        Assert.Equal(scene.Layers.Touched, still.Touched);
        // Kept to a matte, what lies outside stays.
        float[] left = [.. Enumerable.Range(0, W * H).Select(i => i % W < 30 ? 1f : 0)];
        FrameLayers kept = With(scene, Context with { Driving = _ => Drive(0.75f, 0.5f), Matte = _ => left }, step with { Matte = "left" });
        Assert.Equal(scene.Layers.Comp[19 + 2, 20, 0], kept.Comp[19, 20, 0], 1e-5f);
        for (int x = 30; x < W; x++)
        {
            Assert.Equal(scene.Layers.Comp[x, 20, 0], kept.Comp[x, 20, 0]);
        }
    }

    // Without a picture it is driven by noise: on a ramp, which cubic interpolation keeps, every pixel tells how far it was moved: never farther than the step says, and not all alike.
    [Fact]
    public void Heat_moves_no_pixel_farther_than_it_says_and_goes_on_with_time()
    {
        var (layers, plate) = Scene(default, (_, _) => false);
        var ramp = new FloatImage(W, H, 3, [.. Enumerable.Range(0, W * H * 3).Select(i => 0.01f * (i / 3 % W))]);
        (FrameLayers, FloatImage) scene = (layers with { Comp = ramp }, ramp);
        FinishStep step = Step(FinishKind.Ripple) with { Ripple = new(Pixels: 3, SizePixels: 12, PerSecond: 2) };
        double[] At(double seconds, uint seed = 7)
        {
            FloatImage seen = With(scene, Context with { Seconds = seconds, Seed = seed }, step).Comp;
            return
            [
                .. Enumerable.Range(0, H).SelectMany(y => Enumerable.Range(8, W - 16).Select(x => (seen[x, y, 0] - ramp[x, y, 0]) / 0.01)),
            ];
        }
        double[] first = At(0);
        Assert.All(first, d => Assert.InRange(d, -3.01, 3.01));
        Assert.InRange(Math.Sqrt(first.Average(d => d * d)), 0.5, 2);
        Assert.Equal(first, At(0));
        Assert.NotEqual(first, At(0, 8));
        // A frame later nearly the same, a second later another.
        double Apart(double[] other) => Math.Sqrt(first.Zip(other, (a, b) => (a - b) * (a - b)).Average());
        Assert.InRange(Apart(At(1 / 240.0)), 0, 0.1);
        Assert.InRange(Apart(At(1)), 0.5, 5);
    }

    // Common practice, no source: 1 + A2 r² + A4 r⁴ of the light, r = 1 at the corner; red is enlarged about the middle by parts in a thousand.
    [Fact]
    public void The_lens_marks_what_never_went_through_it()
    {
        var scene = Scene(new(0.5f, 0.5f, 0.5f, 1), (_, _) => true);
        FloatImage dark = With(scene, Context, Step(FinishKind.Lens) with { Lens = new(-0.4, 0.1) }).Held;
        double Fall(double x, double y)
        {
            double r2 = (Math.Pow(x - 32, 2) + Math.Pow(y - 24, 2)) / (32 * 32 + 24 * 24);
            return 1 - 0.4 * r2 + 0.1 * r2 * r2;
        }
        foreach (var (x, y) in ((int, int)[])[(0, 0), (32, 24), (63, 10), (20, 47)])
        {
            Assert.Equal(0.5 * Fall(x + 0.5, y + 0.5), dark[x, y, 1], 1e-5);
            Assert.Equal(1, dark[x, y, 3]);
        }
        // An edge 24 px right of the middle goes outwards by 24 · 20/1000 = 0.48 px in red, stays in green.
        var half = Scene(new(0.8f, 0.8f, 0.8f, 1), (x, _) => x < 56);
        FloatImage moved = With(half, Context, Step(FinishKind.Lens) with { Lens = new(0, 0, 20, -20) }).Held;
        double Edge(int channel) => Enumerable.Range(40, 24).Sum(x => moved[x, 24, channel] / 0.8) + 40;
        Assert.Equal(56.48, Edge(0), 0.03);
        Assert.Equal(56, Edge(1), 1e-4);
        Assert.Equal(55.52, Edge(2), 0.03);
    }

    // A picture enlarged s times about its middle shows a place d from it at s d; turned by a quarter it shows the column as a row.
    [Fact]
    public void Framing_enlarges_and_turns_about_the_middle()
    {
        var (layers, plate) = Scene(default, (_, _) => false);
        var ramp = new FloatImage(W, H, 3, [.. Enumerable.Range(0, W * H * 3).Select(i => 0.01f * (i / 3 % W) + 0.001f * (i / 3 / W))]);
        FloatImage Framed(FrameKey key) =>
            With((layers with { Comp = ramp }, ramp), Context, Step(FinishKind.Reframe) with { Reframe = new([key]) }).Comp;
        double At(double x, double y) => 0.01 * (x - 0.5) + 0.001 * (y - 0.5);
        FloatImage twice = Framed(new(1001, Scale: 2));
        foreach (var (x, y) in ((int, int)[])[(32, 24), (10, 40), (60, 3)])
        {
            Assert.Equal(At(32 + (x + 0.5 - 32) / 2, 24 + (y + 0.5 - 24) / 2), twice[x, y, 0], 1e-5);
        }
        FloatImage quarter = Framed(new(1001, TurnDegrees: 90));
        foreach (var (x, y) in ((int, int)[])[(32, 24), (28, 30), (40, 20)])
        {
            double dx = x + 0.5 - 32,
                dy = y + 0.5 - 24;
            Assert.Equal(At(32 + dy, 24 - dx), quarter[x, y, 0], 1e-5);
        }
        Assert.Contains("enlarged by more than 0", Assert.Throws<FinishFault>(() => Framed(new(1001, Scale: -1))).Message);
    }

    // Air that takes no light away scatters evenly: with u = tan, ∫ dt ÷ (D² + t²) = (θ₂ − θ₁) ÷ D, so that L = σ I (θ₂ − θ₁) ÷ (4π D).
    [Fact]
    public void A_point_in_thin_air_shines_as_its_integral_says()
    {
        var lamp = new Light
        {
            Id = "lamp",
            Kind = LightKind.Point,
            Strength = 30,
            Position = new(0.5, 0, -4),
            Color = new(1, 0.5, 0),
        };
        var depth = new FloatImage(W, H, 1);
        depth.Data.AsSpan().Fill(10);
        const double sigma = 1e-5;
        FloatImage light = LightBeam.Of(lamp, new("lamp", sigma, 0), Camera, Core.Geometry.Pose.Identity, depth);
        foreach (var (x, y) in ((int, int)[])[(10, 5), (32, 24), (60, 40)])
        {
            Assert.True(Camera.TryDirection(x + 0.5, y + 0.5, out Core.Geometry.Vec3 way));
            Core.Geometry.Vec3 d = way.Normalized();
            double end = 10 / -d.Z,
                along = Core.Geometry.Vec3.Dot(lamp.Position, d),
                aside = Math.Sqrt(lamp.Position.LengthSquared - along * along),
                meant = sigma * 30 * (Math.Atan((end - along) / aside) + Math.Atan(along / aside)) / (4 * Math.PI * aside);
            Assert.Equal(1, light[x, y, 0] / meant, 1e-3);
            Assert.Equal(0.5, light[x, y, 1] / meant, 1e-3);
            Assert.Equal(0, light[x, y, 2]);
        }
        // A wall before the lamp hides what is behind it; a spot that looks away sends nothing there.
        depth.Data.AsSpan().Fill(1);
        Assert.True(
            LightBeam.Of(lamp, new("lamp", sigma, 0), Camera, Core.Geometry.Pose.Identity, depth)[40, 24, 0] < 0.1 * light[40, 24, 0]
        );
        depth.Data.AsSpan().Fill(10);
        Light away = lamp with { Kind = LightKind.Spot, Direction = new(-1, 0, 0), InnerDegrees = 5, OuterDegrees = 8 };
        FloatImage beam = LightBeam.Of(away, new("lamp", sigma, 0), Camera, Core.Geometry.Pose.Identity, depth);
        Assert.Equal(0, beam[10, 24, 0]);
        Assert.True(beam[56, 24, 0] > 0);
    }

    // Henyey and Greenstein 1941: forwards (1 + g) ÷ (1 − g)² , backwards (1 − g) ÷ (1 + g)², each by 4π; seen from behind the lamp and before it.
    [Fact]
    public void Air_that_scatters_forwards_is_brighter_against_the_light()
    {
        var depth = new FloatImage(W, H, 1);
        depth.Data.AsSpan().Fill(2);
        Light At(double z) =>
            new()
            {
                Id = "l",
                Kind = LightKind.Point,
                Strength = 1,
                Position = new(0.0001, 0.0001, z),
            };
        double Middle(double z, double g) => LightBeam.Of(At(z), new("l", 1e-6, g), Camera, Core.Geometry.Pose.Identity, depth)[32, 24, 0];
        const double g = 0.5;
        // The lamp is behind what is seen, and shines at the camera through the air; or behind the camera, and shines away from it.
        Assert.Equal((1 - g * g) / Math.Pow(1 - g, 3), Middle(-1000, g) / Middle(-1000, 0), 0.02);
        Assert.Equal((1 - g * g) / Math.Pow(1 + g, 3), Middle(1000, g) / Middle(1000, 0), 0.02);
    }

    // A ray at a distance b of the middle goes 2 √(R² − b²) through a sphere.
    [Fact]
    public void A_sphere_of_air_counts_by_the_way_through_it()
    {
        var depth = new FloatImage(W, H, 1);
        depth.Data.AsSpan().Fill(float.PositiveInfinity);
        var middle = new Core.Geometry.Vec3(0, 0, -8);
        float[] Of(bool shell = false) => AirSpheres.Coverage(middle, 2, shell, Camera, depth);
        double B(int x, int y)
        {
            Camera.TryDirection(x + 0.5, y + 0.5, out Core.Geometry.Vec3 way);
            double along = Core.Geometry.Vec3.Dot(middle, way.Normalized());
            return Math.Sqrt(64 - along * along);
        }
        float[] whole = Of();
        foreach (var (x, y) in ((int, int)[])[(32, 24), (40, 30), (20, 24), (2, 2)])
        {
            Assert.Equal(Math.Sqrt(Math.Max(0, 4 - B(x, y) * B(x, y))) / 2, whole[y * W + x], 1e-5);
        }
        // Its shell is thickest where a ray only touches what it encloses.
        float[] shell = Of(shell: true);
        int rim = Enumerable.Range(32, 20).MaxBy(x => shell[24 * W + x]);
        Assert.Equal(1.7, B(rim, 24), 0.1);
        Assert.True(shell[24 * W + rim] > 0.9 && shell[24 * W + 32] < 0.4);
        // A wall through its middle leaves half of it, one before it nothing.
        depth.Data.AsSpan().Fill(8);
        Assert.Equal(whole[24 * W + 32] / 2, Of()[24 * W + 32], 0.01);
        depth.Data.AsSpan().Fill(5);
        Assert.All(Of(), v => Assert.Equal(0, v));
    }

    // A floor 1.6 m below a level camera is h ÷ sin of the angle below the horizon away along the ray; a wall at depth 8 is as high as its ray goes.
    [Fact]
    public void A_band_keeps_to_distances_and_heights()
    {
        var eye = new Core.Geometry.Pose(Core.Geometry.Matrix3.Identity, new(0, 1.6, 0));
        var depth = new FloatImage(W, H, 1);
        depth.Data.AsSpan().Fill(float.PositiveInfinity);
        for (int i = 0; i < W * H; i++)
        {
            Camera.TryDirection(i % W + 0.5, i / W + 0.5, out Core.Geometry.Vec3 d);
            depth.Data[i] = d.Y < 0 ? (float)(1.6 / -d.Y * -d.Z) : depth.Data[i];
        }
        float[] near = FinishBands.Coverage(
                new()
                {
                    FromMetres = 4,
                    ToMetres = 9,
                    SoftMetres = 0,
                },
                eye,
                Camera,
                depth
            ),
            soft = FinishBands.Coverage(new() { ToMetres = 9, SoftMetres = 2 }, eye, Camera, depth);
        int inside = 0;
        for (int i = 0; i < W * H; i++)
        {
            Camera.TryDirection(i % W + 0.5, i / W + 0.5, out Core.Geometry.Vec3 d);
            double far = d.Y < 0 ? 1.6 * d.Length / -d.Y : double.PositiveInfinity;
            Assert.Equal(far is >= 4 and <= 9 ? 1 : 0, near[i]);
            Assert.Equal(Math.Clamp(0.5 + (9 - far) / 2, 0, 1), soft[i], 1e-4);
            inside += (int)near[i];
        }
        Assert.InRange(inside, 20, W * H / 2);
        depth.Data.AsSpan().Fill(8);
        float[] high = FinishBands.Coverage(new() { FromHeight = 1.6, SoftMetres = 0 }, eye, Camera, depth);
        Assert.Equal((1f, 0f), (high[(H / 2 - 2) * W + W / 2], high[(H / 2 + 2) * W + W / 2]));
        // The sky is as far and as high as can be.
        depth.Data.AsSpan().Fill(float.PositiveInfinity);
        Assert.Equal(1, FinishBands.Coverage(new() { FromMetres = 100, FromHeight = 50 }, eye, Camera, depth)[(H / 2 - 2) * W + W / 2]);
    }

    // A wall at depth 8 through the middle of a sphere of 2 m: what is seen there lies √(x² + y²) from it.
    [Fact]
    public void A_spot_lies_on_what_is_seen()
    {
        var depth = new FloatImage(W, H, 1);
        depth.Data.AsSpan().Fill(8);
        float[] Of(double soft, bool shell = false) => AirSpheres.Coverage(new(0, 0, -8), 2, shell, Camera, depth, soft);
        float[] hard = Of(0),
            soft = Of(1);
        for (int i = 0; i < W * H; i++)
        {
            Camera.TryDirection(i % W + 0.5, i / W + 0.5, out Core.Geometry.Vec3 way);
            double away = 8 * Math.Sqrt(way.X * way.X + way.Y * way.Y) / -way.Z;
            Assert.Equal(away <= 2 ? 1 : 0, hard[i]);
            Assert.Equal(Math.Clamp(2.5 - away, 0, 1), soft[i], 1e-5);
        }
        // Behind the wall's back and in the sky there is none of it.
        depth.Data.AsSpan().Fill(float.PositiveInfinity);
        Assert.All(Of(1), v => Assert.Equal(0, v));
        depth.Data.AsSpan().Fill(4);
        Assert.All(Of(0), v => Assert.Equal(0, v));
    }

    [Fact]
    public void A_wave_goes_out_from_its_frame_and_fades()
    {
        var wave = new AirSphere
        {
            RadiusMetres = 0.5,
            From = 1010,
            MetresPerSecond = 12,
            FadesOverSeconds = 2,
        };
        Assert.Equal((0, 0), AirSpheres.At(wave, 1009, 24));
        Assert.Equal((0.5, 1), AirSpheres.At(wave, 1010, 24));
        Assert.Equal((12.5, 0.5), AirSpheres.At(wave, 1034, 24));
        Assert.Equal(0, AirSpheres.At(wave, 1058, 24).Strength);
    }

    // A rectangle's solid angle before its middle: 4 asin(a b ÷ √((a² + d²)(b² + d²))), a and b half its sides (Mathar 2015, equation 27).
    [Fact]
    public void What_glows_is_seen_by_its_solid_angle_from_both_sides_and_hidden_by_what_stands_before_it()
    {
        PlacedElement Card(double turned) =>
            new(
                "sign",
                new(
                    new MeshTree(
                        new([new(-0.5f, -0.3f, 0), new(0.5f, -0.3f, 0), new(0.5f, 0.3f, 0), new(-0.5f, 0.3f, 0)], [0, 1, 2, 0, 2, 3])
                    ),
                    [new Material("sign", default, 0, 1) { Emission = new(3, 2, 1) }]
                ),
                new(1, Core.Geometry.Rotations.AboutY(turned), new(0, 0, -5))
            );
        SeenLamp? Seen(PlacedElement card, TraceScene set) =>
            GlowingElement.Seen(new ElementScene([card]), 0, set, Core.Geometry.Pose.Identity, Camera, 64);
        var open = new TraceScene([]);
        double meant = 4 * Math.Asin(0.5 * 0.3 / Math.Sqrt((0.25 + 25) * (0.09 + 25)));
        foreach (double turned in (double[])[0, Math.PI])
        {
            SeenLamp lamp = Seen(Card(turned), open)!;
            Assert.Equal(3 * meant, lamp.Color.X, 1e-5 * meant);
            Assert.Equal(meant, lamp.Color.Z, 1e-5 * meant);
            Assert.Equal(1, lamp.Visible);
            Assert.Equal((W / 2.0, H / 2.0, 5), (lamp.X, lamp.Y, Math.Round(lamp.Depth, 6)));
        }
        // Half of it behind a wall; one that gives no light.
        TraceInstance Wall(double left) =>
            new(
                new MeshTree(PieceMeshes.Box(new(10, 10, 0.1))),
                new(1, Core.Geometry.Matrix3.Identity, new(left + 5, -5, -3)),
                RayKinds.CameraSet
            );
        Assert.Equal(0.5, Seen(Card(0), new([Wall(0)]))!.Visible, 0.1);
        Assert.Equal(0, Seen(Card(0), new([Wall(-5)]))!.Visible);
        PlacedElement dark = Card(0) with { Model = new(Card(0).Model.Tree, [Material.Grey]) };
        Assert.Null(Seen(dark, open));
    }

    [Fact]
    public void A_closed_surface_encloses_what_lies_in_it_and_an_open_one_nothing()
    {
        TraceScene Of(TriangleMesh mesh) => new([new(new MeshTree(mesh), Core.Geometry.Similarity.Identity, RayKinds.CameraSet)]);
        TriangleMesh box = PieceMeshes.Box(new(2, 2, 2));
        Assert.True(Of(box).Encloses(new(0.3f, 1, -0.4f), RayKinds.CameraSet));
        Assert.False(Of(box).Encloses(new(1.5f, 1, 0), RayKinds.CameraSet));
        // Its lid off: a way up goes out without crossing anything.
        int[] below =
        [
            .. Enumerable
                .Range(0, box.TriangleCount)
                .Where(i => box.Triangle(i) is var (a, b, c) && MathF.Min(a.Y, MathF.Min(b.Y, c.Y)) < 1.9f)
                .SelectMany(i => box.Indices[(3 * i)..(3 * i + 3)]),
        ];
        Assert.False(Of(box with { Indices = below }).Encloses(new(0.3f, 1, -0.4f), RayKinds.CameraSet));
    }
}
