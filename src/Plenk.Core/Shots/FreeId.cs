namespace Plenk.Core.Shots;

/// <summary>Ids of what is new in a shot.</summary>
public static class FreeId
{
    /// <summary>A stem and the first number, from 1, that is free: “box_2”.</summary>
    public static string Of(IEnumerable<string> taken, string stem)
    {
        HashSet<string> all = [.. taken];
        int n = 1;
        while (all.Contains($"{stem}_{n}"))
        {
            n++;
        }
        return $"{stem}_{n}";
    }
}
