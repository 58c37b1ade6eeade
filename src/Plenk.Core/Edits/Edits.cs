using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>A document with edits laid on it.</summary>
/// <param name="What">All of them in one line, up to 120 letters.</param>
public sealed record EditedShot(ShotDocument Document, string What, IReadOnlyList<Change> Changes);

/// <summary>Lays edits on documents.</summary>
public static class Edits
{
    private const int LongestWhat = 120;

    /// <summary>All of the edits in their order, or none. What is no longer as an edit expects it, what no document has and what would make it unfit is refused.</summary>
    /// <exception cref="EditFault">Says which place is at fault.</exception>
    public static EditedShot Apply(ShotDocument shot, IReadOnlyList<Edit> edits)
    {
        if (edits.Count == 0)
        {
            throw new EditFault("", "There is no change in it. Name at least one.");
        }
        var (document, changes) = Laid(shot, edits);
        IReadOnlyList<string> faults = ShotChecks.Faults(document);
        if (faults.Count > 0)
        {
            string[] old = [.. ShotChecks.Faults(shot)];
            throw new EditFault(Culprit(shot, edits, old), string.Join(" ", faults.Except(old) is var own && own.Any() ? own : faults));
        }
        return new(document, Said(changes), changes);
    }

    private static (ShotDocument, IReadOnlyList<Change>) Laid(ShotDocument shot, IReadOnlyList<Edit> edits)
    {
        JsonObject node = JsonSerializer.SerializeToNode(shot, ShotJson.Options)!.AsObject();
        var changes = new List<Change>();
        foreach (Edit edit in edits)
        {
            changes.Add(edit.Lay(node));
        }
        try
        {
            return (node.Deserialize<ShotDocument>(ShotJson.Options)!, changes);
        }
        catch (JsonException e)
        {
            throw new EditFault(edits[^1].At, $"What it comes to is no shot: {e.Path} is not what stands there.");
        }
    }

    /// <summary>The first edit after which there are faults to the end.</summary>
    private static string Culprit(ShotDocument shot, IReadOnlyList<Edit> edits, string[] old)
    {
        for (int n = edits.Count - 1; n > 0; n--)
        {
            if (!ShotChecks.Faults(Laid(shot, [.. edits.Take(n)]).Item1).Except(old).Any())
            {
                return edits[n].At;
            }
        }
        return edits[0].At;
    }

    private static string Said(IReadOnlyList<Change> changes)
    {
        string first = changes[0].ToString(),
            rest = changes.Count switch
            {
                1 => "",
                2 => $"; {changes[1]}",
                _ => $", and {changes.Count - 1} more",
            };
        return first.Length + rest.Length <= LongestWhat ? first + rest
            : changes.Count == 1 ? first[..(LongestWhat - 1)] + "…"
            : first[..Math.Min(first.Length, LongestWhat - 16)] + $", and {changes.Count - 1} more";
    }
}
