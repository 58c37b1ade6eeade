using System.Collections.Concurrent;
using System.Runtime.InteropServices;

namespace Plenk.Work.Queue;

/// <summary>
/// Threads of a lane. Their loops run on them too (<see cref="Core.Cores"/>), and the operating system lets them give way: beside hands,
/// which run at the usual niceness of 0, a lane of niceness 10 gets about a tenth of a core that both want, and all of one that nobody else
/// does.
/// </summary>
public sealed partial class LaneThreads : TaskScheduler, IDisposable
{
    private readonly BlockingCollection<Task> _tasks = [];
    private readonly HashSet<int> _own = [];

    /// <summary>What drafts, readings and full pictures, drafts that nobody asked for yet, and long work give way by.</summary>
    public const int Drafts = 2,
        Readings = 5,
        Ahead = 7,
        Long = 10;

    public LaneThreads(string name, int count, int niceness)
    {
        MaximumConcurrencyLevel = count;
        for (int i = 0; i < count; i++)
        {
            var thread = new Thread(() => Serve(niceness)) { IsBackground = true, Name = $"{name} {i + 1}" };
            _own.Add(thread.ManagedThreadId);
            thread.Start();
        }
    }

    public override int MaximumConcurrencyLevel { get; }

    /// <summary>Runs it on these threads, and all that it awaits and loops over.</summary>
    public Task<T> Run<T>(Func<Task<T>> work) =>
        Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.DenyChildAttach, this).Unwrap();

    public Task<T> Run<T>(Func<T> work) => Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.DenyChildAttach, this);

    private void Serve(int niceness)
    {
        // Lowering one's own priority needs no privilege; where it cannot be had the lane runs like any other.
        if (niceness > 0 && OperatingSystem.IsLinux())
        {
            _ = SetPriority(0, 0, niceness);
        }
        try
        {
            foreach (Task task in _tasks.GetConsumingEnumerable())
            {
                TryExecuteTask(task);
            }
        }
        catch (ObjectDisposedException)
        {
            // The process ends.
        }
    }

    protected override void QueueTask(Task task) => _tasks.Add(task);

    /// <summary>
    /// Whoever waits for a task of these threads on one of them runs it, though it stands in the queue: the others may all be waiting for
    /// what comes of it. It is run once; the queue skips what was.
    /// </summary>
    protected override bool TryExecuteTaskInline(Task task, bool taskWasPreviouslyQueued) =>
        _own.Contains(Environment.CurrentManagedThreadId) && TryExecuteTask(task);

    protected override IEnumerable<Task> GetScheduledTasks() => [.. _tasks];

    public void Dispose() => _tasks.CompleteAdding();

    // PRIO_PROCESS of the calling thread: on Linux niceness belongs to a thread.
    [LibraryImport("libc", EntryPoint = "setpriority")]
    private static partial int SetPriority(int which, int who, int niceness);
}
