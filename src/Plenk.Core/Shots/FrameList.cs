namespace Plenk.Core.Shots;

/// <summary>Frame lists as they are typed: <c>1001-1012,1020</c>.</summary>
public static class FrameList
{
    public static bool TryParse(string text, out IReadOnlyList<int> frames)
    {
        var result = new SortedSet<int>();
        frames = [];
        foreach (string part in text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
        {
            string[] ends = part.Split('-', StringSplitOptions.TrimEntries);
            if (
                ends.Length > 2
                || !int.TryParse(ends[0], out int first)
                || !int.TryParse(ends[^1], out int last)
                || last < first
                || (long)last - first > 100_000
            )
            {
                return false;
            }
            for (int f = first; f <= last; f++)
            {
                result.Add(f);
            }
        }
        frames = [.. result];
        return frames.Count > 0;
    }

    /// <summary>The same the other way: runs as first-last.</summary>
    public static string Write(IReadOnlyList<int> frames)
    {
        var runs = new List<string>();
        for (int i = 0; i < frames.Count; )
        {
            int k = i;
            while (k + 1 < frames.Count && frames[k + 1] == frames[k] + 1)
            {
                k++;
            }
            runs.Add(k == i ? $"{frames[i]}" : $"{frames[i]}-{frames[k]}");
            i = k + 1;
        }
        return string.Join(',', runs);
    }
}
