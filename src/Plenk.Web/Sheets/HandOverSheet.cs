using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Web.Sheets;

/// <summary>What the hand-over's sheet offers and says.</summary>
public static class HandOverSheet
{
    public static IReadOnlyList<(string, string)> Compressions { get; } =
    [("zip", "ZIP"), ("piz", "PIZ"), ("zips", "ZIP by line"), ("none", "none")];

    public static IReadOnlyList<(string, string)> Primaries { get; } =
    [("bt709", "BT.709"), ("bt2020", "BT.2020"), ("acescg", "ACEScg (AP1)"), ("aces2065-1", "ACES2065-1 (AP0)")];

    /// <summary>How long so many frames take, by the last ones of full width; null: none was made yet.</summary>
    public static string? Cost(ShotDocument shot, IEnumerable<JobRow> jobs, int frames)
    {
        double? seconds = jobs.FirstOrDefault(j =>
            j.SecondsPerItem > 0 && j.Kind is "handover" or "render" && IsWhole(j, shot)
        )?.SecondsPerItem;
        return seconds is { } s
            ? string.Create(
                CultureInfo.InvariantCulture,
                $"about {Math.Max(1, Math.Ceiling(s * frames / 60))} min for all ({s:F1} s a frame)"
            )
            : null;
    }

    private static bool IsWhole(JobRow job, ShotDocument shot) =>
        !(
            JsonNode.Parse(job.Parameters)?["choice"]?["width"] is JsonValue w
            && w.GetValueKind() == JsonValueKind.Number
            && w.GetValue<int>() < shot.Plate?.Width
        );

    public static string Line(JobRow job) =>
        $"{job.Title}: {job.Waits ?? job.State}"
        + (job.State is "waiting" or "running" && job.Total > 0 ? $", {job.Done} of {job.Total}" : "")
        + (job.Message.Length > 0 ? $". {job.Message}" : "");

    public static string[] Files(string output)
    {
        try
        {
            return JsonSerializer.Deserialize<string[]>(output) ?? [];
        }
        catch (JsonException)
        {
            return []; // what other jobs leave are notes, not files
        }
    }
}
