namespace Plenk.Store;

/// <summary>It is not done; the message says why and what would mend it, in the artist's terms.</summary>
public sealed class RefusedException(string message) : Exception(message);

/// <summary>What is asked for is not there; the message says what.</summary>
public sealed class NotThereException(string message) : Exception(message);
