namespace Plenk.Web.Sheets;

/// <summary>
/// Where a value that may be keyed over frames is set: in the thing, or in its key of a frame, which begins where it is not there yet.
/// </summary>
/// <param name="Begins">What a new key begins as; null: the value is not keyed.</param>
public sealed record Keyed(string At, object? Begins)
{
    public static Keyed Of(string root, string property, bool isKeyed, int frame, object begins) =>
        isKeyed ? new($"{root}/keys/{frame}/{property}", begins) : new($"{root}/{property}", null);
}
