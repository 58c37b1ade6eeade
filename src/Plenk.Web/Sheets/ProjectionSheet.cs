using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>Frames of a clean plate that came to be alike.</summary>
public sealed record CleanRun(string Frames, string Taken, string Filled, string Odd);

/// <summary>What the projection's sheet says.</summary>
public static class ProjectionSheet
{
    public static string Aside(ShotDocument shot, ProjectionSource p)
    {
        if (p.Off)
        {
            return "off";
        }
        string kind = p.Kind switch
        {
            SourceKind.Picture => p.OwnColour ? $"own colour, {p.Frame}" : $"picture of {p.Frame}",
            SourceKind.Running => "as it runs",
            _ => $"at {p.Frame}",
        };
        return p.Camera is null ? kind : $"{kind}, {shot.OtherCameras.FirstOrDefault(c => c.Id == p.Camera)?.Name ?? "the shot’s camera"}";
    }

    /// <summary>The frames of a clean plate, those beside each other with the same shares and oddities in one line.</summary>
    public static IReadOnlyList<CleanRun> Runs(ShotDocument shot)
    {
        string now = CleanPlateWork.KeyOf(shot);
        string Share(double part) => part.ToString("0 %", CultureInfo.InvariantCulture);
        var lines = new List<(List<int> Frames, CleanRun Run)>();
        foreach (CleanPlateFrame f in shot.CleanPlate.Frames)
        {
            var run = new CleanRun(
                "",
                f.Masked == 0 ? "nothing in it" : Share(f.Taken),
                f.Masked == 0 ? "" : Share(f.Filled),
                CleanPlateWork.FrameOf(shot, f.Frame) is null ? "of another plate"
                    : f.MadeOf != now ? "made before a change"
                    : ""
            );
            if (lines.Count > 0 && lines[^1].Run == run && lines[^1].Frames[^1] == f.Frame - 1)
            {
                lines[^1].Frames.Add(f.Frame);
            }
            else
            {
                lines.Add(([f.Frame], run));
            }
        }
        return [.. lines.Select(l => l.Run with { Frames = FrameList.Write(l.Frames) })];
    }

    /// <summary>What is odd about the clean plate as a background.</summary>
    public static IEnumerable<string> BackgroundTold(ShotDocument shot)
    {
        if (CleanPlateWork.Without(shot, shot.Cut ?? shot.Range) is { Count: > 0 } lacks)
        {
            yield return $"{FrameList.Write(lacks)} {(lacks.Count == 1 ? "has" : "have")} no clean plate: "
                + $"a comp of {(lacks.Count == 1 ? "it" : "these")} is refused. Make it below.";
        }
        foreach (
            Matte m in shot.Mattes.Where(m => m is { Off: false, HidesBeyondMetres: not null } && shot.CleanPlate.Mattes.Contains(m.Id))
        )
        {
            yield return $"{m.Name} is taken out, and stands before what is added: it is still seen, over the clean plate. "
                + $"Untick “stands before what is added” on it if it should go.";
        }
    }

    /// <summary>What is odd about pictures of their own as a background.</summary>
    public static IEnumerable<string> FramesTold(ShotDocument shot)
    {
        if (BehindFrames.Without(shot, shot.Cut ?? shot.Range) is { Count: > 0 } lacks)
        {
            yield return $"There is no picture at {FrameList.Write(lacks)}: a comp of {(lacks.Count == 1 ? "it" : "these")} is refused.";
        }
        if (
            !shot.Mattes.Any(m => m is { Off: false, HidesBeyondMetres: not null })
            && shot.Elements.Count == 0
            && !shot.Pieces.Any(p => p.IsSeen)
        )
        {
            yield return "Nothing stands before them yet. Key what was filmed, or draw a matte, and let it stand before what is added.";
        }
    }

    public static bool IsAsFilmed(OtherCamera c) =>
        Math.Abs(c.Gain.X - 1) < 1e-6 && Math.Abs(c.Gain.Y - 1) < 1e-6 && Math.Abs(c.Gain.Z - 1) < 1e-6;

    /// <summary>A camera's gains in stops.</summary>
    public static string Stops(OtherCamera c)
    {
        string One(double gain)
        {
            double stops = Math.Log2(gain);
            return (stops >= 0 ? "+" : "−") + Math.Abs(stops).ToString("F2", CultureInfo.InvariantCulture);
        }
        return IsAsFilmed(c) ? "as filmed" : $"{One(c.Gain.X)} {One(c.Gain.Y)} {One(c.Gain.Z)} stops";
    }

    /// <summary>What the last job of a kind has written: its id and its files.</summary>
    public static (long Job, string[] Files) Files(IEnumerable<JobRow> jobs, string kind) =>
        jobs.FirstOrDefault(j => j.Kind == kind && j.Output is { Length: > 0 }) is { } job
            ? (job.Id, [.. HandOverSheet.Files(job.Output!).Take(40)])
            : (0, []);
}
