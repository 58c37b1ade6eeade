using Xunit;

namespace Plenk.Store.Tests;

public sealed class CacheTests
{
    [Fact]
    public async Task Who_still_wants_a_value_gets_it_when_the_first_to_ask_goes_away()
    {
        var cache = new Cache<string>(4);
        using var asked = new ManualResetEventSlim();
        using var gone = new CancellationTokenSource();
        Task<string> first = Task.Run(() => cache.Get("k", () => { asked.Set(); gone.Token.WaitHandle.WaitOne(); throw new OperationCanceledException(gone.Token); }));
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
        var cache = new Cache<string>(4);
        Assert.Throws<InvalidOperationException>(() => cache.Get("k", () => throw new InvalidOperationException()));
        Assert.Equal("made", cache.Get("k", () => "made"));
    }
}
