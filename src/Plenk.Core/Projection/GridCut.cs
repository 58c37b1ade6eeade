namespace Plenk.Core.Projection;

/// <summary>
/// The cheapest border between two regions of a grid: a minimum cut over four neighbours (Ford and Fulkerson 1956), by blocking
/// flows along shortest ways (Dinic 1970).
/// </summary>
public static class GridCut
{
    public enum Side : byte
    {
        Free,
        First,
        Second,

        /// <summary>No part of the grid.</summary>
        None,
    }

    /// <summary>True where a cell falls to the first side.</summary>
    /// <param name="cost">Of cutting beside a cell; the border between two costs the sum of both. 0 or more.</param>
    public static bool[] Of(int width, int height, ReadOnlySpan<float> cost, ReadOnlySpan<Side> sides)
    {
        int n = width * height;
        // Whole numbers, so that the flow ends and is the same everywhere. Capacity to the right, left, below, above.
        var capacity = new int[4 * n];
        ReadOnlySpan<int> step = [1, -1, width, -width];
        for (int i = 0; i < n; i++)
        {
            if (sides[i] == Side.None)
            {
                continue;
            }
            int x = i % width;
            for (int k = 0; k < 4; k++)
            {
                int j = i + step[k];
                if (j < 0 || j >= n || (k == 0 && x == width - 1) || (k == 1 && x == 0) || sides[j] == Side.None)
                {
                    continue;
                }
                capacity[4 * i + k] = 1 + (int)Math.Min(1e6, 1000 * (cost[i] + cost[j]));
            }
        }
        Side[] fixedTo = sides.ToArray();
        var level = new int[n];
        var queue = new int[n];
        var next = new byte[n];
        int[] steps = step.ToArray();
        var way = new List<int>();
        while (Levels())
        {
            Array.Clear(next);
            for (int i = 0; i < n; i++)
            {
                if (fixedTo[i] == Side.First)
                {
                    while (Push(i)) { }
                }
            }
        }
        // What can still be reached from the first side belongs to it.
        return [.. level.Select(l => l >= 0)];

        bool Levels()
        {
            Array.Fill(level, -1);
            int head = 0,
                tail = 0;
            bool meets = false;
            for (int i = 0; i < n; i++)
            {
                if (fixedTo[i] == Side.First)
                {
                    level[i] = 0;
                    queue[tail++] = i;
                }
            }
            while (head < tail)
            {
                int i = queue[head++];
                if (fixedTo[i] == Side.Second)
                {
                    meets = true;
                    continue;
                }
                for (int k = 0; k < 4; k++)
                {
                    if (capacity[4 * i + k] <= 0)
                    {
                        continue;
                    }
                    int j = i + steps[k];
                    if (level[j] < 0)
                    {
                        level[j] = level[i] + 1;
                        queue[tail++] = j;
                    }
                }
            }
            return meets;
        }

        // One way from a cell of the first side to any of the second along rising levels; what it can carry is sent.
        bool Push(int from)
        {
            way.Clear();
            int at = from;
            while (true)
            {
                if (fixedTo[at] == Side.Second)
                {
                    int least = int.MaxValue;
                    foreach (int e in way)
                    {
                        least = Math.Min(least, capacity[e]);
                    }
                    foreach (int e in way)
                    {
                        capacity[e] -= least;
                        capacity[4 * (e / 4 + steps[e % 4]) + (e % 4 ^ 1)] += least;
                    }
                    return true;
                }
                bool went = false;
                for (; next[at] < 4; next[at]++)
                {
                    int e = 4 * at + next[at];
                    if (capacity[e] <= 0)
                    {
                        continue;
                    }
                    int j = at + steps[next[at]];
                    if (level[j] != level[at] + 1)
                    {
                        continue;
                    }
                    way.Add(e);
                    at = j;
                    went = true;
                    break;
                }
                if (went)
                {
                    continue;
                }
                if (way.Count == 0)
                {
                    return false;
                }
                // A dead end: back one step, and not there again.
                at = way[^1] / 4;
                way.RemoveAt(way.Count - 1);
                next[at]++;
            }
        }
    }
}
