using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Which picture of a sequence stands for a shot frame, within it, before it and after it; common practice, no source.</summary>
public sealed class FrameSourceTests
{
    /// <summary>Four pictures, 11 to 14, the first on shot frame 1001.</summary>
    private static readonly FrameSource Four = new()
    {
        Frames = [.. Enumerable.Range(11, 4).Select(f => new PlateFrame(f, $"{f}", $"{f}"))],
        Mapping = new(11, 1001),
    };

    private static string Shown(FrameSource source, int first = 996, int count = 14) =>
        string.Join(
            ' ',
            Enumerable.Range(first, count).Select(f => source.At(f, new(24, 1)) is { } p ? (p.Frame - 10).ToString("0") : "-")
        );

    [Theory]
    [InlineData(null, null, "- - - - - 1 2 3 4 4 4 4 4 4")]
    [InlineData(FrameOutside.Off, FrameOutside.Off, "- - - - - 1 2 3 4 - - - - -")]
    [InlineData(FrameOutside.Held, FrameOutside.Held, "1 1 1 1 1 1 2 3 4 4 4 4 4 4")]
    [InlineData(FrameOutside.Looped, FrameOutside.Looped, "4 1 2 3 4 1 2 3 4 1 2 3 4 1")]
    [InlineData(FrameOutside.BackAndForth, FrameOutside.BackAndForth, "2 3 4 3 2 1 2 3 4 3 2 1 2 3")]
    public void What_stands_before_and_after(FrameOutside? before, FrameOutside? after, string shown)
    {
        Assert.Equal(shown, Shown(Four with { Before = before, After = after }));
    }

    [Fact]
    public void It_runs_backwards_at_its_own_rate_and_what_repeated_before_still_does()
    {
        Assert.Equal("- - - - - 4 3 2 1 1 1 1 1 1", Shown(Four with { Reversed = true }));
        Assert.Equal("4 1 2 3 4 1 2 3 4 1 2 3 4 1", Shown(Four with { Repeats = true }));
        // Of two as near, the later one stands.
        Assert.Equal("1 2 2 3 3 4 4", Shown(Four with { Rate = new(12, 1) }, 1001, 7));
        // A hole in the sequence shows nothing; a still stands always.
        Assert.Equal("1 - 3 4", Shown(Four with { Frames = [.. Four.Frames.Where(f => f.Frame != 12)] }, 1001, 4));
        Assert.Equal("1 1 1", Shown(Four with { Frames = [Four.Frames[0]] }, 990, 3));
    }
}
