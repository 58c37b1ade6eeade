using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Frame lists as they are typed and written.</summary>
public sealed class FrameListTests
{
    [Theory]
    [InlineData("1001-1003,1020", new[] { 1001, 1002, 1003, 1020 }, "1001-1003,1020")]
    [InlineData(" 1020 , 1001 - 1003,1002", new[] { 1001, 1002, 1003, 1020 }, "1001-1003,1020")]
    [InlineData("7", new[] { 7 }, "7")]
    [InlineData("1,2,4,5,6", new[] { 1, 2, 4, 5, 6 }, "1-2,4-6")]
    public void Runs_are_read_and_written(string text, int[] frames, string written)
    {
        Assert.True(FrameList.TryParse(text, out IReadOnlyList<int> list));
        Assert.Equal(frames, list);
        Assert.Equal(written, FrameList.Write(list));
    }

    [Theory]
    [InlineData("")]
    [InlineData(",")]
    [InlineData("x")]
    [InlineData("1010-1001")]
    [InlineData("1-2-3")]
    [InlineData("1001-")]
    [InlineData("0-2000000000")]
    [InlineData("99999999999")]
    public void What_is_no_list_is_refused(string text) => Assert.False(FrameList.TryParse(text, out _));
}
