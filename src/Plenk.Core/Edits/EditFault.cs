namespace Plenk.Core.Edits;

/// <summary>An edit that cannot be made; nothing of its set is.</summary>
/// <param name="at">The place in the document that is at fault, as the edit names it.</param>
/// <param name="message">What is wrong and what would mend it.</param>
public sealed class EditFault(string at, string message) : Exception(message)
{
    public string At { get; } = at;

    /// <summary>Somebody else set that place since the edit was decided.</summary>
    public bool IsConflict { get; init; }
}
