using Plenk.Work.Queue;
using Xunit;

namespace Plenk.Work.Tests;

public sealed class SharedWorkTests
{
    private readonly SharedWork<string> _shared = new();
    private int _begun;

    private async Task<string> Slow(CancellationToken stop, TaskCompletionSource<string> end)
    {
        Interlocked.Increment(ref _begun);
        return await end.Task.WaitAsync(stop);
    }

    [Fact]
    public async Task Those_who_ask_for_the_same_wait_for_one_computation()
    {
        var end = new TaskCompletionSource<string>();
        Task<string>[] asked = [.. Enumerable.Range(0, 5).Select(_ => _shared.Get("a", stop => Slow(stop, end), CancellationToken.None))];
        Task<string> other = _shared.Get("b", _ => Task.FromResult("b"), CancellationToken.None);
        Assert.Equal("b", await other);
        end.SetResult("a");
        Assert.All(await Task.WhenAll(asked), a => Assert.Equal("a", a));
        Assert.Equal(1, _begun);
        Assert.Equal("again", await _shared.Get("a", _ => Task.FromResult("again"), CancellationToken.None));
    }

    [Fact]
    public async Task It_goes_on_while_one_still_wants_it_and_stops_with_the_last()
    {
        var end = new TaskCompletionSource<string>();
        CancellationToken left = default;
        Task<string> Begin(CancellationToken stop)
        {
            left = stop;
            return Slow(stop, end);
        }
        using CancellationTokenSource first = new(),
            second = new();
        Task<string> one = _shared.Get("a", Begin, first.Token),
            two = _shared.Get("a", Begin, second.Token);
        await Task.Delay(50);
        await first.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => one);
        Assert.False(left.IsCancellationRequested);
        await second.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => two);
        Assert.True(left.IsCancellationRequested);
        // Who asks now is not given the one that was stopped.
        Assert.Equal("new", await _shared.Get("a", _ => Task.FromResult("new"), CancellationToken.None));
    }

    [Fact]
    public async Task A_fault_reaches_all_who_wait_and_is_not_remembered()
    {
        Task<string> Fails(CancellationToken _) => throw new ShotFault("no camera");
        await Assert.ThrowsAsync<ShotFault>(() => _shared.Get("a", Fails, CancellationToken.None));
        Assert.Equal("well", await _shared.Get("a", _ => Task.FromResult("well"), CancellationToken.None));
    }
}
