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
        for (int i = 0; i < 9; i++) { Assert.Equal(expected[i], own[i], within); }
    }

    [Fact]
    public void Rgb_to_xyz_are_the_standards_matrices()
    {
        Same([0.4123908, 0.3575843, 0.1804808, 0.2126390, 0.7151687, 0.07219232, 0.01933082, 0.1191948, 0.9505322], Primaries.Bt709.ToXyz(), 1e-6);
        Same([0.6369580, 0.1446169, 0.1688810, 0.2627002, 0.6779981, 0.05930172, 0, 0.02807269, 1.060985], Primaries.Bt2020.ToXyz(), 1e-6);
        // BT.2087: the same white, so no adaptation; rows add up to 1.
        Same([0.6274039, 0.3292830, 0.04331307, 0.06909729, 0.9195404, 0.01136232, 0.01639144, 0.08801331, 0.8955953], Primaries.Bt709.To(Primaries.Bt2020), 1e-6);
    }

    // Bradford from D65 to the ACES white; agreed with a colour-management library's built-in matrices.
    [Fact]
    public void Aces_primaries_are_reached_with_bradford()
    {
        Same([0.6130974, 0.3395231, 0.04737945, 0.07019372, 0.9163539, 0.01345240, 0.02061559, 0.1095698, 0.8698146], Primaries.Bt709.To(Primaries.AcesCg), 2e-6);
        Same([1.705051, -0.6217921, -0.08325887, -0.1302564, 1.140805, -0.01054832, -0.02400336, -0.1289690, 1.152972], Primaries.AcesCg.To(Primaries.Bt709), 2e-6);
        Same([1.45143932, -0.236510747, -0.214928569, -0.0765537734, 1.17622970, -0.0996759264, 0.00831614843, -0.00603244979, 0.997716301], Primaries.Aces2065.To(Primaries.AcesCg), 2e-6);
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
        Assert.Null(Primaries.Named("adobe"));
    }

    // Derived: a picture put together from converted layers is the converted picture, so a coloured shadow needs a ratio of its own there.
    [Fact]
    public void A_ratio_does_in_other_primaries_what_it_did()
    {
        Matrix3 m = Primaries.Bt709.To(Primaries.AcesCg);
        var plate = new FloatImage(4, 1, 3, [0.5f, 0.3f, 0.1f, 0, 0, 0, 0.2f, 0.2f, 0.2f, 0.4f, 0.1f, 0.7f]);
        var shadow = new FloatImage(4, 1, 3, [0.4f, 0.5f, 0.7f, 0.4f, 0.5f, 0.7f, 0.6f, 0.6f, 0.6f, 1, 1, 1]);
        var comp = new FloatImage(4, 1, 3, [.. plate.Data.Zip(shadow.Data, (p, s) => p * s)]);
        FloatImage there = Primaries.Convert(comp, m), plateThere = Primaries.Convert(plate, m), ratio = Primaries.ConvertRatio(shadow, plate, m);
        for (int i = 0; i < 12; i++) { Assert.Equal(there.Data[i], plateThere.Data[i] * ratio.Data[i], 1e-6f); }
        // Untouched stays exactly 1, an even one exactly itself; over black it is as over grey.
        Assert.Equal([0.6f, 0.6f, 0.6f, 1, 1, 1], ratio.Data[6..]);
        Assert.InRange(ratio.Data[3], 0.4f, 0.5f);
        Assert.Same(shadow, Primaries.ConvertRatio(shadow, plate, Matrix3.Identity));
    }
}
