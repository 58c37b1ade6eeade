using Plenk.Core.Algebra;

namespace Plenk.Core.Motion;

/// <summary>Several things that do the same, one after another and each a little differently, by a seed.</summary>
public static class Staggered
{
    /// <summary>−1..1, by which of the things it is and what is asked for; equal on every machine.</summary>
    public static double Random(int seed, int thing, int what) =>
        2 * (HashMix.Of((uint)seed * 0x9E3779B9u ^ (uint)(thing * 7919 + what * 104729 + 1)) / (double)uint.MaxValue) - 1;

    /// <summary>The turn of each, 0 first, by a key of it; those with equal keys go together.</summary>
    public static int[] Turns(int count, Func<int, double> of)
    {
        double[] keys = [.. Enumerable.Range(0, count).Select(of)],
            own = [.. keys.Distinct().Order()];
        return [.. keys.Select(k => Array.IndexOf(own, k))];
    }

    /// <summary>How many frames after the first each of them starts.</summary>
    /// <param name="turns">The turn of each.</param>
    /// <param name="later">So many frames after the one before it.</param>
    /// <param name="uneven">And by up to so many frames later still.</param>
    public static double[] Starts(int[] turns, double later, double uneven, int seed) =>
        [.. turns.Select((t, i) => t * later + (Random(seed, i, 1) + 1) / 2 * uneven)];
}
