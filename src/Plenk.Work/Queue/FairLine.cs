namespace Plenk.Work.Queue;

/// <summary>
/// Entry for so many at once. Those who wait come in by rank, and within a rank whoever of whose kind the fewest are inside or were let in
/// since the line was last empty: one who asks for much does not keep out one who asks for little.
/// </summary>
public sealed class FairLine(int atOnce)
{
    private readonly List<Waiting> _waiting = [];
    private readonly Dictionary<long, int> _served = [];
    private int _inside;

    private sealed record Waiting(long Of, int Rank, TaskCompletionSource Entered);

    /// <summary>Nobody is inside, and nobody waits.</summary>
    public bool IsIdle
    {
        get
        {
            lock (_waiting)
            {
                return _inside == 0 && _waiting.Count == 0;
            }
        }
    }

    /// <summary>How many come before the first of somebody's that waits; null where none of theirs does.</summary>
    public int? Before(long of)
    {
        lock (_waiting)
        {
            int own = Order().ToList().FindIndex(w => w.Of == of);
            return own < 0 ? null : own + _inside;
        }
    }

    /// <summary>Waits for a turn, which ends with what is given.</summary>
    /// <param name="of">Whose it is.</param>
    /// <param name="rank">Lower ones come first.</param>
    public async Task<IDisposable> Enter(long of, int rank, CancellationToken stop)
    {
        var own = new Waiting(of, rank, new(TaskCreationOptions.RunContinuationsAsynchronously));
        lock (_waiting)
        {
            _waiting.Add(own);
            Admit();
        }
        using (stop.Register(() => Leave(own, stop)))
        {
            await own.Entered.Task;
        }
        return new Turn(this);
    }

    private void Leave(Waiting own, CancellationToken stop)
    {
        lock (_waiting)
        {
            if (_waiting.Remove(own))
            {
                own.Entered.TrySetCanceled(stop);
            }
        }
    }

    private IEnumerable<Waiting> Order() => _waiting.OrderBy(w => w.Rank).ThenBy(w => _served.GetValueOrDefault(w.Of));

    private void Admit()
    {
        while (_inside < atOnce && _waiting.Count > 0)
        {
            Waiting next = Order().First();
            _waiting.Remove(next);
            _served[next.Of] = _served.GetValueOrDefault(next.Of) + 1;
            _inside++;
            next.Entered.TrySetResult();
        }
        if (_waiting.Count == 0)
        {
            _served.Clear();
        }
    }

    private sealed class Turn(FairLine line) : IDisposable
    {
        private bool _over;

        public void Dispose()
        {
            lock (line._waiting)
            {
                if (_over)
                {
                    return;
                }
                _over = true;
                line._inside--;
                line.Admit();
            }
        }
    }
}
