namespace Plenk.Core.Shots;

/// <summary>A note on a frame, at a place of it in pixels of the plate; answered, and resolved.</summary>
public sealed record ReviewNote : Extensible
{
    public required string Id { get; init; }
    public int Frame { get; init; }
    public double X { get; init; }
    public double Y { get; init; }
    public string By { get; init; } = "";
    public string Text { get; init; } = "";
    public DateTimeOffset When { get; init; }
    public IReadOnlyList<NoteAnswer> Answers { get; init; } = [];
    public bool Resolved { get; init; }
}
