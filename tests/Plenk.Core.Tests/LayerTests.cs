using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Layers that blend are worked into those that stand in depth; seen from the front the picture is the same.</summary>
public sealed class LayerTests
{
    private const int N = 16;

    private static FloatImage Filled(Func<int, int, Vector4> at)
    {
        var made = new FloatImage(N, N, 4);
        for (int i = 0; i < N * N; i++)
        {
            at(i % N, i / N).CopyTo(made.Data.AsSpan(4 * i, 4));
        }
        return made;
    }

    private static readonly FloatImage Plate = Filled((x, y) => new(0.2f + x / 40f, 0.5f, 0.1f + y / 40f, 1)).Colours();

    /// <summary>Source over, front to back over the plate (Porter and Duff 1984).</summary>
    private static float[] Over(IReadOnlyList<PaintLayer> layers)
    {
        FloatImage made = Plate.Copy();
        foreach (PaintLayer l in layers)
        {
            for (int i = 0; i < N * N; i++)
            {
                float a = l.Picture.Data[4 * i + 3];
                for (int c = 0; c < 3; c++)
                {
                    made.Data[3 * i + c] += a * (l.Picture.Data[4 * i + c] - made.Data[3 * i + c]);
                }
            }
        }
        return made.Data;
    }

    [Theory]
    [InlineData(LayerBlend.Multiply, true)]
    [InlineData(LayerBlend.Plus, true)]
    [InlineData(LayerBlend.Screen, true)]
    [InlineData(LayerBlend.Overlay, false)]
    [InlineData(LayerBlend.Luminosity, false)]
    public void The_picture_stays_as_it_was_painted(LayerBlend blend, bool soft)
    {
        // Blends that are straight in the backdrop hold for any coverage, the others where it is whole or nothing.
        float A(float a) => soft ? a : MathF.Round(a);
        var file = new LayeredPicture(
            N,
            N,
            [
                new("far", Filled((x, y) => new(0.3f, 0.2f, 0.1f, A(x / 15f)))),
                new("near", Filled((x, y) => new(0.1f, 0.4f, 0.2f, A(y / 15f)))),
                new("tone", Filled((x, y) => new(0.3f, 0.25f, 0.2f, (x + y) / 30f)), Opacity: 0.8, Blend: blend),
                new("front", Filled((x, y) => new(0.9f, 0.1f, 0.2f, x > 12 ? 1 : 0))),
                new("again", Filled((x, y) => new(0.5f, 0.6f, 0.4f, 0.5f)), Blend: blend),
            ],
            false,
            16
        );
        var told = new List<string>();
        IReadOnlyList<PaintLayer> standing = LayerMerge.Standing(file, Plate, told);
        Assert.Equal(["tone", "again", "far", "near", "front"], standing.Select(l => l.Name));
        Assert.Equal(2, told.Count);
        float[] whole = LayerMerge.Flat(file, Plate).Data,
            parts = Over(standing);
        for (int i = 0; i < whole.Length; i++)
        {
            Assert.Equal(whole[i], parts[i], 1e-5f);
        }
    }

    [Fact]
    public void One_that_is_cut_shows_only_on_what_lies_beneath()
    {
        var file = new LayeredPicture(
            N,
            N,
            [
                new("wall", Filled((x, y) => new(0.5f, 0.5f, 0.5f, x < 8 ? 1 : 0))),
                new("cracks", Filled((x, y) => new(0, 0, 0, 1))) { Clipped = true },
            ],
            false,
            16
        );
        IReadOnlyList<PaintLayer> standing = LayerMerge.Standing(file, Plate, []);
        Assert.Equal(["wall"], standing.Select(l => l.Name));
        Assert.Equal([0f, 0, 0, 1], standing[0].Picture.Pixel(3, 3).ToArray());
        Assert.Equal(0, standing[0].Picture[9, 3, 3]);
        Assert.Equal(Plate[9, 3, 1], LayerMerge.Flat(file, Plate)[9, 3, 1]);
    }

    [Fact]
    public void A_layer_may_reach_beyond_its_canvas()
    {
        var l = new PaintLayer("l", Filled((x, y) => new(x / 16f, y / 16f, 0, 1)), -4, 10, 0.5);
        FloatImage on = LayerMerge.OnCanvas(l, N, N);
        Assert.Equal([4 / 16f, 0, 0, 0.5f], on.Pixel(0, 10).ToArray());
        Assert.Equal(0, on[0, 9, 3]);
        Assert.Equal(0, on[12, 15, 3]);
        Assert.Equal([15 / 16f, 5 / 16f, 0, 0.5f], on.Pixel(11, 15).ToArray());
    }

    /// <summary>W3C Compositing and Blending Level 1, 10.2: what each of them keeps of the backdrop and takes of the source.</summary>
    [Fact]
    public void Blends_of_whole_colours_keep_what_they_say()
    {
        static float Light(Vector3 c) => 0.3f * c.X + 0.59f * c.Y + 0.11f * c.Z;
        Vector3 backdrop = new(0.3f, 0.5f, 0.42f),
            source = new(0.55f, 0.45f, 0.6f);
        Assert.Equal(Light(backdrop), Light(LayerBlends.Of(LayerBlend.Color, backdrop, source)), 1e-5f);
        Assert.Equal(Light(source), Light(LayerBlends.Of(LayerBlend.Luminosity, backdrop, source)), 1e-5f);
        Assert.Equal(Light(backdrop), Light(LayerBlends.Of(LayerBlend.Hue, backdrop, source)), 1e-5f);
        // The backdrop's own spread with the source's hue: its largest is blue, its smallest green.
        Vector3 hue = LayerBlends.Of(LayerBlend.Hue, backdrop, source);
        Assert.Equal(0.2f, hue.Z - hue.Y, 1e-5f);
        // Grey takes the colour away and keeps the light.
        Vector3 grey = LayerBlends.Of(LayerBlend.Saturation, backdrop, new(0.7f));
        Assert.Equal(grey.X, grey.Y, 1e-5f);
        Assert.Equal(Light(backdrop), grey.X, 1e-5f);
    }
}
