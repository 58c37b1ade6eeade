using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Step 1.</summary>
public static class PlateReadings
{
    public static readonly Reading Blank = new()
    {
        Id = "plate.complete",
        Step = 1,
        Name = "Sequence complete",
        Unit = "frames missing",
        Tolerance = 0,
        How = "Counts the frames of the shot's range that have no readable picture of the plate's size.",
    };

    public static Reading SequenceComplete(ShotDocument shot)
    {
        Reading reading = Blank;
        if (shot.Plate is not { Frames.Count: > 0 } plate)
        {
            return reading with { Note = "no plate yet" };
        }
        var have = plate.Frames.Select(f => f.Frame).ToHashSet();
        int[] missing = [.. Enumerable.Range(shot.Range.First, shot.Range.Count).Where(f => !have.Contains(plate.FrameAt(f, shot.Rate)))];
        return (
            reading with
            {
                Value = missing.Length,
                Note = missing.Length == 0 ? $"{shot.Range.Count} of {shot.Range.Count} frames" : $"first missing at {missing[0]}",
                Worst = missing.Length > 0 ? new(missing[0], Words: "no picture here") : null,
            }
        ).Judged();
    }
}
