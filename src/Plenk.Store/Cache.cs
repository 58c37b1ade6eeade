namespace Plenk.Store;

/// <summary>A small memory of computed values, the longest unused forgotten first. A value is computed once even when many ask at once.</summary>
public sealed class Cache<T>(int capacity) where T : class
{
    private readonly Dictionary<string, (Lazy<T> Value, long Used)> _entries = [];
    private readonly Lock _lock = new();
    private long _clock;

    public bool TryGet(string key, out T value)
    {
        lock (_lock)
        {
            bool found = _entries.TryGetValue(key, out var entry) && entry.Value.IsValueCreated;
            value = found ? entry.Value.Value : null!;
            return found;
        }
    }

    public T Get(string key, Func<T> make)
    {
        while (true)
        {
            Lazy<T> value;
            bool mine = false;
            lock (_lock)
            {
                if (_entries.TryGetValue(key, out var entry)) { value = entry.Value; }
                else { (value, mine) = (new Lazy<T>(make), true); }
                _entries[key] = (value, ++_clock);
                while (_entries.Count > capacity)
                {
                    _entries.Remove(_entries.MinBy(e => e.Value.Used).Key);
                }
            }
            try
            {
                return value.Value;
            }
            catch (Exception e)
            {
                // A failure is not remembered: the next one to ask tries again.
                lock (_lock)
                {
                    if (_entries.TryGetValue(key, out var entry) && ReferenceEquals(entry.Value, value)) { _entries.Remove(key); }
                }
                // Somebody else asked first and has gone away since: this one still wants it.
                if (mine || e is not OperationCanceledException) { throw; }
            }
        }
    }
}
