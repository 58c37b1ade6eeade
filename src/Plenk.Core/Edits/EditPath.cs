namespace Plenk.Core.Edits;

/// <summary>Places of a document, as edits name them.</summary>
public static class EditPath
{
    /// <summary>A name as a part of a path, written as JSON Pointer writes it (RFC 6901, section 3).</summary>
    public static string Escape(string name) =>
        name.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal);
}
