using System.Numerics;
using Plenk.Core.Images;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Porter and Duff, SIGGRAPH 1984; the values follow from their table.</summary>
public class CompositingTests
{
    private static readonly Vector4 A = new(.3f, .15f, .06f, .6f),
        B = new(.15f, .3f, .6f, .75f),
        C = new(.05f, .05f, .05f, .25f);

    private static void Same(Vector4 expected, Vector4 actual) => Assert.InRange((expected - actual).Length(), 0, 1e-6f);

    [Fact]
    public void Over() => Same(new(.36f, .27f, .3f, .9f), Compositing.Over(A, B));

    [Fact]
    public void Out()
    {
        Same(new(.075f, .0375f, .015f, .15f), Compositing.Out(A, B));
        Same(new(.06f, .12f, .24f, .3f), Compositing.Out(B, A));
    }

    [Fact]
    public void Over_is_associative()
    {
        Same(new(.365f, .275f, .305f, .925f), Compositing.Over(Compositing.Over(A, B), C));
        Same(new(.365f, .275f, .305f, .925f), Compositing.Over(A, Compositing.Over(B, C)));
    }

    [Fact]
    public void Unpremultiplying_never_divides_by_nothing()
    {
        Same(new(.5f, .25f, .1f, .6f), Compositing.Unpremultiply(A));
        var glow = new Vector4(.2f, 0, 0, 0);
        Same(glow, Compositing.Unpremultiply(glow));
        Same(new(.5f, .2f, .4f, .5f), Compositing.Over(glow, new(.3f, .2f, .4f, .5f)));
    }

    // Coverage of one half of white over black is linear 0.5, code 188 in sRGB (IEC 61966-2-1), not 128.
    [Fact]
    public void Half_coverage_is_half_the_light() =>
        Assert.Equal(188, ColorEncodings.ToCode(ColorEncoding.Srgb, Compositing.Over(new(.5f, .5f, .5f, .5f), new(0, 0, 0, 1)).X, 8));

    // Derived: premultiplied colour is averaged, so an edge keeps its colour and gets no fringe.
    [Fact]
    public void Reducing_premultiplied_pixels_leaves_no_fringe()
    {
        FloatImage half = new FloatImage(2, 1, 4, [1, 1, 1, 1, 0, 0, 0, 0]).ReducedTo(1, 1);
        Assert.Equal([.5f, .5f, .5f, .5f], half.Data);
        Same(new(1, 1, 1, .5f), Compositing.Unpremultiply(new(half.Data[0], half.Data[1], half.Data[2], half.Data[3])));
    }

    [Theory]
    [InlineData(7, 5, 3, 2)]
    [InlineData(1280, 3, 480, 2)]
    public void Reducing_keeps_the_mean(int width, int height, int toWidth, int toHeight)
    {
        var random = new Random(1);
        var image = new FloatImage(width, height, 1, [.. Enumerable.Range(0, width * height).Select(_ => random.NextSingle())]);
        Assert.Equal(image.Data.Average(), image.ReducedTo(toWidth, toHeight).Data.Average(), 5);
    }
}
