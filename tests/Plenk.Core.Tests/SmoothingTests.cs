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

/// <summary>Light that is smoothed after it was sampled, against the same frame by sixty-four times as many samples.</summary>
public sealed class SmoothingTests
{
    private const int Width = 160,
        Height = 100;
    private static readonly Pinhole Pinhole = new(Width, Height, 150, 150, Width / 2.0, Height / 2.0, Lens.None);
    private static readonly Pose From = Pose.LookAt(new(0, 3, 6), new(0, 0.4, 0), Vec3.UnitY);
    private static readonly SetScene Floor = new(
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

    // A wide sun, so that shadows have soft edges, and a sky.
    private static readonly LightRig Rig = LightRig.Of([
        new Light
        {
            Id = "sun",
            Kind = LightKind.Sun,
            Direction = new(1, 1, 0.3),
            Strength = 2,
            AngularDiameterDegrees = 6,
        },
        new Light
        {
            Id = "sky",
            Kind = LightKind.Sky,
            Strength = 0.4,
        },
    ]);

    /// <summary>A card that faces the camera, its left half white and its right half dark.</summary>
    private static readonly PlacedElement Card = new(
        "card",
        new(
            new MeshTree(
                new TriangleMesh(
                    [new(-1, 0, 0), new(0, 0, 0), new(0, 1.4f, 0), new(-1, 1.4f, 0), new(1, 0, 0), new(1, 1.4f, 0)],
                    [0, 1, 2, 0, 2, 3, 1, 4, 5, 1, 5, 2]
                )
                {
                    Materials = [0, 0, 1, 1],
                }
            ),
            [new("white", new(0.8f), 0, 1) { Specular = 0 }, new("dark", new(0.08f), 0, 1) { Specular = 0 }]
        ),
        Similarity.Identity
    );

    private static FrameLayers Render(RenderQuality quality, uint seed)
    {
        var plate = new FloatImage(Width, Height, 3);
        Array.Fill(plate.Data, 0.3f);
        return DifferentialRenderer.Render(
            new SetPass(new RayGrid(Pinhole, From), Floor, Rig, null, quality, seed, keep: false),
            [Card],
            plate,
            null,
            From,
            new() { DataPasses = false, DirectOnly = true }
        );
    }

    private static readonly Lazy<FrameLayers> Truth = new(() => Render(new(512, 1, 1), 99));

    private static double Off(FloatImage a, FloatImage b, Func<int, bool> where)
    {
        double sum = 0,
            count = 0;
        for (int i = 0; i < Width * Height; i++)
        {
            if (where(i))
            {
                sum += Math.Pow(a.Data[a.Channels * i + 1] - b.Data[b.Channels * i + 1], 2);
                count++;
            }
        }
        return Math.Sqrt(sum / count);
    }

    [Fact]
    public void Noise_of_shadows_goes_and_their_edges_stay()
    {
        var quality = new RenderQuality(8, 1, 1);
        FrameLayers sampled = Render(quality, 5),
            smooth = Render(quality with { Smooth = true }, 5);
        bool Shadowed(int i) => Truth.Value.Shadow.Data[3 * i + 1] < 0.97f;
        double before = Off(sampled.Shadow, Truth.Value.Shadow, Shadowed),
            after = Off(smooth.Shadow, Truth.Value.Shadow, Shadowed);
        Assert.True(after < 0.85 * before, $"{before:0.0000} as sampled, {after:0.0000} smoothed");
        // What is told of it is about what it is.
        Assert.InRange(smooth.Counts.ShadowError, after / 2.5, after * 2.5);

        // The same seed, the same picture; where nothing comes between next to nothing is darkened.
        Assert.Equal(smooth.Shadow.Data, Render(quality with { Smooth = true }, 5).Shadow.Data);
        int far = Enumerable.Range(0, Width * Height).Count(i => sampled.Shadow.Data[3 * i] == 1 && i / Width > 80 && i % Width > 120);
        Assert.True(far > 100);
        for (int i = 0; i < Width * Height; i++)
        {
            if (i / Width > 80 && i % Width > 120 && sampled.Shadow.Data[3 * i] == 1)
            {
                Assert.InRange(smooth.Shadow.Data[3 * i], 0.97f, 1f);
            }
        }
    }

    [Fact]
    public void Light_on_an_element_is_smoothed_and_its_colours_are_not()
    {
        var quality = new RenderQuality(8, 1, 1);
        FrameLayers sampled = Render(quality, 6),
            smooth = Render(quality with { Smooth = true }, 6);
        bool Covered(int i) => Truth.Value.Element.Data[4 * i + 3] > 0.999f;
        double before = Off(sampled.Element, Truth.Value.Element, Covered),
            after = Off(smooth.Element, Truth.Value.Element, Covered);
        Assert.True(after < 0.5 * before, $"{before:0.0000} as sampled, {after:0.0000} smoothed");
        // Beside the border of both colours it is no worse than elsewhere on the white half: nothing has run over it.
        bool Beside(int i) => Covered(i) && Math.Abs(i % Width - Width / 2) is 1 or 2;
        double white = Off(smooth.Element, Truth.Value.Element, i => Covered(i) && i % Width < Width / 2 - 4);
        Assert.InRange(Off(smooth.Element, Truth.Value.Element, i => Covered(i) && Beside(i)), 0, 2 * white);
        // Coverage is not smoothed.
        Assert.Equal(Render(quality, 6).Holdout.Data, smooth.Holdout.Data);
    }

    [Fact]
    public void One_sample_a_pixel_is_smoothed_by_every_other_pixel()
    {
        var quality = new RenderQuality(1, 1, 1);
        FrameLayers sampled = Render(quality, 7),
            smooth = Render(quality with { Smooth = true }, 7);
        bool Shadowed(int i) => Truth.Value.Shadow.Data[3 * i + 1] < 0.97f;
        bool Covered(int i) => Truth.Value.Element.Data[4 * i + 3] > 0.999f;
        double shadow = Off(sampled.Shadow, Truth.Value.Shadow, Shadowed),
            element = Off(sampled.Element, Truth.Value.Element, Covered);
        Assert.InRange(Off(smooth.Shadow, Truth.Value.Shadow, Shadowed), 0, 0.6 * shadow);
        Assert.InRange(Off(smooth.Element, Truth.Value.Element, Covered), 0, 0.3 * element);
        // Nothing is told of how good it is: a sample by itself does not say.
        Assert.Equal(0, smooth.Counts.ShadowError);
        // Seldom does a pixel of the element stay dark because its own ray found no light.
        int white = 0,
            dark = 0;
        for (int i = 0; i < Width * Height; i++)
        {
            if (Covered(i) && Truth.Value.Element.Data[4 * i + 1] > 0.1f)
            {
                white++;
                dark += smooth.Element.Data[4 * i + 1] < 0.3f * Truth.Value.Element.Data[4 * i + 1] ? 1 : 0;
            }
        }
        Assert.InRange(dark, 0, white / 100);
    }
}
