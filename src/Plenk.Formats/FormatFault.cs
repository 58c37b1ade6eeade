namespace Plenk.Formats;

/// <summary>A file that cannot be taken, in the artist's terms: what is wrong with it and what would mend it.</summary>
public sealed class FormatFault(string kind, string message, string mend) : Exception(message)
{
    /// <summary>One of the kinds that <c>check-plate</c> documents, or "file".</summary>
    public string Kind { get; } = kind;

    public string Mend { get; } = mend;
}
