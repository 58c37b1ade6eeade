using Plenk.Core.Readings;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>When a reading counts as worse than it was.</summary>
public sealed class WhatMovedTests
{
    private static Reading Of(double? value, Verdict verdict, bool over = false) =>
        new()
        {
            Id = "r",
            Step = 2,
            Name = "r",
            Unit = "px",
            Tolerance = 1,
            How = "",
            Over = over,
            Value = value,
            Verdict = verdict,
        };

    [Theory]
    [InlineData(0.5, Verdict.Within, 0.9, Verdict.Near, false, true)]
    [InlineData(0.5, Verdict.Within, 0.51, Verdict.Within, false, false)] // within a twentieth
    [InlineData(0.5, Verdict.Within, -0.6, Verdict.Within, false, true)]
    [InlineData(0.5, Verdict.Within, 0.4, Verdict.Within, false, false)]
    [InlineData(80.0, Verdict.Within, 70.0, Verdict.Within, true, true)] // it must stay above
    [InlineData(80.0, Verdict.Within, 90.0, Verdict.Within, true, false)]
    [InlineData(1.5, Verdict.Outside, 0.9, Verdict.Near, false, false)]
    public void A_reading_is_worse_by_its_verdict_or_by_more_than_a_twentieth(
        double then,
        Verdict was,
        double now,
        Verdict isNow,
        bool over,
        bool worse
    ) => Assert.Equal(worse, new ReadingThenNow(Of(null, Verdict.Nothing, over), Of(then, was, over), Of(now, isNow, over)).IsWorse);

    [Fact]
    public void What_was_not_measured_is_not_worse() =>
        Assert.False(new ReadingThenNow(Of(null, Verdict.Nothing), null, Of(3, Verdict.Outside)).IsWorse);
}
