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
        Tolerance = 2.5, // common practice, no source
        How =
            "In nine frames of the range the visible edges of each piece are compared with the steepest change of brightness "
            + "within 8 px along their normals; of each piece and frame the middle distance, and of these the worst. Pieces with "
            + "fewer than 12 spots in a frame are left out there.",
    };

    public static readonly Reading SharedBlank = new()
    {
        Id = "set.shared",
        Step = 3,
        Name = "Faces in one another",
        Unit = "pairs",
        Tolerance = 0,
        How =
            "Spots spread over every piece are looked at from 0.3 mm before: another piece's face within 0.3 mm that faces the "
            + "same way lies in it. The piece that stands first in the list is the one that is seen.",
    };

    public static readonly Reading CloudBlank = new()
    {
        Id = "set.cloud",
        Step = 3,
        Name = "Pieces against the point cloud",
        Unit = "mm",
        Tolerance = 20, // common practice, no source
        How =
            "Up to 1,500 points of the clouds that lie within half a metre of a piece: the middle of their distances from the nearest face.",
    };

    private const double CloudReach = 0.5; // metres

    /// <param name="points">Of the clouds, in the world.</param>
    public static Reading Cloud(SetScene set, IReadOnlyList<Geometry.Vec3> points)
    {
        if (set.Pieces.Count == 0)
        {
            return CloudBlank with { Note = "nothing is built yet" };
        }
        var near = new (double Distance, int Piece)?[points.Count];
        Parallel.For(0, points.Count, Cores.All, i =>
        {
            var d = SurfaceDistance.Of(set, points[i].ToSingle());
            if (Math.Abs(d.Distance) < CloudReach)
            {
                near[i] = d;
            }
        });
        var found = Enumerable
            .Range(0, points.Count)
            .Where(i => near[i] is not null)
            .Select(i => (Distance: near[i]!.Value.Distance, near[i]!.Value.Piece, Place: points[i]))
            .ToList();
        if (found.Count < 20)
        {
            return CloudBlank with { Note = "the cloud lies nowhere near a piece" };
        }
        FitReport fit = FitReport.Of([.. found.Select(f => f.Distance)]);
        var worst = found
            .GroupBy(f => f.Piece)
            .Where(g => g.Count() >= 5)
            .Select(g => (Piece: g.Key, Fit: FitReport.Of([.. g.Select(f => f.Distance)]), g.MaxBy(f => Math.Abs(f.Distance)).Place))
            .DefaultIfEmpty((found[0].Piece, Fit: fit, found[0].Place))
            .MaxBy(g => g.Fit.MedianAbsolute);
        return (
            CloudBlank with
            {
                Value = 1000 * fit.MedianAbsolute,
                Note =
                    $"{fit.Count} points, {1000 * fit.Rms:0.0} mm RMS, {1000 * fit.RobustDeviation:0.0} mm without outliers; most off: "
                    + $"{set.Pieces[worst.Piece].Name}, {1000 * worst.Fit.MedianAbsolute:0.0} mm",
                Worst = new(
                    World: [worst.Place.X, worst.Place.Y, worst.Place.Z],
                    Piece: set.Pieces[worst.Piece].Id,
                    Words: $"{set.Pieces[worst.Piece].Name}: {1000 * worst.Fit.MedianAbsolute:0} mm"
                ),
            }
        ).Judged();
    }

    public static Reading Shared(SetScene set, int frame)
    {
        if (set.Pieces.Count == 0)
        {
            return SharedBlank with { Note = "nothing is built yet" };
        }
        if (set.Shared.Count == 0)
        {
            return (SharedBlank with { Value = 0, Note = "none" }).Judged();
        }
        SharedFace worst = set.Shared[0];
        return (
            SharedBlank with
            {
                Value = set.Shared.Count,
                Note =
                    $"{set.Pieces[worst.First].Name} and {set.Pieces[worst.Second].Name} share {worst.Area:0.##} m²; "
                    + $"{set.Pieces[worst.First].Name} is seen. Move or shorten one of them",
                Worst = new(
                    frame,
                    World: [worst.Place.X, worst.Place.Y, worst.Place.Z],
                    Piece: set.Pieces[worst.Second].Id,
                    Words: $"{set.Pieces[worst.Second].Name} lies in {set.Pieces[worst.First].Name}"
                ),
            }
        ).Judged();
    }

    /// <param name="frames">Per frame what each piece slips.</param>
    public static Reading Edges(IReadOnlyList<(int Frame, IReadOnlyList<PieceSlip> Slips)> frames, Func<int, string> name)
    {
        var all = frames.SelectMany(f => f.Slips.Select(s => (f.Frame, Slip: s))).ToList();
        if (all.Count == 0)
        {
            return EdgesBlank with { Note = "no piece has edges that the picture shows" };
        }
        var (frame, worst) = all.MaxBy(a => a.Slip.MiddlePx);
        return (
            EdgesBlank with
            {
                Value = worst.MiddlePx,
                Note =
                    $"{name(worst.Piece)} at {frame}; {all.Select(a => a.Slip.Piece).Distinct().Count()} pieces, middle of all "
                    + $"{all.Select(a => a.Slip.MiddlePx).Order().ElementAt(all.Count / 2):0.00} px",
                Worst = new(frame, worst.WorstX, worst.WorstY, Words: $"{name(worst.Piece)} off by {worst.MiddlePx:0.0} px"),
                PerFrame = [.. frames.Where(f => f.Slips.Count > 0).Select(f => new FrameValue(f.Frame, f.Slips.Max(s => s.MiddlePx)))],
            }
        ).Judged();
    }
}
