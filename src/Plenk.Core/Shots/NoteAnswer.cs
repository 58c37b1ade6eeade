namespace Plenk.Core.Shots;

/// <summary>What somebody answered to a note.</summary>
public sealed record NoteAnswer(string By, string Text, DateTimeOffset When);
