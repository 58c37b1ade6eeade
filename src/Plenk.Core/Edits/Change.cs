namespace Plenk.Core.Edits;

/// <summary>What an edit came to, as a ledger says it.</summary>
/// <param name="At">Its place in the document.</param>
/// <param name="Name">What is changed, in the artist's terms, like “Bell: size”.</param>
/// <param name="From">Null: it was not there.</param>
/// <param name="To">Null: it is taken away.</param>
public sealed record Change(string At, string Name, string? From, string? To)
{
    public override string ToString() =>
        To is null ? $"{Name} taken away"
        : From is null ? $"{Name} {To}"
        : $"{Name} {From} → {To}";
}
