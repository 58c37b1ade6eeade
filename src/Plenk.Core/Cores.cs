namespace Plenk.Core;

/// <summary>
/// How loops are spread over the machine. The pool has threads to spare, so that requests need not wait for one, and a loop without a limit
/// would take them all; beside a render that computes on as many threads as there are cores, a request is answered at once. A loop runs on
/// the threads of whoever began it: long work has its own, which give way to others.
/// </summary>
public static class Cores
{
    private static readonly AsyncLocal<int> Chosen = new();

    /// <summary>One thread a core, or as many as were chosen.</summary>
    public static ParallelOptions All => Until(CancellationToken.None);

    /// <summary>The same, until it is stopped.</summary>
    public static ParallelOptions Until(CancellationToken stop) =>
        new()
        {
            MaxDegreeOfParallelism = Count,
            CancellationToken = stop,
            TaskScheduler = null,
        };

    public static int Count => Chosen.Value > 0 ? Chosen.Value : Environment.ProcessorCount;

    /// <summary>What is computed until it is disposed of uses so many threads; numbers do not depend on it.</summary>
    public static IDisposable Using(int threads)
    {
        var before = new Before(Chosen.Value);
        Chosen.Value = threads;
        return before;
    }

    private sealed record Before(int Threads) : IDisposable
    {
        public void Dispose() => Chosen.Value = Threads;
    }
}
