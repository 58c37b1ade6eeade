namespace Plenk.Core.Algebra;

/// <summary>
/// Loops whose parts have something of their own that is added up: the parts are the same on any number of threads, and are added in their
/// order.
/// </summary>
public static class Chunks
{
    /// <summary>The part from … to of so many, of one of several chunks.</summary>
    public static (int From, int To) Of(int count, int chunk, int chunks) =>
        ((int)((long)count * chunk / chunks), (int)((long)count * (chunk + 1) / chunks));

    /// <param name="size">Of a chunk.</param>
    /// <param name="part">What a part from … to comes to.</param>
    public static T[] Of<T>(int count, int size, Func<int, int, T> part)
    {
        int chunks = Math.Max(1, (count + size - 1) / size);
        var parts = new T[chunks];
        Parallel.For(0, chunks, Cores.All, k =>
        {
            var (from, to) = Of(count, k, chunks);
            parts[k] = part(from, to);
        });
        return parts;
    }
}
