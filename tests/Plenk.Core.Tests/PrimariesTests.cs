using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Primaries and white points: ITU-R BT.709-6, BT.2020-2, BT.2087, SMPTE RP 177 and ST 2065-1, ACES S-2014-004.</summary>
public class PrimariesTests
{
    private static void Same(double[] expected, Matrix3 actual, double within)
    {
        double[] own = [actual.M11, actual.M12, actual.M13, actual.M21, actual.M22, actual.M23, actual.M31, actual.M32, actual.M33];
        for (int i = 0; i < 9; i++)
        {
            Assert.Equal(expected[i], own[i], within);
        }
    }

    [Fact]
    public void Rgb_to_xyz_are_the_standards_matrices()
    {
        Same(
            [0.4123908, 0.3575843, 0.1804808, 0.2126390, 0.7151687, 0.07219232, 0.01933082, 0.1191948, 0.9505322],
            Primaries.Bt709.ToXyz(),
            1e-6
        );
        Same([0.6369580, 0.1446169, 0.1688810, 0.2627002, 0.6779981, 0.05930172, 0, 0.02807269, 1.060985], Primaries.Bt2020.ToXyz(), 1e-6);
        // BT.2087: the same white, so no adaptation; rows add up to 1.
        Same(
            [0.6274039, 0.3292830, 0.04331307, 0.06909729, 0.9195404, 0.01136232, 0.01639144, 0.08801331, 0.8955953],
            Primaries.Bt709.To(Primaries.Bt2020),
            1e-6
        );
    }

    // Bradford from D65 to the ACES white; agreed with a colour-management library's built-in matrices.
    [Fact]
    public void Aces_primaries_are_reached_with_bradford()
    {
        Same(
            [0.6130974, 0.3395231, 0.04737945, 0.07019372, 0.9163539, 0.01345240, 0.02061559, 0.1095698, 0.8698146],
            Primaries.Bt709.To(Primaries.AcesCg),
            2e-6
        );
        Same(
            [1.705051, -0.6217921, -0.08325887, -0.1302564, 1.140805, -0.01054832, -0.02400336, -0.1289690, 1.152972],
            Primaries.AcesCg.To(Primaries.Bt709),
            2e-6
        );
        Same(
            [1.45143932, -0.236510747, -0.214928569, -0.0765537734, 1.17622970, -0.0996759264, 0.00831614843, -0.00603244979, 0.997716301],
            Primaries.Aces2065.To(Primaries.AcesCg),
            2e-6
        );
        // Pure green of AP1 lies outside BT.709: its negatives are kept.
        FloatImage green = Primaries.Convert(new(1, 1, 3, [0, 1, 0]), Primaries.AcesCg.To(Primaries.Bt709));
        Assert.Equal(-0.6217921, green.Data[0], 2e-6);
        Assert.Equal(1.140805, green.Data[1], 2e-6);
    }

    [Fact]
    public void Headers_are_known_by_their_numbers_and_nonsense_is_told()
    {
        foreach (Primaries p in Primaries.Known)
        {
            Assert.Same(p, Primaries.Of(p.ToArray()));
            Assert.Same(p, Primaries.Named(p.Name.ToLowerInvariant()));
        }
        // Wide primaries of no standard are taken as they are.
        Primaries own = Primaries.Of([0.7f, 0.3f, 0.2f, 0.75f, 0.14f, 0.05f, 0.3127f, 0.329f])!;
        Assert.Equal(0.7f, (float)own.Red.X);
        Assert.Null(Primaries.Of([0.3f, 0.3f, 0.4f, 0.4f, 0.5f, 0.5f, 0.3127f, 0.329f])); // on a line
        Assert.Null(Primaries.Of([float.NaN, 0.33f, 0.3f, 0.6f, 0.15f, 0.06f, 0.3127f, 0.329f]));
        Assert.Null(Primaries.Of([0.64f, 0.33f, 0.3f, 0.6f, 0.15f, 0.06f, 0.3127f, 0]));
        Assert.Null(Primaries.Named("purple"));
    }

    // Derived: a picture put together from converted layers is the converted picture, so a coloured shadow needs a ratio of its own there.
    [Fact]
    public void A_ratio_does_in_other_primaries_what_it_did()
    {
        Matrix3 m = Primaries.Bt709.To(Primaries.AcesCg);
        var plate = new FloatImage(4, 1, 3, [0.5f, 0.3f, 0.1f, 0, 0, 0, 0.2f, 0.2f, 0.2f, 0.4f, 0.1f, 0.7f]);
        var shadow = new FloatImage(4, 1, 3, [0.4f, 0.5f, 0.7f, 0.4f, 0.5f, 0.7f, 0.6f, 0.6f, 0.6f, 1, 1, 1]);
        var comp = new FloatImage(4, 1, 3, [.. plate.Data.Zip(shadow.Data, (p, s) => p * s)]);
        FloatImage there = Primaries.Convert(comp, m),
            plateThere = Primaries.Convert(plate, m),
            ratio = Primaries.ConvertRatio(shadow, plate, m);
        for (int i = 0; i < 12; i++)
        {
            Assert.Equal(there.Data[i], plateThere.Data[i] * ratio.Data[i], 1e-6f);
        }
        // Untouched stays exactly 1, an even one exactly itself; over black it is as over grey.
        Assert.Equal([0.6f, 0.6f, 0.6f, 1, 1, 1], ratio.Data[6..]);
        Assert.InRange(ratio.Data[3], 0.4f, 0.5f);
        Assert.Same(shadow, Primaries.ConvertRatio(shadow, plate, Matrix3.Identity));
    }

    // S-2016-001 encodes ACEScg, BT.2100 and BT.2408 light of BT.2020: pure red of BT.709 is (0.6130974, 0.0701937, 0.0206156) in the one, (0.6274039, 0.0690973, 0.0163914) in the other.
    [Theory]
    [InlineData(ColorEncoding.AcesCct, new[] { 0.6130974, 0.07019372, 0.02061559 })]
    [InlineData(ColorEncoding.Pq, new[] { 0.6274039, 0.06909729, 0.01639144 })]
    [InlineData(ColorEncoding.Hlg, new[] { 0.6274039, 0.06909729, 0.01639144 })]
    [InlineData(ColorEncoding.Bt1886, new[] { 1.0, 0, 0 })]
    public void Codes_stand_for_light_of_the_standards_primaries(ColorEncoding encoding, double[] red)
    {
        var space = ColorSpace.Usual(encoding);
        var codes = new Vector3([.. red.Select(v => ColorEncodings.FromLinear(encoding, (float)v))]);
        Vector3 light = space.ToLinear(codes);
        Assert.Equal(1, light.X, 2e-4);
        Assert.Equal(0, light.Y, 2e-4);
        Assert.Equal(0, light.Z, 2e-4);
        Assert.InRange(Vector3.Distance(codes, space.ToCodes(Vector3.UnitX)), 0, 2e-3f);
        // Grey is grey in all of them.
        Assert.InRange(Vector3.Distance(new(0.18f), space.ToLinear(new Vector3(ColorEncodings.FromLinear(encoding, 0.18f)))), 0, 1e-4f);
        // Seen on an sRGB display it is that display's red.
        Vector3 shown = Vector3.Clamp(new PlateView(SeenThrough.Display, space, null, null, null).Apply(codes), Vector3.Zero, Vector3.One);
        Assert.InRange(Vector3.Distance(Vector3.UnitX, shown), 0, 5e-3f);
    }

    [Fact]
    public void A_space_is_known_by_its_names()
    {
        Assert.Equal(
            (ColorSpace.Srgb, true),
            (
                ColorSpace.Of(ColorEncoding.Srgb, null),
                new PlateView(SeenThrough.Display, ColorSpace.Of(ColorEncoding.Srgb, "bt709"), null, null, null).IsIdentity
            )
        );
        Assert.Equal(
            ("BT.2100 PQ of BT.2020", "bt2020"),
            (ColorSpace.Usual(ColorEncoding.Pq).Name, ColorSpace.Usual(ColorEncoding.Pq).PrimariesKey)
        );
        Assert.Equal(("sRGB", null), (ColorSpace.Srgb.Name, ColorSpace.Srgb.PrimariesKey));
        Assert.False(new PlateView(SeenThrough.Display, ColorSpace.Of(ColorEncoding.Srgb, "acescg"), null, null, null).IsIdentity);
        foreach (Primaries p in Primaries.Known)
        {
            Assert.Equal(ColorSpace.Of(ColorEncoding.Hlg, p.Key), new ColorSpace(ColorEncoding.Hlg, p));
        }
    }

    // Whole pictures go the same way as single colours, and come back; alpha is let be.
    [Fact]
    public void A_picture_comes_back_from_its_codes()
    {
        var random = new Random(3);
        var light = new FloatImage(16, 9, 4, [.. Enumerable.Range(0, 16 * 9 * 4).Select(_ => (float)(2 * random.NextDouble()))]);
        foreach (ColorEncoding encoding in Enum.GetValues<ColorEncoding>())
        {
            var space = new ColorSpace(encoding, Primaries.Bt2020);
            FloatImage back = space.ToLinear(space.ToCodes(light));
            for (int i = 0; i < light.Data.Length; i++)
            {
                Assert.Equal(light.Data[i], back.Data[i], 2e-4f);
                if (i % 4 == 3)
                {
                    Assert.Equal(light.Data[i], back.Data[i]);
                }
            }
            Assert.Equal(space.ToCodes(new Vector3(light.Data.AsSpan(0, 3))), new Vector3(space.ToCodes(light).Data.AsSpan(0, 3)));
            // What of each channel comes through adds up to 1: white stays white.
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(1, space.Share(c).X + space.Share(c).Y + space.Share(c).Z, 1e-9);
            }
        }
    }
}
