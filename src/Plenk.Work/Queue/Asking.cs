using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>
/// How a job is asked for: its key is the hash of what its kind reads of the shot and of what was chosen, so the same thing is not done
/// twice, and another thing never answers for it.
/// </summary>
public static class Asking
{
    /// <summary>By kind: the document that its computation is given.</summary>
    private static readonly Dictionary<string, Func<ShotDocument, ShotDocument>> Reads = new()
    {
        ["plate"] = Reduced.None,
        ["track"] = s => Reduced.Plate(s) with { Look = s.Look, Mattes = s.Mattes, Tracks = s.Tracks },
        ["solve"] = s => Reduced.Plate(s) with { Tracks = s.Tracks, Solving = s.Solving, Seed = s.Seed },
        ["grain"] = Reduced.Plate,
        ["thing"] = s => Reduced.Camera(s) with { Look = s.Look, Mattes = s.Mattes, Tracks = s.Tracks, Solve = s.Solve, Seed = s.Seed },
        ["fill"] = s => Reduced.Footage(s) with { Mattes = s.Mattes },
        ["clean-plate"] = Reduced.Clean,
        ["bake"] = Reduced.Footage,
        ["break"] = Reduced.Bare,
        ["fall"] = Reduced.Bare,
        ["elsewhere"] = s => Reduced.Footage(s) with { Look = s.Look, Code = s.Code },
        ["reshoot"] = s => Reduced.Seen(s) with { Production = s.Production, Sequence = s.Sequence, Code = s.Code, Title = s.Title },
        ["depth"] = Reduced.Camera,
        ["matte-follow"] = s => Reduced.Plate(s) with { Look = s.Look, Mattes = s.Mattes },
        ["matte-outline"] = s => Reduced.Filmed(Reduced.Set(s)) with { Look = s.Look, Mattes = s.Mattes },
        ["matte-freeze"] = s => Reduced.Contact(s) with { Mattes = s.Mattes, Lights = s.Lights },
        ["matte-cut"] = s => Reduced.Contact(s) with { Mattes = s.Mattes, Lights = s.Lights, Cut = s.Cut },
        ["finish-range"] = Reduced.Seen,
        ["bring"] = Reduced.Seen,
    };

    public static ShotDocument Read(string kind, ShotDocument shot) => Reads[kind](shot);

    /// <param name="parameters">What the job is given.</param>
    /// <param name="choices">What of that tells it from another of its kind; who asked and on which revision does not.</param>
    public static async Task<JobRow> Ask<T>(
        this JobStore jobs,
        long shot,
        ShotDocument document,
        string kind,
        string title,
        int total,
        string who,
        T parameters,
        object?[] choices,
        string lane = Lane.Long
    )
    {
        string key = ResultKey.Of(kind, 2, [shot, Read(kind, document), .. choices]);
        return (await jobs.Add(new(shot, kind, title, JsonSerializer.Serialize(parameters, ShotJson.Options), key, total, who, lane))).Job;
    }
}
