using Plenk.Core;
using Plenk.Work.Queue;
using Xunit;

namespace Plenk.Work.Tests;

public sealed class LaneThreadTests
{
    // One computes with a loop what all the others wait for: the loop's own parts stand behind them in the queue.
    [Fact]
    public async Task Threads_that_all_wait_for_one_of_them_do_not_wait_for_ever()
    {
        for (int count = 1; count <= 3; count++)
        {
            using var threads = new LaneThreads("test", count, 0);
            using IDisposable many = Cores.Using(4);
            int parts = 0;
            var value = new Lazy<int>(() =>
            {
                Parallel.For(0, 100, Cores.All, _ =>
                {
                    Thread.Sleep(1);
                    Interlocked.Increment(ref parts);
                });
                return 42;
            });
            Task<int>[] all = [.. Enumerable.Range(0, 6).Select(_ => threads.Run(() => value.Value))];
            Assert.All(await Task.WhenAll(all).WaitAsync(TimeSpan.FromSeconds(20)), v => Assert.Equal(42, v));
            Assert.Equal(100, parts);
        }
    }

    [Fact]
    public async Task A_loop_stays_on_the_threads_of_whoever_began_it()
    {
        using var threads = new LaneThreads("own", 3, 0);
        var names = new System.Collections.Concurrent.ConcurrentBag<string?>();
        await threads.Run(() =>
        {
            Parallel.For(0, 60, Cores.All, _ =>
            {
                Thread.Sleep(1);
                names.Add(Thread.CurrentThread.Name);
            });
            return true;
        });
        Assert.All(names, n => Assert.StartsWith("own ", n));
    }
}
