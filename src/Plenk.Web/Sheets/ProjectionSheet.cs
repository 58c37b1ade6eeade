using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Web.Sheets;

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
