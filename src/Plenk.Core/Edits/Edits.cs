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
    private const int LongestWhat = 120,
        Most = 2000;

    /// <summary>
    /// All of the edits in their order, or none. What is no longer as an edit expects it, what no document has and what would make it unfit
    /// is refused.
    /// </summary>
    /// <exception cref="EditFault">Says which place is at fault.</exception>
    public static EditedShot Apply(ShotDocument shot, IReadOnlyList<Edit> edits)
    {
        if (edits.Count == 0)
        {
            throw new EditFault("", "There is no change in it. Name at least one.");
        }
        if (edits.Count > Most || edits.Any(e => e is null))
        {
            throw new EditFault("", $"A set of changes has up to {Most:N0}, each an object. Make several of it.");
        }
        JsonObject node = JsonSerializer.SerializeToNode(shot, ShotJson.Options)!.AsObject();
        Change[] changes = [.. edits.Select(e => e.Lay(node))];
        ShotDocument document = Read(node, edits[^1]);
        // What is taken away takes its keys along; keys that are new must be of something.
        document = HandPath.Laid(ShotCurves.Pruned(document, shot.Curves));
        IReadOnlyList<string> faults = ShotChecks.Faults(document);
        if (faults.Count > 0)
        {
            string[] old = [.. ShotChecks.Faults(shot)],
                own = [.. faults.Except(old)];
            throw new EditFault(Culprit(shot, edits, old), string.Join(" ", own.Length > 0 ? own : faults));
        }
        return new(document, Said(changes), changes);
    }

    private static ShotDocument Read(JsonObject node, Edit last)
    {
        try
        {
            return node.Deserialize<ShotDocument>(ShotJson.Options)!;
        }
        catch (JsonException e)
        {
            throw new EditFault(last.At, $"What it comes to is no shot: {e.Path} is not what stands there.");
        }
    }

    /// <summary>The first edit after which there are faults to the end.</summary>
    private static string Culprit(ShotDocument shot, IReadOnlyList<Edit> edits, string[] old)
    {
        JsonObject node = JsonSerializer.SerializeToNode(shot, ShotJson.Options)!.AsObject();
        string? culprit = null;
        foreach (Edit edit in edits)
        {
            edit.Lay(node);
            culprit = ShotChecks.Faults(Read(node, edit)).Except(old).Any() ? culprit ?? edit.At : null;
        }
        return culprit ?? edits[^1].At;
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
