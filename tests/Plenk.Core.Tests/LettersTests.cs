using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Motion;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Letters that move each by itself.</summary>
public class LettersTests
{
    /// <summary>Upright quads in a row: left, right, foot, head.</summary>
    private static TriangleMesh Line(params (float Left, float Right, float Foot, float Head)[] quads) =>
        new(
            [
                .. quads.SelectMany(q =>
                    new Vector3[] { new(q.Left, q.Foot, 0), new(q.Right, q.Foot, 0), new(q.Right, q.Head, 0), new(q.Left, q.Head, 0) }
                ),
            ],
            [.. quads.SelectMany((_, i) => new[] { 0, 1, 2, 0, 2, 3 }.Select(k => 4 * i + k))]
        );

    private static ShotDocument Shot(LetterMotion motion, params ValueCurve[] curves) =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Elements = [new() { Id = "title", Letters = motion }],
            Curves = curves,
        };

    [Fact]
    public void What_stands_above_one_another_is_one_letter()
    {
        // A bar, an i with its dot, and one that leans over its neighbour by less than half.
        int[] of = Letters.Of(Line((2, 2.2f, 0, 0.6f), (0, 1, 0, 1), (2.02f, 2.18f, 0.8f, 1), (2.15f, 3, 0, 1)), out int count);
        Assert.Equal(3, count);
        Assert.Equal([1, 0, 1, 2], new[] { of[0], of[4], of[8], of[12] });
    }

    [Theory]
    [InlineData(LetterOrder.Forwards, new double[] { 0, 3, 6, 9 })]
    [InlineData(LetterOrder.Backwards, new double[] { 9, 6, 3, 0 })]
    [InlineData(LetterOrder.FromMiddle, new double[] { 3, 0, 0, 3 })]
    [InlineData(LetterOrder.ToMiddle, new double[] { 0, 3, 3, 0 })]
    public void They_start_one_after_another(LetterOrder order, double[] starts) =>
        Assert.Equal(starts, Letters.Starts(new() { LaterFrames = 3, Order = order }, 4));

    [Fact]
    public void By_a_seed_each_starts_once_and_unevenly_within_its_limit()
    {
        var motion = new LetterMotion
        {
            LaterFrames = 3,
            Order = LetterOrder.BySeed,
            UnevenFrames = 2,
            Seed = 7,
        };
        double[] starts = Letters.Starts(motion, 6);
        Assert.Equal(starts, Letters.Starts(motion, 6));
        Assert.NotEqual(starts, Letters.Starts(motion with { Seed = 8 }, 6));
        double[] sorted = [.. starts.Order()];
        Assert.All(sorted.Select((s, i) => s - 3 * i), uneven => Assert.InRange(uneven, 0, 2));
    }

    // One keyed value; each letter has it so much later, and turns about its own foot: a quarter turn about z takes up to −x.
    [Fact]
    public void Each_moves_about_its_own_pivot_by_the_curve_of_all()
    {
        TriangleMesh line = Line((0, 1, 0, 2), (3, 4, 0, 2));
        ShotDocument shot = Shot(
            new() { LaterFrames = 10 },
            new()
            {
                Id = "elements/title/letters/shiftMetres",
                Keys = [new(0, Triple: new(0, -2, 0), Handle: KeyHandle.Straight), new(10, Triple: Vec3.Zero, Handle: KeyHandle.Straight)],
            },
            new()
            {
                Id = "elements/title/letters/rotationYxzDegrees",
                Keys = [new(20, Triple: Vec3.Zero, Handle: KeyHandle.Straight), new(21, Triple: new(0, 0, 90), Handle: KeyHandle.Straight)],
            }
        );
        Vector3[] at5 = Letters.At(line, shot, shot.Elements[0], 5).Positions,
            at30 = Letters.At(line, shot, shot.Elements[0], 30).Positions;
        Assert.Equal((-1, -2), (at5[0].Y, at5[4].Y));
        // The first lies on its side about (0.5, 0), the second is up and has not turned.
        Assert.True((at30[2] - new Vector3(-1.5f, 0.5f, 0)).Length() < 1e-6f);
        Assert.True((at30[6] - line.Positions[6]).Length() < 1e-6f);
    }

    [Fact]
    public void Where_nothing_is_keyed_off_its_place_nothing_differs()
    {
        TriangleMesh line = Line((0, 1, 0, 2), (3, 4, 0, 2));
        ShotDocument shot = Shot(new() { UnevenShare = 1, UnevenFrames = 9 });
        Assert.Equal(line.Positions, Letters.At(line, shot, shot.Elements[0], 3).Positions);
    }
}
