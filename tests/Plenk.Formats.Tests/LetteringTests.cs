using Plenk.Formats;
using Xunit;

namespace Plenk.Formats.Tests;

public sealed class LetteringTests
{
    // Capital heights in thousandths of the size, as the fonts' own OS/2 tables have them (sCapHeight, read from the shipped files): a fallback font of the machine has others.
    [Theory]
    [InlineData(false, 698)]
    [InlineData(true, 670)]
    public void Letters_are_of_the_shipped_font(bool serif, int capital)
    {
        var (values, width, height) = LetterPicture.Of("H", serif, 1000);
        Assert.InRange(height, capital - 6, capital + 6);
        Assert.Equal(width * height, values.Length);
        Assert.Equal(0, LetterPicture.Of("  ", serif, 20).Width);
    }
}
