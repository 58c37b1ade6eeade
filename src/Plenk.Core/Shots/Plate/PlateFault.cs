namespace Plenk.Core.Shots;

public sealed record PlateFault(int? Frame, string? File, string Kind, string Message, string Mend);
