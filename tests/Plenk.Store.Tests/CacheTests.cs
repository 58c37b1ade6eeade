using Xunit;

namespace Plenk.Store.Tests;

public sealed class CacheTests
{
    [Fact]
    public async Task Who_still_wants_a_value_gets_it_when_the_first_to_ask_goes_away()
    {
        var cache = new Cache<string>(s => s.Length);
        using var asked = new ManualResetEventSlim();
        using var gone = new CancellationTokenSource();
        Task<string> first = Task.Run(() => cache.Get("k", () =>
            {
                asked.Set();
                gone.Token.WaitHandle.WaitOne();
                throw new OperationCanceledException(gone.Token);
            }));
        asked.Wait();
        Task<string> second = Task.Run(() => cache.Get("k", () => "made"));
        await Task.Delay(50);
        await gone.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => first);
        Assert.Equal("made", await second);
        Assert.True(cache.TryGet("k", out string kept));
        Assert.Equal("made", kept);
    }

    [Fact]
    public void A_failure_is_not_kept()
    {
        var cache = new Cache<string>(s => s.Length);
        Assert.Throws<InvalidOperationException>(() => cache.Get("k", () => throw new InvalidOperationException()));
        Assert.Equal("made", cache.Get("k", () => "made"));
    }

    [Fact]
    public void Caches_of_one_budget_hold_no_more_bytes_than_it_has_and_the_longest_unused_goes_first()
    {
        var budget = new ByteBudget(10_000);
        Cache<byte[]> small = new(b => b.Length, budget),
            large = new(b => b.Length, budget);
        for (int i = 0; i < 4; i++)
        {
            small.Get($"s{i}", () => new byte[1000]);
        }
        small.Get("s0", () => throw new InvalidOperationException("it is kept"));
        large.Get("l", () => new byte[5000]);
        Assert.InRange(budget.Held, 5000, budget.Most);
        // s1 was unused the longest, of whichever cache; s0 was asked for after it.
        Assert.True(small.TryGet("s0", out _) && !small.TryGet("s1", out _) && large.TryGet("l", out _));
        // What is larger than all there is is given, not kept, and costs nobody else.
        Assert.Equal(20_000, large.Get("huge", () => new byte[20_000]).Length);
        Assert.True(!large.TryGet("huge", out _) && large.TryGet("l", out _));
        for (int i = 0; i < 100; i++)
        {
            large.Get($"x{i}", () => new byte[900]);
        }
        Assert.InRange(budget.Held, 8000, budget.Most);
    }
}
