namespace Plenk.Work;

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
            if (ends.Length > 2 || !int.TryParse(ends[0], out int first) || !int.TryParse(ends[^1], out int last) || last < first || (long)last - first > 100_000) { return false; }
            for (int f = first; f <= last; f++) { result.Add(f); }
        }
        frames = [.. result];
        return frames.Count > 0;
    }
}
