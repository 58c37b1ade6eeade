using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What sheets say of mattes.</summary>
public static class MatteSheet
{
    public static string Aside(Matte m) =>
        m.Off ? "off"
        : m.Frozen is not null ? "frozen"
        : m.Kind switch
        {
            MatteKind.Drawn => $"{m.Keys.Count} key{(m.Keys.Count == 1 ? "" : "s")}{(m.Motion is null ? "" : ", carried")}",
            MatteKind.Screen => "screen",
            MatteKind.Frames => "pictures",
            _ => "an element",
        };

    public static IReadOnlyList<(string, string)> Joins { get; } =
    [("Add", "added"), ("Subtract", "taken away"), ("Within", "what it is within")];
}
