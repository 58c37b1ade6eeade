using Plenk.Core.Sets;

namespace Plenk.Core.Readings;

/// <summary>Step 3.</summary>
public static class SetReadings
{
    public static readonly Reading EdgesBlank = new()
    {
        Id = "set.edges",
        Step = 3,
        Name = "Edges on the picture's",
        Unit = "px",
        Tolerance = 3, // common practice, no source
        How = "In nine frames of the range the visible edges of each piece are compared with the steepest change of brightness within 8 px along their normals; of each piece and frame the middle distance, and of these the worst. Pieces with fewer than 12 spots in a frame are left out there.",
    };

    /// <param name="frames">Per frame what each piece slips.</param>
    public static Reading Edges(IReadOnlyList<(int Frame, IReadOnlyList<PieceSlip> Slips)> frames, Func<int, string> name)
    {
        var all = frames.SelectMany(f => f.Slips.Select(s => (f.Frame, Slip: s))).ToList();
        if (all.Count == 0) { return EdgesBlank with { Note = "no piece has edges that the picture shows" }; }
        var (frame, worst) = all.MaxBy(a => a.Slip.MiddlePx);
        return (EdgesBlank with
        {
            Value = worst.MiddlePx,
            Note = $"{name(worst.Piece)} at {frame}; {all.Select(a => a.Slip.Piece).Distinct().Count()} pieces, middle of all {all.Select(a => a.Slip.MiddlePx).Order().ElementAt(all.Count / 2):0.00} px",
            Worst = new(frame, worst.WorstX, worst.WorstY, Words: $"{name(worst.Piece)} off by {worst.MiddlePx:0.0} px"),
            PerFrame = [.. frames.Where(f => f.Slips.Count > 0).Select(f => new FrameValue(f.Frame, f.Slips.Max(s => s.MiddlePx)))],
        }).Judged();
    }
}
