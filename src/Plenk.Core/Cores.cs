namespace Plenk.Core;

/// <summary>
/// How loops are spread over the machine. The pool has threads to spare, so that requests need not wait for one, and a loop without a limit would take them all;
/// beside a render that computes on as many threads as there are cores, a request is answered at once.
/// </summary>
public static class Cores
{
    /// <summary>One thread a core.</summary>
    public static readonly ParallelOptions All = new() { MaxDegreeOfParallelism = Environment.ProcessorCount };

    /// <summary>The same, until it is stopped.</summary>
    public static ParallelOptions Until(CancellationToken stop) => new() { MaxDegreeOfParallelism = Environment.ProcessorCount, CancellationToken = stop };
}
