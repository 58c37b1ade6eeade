using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Readings;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Pictures that go on beyond the plate and are cut to it again; readings of several frames.</summary>
public sealed class MarginTests
{
    [Fact]
    public void What_goes_on_around_is_the_border_and_what_lies_within_is_left()
    {
        var image = new FloatImage(3, 2, 2, [.. Enumerable.Range(0, 12).Select(i => (float)i)]);
        FloatImage wide = image.Around(2);
        Assert.Equal((7, 6), (wide.Width, wide.Height));
        Assert.Equal(image.Data, wide.Within(2).Data);
        for (int c = 0; c < 2; c++)
        {
            Assert.Equal(image[0, 0, c], wide[0, 0, c]);
            Assert.Equal(image[2, 1, c], wide[6, 5, c]);
            Assert.Equal(image[1, 0, c], wide[3, 1, c]);
            Assert.Equal(image[0, 1, c], wide[1, 4, c]);
        }
        Assert.Same(image, image.Around(0));
        Assert.Equal([true, false], FloatImage.Within([.. Enumerable.Range(0, 12).Select(i => i == 5)], 4, 3, 1, 1));
    }

    // A pixel of the wider picture looks where the plate's own does.
    [Fact]
    public void A_wider_pinhole_sees_the_same_within()
    {
        var plate = new Pinhole(960, 540, 746.67, 740, 483, 268, new Lens(-0.08, 0.02, 0.001, -0.0005));
        Pinhole wide = plate.Wider(40);
        Assert.Equal((1040, 620), (wide.Width, wide.Height));
        foreach (var (x, y) in ((double, double)[])[(0.5, 0.5), (480, 270), (959.5, 539.5)])
        {
            Assert.True(plate.TryDirection(x, y, out Vec3 a) && wide.TryDirection(x + 40, y + 40, out Vec3 b) && (a - b).Length < 1e-12);
        }
        Assert.Equal(plate.HorizontalFovRadians, new Pinhole(960, 540, wide.Fx, wide.Fy, 0, 0, wide.Lens).HorizontalFovRadians);
    }

    [Fact]
    public void Id_mattes_and_hiding_mattes_are_cut_and_go_on_alike()
    {
        var ids = new IdMatte(IdMatte.ObjectLayer, ["a", "b"], 5 * 4);
        int middle = 1 * 5 + 2;
        (ids.Numbers[middle * IdMatte.Ranks], ids.Coverage[middle * IdMatte.Ranks]) = (1, 0.75f);
        IdMatte cut = ids.Within(5, 4, 1);
        Assert.Equal([0, 0.75f, 0, 0, 0, 0], cut.Of(["b"]));
        Assert.Equal(-1, cut.Numbers[0]);
        HidingMatte hides = new HidingMatte([0, 1, 0, 0.5f], 3).Around(2, 2, 1);
        Assert.Equal([0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 0.5f, 0.5f, 0, 0, 0.5f, 0.5f], hides.Coverage);
        Assert.Equal(3, hides.Beyond);
    }

    [Fact]
    public void Of_several_frames_the_worst_stands_and_all_are_beside_it()
    {
        Reading At(double? value, string note = "") => FinishReadings.EdgeBlank with { Value = value, Note = note };
        Reading worst = OverFrames.Worst([(1001, At(0.2)), (1010, At(null, "no edge")), (1020, At(-0.5)), (1030, At(0.4))]);
        Assert.Equal(-0.5, worst.Value); // the farthest from 0, whichever way
        Assert.Equal([(1001, 0.2), (1020, -0.5), (1030, 0.4)], worst.PerFrame!.Select(f => (f.Frame, f.Value)));
        Assert.Equal("none here", OverFrames.Worst([(1001, At(null, "none here")), (1002, At(null))]).Note);
        Reading must = FinishReadings.EdgeBlank with { Over = true };
        Assert.Equal(1, OverFrames.Worst([(1001, must with { Value = 3 }), (1002, must with { Value = 1 })]).Value);
        Assert.Null(OverFrames.Worst([(1001, At(0.1))]).PerFrame);
    }
}
