namespace Plenk.Work.Queue;

/// <summary>
/// One computation for all who ask for the same while it is under way. Each of them may go away; when the last one has, it is stopped.
/// </summary>
public sealed class SharedWork<T>
{
    private readonly Dictionary<string, Going> _going = [];

    private sealed class Going
    {
        public CancellationTokenSource Stop { get; } = new();
        public Task<T> Work { get; set; } = null!;
        public int Wanted { get; set; }
    }

    /// <summary>What comes of it, or of the same that was begun before.</summary>
    /// <param name="begin">Given what stops it; runs where it likes, and not on the caller's time.</param>
    /// <exception cref="OperationCanceledException">The one who asked has gone; others may still wait for it.</exception>
    public async Task<T> Get(string key, Func<CancellationToken, Task<T>> begin, CancellationToken gone)
    {
        Going own;
        lock (_going)
        {
            // One that was stopped is nobody's any more, though it may still be ending.
            if (!_going.TryGetValue(key, out own!) || own.Stop.IsCancellationRequested || own.Work.IsCompleted)
            {
                _going[key] = own = new Going();
                own.Work = Task.Run(() => begin(own.Stop.Token), CancellationToken.None);
            }
            own.Wanted++;
        }
        try
        {
            return await own.Work.WaitAsync(gone);
        }
        finally
        {
            lock (_going)
            {
                if (--own.Wanted == 0)
                {
                    if (!own.Work.IsCompleted)
                    {
                        own.Stop.Cancel();
                    }
                    if (_going.TryGetValue(key, out Going? there) && there == own)
                    {
                        _going.Remove(key);
                    }
                }
            }
        }
    }
}
