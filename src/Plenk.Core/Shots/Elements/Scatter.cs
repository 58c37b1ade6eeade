namespace Plenk.Core.Shots;

/// <summary>
/// An element as many copies, strewn over pieces of the set: its own place counts no longer, its size and turn are those of every copy. The
/// same seed strews alike.
/// </summary>
public sealed record Scatter : Extensible
{
    /// <summary>No more than this are strewn, whatever is asked for.</summary>
    public const int MostEver = 50_000;

    /// <summary>Names of the pieces, several apart by commas; * stands for anything.</summary>
    public string On { get; init; } = "";
    public double PerSquareMetre { get; init; } = 4;
    public int Most { get; init; } = 2000;

    /// <summary>Two of them are no nearer than this, from place to place, metres.</summary>
    public double ApartMetres { get; init; }

    /// <summary>Each is so many times as large, evenly between the two.</summary>
    public double Smallest { get; init; } = 0.8;
    public double Largest { get; init; } = 1.25;

    /// <summary>Each is turned about its upright by up to so much to either side.</summary>
    public double TurnDegrees { get; init; } = 180;

    /// <summary>And leans by up to so much, to any side.</summary>
    public double LeanDegrees { get; init; }

    /// <summary>They stand square to what they stand on, and go with it; else upright in the world.</summary>
    public bool Square { get; init; }

    /// <summary>Surfaces steeper than this get none.</summary>
    public double SteepestDegrees { get; init; } = 60;

    /// <summary>So deep each stands in the surface, metres.</summary>
    public double SinkMetres { get; init; }

    /// <summary>Id of a matte: as densely as that is opaque where a place is seen in its frame; null: everywhere.</summary>
    public string? Matte { get; init; }
    public int MatteFrame { get; init; }
    public int Seed { get; init; }

    /// <summary>A matte that does not hang on elements itself, nor is joined to one that does.</summary>
    public static bool MayBeBy(ShotDocument shot, string matte)
    {
        var seen = new HashSet<string>(StringComparer.Ordinal);
        var open = new Stack<string>([matte]);
        while (open.TryPop(out string? id))
        {
            if (!seen.Add(id))
            {
                continue;
            }
            if (shot.Mattes.FirstOrDefault(m => m.Id == id) is not { Kind: MatteKind.Drawn or MatteKind.Screen or MatteKind.Frames } own)
            {
                return false;
            }
            foreach (MattePart part in own.Parts)
            {
                open.Push(part.Matte);
            }
        }
        return true;
    }
}
