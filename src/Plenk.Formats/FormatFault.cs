namespace Plenk.Formats;

/// <summary>A file that cannot be taken, in the artist's terms: what is wrong with it and what would mend it.</summary>
public sealed class FormatFault(string kind, string message, string mend) : Exception(Shown(message))
{
    private const int Longest = 360;

    /// <summary>A message quotes what a file says, and a damaged one says anything: no control characters, no endless names.</summary>
    private static string Shown(string message)
    {
        string clean = string.Concat(message.Select(c => char.IsControl(c) ? '·' : c));
        return clean.Length <= Longest ? clean : clean[..Longest] + "…";
    }

    /// <summary>One of the kinds that <c>check-plate</c> documents, or "file".</summary>
    public string Kind { get; } = kind;

    public string Mend { get; } = mend;
}
