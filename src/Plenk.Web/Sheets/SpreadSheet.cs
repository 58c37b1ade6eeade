using System.Text.RegularExpressions;
using Plenk.Core.Motion;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>A thing that is keyed, and the others of its list that may do the same: what its sheet offers.</summary>
/// <param name="At">Its place in the document.</param>
public sealed partial record SpreadSheet(SheetView Sheet, string At, string Name)
{
    /// <summary>Something of it is keyed, and it is not alone.</summary>
    public bool IsOffered =>
        Sheet.Shot.Curves.Any(c => c.Id.StartsWith($"{At}/", StringComparison.Ordinal)) && KeySpread.Named(Sheet.Shot, At, "*").Count > 0;

    /// <summary>What its copies are called.</summary>
    public string Pattern => Numbered().Replace(Name, "") + "*";

    public static IReadOnlyList<(string, string)> Orders { get; } =
    [
        (nameof(SpreadOrder.Listed), "as they are listed"),
        (nameof(SpreadOrder.Nearest), "the nearest first"),
        (nameof(SpreadOrder.Farthest), "the farthest first"),
        (nameof(SpreadOrder.BySeed), "as the seed has it"),
    ];

    [GeneratedRegex(@"[ _]?\d+$")]
    private static partial Regex Numbered();
}
