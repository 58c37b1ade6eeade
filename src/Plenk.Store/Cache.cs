using Plenk.Formats;

namespace Plenk.Store;

/// <summary>So many bytes for all caches that share it: whatever was used the longest ago goes first, of whichever kind it is.</summary>
public sealed class ByteBudget(long most)
{
    internal sealed class Kept(Action forget, long bytes)
    {
        internal Action Forget => forget;
        internal long Bytes => bytes;
    }

    /// <summary>That of the process: <see cref="PictureMemory"/>.</summary>
    public static ByteBudget OfProcess { get; } = new(PictureMemory.Bytes);

    internal Lock Lock { get; } = new();
    private readonly LinkedList<Kept> _byUse = []; // the longest unused first

    public long Most => most;

    /// <summary>Bytes that are kept now.</summary>
    public long Held { get; private set; }

    internal LinkedListNode<Kept> Keep(Action forget, long bytes)
    {
        LinkedListNode<Kept> node = _byUse.AddLast(new Kept(forget, bytes));
        Held += bytes;
        while (Held > most && _byUse.First is { } oldest)
        {
            oldest.Value.Forget();
        }
        return node;
    }

    internal void Used(LinkedListNode<Kept> node)
    {
        if (node.List is null)
        {
            return;
        }
        _byUse.Remove(node);
        _byUse.AddLast(node);
    }

    internal void Gone(LinkedListNode<Kept> node)
    {
        if (node.List is null)
        {
            return;
        }
        _byUse.Remove(node);
        Held -= node.Value.Bytes;
    }
}

/// <summary>
/// A memory of computed values within a budget of bytes. A value is computed once even when many ask at once; one that is larger than the
/// budget is given and not kept.
/// </summary>
/// <param name="bytesOf">About how much memory a value holds.</param>
public sealed class Cache<T>(Func<T, long> bytesOf, ByteBudget? budget = null)
    where T : class
{
    private const int Overhead = 200; // bytes of an entry, its key and its nodes
    private readonly ByteBudget _budget = budget ?? ByteBudget.OfProcess;
    private readonly Dictionary<string, Entry> _entries = [];

    private sealed class Entry(Lazy<T> value)
    {
        internal Lazy<T> Value => value;
        internal LinkedListNode<ByteBudget.Kept>? Node;
    }

    public bool TryGet(string key, out T value)
    {
        lock (_budget.Lock)
        {
            bool found = _entries.TryGetValue(key, out Entry? entry) && entry.Value.IsValueCreated;
            value = found ? entry!.Value.Value : null!;
            if (found && entry!.Node is { } node)
            {
                _budget.Used(node);
            }
            return found;
        }
    }

    public T Get(string key, Func<T> make)
    {
        while (true)
        {
            Entry? entry;
            bool mine = false;
            lock (_budget.Lock)
            {
                if (!_entries.TryGetValue(key, out entry))
                {
                    (_entries[key], mine) = (entry = new(new(make)), true);
                }
                else if (entry.Node is { } node)
                {
                    _budget.Used(node);
                }
            }
            try
            {
                T value = entry.Value.Value;
                if (mine)
                {
                    Keep(key, entry, value);
                }
                return value;
            }
            catch (Exception e)
            {
                // A failure is not remembered: the next one to ask tries again.
                lock (_budget.Lock)
                {
                    Forget(key, entry);
                }
                // Somebody else asked first and has gone away since: this one still wants it.
                if (mine || e is not OperationCanceledException)
                {
                    throw;
                }
            }
        }
    }

    private void Keep(string key, Entry entry, T value)
    {
        long bytes = bytesOf(value) + 2 * key.Length + Overhead;
        lock (_budget.Lock)
        {
            if (!_entries.TryGetValue(key, out Entry? there) || there != entry)
            {
                return;
            }
            if (bytes > _budget.Most)
            {
                _entries.Remove(key);
            }
            else
            {
                entry.Node = _budget.Keep(() => Forget(key, entry), bytes);
            }
        }
    }

    private void Forget(string key, Entry entry)
    {
        if (_entries.TryGetValue(key, out Entry? there) && there == entry)
        {
            _entries.Remove(key);
        }
        if (entry.Node is { } node)
        {
            _budget.Gone(node);
        }
    }
}
