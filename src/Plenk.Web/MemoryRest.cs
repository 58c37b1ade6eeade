using System.Runtime;
using System.Runtime.InteropServices;

namespace Plenk.Web;

/// <summary>
/// Gives memory back when work has rested: the collector and the C library both keep what they once had, and a server that has rendered one
/// large frame would hold on to it for ever.
/// </summary>
public sealed partial class MemoryRest(ILogger<MemoryRest> log) : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(10);
    private const long Busy = 48L << 20,
        Worth = 256L << 20; // bytes allocated between two looks; bytes allocated since memory was given back

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        long last = GC.GetTotalAllocatedBytes(),
            given = last;
        using var timer = new PeriodicTimer(Every);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                long now = GC.GetTotalAllocatedBytes();
                bool rests = now - last < Busy;
                last = now;
                if (!rests || now - given < Worth)
                {
                    continue;
                }
                long before = Environment.WorkingSet;
                GCSettings.LargeObjectHeapCompactionMode = GCLargeObjectHeapCompactionMode.CompactOnce;
                GC.Collect(2, GCCollectionMode.Aggressive, blocking: true, compacting: true);
                if (OperatingSystem.IsLinux())
                {
                    _ = Trim(0);
                }
                given = GC.GetTotalAllocatedBytes();
                log.LogInformation("at rest: {Before} MB of memory became {After} MB", before >> 20, Environment.WorkingSet >> 20);
            }
        }
        catch (OperationCanceledException)
        {
            // The process ends.
        }
    }

    [LibraryImport("libc", EntryPoint = "malloc_trim")]
    private static partial int Trim(nuint pad);
}
